"""Rooms: their equipment, readings, calibration, history."""

from __future__ import annotations

import base64
import re
from collections.abc import Iterator
from dataclasses import replace
from datetime import date
from typing import Annotated, Any

from fastapi.responses import Response
from pydantic import BaseModel, Field, StringConstraints, TypeAdapter, ValidationError

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.resource import resource
from oakbeam.api.types import Id, Key, Name, Number, RequestBody, ShownIndexIn, Text
from oakbeam.core.charts.calibration_effect import LineEffect
from oakbeam.core.charts.calibration_effect import effect as calibration_effect
from oakbeam.core.charts.line import ChartLine, Status
from oakbeam.core.charts.validation import check_serves
from oakbeam.core.equipment import calibration, calibration_slips
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.templates import RoomTemplate, room_templates
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.errors import Refusal, unknown
from oakbeam.formats import calibration_pdf, room_xlsx, rows_csv
from oakbeam.formats.chart_xlsx import XLSX
from oakbeam.store import NotFound, Store, charts, history, local, people, rooms
from oakbeam.store.database import now

router = resource("rooms")

_ROOM = TypeAdapter(Room)
Revision = Annotated[int, Field(ge=1)]


class NewRoom(RequestBody):
    """A new room with the equipment of another room or of a template, to be changed from there."""

    name: Name
    like: Key | None = None
    template: Key | None = None


class OutputReadingIn(RequestBody):
    """Air kerma free in air: kerma_ugy at distance_cm from the focus."""

    kvp: Number
    ma: Number
    mas: Number
    distance_cm: Number = 100
    kerma_ugy: Number


class HvlReadingIn(RequestBody):
    """A half-value layer [mm Al]."""

    kvp: Number
    hvl_mm_al: Number


class IndexReadingIn(RequestBody):
    """The exposure index for a kerma at the receptor in an RQA5-like beam, as such or as the console shows it."""

    receptor: Key
    kerma_ugy: Number
    ei: Number | None = None
    shown_index: ShownIndexIn | None = None


class Readings(RequestBody):
    """The readings of one calibration; revision: that of the room they were entered for. room_as_it_was: tube and receptors
    did not change, only what was known of them; then only lines from the model alone are off by it."""

    outputs: list[OutputReadingIn] = Field(default_factory=list, max_length=200)
    hvls: list[HvlReadingIn] = Field(default_factory=list, max_length=20)
    indices: list[IndexReadingIn] = Field(default_factory=list, max_length=50)
    note: Text = ""
    instrument: Annotated[str, StringConstraints(max_length=120, strip_whitespace=True)] = ""
    read_on: date | None = None
    due_on: date | None = None
    revision: Revision | None = None
    room_as_it_was: bool = False


_JSON = TypeAdapter(Any)
FROM_A_FILE = "a file"


class WorkbookIn(RequestBody):
    """A room's workbook in base64; name: what the room is called instead."""

    xlsx: Annotated[str, StringConstraints(max_length=700_000)]
    name: Name | None = None

    def content(self) -> bytes:
        """The workbook's bytes; Refusal where that is no base64."""
        try:
            return base64.b64decode(self.xlsx, validate=True)
        except ValueError:
            raise Refusal("Not base64", "The workbook comes in base64.", None, "xlsx") from None


class FitOut(BaseModel):
    """What readings say and what accepting them would change in the room's approved chart. Nothing is kept."""

    outputs: tuple[calibration.OutputPoint, ...]
    output_scale: float
    checks: tuple[calibration.Check, ...]
    filtration_mm_al: float | None
    hvl_residual_percent: float | None
    indices: tuple[calibration.IndexFit, ...]
    notices: tuple[str, ...]
    slips: tuple[calibration_slips.Slip, ...]
    effects: list[LineEffect]


def add(store: Store, asked: NewRoom, actor: str) -> Room:
    """A new room like another or as a template."""
    return _added(store, asked.name, _base(store, asked), asked.like or asked.template or "", actor)


def take_in(store: Store, asked: Room, actor: str) -> Room:
    """A new room as a file describes it."""
    return _added(store, asked.name.strip(), asked, FROM_A_FILE, actor)


def room_of_workbook(content: bytes, name: str | None = None) -> Room:
    """The room of a workbook; Refusal with what is wrong and where. name: what it is called instead."""
    given = room_xlsx.read(content)
    try:
        room = _ROOM.validate_python({**given, "calibration": None, "revision": 1})
    except ValidationError as wrong:
        first = wrong.errors(include_url=False)[0]
        where = ".".join(str(part) for part in first["loc"] if not str(part)[:1].isupper())
        raise Refusal("Not a room", f"{where[:80]}: {first['msg']}.", None, "xlsx") from None
    return replace(room, name=name) if name else room


def _added(store: Store, name: str, base: Room, like: str, actor: str) -> Room:
    """A new room; its id is made from its name."""
    room_id = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60]
    if not room_id or any(room.id == room_id for room in rooms.all_rooms(store)):
        raise Refusal("Name in use", f"'{name[:40]}' is taken, or has no letters.", None, "name")
    # A new room starts with the physics model; which method rules is then its own choice.
    made = replace(base, id=room_id, name=name, calibration=None, school="model", revision=1)
    if like != FROM_A_FILE:
        # What was read at another tube and another panel was not read here.
        made = replace(made, typical_output=True, receptors=tuple(replace(one, ei_scale=1.0) for one in made.receptors))
    return rooms.save(store, check_room(made), actor, {"like": like})


def _base(store: Store, asked: NewRoom) -> Room:
    if (asked.like is None) == (asked.template is None):
        raise Refusal("One room to start from", "Name a room or a template: one of them.", None, "like")
    if asked.like is not None:
        return rooms.get(store, asked.like)
    known = room_templates()
    if (found := known.get(str(asked.template))) is None:
        raise unknown("template", str(asked.template), list(known))
    return found.room


def change(store: Store, room_id: str, room: Room, actor: str) -> Room:
    """Put other equipment in the place of a room's; refused where it is not whole or a chart line would lose its footing."""
    before = rooms.get(store, room_id)
    if room.id != room_id:
        raise Refusal("Another room", f"The room is '{room_id}'; its id does not change.", [room_id], "id")
    check_room(room)
    _check_charts(store, room)
    # The calibration is a record of what was accepted; editing the equipment does not write it.
    kept = replace(room, calibration=before.calibration)
    was, now_is = _ROOM.dump_python(before, mode="json"), _ROOM.dump_python(kept, mode="json")
    changed = [name for name, value in now_is.items() if name != "revision" and value != was[name]]
    detail = {
        "changed": changed,
        "before": {name: was[name] for name in changed},
        "after": {name: now_is[name] for name in changed},
    }
    return rooms.save(store, kept, actor, detail, expected=room.revision)


def fit(store: Store, room_id: str, asked: Readings) -> FitOut:
    """What the readings say of the room, and what they would change."""
    room = rooms.get(store, room_id)
    found = _fit(room, asked)
    effects = [moved for _, moved in _effects(store, room, found.room, asked, ("approved",))]
    values = {name: getattr(found, name) for name in FitOut.model_fields if name not in ("effects", "slips")}
    return FitOut(**values, slips=calibration_slips.slips(room, *_readings(room, asked)), effects=effects)


def _effects(
    store: Store, before: Room, after: Room, asked: Readings, of: tuple[Status, ...]
) -> list[tuple[ChartLine, LineEffect]]:
    """What a calibration moves of the lines of the room's charts of these states."""
    known = local.catalogue_of(store)
    return [
        (line, moved)
        for chart in charts.in_use(store, before.id)
        if chart.status in of
        for line in chart.lines
        if line.origin == "model" or not asked.room_as_it_was
        if (moved := calibration_effect(line, known.projection(line.projection), before, after))
    ]


def calibrate(store: Store, room_id: str, asked: Readings, actor: str) -> Room:
    """Accept readings: the room takes what was fitted; the readings go into the audit row."""
    before = rooms.get(store, room_id)
    if asked.read_on and asked.due_on and asked.due_on <= asked.read_on:
        raise Refusal("Due before it was read", "The next calibration is due after the day of this one.", None, "due_on")
    days = (one.isoformat() if one else "" for one in (asked.read_on, asked.due_on))
    fitted = _fit(before, asked)
    room = check_room(calibration.accepted(fitted, now(), actor, asked.note, asked.instrument, *days))
    effects = _effects(store, before, room, asked, ("approved", "draft", "proposed"))
    kept = ("outputs", "checks", "filtration_mm_al", "hvl_residual_percent", "indices", "notices")
    found = _JSON.dump_python({name: getattr(fitted, name) for name in kept}, mode="json")
    found["effects"] = _JSON.dump_python([moved for _, moved in effects], mode="json")
    # What was worked out of a room is accepted for that room only.
    expected = before.revision if asked.revision is None else asked.revision
    return rooms.calibrate(store, room, actor, asked.model_dump(mode="json"), found, expected, effects)


def _fit(room: Room, asked: Readings) -> calibration.Fit:
    return calibration.fit(room, *_readings(room, asked))


def _readings(
    room: Room, asked: Readings
) -> tuple[list[calibration.OutputReading], list[calibration.HvlReading], list[calibration.IndexReading]]:
    return (
        [calibration.OutputReading(**reading.__dict__) for reading in asked.outputs],
        [calibration.HvlReading(**reading.__dict__) for reading in asked.hvls],
        [_index_reading(room, reading) for reading in asked.indices],
    )


def _index_reading(room: Room, asked: IndexReadingIn) -> calibration.IndexReading:
    ei = room.receptor(asked.receptor).ei_read(asked.ei, asked.shown_index)
    if ei is None:
        raise Refusal("Index needed", "An index reading needs the index that was shown.", None, "indices")
    return calibration.IndexReading(asked.receptor, asked.kerma_ugy, ei)


def _check_charts(store: Store, room: Room) -> None:
    known = local.catalogue_of(store)
    lines = [(line, known.projection(line.projection)) for chart in charts.in_use(store, room.id) for line in chart.lines]
    check_serves(room, lines)


@router.get("/room-templates", tags=["rooms"])
def list_room_templates() -> list[RoomTemplate]:
    """Rooms to start from, with the equipment such rooms usually have."""
    return list(room_templates().values())


@router.get("/rooms", tags=["rooms"])
def list_rooms(store: StoreHere) -> list[Room]:
    """Every room with its equipment."""
    return rooms.all_rooms(store)


@router.get("/rooms/{room_id}", tags=["rooms"])
def get_room(store: StoreHere, room_id: str) -> Room:
    """One room with its equipment."""
    return rooms.get(store, room_id)


@router.post("/rooms", status_code=201, tags=["rooms"])
def new_room(store: StoreHere, who: Actor, asked: NewRoom) -> Room:
    """A new room with the equipment of another or of a template."""
    return add(store, asked, who)


@router.post("/rooms/import", status_code=201, tags=["rooms"])
def import_room(store: StoreHere, who: Actor, asked: Room) -> Room:
    """A new room from a file, as `GET /rooms/{room_id}` writes it. Its id is made from its name; its calibration stays
    behind, since what was accepted elsewhere was not accepted here."""
    return take_in(store, asked, who)


@router.post("/rooms/import/xlsx", status_code=201, tags=["rooms"])
def import_workbook(store: StoreHere, who: Actor, asked: WorkbookIn) -> Room:
    """A new room from a workbook, as `GET /rooms/{room_id}/xlsx` writes it."""
    return take_in(store, room_of_workbook(asked.content(), asked.name), who)


@router.put("/rooms/{room_id}", tags=["rooms"])
def change_room(store: StoreHere, who: Actor, room_id: str, asked: Room) -> Room:
    """Change a room's equipment. `revision` must be the one that was read; the calibration record stays as it is."""
    return change(store, room_id, asked, who)


@router.post("/rooms/{room_id}/calibration/fit", tags=["rooms"])
def fit_readings(store: StoreHere, room_id: str, asked: Readings) -> FitOut:
    """Fit readings of output, half-value layer and exposure index, and show what they would change. Nothing is kept."""
    return fit(store, room_id, asked)


@router.post("/rooms/{room_id}/calibration", tags=["rooms"])
def accept_calibration(store: StoreHere, who: Actor, room_id: str, asked: Readings) -> Room:
    """Accept readings: the room takes the fitted outputs, filtration and index scales. Lines whose images that moves are
    marked until they are corrected."""
    return calibrate(store, room_id, asked, who)


ABOUT_READINGS = ("accepted_at", "accepted_by", "instrument", "read_on", "due_on", "what")
READING_COLUMNS = (
    *ABOUT_READINGS,
    *("kvp", "ma", "mas", "distance_cm", "kerma_ugy", "hvl_mm_al", "receptor", "ei", "shown_index"),
)


def readings_rows(store: Store, room_id: str) -> Iterator[dict[str, object]]:
    """Every reading of every accepted calibration, newest first, a row each."""
    kinds = {"outputs": "output", "hvls": "half-value layer", "indices": "index"}
    for change in history.of(store, f"room:{rooms.get(store, room_id).id}"):
        accepted = change.detail.get("readings") or {}
        about = {name: accepted.get(name) for name in ("instrument", "read_on", "due_on")}
        for kind, what in kinds.items():
            for reading in accepted.get(kind, []):
                said = {"accepted_at": change.at, "accepted_by": change.actor, **about, "what": what, **reading}
                yield {name: said.get(name) for name in READING_COLUMNS}


@router.get("/rooms/{room_id}/readings/csv", response_class=Response, tags=["rooms"])
def readings_csv(store: StoreHere, room_id: str) -> Response:
    """Every reading of the room's accepted calibrations, as CSV: for the physicist's own papers."""
    text = rows_csv.write(READING_COLUMNS, readings_rows(store, room_id))
    return as_file(text, "text/csv; charset=utf-8", f"readings-{room_id}.csv")


@router.get("/rooms/{room_id}/calibrations/{change_id}/pdf", response_class=Response, tags=["rooms"])
def calibration_report(store: StoreHere, room_id: str, change_id: Id) -> Response:
    """The report of an accepted calibration as PDF: readings, findings, what it moves, by whom. change_id: of the room's
    history."""
    room, known = rooms.get(store, room_id), local.catalogue_of(store).projections
    one = next((row for row in history.of(store, f"room:{room.id}", 10_000) if row.id == change_id), None)
    if one is None or "readings" not in one.detail:
        raise NotFound(f"{room.name} has no calibration {change_id}.")
    people_here = {person.id: person.name for person in people.everybody(store)}
    names = {**{each.id: f"{each.exam} {each.name}" for each in known.values()}, **{r.id: r.name for r in room.receptors}}
    report = calibration_pdf.Accepted(
        room.name,
        one.at,
        people_here.get(one.actor, one.actor),
        one.detail["readings"],
        one.detail.get("found", {}),
        one.id,
        history.link_of(store, one.id),
        names,
    )
    return as_file(calibration_pdf.write(report), "application/pdf", f"calibration-{room.id}-{one.at[:10]}.pdf")


@router.get("/rooms/{room_id}/xlsx", response_class=Response, tags=["rooms"])
def room_as_workbook(store: StoreHere, room_id: str) -> Response:
    """A room's equipment as a workbook: to be filled in and read back (see `POST /rooms/import/xlsx`)."""
    room = rooms.get(store, room_id)
    return as_file(room_xlsx.write(_ROOM.dump_python(room, mode="json")), XLSX, f"room-{room.id}.xlsx")


@router.get("/rooms/{room_id}/history", tags=["rooms"])
def room_history(store: StoreHere, room_id: str) -> list[history.Change]:
    """The audit rows of a room, newest first."""
    rooms.get(store, room_id)
    return history.of(store, f"room:{room_id}")
