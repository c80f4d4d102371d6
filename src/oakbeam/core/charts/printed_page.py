"""What a printed chart shows of each line: its settings on the room's stations for a few patients, or along its range."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace

from oakbeam.core.charts.line import ChartLine, control_words
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import LengthUnit, length_words, to_cm
from oakbeam.core.projection import SUPPORT_NAMES, Projection

STEPS: Mapping[LengthUnit, tuple[float, ...]] = {"cm": (0.5, 1.0, 2.0, 3.0, 4.0), "in": (0.25, 0.5, 1.0, 1.5, 2.0)}
MOST_STEPS = 14


@dataclass(frozen=True, slots=True)
class Setting:
    """One thickness: kVp and mAs on the room's stations; both None where the room cannot give them."""

    thickness_cm: float
    kvp: float | None
    mas: float | None


@dataclass(frozen=True, slots=True)
class SheetLine:
    """A line as printed. filter: the name of the tube filter, "" for none. usual: for the small, the average and the large
    adult, as far as the line's range goes; along: at even steps over the whole range. unseen: no image stands behind it."""

    line: ChartLine
    exam: str
    name: str
    region: str
    conditions: str
    filter: str
    receptor: str
    usual: tuple[Setting, ...]
    along: tuple[Setting, ...]
    unseen: bool = False


def sheet(
    lines: Iterable[ChartLine],
    room: Room,
    projections: Mapping[str, Projection],
    unseen: Collection[int] = (),
    unit: LengthUnit = "cm",
) -> tuple[SheetLine, ...]:
    """The lines of a chart as they are printed, in the chart's order. unseen: ids of those that no image stands behind.
    unit: in which the steps along a range are even, and lengths are said."""
    whole = (_printed(line, room, projections[line.projection], unit) for line in lines)
    return tuple(replace(one, unseen=one.line.id in unseen) for one in whole)


def _printed(line: ChartLine, room: Room, projection: Projection, unit: LengthUnit) -> SheetLine:
    low, high = line.range_cm
    sizes = [cm for cm in projection.thickness_cm if low <= cm <= high] or [line.thickness_cm]
    steps = [to_cm(step, unit) for step in STEPS[unit]]
    step = next((step for step in steps if (high - low) / step <= MOST_STEPS), steps[-1])
    first = int(-(-low // step))
    inside = [i * step for i in range(first, int(high // step) + 1)]
    along = sorted({low, *(cm for cm in inside if low + step / 2 <= cm <= high - step / 2), high})
    grid = f"grid {line.grid_ratio}:1" if line.grid_ratio else "no grid"
    added = room.filter(line.filter)
    behind = f", filter {added.name}" if added else ""
    if line.exposure_control != "manual":
        behind += f", {control_words(line, projection)}"
    return SheetLine(
        line,
        projection.exam,
        projection.name,
        projection.region,
        f"{SUPPORT_NAMES[line.support]}, {grid}, SID {length_words(line.sid_cm, unit)}{behind}",
        added.name if added else "",
        next((one.name for one in room.receptors if one.id == line.receptor), line.receptor),
        tuple(_setting(line, room, projection, cm) for cm in sizes),
        tuple(_setting(line, room, projection, cm) for cm in along),
    )


def _setting(line: ChartLine, room: Room, projection: Projection, thickness_cm: float) -> Setting:
    try:
        on = nearest_generator_setting(room, projection, *line.law.at(thickness_cm))
    except Refusal:
        return Setting(thickness_cm, None, None)
    return Setting(thickness_cm, on.kvp, on.mas)
