"""What a technique request names, looked up: room, projection, chart line, patient, set-up, and the angles that follow."""

from __future__ import annotations

from dataclasses import dataclass, replace

from oakbeam import catalogue
from oakbeam.api import schemas as s
from oakbeam.catalogue import Catalogue
from oakbeam.core import geometry, positioning
from oakbeam.core.chart import Chart, ChartLine, find_line
from oakbeam.core.derived import Setup
from oakbeam.core.measurement import Thickness, carried, estimated, measured
from oakbeam.core.patient import Patient
from oakbeam.core.positioning import Facts
from oakbeam.core.projection import Angulation, Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Room
from oakbeam.store import NotFound, Store, charts, local, rooms

_AS_CHARTED, _NOBODY = s.SetupRequest(), s.PatientRequest()


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
    angle: s.AngleAdvice
    turn: s.AngleAdvice | None


def look_up(store: Store, asked: s.TechniqueRequest) -> Asked:
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
        catalogue.modifier(person.contrast, "contrast") if person.contrast else None,
        person.cannot_keep_still,
        thickness.spread_cm,
        asked.thickness_confirmed,
    )
    facts = _facts(asked, person, projection, thickness)
    angle = s.AngleAdvice(
        asked.angle_school or _usual(projection.angles),
        positioning.tube_angle(projection, facts, asked.angle_school),
        projection.angles,
    )
    turned = positioning.turn(projection, facts, asked.turn_school)
    line = find_line(chart.lines, projection, thickness.cm, wanted.support, wanted.receptor, wanted.grid_ratio)
    return Asked(
        room,
        projection,
        chart,
        line,
        patient,
        _setup(wanted, angle.advice.deg),
        thickness,
        angle,
        s.AngleAdvice(asked.turn_school or _usual(projection.turns), turned, projection.turns) if turned else None,
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


def _thickness(asked: s.TechniqueRequest, person: s.PatientRequest, known: Catalogue, projection: Projection) -> Thickness:
    if asked.thickness_cm is not None:
        return measured(asked.thickness_cm, asked.mat_cm, asked.jaw_cm)
    if over := carried({known.projection(key): cm for key, cm in asked.measured.items()}, projection):
        return over
    return estimated(projection, person.habitus, person.age_band, person.weight_kg, person.height_cm)


def _facts(asked: s.TechniqueRequest, person: s.PatientRequest, projection: Projection, thickness: Thickness) -> Facts:
    """What the angle rules may go by; a chest measured for its own turn is its depth."""
    facts = Facts(sex=person.sex, habitus=person.habitus, **(asked.facts.__dict__ if asked.facts else {}))
    by_depth = any(way.rule == "sternum_by_depth" for way in projection.turns)
    if by_depth and facts.chest_depth_cm is None and not thickness.estimated:
        return replace(facts, chest_depth_cm=thickness.cm)
    return facts


def _setup(wanted: s.SetupRequest, advised_deg: float) -> Setup:
    """The set-up with the angle that is set or advised, and the SID along the ray where the height was taped instead."""
    given = {key: value for key, value in wanted.__dict__.items() if key != "tube_height_cm"}
    if given["tube_angle_deg"] is None:
        given["tube_angle_deg"] = advised_deg
    if wanted.tube_height_cm is not None:
        if wanted.sid_cm is not None:
            raise Refusal("Two distances", "Give the SID along the ray or the height of the tube, not both.", None, "sid_cm")
        given["sid_cm"] = geometry.sid_along_ray_cm(wanted.tube_height_cm, given["tube_angle_deg"])
    return Setup(**given)


def _usual(ways: tuple[Angulation, ...]) -> str | None:
    return ways[0].school if ways else None
