"""What a printed chart shows of each line: its settings on the room's stations for a few patients, or along its range."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import SUPPORT_NAMES, Projection

STEPS_CM = (0.5, 1.0, 2.0, 3.0, 4.0)
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
    lines: Iterable[ChartLine], room: Room, projections: Mapping[str, Projection], unseen: Collection[int] = ()
) -> tuple[SheetLine, ...]:
    """The lines of a chart as they are printed, in the chart's order. unseen: ids of those that no image stands behind."""
    return tuple(replace(_printed(line, room, projections[line.projection]), unseen=line.id in unseen) for line in lines)


def _printed(line: ChartLine, room: Room, projection: Projection) -> SheetLine:
    low, high = line.range_cm
    sizes = [cm for cm in projection.thickness_cm if low <= cm <= high] or [line.thickness_cm]
    step = next((step for step in STEPS_CM if (high - low) / step <= MOST_STEPS), STEPS_CM[-1])
    first = int(-(-low // step))
    inside = [i * step for i in range(first, int(high // step) + 1)]
    along = sorted({low, *(cm for cm in inside if low + step / 2 <= cm <= high - step / 2), high})
    grid = f"grid {line.grid_ratio}:1" if line.grid_ratio else "no grid"
    added = room.filter(line.filter)
    return SheetLine(
        line,
        projection.exam,
        projection.name,
        projection.region,
        f"{SUPPORT_NAMES[line.support]}, {grid}, SID {line.sid_cm:g} cm{f', filter {added.name}' if added else ''}",
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
