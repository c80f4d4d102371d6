"""Control charts of the log's series with what was done to the room on their time axis, and the alerts that follow."""

from __future__ import annotations

import hashlib
import math
import time
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Annotated, Self

from fastapi import Query
from pydantic import StringConstraints, TypeAdapter, model_validator

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.types import RequestBody
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.log.alerts import Alert, Event, Series, alerts
from oakbeam.core.log.control_chart import WARM_UP, ControlChart, control_chart
from oakbeam.core.log.images import SeenImage, SeriesKey
from oakbeam.store import Store, calibrations, evidence, local, rooms, tally
from oakbeam.store.evidence import AlertNote, Baseline

router = resource("log")
ALERT_DAYS = 365.0
"""A change is told for so long, or until somebody said something of it."""
MOST_POINTS = 1500
ALERTS_STEP = 1
"""Raised where alerts come to be found otherwise: those that were kept are then found anew."""
_ALERTS = TypeAdapter(list[Alert])


@dataclass(frozen=True, slots=True)
class SeriesOut:
    """A series that can be looked at: its key, its view and conditions, and how many images it has."""

    key: str
    projection: str
    support: str
    grid_ratio: int
    receptor: str
    exposure_control: str
    images: int


@dataclass(frozen=True, slots=True)
class ChartPoint:
    """One image of a series."""

    id: int
    taken_at: str
    di: float
    version: int | None
    outcome: str


@dataclass(frozen=True, slots=True)
class EventOut:
    """Something that was done to the room. version: the chart's that was approved."""

    at: str
    name: str
    kind: str
    version: int | None = None


@dataclass(frozen=True, slots=True)
class ControlOut:
    """The control chart of a series: its images, oldest first, each with its place in the chart; events of the room; and the
    period accepted as how it should be, None for none."""

    series: SeriesOut
    points: list[ChartPoint]
    chart: ControlChart
    events: list[EventOut]
    baseline: Baseline | None


@dataclass(frozen=True, slots=True)
class AlertOut:
    """An alert of a room, since when, and what was said of it; note None: nobody looked at it yet."""

    room: str
    room_name: str
    alert: Alert
    since: str
    projection: str
    note: AlertNote | None


class BaselineIn(RequestBody):
    """A period of a series, both days in it, that is accepted as how it should be; both None takes that back."""

    series: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    since: date | None = None
    until: date | None = None

    @model_validator(mode="after")
    def _a_period(self) -> Self:
        if (self.since is None) != (self.until is None):
            raise ValueError("Give both days of the period, or neither.")
        if self.since and self.until and not date(1990, 1, 1) <= self.since <= self.until:
            raise ValueError("The period begins in 1990 or later, and ends no earlier than it begins.")
        return self


class AlertNoteIn(RequestBody):
    """What is said of an alert."""

    key: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    note: Annotated[str, StringConstraints(min_length=1, max_length=500, strip_whitespace=True)]


def key_of(series: SeriesKey) -> str:
    """A series as text."""
    return "|".join(map(str, series))


def all_series(store: Store, room: Room) -> dict[str, list[SeenImage]]:
    """The images of a room by series, those with the most first."""
    found: dict[str, list[SeenImage]] = {}
    for one in evidence.images(store, room.id):
        found.setdefault(key_of(one.series), []).append(one)
    return dict(sorted(found.items(), key=lambda item: -len(item[1])))


def control(store: Store, room_id: str, key: str | None) -> ControlOut:
    """The control chart of a series, of the largest where none is named. Refusal where the room has none such."""
    room = rooms.get(store, room_id)
    found = all_series(store, room)
    if key is None and found:
        key = next(iter(found))
    if key not in found:
        raise Refusal("No such series", "The log of this room has no images of that series.", list(found)[:20], "series")
    images = found[key][-MOST_POINTS:]
    points = [ChartPoint(one.id, one.taken_at, one.di, one.chart_version, one.outcome) for one in images]
    baseline = evidence.baselines(store, room_id).get(key)
    chart = charted([one.di for one in images], [one.day for one in images], baseline)
    return ControlOut(_series_out(key, found[key]), points, chart, events(store, room_id), baseline)


def charted(di: Sequence[float], days: Sequence[float], baseline: Baseline | None) -> ControlChart:
    """The control chart of a series, about its accepted period where it has one."""
    return control_chart(di, days, accepted=baseline.within(days) if baseline else None)


def _series_out(key: str, images: list[SeenImage]) -> SeriesOut:
    first = images[0]
    conditions = (first.projection, first.support, first.grid_ratio, first.receptor, first.exposure_control)
    return SeriesOut(key, *conditions, len(images))


def events(store: Store, room_id: str) -> list[EventOut]:
    """What was done to a room that may move its images: chart versions and calibrations, oldest first."""
    found = [
        EventOut(row["approved_at"], f"version {row['version']} came", "version", row["version"])
        for row in store.db.execute(
            "SELECT version, approved_at FROM chart WHERE room = ? AND status IN ('approved', 'superseded')", (room_id,)
        )
    ]
    found += [EventOut(at, "it was calibrated", "calibration") for at in calibrations.times(store, room_id)]
    return sorted(found, key=lambda one: one.at)


def events_of(store: Store, room_id: str) -> list[Event]:
    """What was done to a room, as alerts are held against it."""
    return [Event(evidence.day_of(one.at), one.name, one.version) for one in events(store, room_id)]


def alerts_of(store: Store, room_id: str) -> list[AlertOut]:
    """The alerts of a room, those that nobody looked at first."""
    room = rooms.get(store, room_id)

    # Found for as long as any day of this month asks for, so that a new day finds nothing anew.
    since_day, month = time.time() / 86_400 - ALERT_DAYS, datetime.now(UTC).date().replace(day=1)

    def work_out() -> str:
        happened = events_of(store, room_id)
        names = {one.id: one.name for one in room.receptors}
        return _ALERTS.dump_json(
            alerts(watched(store, room), happened, names, evidence.day_of(f"{month}T00:00Z") - ALERT_DAYS)
        ).decode()

    # All that an alert is found from.
    accepted = sorted((key, one.since, one.until) for key, one in evidence.baselines(store, room_id).items())
    found_from = f"{ALERTS_STEP} {room.revision} {tally.mark(store, room_id)} {month} {events(store, room_id)} {accepted}"
    found_from += f" {[(one.kind, one.id, one.body) for one in local.entries(store)]}"
    mark = hashlib.sha256(found_from.encode()).hexdigest()
    found = _ALERTS.validate_json(evidence.kept_alerts(store, room_id, mark, work_out))
    notes = evidence.alert_notes(store, room_id)
    told = [
        AlertOut(
            room.id,
            room.name,
            one,
            datetime.fromtimestamp(one.since_day * 86_400, UTC).isoformat(timespec="seconds"),
            one.series[0].partition("|")[0],
            notes.get(one.key),
        )
        for one in found
        if one.since_day >= since_day
    ]
    return sorted(told, key=lambda one: (one.note is not None, -one.alert.since_day))


def watched(store: Store, room: Room) -> list[Series]:
    """The series of a room that are watched: exposed by hand, of views that are known."""
    known, found = local.catalogue_of(store).projections, []
    accepted = evidence.baselines(store, room.id)
    for key, images in all_series(store, room).items():
        first = images[0]
        if first.exposure_control == "aec" or len(images) < 2 or first.projection not in known:
            continue
        view = known[first.projection]
        days, di = [one.day for one in images], [one.di for one in images]
        over = [set_over(one) for one in images]
        chart = charted(di, days, accepted.get(key))
        found.append(Series(key, f"{view.exam} {view.name}", first.receptor, days, di, over, chart))
    return found


def set_over(one: SeenImage) -> float:
    """What was set over what was suggested at the same kVp [DI]; 0 where nothing was."""
    if not one.suggested_mas or one.kvp != one.suggested_kvp:
        return 0.0
    return 10 * math.log10(one.mas / one.suggested_mas)


@router.get("/rooms/{room_id}/series")
def get_series(store: StoreHere, room_id: str) -> list[SeriesOut]:
    """The series of a room's log: views under one set of conditions, those with the most images first."""
    return [_series_out(key, images) for key, images in all_series(store, rooms.get(store, room_id)).items()]


@router.get("/rooms/{room_id}/control-chart")
def get_control_chart(
    store: StoreHere, room_id: str, series: Annotated[str | None, Query(max_length=200)] = None
) -> ControlOut:
    """The control chart of a series of a room's log."""
    return control(store, room_id, series)


@router.put("/rooms/{room_id}/control-chart/baseline")
def put_baseline(store: StoreHere, who: Actor, room_id: str, asked: BaselineIn) -> ControlOut:
    """Accept a period of a series as how it should be, or take that back."""
    days = [evidence.day_of(one.taken_at) for one in control(store, room_id, asked.series).points]
    period = None
    if asked.since and asked.until:
        begins, ends = Baseline(asked.since, asked.until, "", who).within(days)
        if ends - begins < WARM_UP:
            few = f"{ends - begins} of the images that are drawn lie in that period. Accept one with {WARM_UP} or more."
            raise Refusal("Too few images", few, None, "since")
        period = (asked.since, asked.until)
    evidence.accept_baseline(store, room_id, asked.series, period, who)
    return control(store, room_id, asked.series)


@router.get("/log/alerts")
def get_alerts(store: StoreHere, room: Annotated[str | None, Query(max_length=60)] = None) -> list[AlertOut]:
    """What moved in the log of a room, or of all."""
    wanted = [room] if room else [one.id for one in rooms.all_rooms(store)]
    return [alert for one in wanted for alert in alerts_of(store, one)]


@router.post("/rooms/{room_id}/alert-notes", status_code=201)
def post_alert_note(store: StoreHere, who: Actor, room_id: str, asked: AlertNoteIn) -> list[AlertOut]:
    """Say something of an alert: it is known, and no longer open."""
    rooms.get(store, room_id)
    if asked.key not in {one.alert.key for one in alerts_of(store, room_id)}:
        raise Refusal("No such alert", "This room has no such alert now.", None, "key")
    evidence.note_alert(store, room_id, asked.key, who, asked.note)
    return alerts_of(store, room_id)
