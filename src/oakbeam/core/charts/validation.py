"""What makes a chart line whole: every number in range, and everything it names in the room."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from oakbeam.core.charts.line import MAS_RANGE, THICKNESS_RANGE_CM, ChartLine
from oakbeam.core.charts.systems import Banded, FixedKvp, Levelled, VariableKvp
from oakbeam.core.equipment.aec import DENSITY_STEPS, chambers_behind
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import OutOfRange, Refusal, within
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.physics.beam.model import (
    KVP_RANGE,
    SID_RANGE_CM,
)
from oakbeam.core.physics.geometry import MIN_SOURCE_TO_SKIN_CM
from oakbeam.core.projection import Projection


def check_serves(room: Room, lines: Iterable[tuple[ChartLine, Projection]]) -> None:
    """Raise Refusal where a chart line of the room names equipment that is no longer there."""
    for line, projection in lines:
        try:
            check_line(line, projection, room)
        except Refusal as refusal:
            raise Refusal(
                "A chart line needs it",
                f"{projection.exam} {projection.name} of the room's chart would no longer hold: {refusal.detail}",
                refusal.allowed,
                refusal.field,
            ) from None


def check_line(line: ChartLine, projection: Projection, room: Room) -> ChartLine:
    """Return the line when every number is in range and the room has what it names; raise Refusal otherwise."""
    low, high = line.range_cm
    within("range_cm.min", low, *THICKNESS_RANGE_CM, "cm")
    within("range_cm.max", high, *THICKNESS_RANGE_CM, "cm")
    if low >= high:
        raise OutOfRange(
            "Empty range",
            f"The range runs from {low:g} to {high:g} cm; its end must be above its start.",
            {"min": low, "unit": "cm"},
            "range_cm.max",
        )
    within("sid_cm", line.sid_cm, *SID_RANGE_CM, "cm")
    rules_of_thumb.grid_factor(line.grid_ratio, 80)
    receptor = room.receptor(line.receptor)
    support = room.support(line.support)
    room.filter(line.filter)
    if line.support == "tabletop" and line.grid_ratio:
        raise Refusal("No grid on the tabletop", "A tabletop receptor has no grid; set the grid to 0.", [0.0], "grid_ratio")
    if line.support not in projection.supports:
        raise Refusal(
            "Support does not fit",
            f"{projection.exam} {projection.name} is not done on the {line.support}.",
            list(projection.supports),
            "support",
        )
    if line.target_ei is not None:
        if not receptor.digital:
            raise Refusal("No index on film", "A film-screen line has no target exposure index.", None, "target_ei")
        within("target_ei", line.target_ei, 50, 5000, "")
    if line.field_cm:
        for side, value, most in zip(("width", "height"), line.field_cm, _longest(receptor.size_cm), strict=True):
            within(f"field_cm.{side}", value, 1, most, "cm")
    if line.exposure_control == "aec":
        chambers_behind(room, line.support, line.aec_cells or projection.aec_cells)
    within("aec_density", line.aec_density, *DENSITY_STEPS, "")
    _check_law(line, room, low, high)
    if not line.sid_cm - support.gap_cm - high >= MIN_SOURCE_TO_SKIN_CM:
        raise OutOfRange(
            "SID too short for this part",
            f"At {high:g} cm thickness an SID of {line.sid_cm:g} cm leaves under "
            f"{MIN_SOURCE_TO_SKIN_CM:g} cm between focus and skin.",
            {"min": support.gap_cm + high + MIN_SOURCE_TO_SKIN_CM, "unit": "cm"},
            "sid_cm",
        )
    return line


def _longest(size_cm: tuple[float, float]) -> tuple[float, float]:
    """A receptor may be turned, so either side of the field may take its longer side."""
    return max(size_cm), max(size_cm)


def _check_law(line: ChartLine, room: Room, low: float, high: float) -> None:
    law = line.law
    if isinstance(law, Banded):
        _check_bands(law, low, high)
        settings = [(band.kvp, band.mas) for band in law.bands]
    elif isinstance(law, Levelled):
        _check_points(law, low, high)
        settings = [(point.kvp, point.mas) for point in law.points]
    else:
        within("thickness_cm", law.thickness_cm, *THICKNESS_RANGE_CM, "cm")
        settings = [law.at(low), law.at(law.thickness_cm), law.at(high)]
    for kvp, _ in settings:
        lowest, highest = max(KVP_RANGE[0], room.generator.kvp[0]), min(KVP_RANGE[1], room.generator.kvp[-1])
        within("kvp", kvp, lowest, highest, "kVp")
    # A band or an end of the range may ask more than the room can give: the line's table then says so, row by row.
    fixed = (law.mas,) if isinstance(law, FixedKvp | VariableKvp) else tuple(mas for _, mas in settings)
    for mas in fixed:
        within("mas", mas, *MAS_RANGE, "mAs")


def _check_points(law: Levelled, low: float, high: float) -> None:
    places = [point.thickness_cm for point in law.points]
    if len(places) < 2 or any(a >= b for a, b in pairwise(places)):
        raise Refusal("Points out of order", "A levelled line needs two points or more of rising thickness.", None, "points")
    if law.base_cm not in places:
        raise Refusal("No base point", f"No point lies at the accepted exposure's {law.base_cm:g} cm.", None, "points")
    if places[0] > low or places[-1] < high:
        raise Refusal(
            "Points do not cover the range",
            f"The points run from {places[0]:g} to {places[-1]:g} cm, the line from {low:g} to {high:g} cm.",
            {"min": low, "max": high, "unit": "cm"},
            "points",
        )


def _check_bands(law: Banded, low: float, high: float) -> None:
    if not law.bands:
        raise Refusal("No band", "A banded line needs at least one band.", None, "bands")
    for band in law.bands:
        if not band.min_cm < band.max_cm:
            raise Refusal("Empty band", f"Band '{band.name}' ends at or before its start.", None, "bands")
    for left, right in zip(law.bands, law.bands[1:], strict=False):
        if left.max_cm != right.min_cm:
            raise Refusal(
                "Bands do not touch",
                f"Band '{left.name}' ends at {left.max_cm:g} cm and '{right.name}' starts at {right.min_cm:g} cm.",
                None,
                "bands",
            )
    if (law.bands[0].min_cm, law.bands[-1].max_cm) != (low, high):
        raise Refusal(
            "Bands do not fill the range",
            f"The bands run from {law.bands[0].min_cm:g} to {law.bands[-1].max_cm:g} cm, the line from {low:g} to "
            f"{high:g} cm.",
            {"min": low, "max": high, "unit": "cm"},
            "bands",
        )
