"""What a technique request names, looked up: room, projection, chart line, patient, set-up, and the angles that follow."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

from pydantic import ConfigDict, Field

from oakbeam import catalogue
from oakbeam.api.types import GridRatio, Id, Key, Kvp, Length, Mas, Number, RequestBody, Sid, ThicknessCm
from oakbeam.catalogue import Catalogue
from oakbeam.core.anatomy.body import AgeBand, Habitus, Sex
from oakbeam.core.charts.line import (
    Chart,
    ChartLine,
    find_line,
)
from oakbeam.core.equipment.generator import ExposureControl, SpotName
from oakbeam.core.equipment.room import Method, Room, Support
from oakbeam.core.errors import Refusal
from oakbeam.core.patient import tube_angle
from oakbeam.core.patient.not_suited import refuse_to_turn, refuse_unsuited_view
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.posture import stance
from oakbeam.core.patient.thickness import Thickness, carried, estimated, measured
from oakbeam.core.patient.tube_angle import Advice, Arch, Facts
from oakbeam.core.physics import geometry
from oakbeam.core.projection import Angulation, Digit, DigitNote, Projection, SupportId
from oakbeam.core.technique.set_up import Setup
from oakbeam.store import NotFound, Store, charts, local, rooms


class PatientRequest(RequestBody):
    """The patient. A measured thickness already holds habitus, age, weight and height: they then change no number."""

    habitus: Habitus | None = None
    age_band: AgeBand | None = None
    weight_kg: Annotated[Number, Field(gt=0, le=400)] | None = None
    height_cm: Annotated[Number, Field(gt=0, le=260)] | None = None
    sex: Sex | None = None
    conditions: Annotated[list[Key], Field(max_length=10, default_factory=list)]
    cast: Key | None = None
    hardware: Annotated[Key | None, Field(description="metal in the part")] = None
    contrast: Key | None = None
    cannot_keep_still: bool = False


class SetupRequest(RequestBody):
    """What differs from the chart line; leave out what does not."""

    sid_cm: Sid | None = None
    support: SupportId | None = None
    grid_ratio: GridRatio | None = None
    filter: Annotated[Key | None, Field(description="a selectable filter of the room, or none; left out: the line's")] = None
    receptor: Key | None = None
    field_cm: tuple[Length, Length] | None = None
    tube_height_cm: (
        Annotated[Number, Field(gt=0, le=400, description="Focus above the receptor, in place of sid_cm")] | None
    ) = None
    sid_guessed: Annotated[bool, Field(description="nobody could measure the SID: it is taken as said or as charted")] = (
        False
    )
    tube_angle_deg: Annotated[Number, Field(ge=-60, le=60)] | None = None
    gap_cm: Annotated[Number, Field(ge=0, le=60)] | None = None
    grid_offset_cm: Annotated[Number, Field(ge=-20, le=20, description="ray off the grid's centre line, cm")] = 0.0
    grid_tilt_deg: Annotated[Number, Field(ge=-30, le=30, description="grid off level across its strips")] = 0.0
    kvp: Kvp | None = None
    mas: Mas | None = None
    exposure_control: Annotated[ExposureControl | None, Field(description="left out: the line's")] = None
    aec_cells: Annotated[str, Field(max_length=20)] | None = None
    aec_density: Annotated[int, Field(ge=-4, le=4)] | None = None
    diagonal: Annotated[bool, Field(description="the receptor lies corner to corner along the part; not in a Bucky")] = False
    focal_spot: Annotated[SpotName | None, Field(description="set by hand; left out: by detail and motion")] = None


class FactsRequest(RequestBody):
    """What the angle rules ask of the patient; leave out what was not measured."""

    pelvis_cm: Annotated[Number, Field(description="ASIS to tabletop as read, cm")] | None = None
    pelvis_pad_cm: Annotated[Number, Field(description="Pad or mat under the pelvis, cm")] | None = None
    foot_short_deg: Annotated[Number, Field(description="By how much the foot stays short of 90°")] | None = None
    waist_supported: bool | None = None
    shoulder_drops: bool | None = None
    arch: Arch | None = None
    chest_depth_cm: Number | None = None


class TechniqueRequest(RequestBody):
    """One technique: room, projection and measured thickness, then what differs from the chart.

    Without thickness_cm it comes from a sister view in `measured` (projection: cm), else it is estimated from weight and
    height, a child's age or the build, else it is the average adult's; the answer says which.
    """

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 24.0},
                {
                    "room": "room-1",
                    "projection": "knee-ap",
                    "thickness_cm": 13.5,
                    "patient": {"age_band": "adult", "cast": "plaster-dry"},
                    "setup": {"sid_cm": 110, "support": "tabletop"},
                },
            ]
        },
    )

    room: Key
    projection: Key
    thickness_cm: ThicknessCm | None = None
    mat_cm: Annotated[Number, Field(description="Mat, sponge or board counted in the reading, cm")] = 0.0
    jaw_cm: Annotated[Number, Field(description="Width of the jaw where its outer edge was read, cm")] = 0.0
    thickness_confirmed: bool = False
    measured: Annotated[dict[Key, ThicknessCm], Field(max_length=30, default_factory=dict)]
    chart: Id | None = None
    patient: PatientRequest | None = None
    facts: FactsRequest | None = None
    angle_school: Key | None = None
    turn_school: Key | None = None
    digit: Annotated[Digit, Field(description="the finger or toe asked for; only views of single digits heed it")] = ""
    setup: SetupRequest | None = None
    as_brought: Annotated[bool, Field(description="the patient stays as brought, on the back: nothing turns them")] = False
    school: Annotated[Method | None, Field(description="rules (of thumb) or (physics) model; left out: the room's")] = None


@dataclass(frozen=True, slots=True)
class AngleAdvice:
    """A tube angle, or a turn of the part, by the method in force, and the methods there are."""

    school: str | None
    advice: Advice
    schools: tuple[Angulation, ...]


_AS_CHARTED, _NOBODY = SetupRequest(), PatientRequest(conditions=[])
_AS_CHARTED, _NOBODY = SetupRequest(), PatientRequest(conditions=[])


@dataclass(frozen=True, slots=True)
class Asked:
    """What a technique request names, looked up."""

    room: Room
    projection: Projection
    chart: Chart
    line: ChartLine
    patient: Patient
    setup: Setup
    thickness: Thickness
    angle: AngleAdvice
    turn: AngleAdvice | None


def look_up(store: Store, asked: TechniqueRequest) -> Asked:
    """Everything a request names. Raises Refusal with what is allowed for what is not there or cannot be."""
    known = local.catalogue_of(store)
    projection = known.projection(asked.projection)
    room = room_of(store, asked.room)
    chart = chart_of(store, room, asked.chart)
    if chart.room != room.id:
        raise Refusal("Chart of another room", f"Chart {chart.id} belongs to room '{chart.room}'.", field="chart")
    wanted, person = asked.setup or _AS_CHARTED, asked.patient or _NOBODY
    thickness = _thickness(asked, person, known, projection)
    patient = Patient(
        thickness.cm,
        person.habitus,
        person.age_band,
        tuple(catalogue.modifier(key, "additive", "destructive") for key in person.conditions),
        catalogue.modifier(person.cast, "cast") if person.cast else None,
        catalogue.modifier(person.hardware, "hardware") if person.hardware else None,
        catalogue.modifier(person.contrast, "contrast") if person.contrast else None,
        person.cannot_keep_still,
        thickness.spread_cm,
        asked.thickness_confirmed,
        person.weight_kg,
    )
    refuse_unsuited_view(projection, person.age_band, thickness, known.projections.values())
    line = find_line(
        chart.lines, projection, thickness.cm, wanted.support, wanted.receptor, wanted.grid_ratio, wanted.exposure_control
    )
    support = room.support(wanted.support or line.support)
    if asked.as_brought:
        refuse_to_turn(projection, support.id, wanted.support is not None)
    facts = _facts(asked, person, projection, thickness, support.id)
    angle = AngleAdvice(
        asked.angle_school or _usual(projection.angles),
        tube_angle.tube_angle(projection, facts, asked.angle_school),
        projection.angles,
    )
    turned = tube_angle.turn(projection, facts, asked.turn_school)
    return Asked(
        room,
        projection,
        chart,
        line,
        patient,
        _setup(wanted, angle.advice.deg, projection.digit(asked.digit), support),
        thickness,
        angle,
        AngleAdvice(asked.turn_school or _usual(projection.turns), turned, projection.turns) if turned else None,
    )


def room_of(store: Store, room_id: str) -> Room:
    """A room named inside a request: unknown is a fault of the request, with the rooms there are."""
    try:
        return rooms.get(store, room_id)
    except NotFound as missing:
        raise Refusal("Unknown room", str(missing), [room.id for room in rooms.all_rooms(store)], "room") from None


def chart_of(store: Store, room: Room, chart_id: int | None) -> Chart:
    """The chart a request names, or the room's newest approved one."""
    try:
        return charts.newest_approved(store, room.id) if chart_id is None else charts.get(store, chart_id)
    except NotFound as missing:
        raise Refusal("No chart", str(missing), field="chart") from None


def _thickness(asked: TechniqueRequest, person: PatientRequest, known: Catalogue, projection: Projection) -> Thickness:
    if asked.thickness_cm is not None:
        return measured(asked.thickness_cm, asked.mat_cm, asked.jaw_cm)
    if over := carried({known.projection(key): cm for key, cm in asked.measured.items()}, projection):
        return over
    return estimated(projection, person.habitus, person.age_band, person.weight_kg, person.height_cm)


def _facts(
    asked: TechniqueRequest, person: PatientRequest, projection: Projection, thickness: Thickness, support: SupportId
) -> Facts:
    """What the angle rules may go by; a chest measured for its own turn is its depth."""
    told = asked.facts.__dict__ if asked.facts else {}
    facts = Facts(sex=person.sex, habitus=person.habitus, posture=stance(projection, support)[0], **told)
    by_depth = any(way.rule == "sternum_by_depth" for way in projection.turns)
    if by_depth and facts.chest_depth_cm is None and not thickness.estimated:
        return replace(facts, chest_depth_cm=thickness.cm)
    return facts


def _setup(wanted: SetupRequest, advised_deg: float, digit: DigitNote | None, support: Support) -> Setup:
    """The set-up with the angle that is set or advised, what the digit asked for brings along, and the SID along the ray
    where the height was taped instead."""
    given = {key: value for key, value in wanted.__dict__.items() if key != "tube_height_cm"}
    if given["tube_angle_deg"] is None:
        given["tube_angle_deg"] = advised_deg
    if digit and digit.off_cm and given["gap_cm"] is None:
        given["gap_cm"] = support.gap_cm + digit.off_cm
    if digit and given["field_cm"] is None:
        given["field_cm"] = digit.field_cm
    if wanted.tube_height_cm is not None:
        if wanted.sid_cm is not None:
            raise Refusal("Two distances", "Give the SID along the ray or the height of the tube, not both.", None, "sid_cm")
        given["sid_cm"] = geometry.sid_along_ray_cm(wanted.tube_height_cm, given["tube_angle_deg"])
        given["height_measured"] = True
    return Setup(**given)


def _usual(ways: tuple[Angulation, ...]) -> str | None:
    return ways[0].school if ways else None
