"""What a printed chart shows of each line: its settings on the room's stations for a few patients, or along its range."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace

from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.charts.line import ChartLine, Trust, control_words
from oakbeam.core.equipment.generator import aec_backup_mas
from oakbeam.core.equipment.room import Receptor, Room
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import LengthUnit, length_words, to_cm
from oakbeam.core.patient.thickness import usual_children
from oakbeam.core.projection import SUPPORT_NAMES, Projection

STEPS: Mapping[LengthUnit, tuple[float, ...]] = {"cm": (0.5, 1.0, 2.0, 3.0, 4.0), "in": (0.25, 0.5, 1.0, 1.5, 2.0)}
MOST_STEPS = 14
AGE_WORDS: Mapping[AgeBand, str] = {
    "newborn": "newborn",
    "1y": "1 year",
    "5y": "5 years",
    "10y": "10 years",
    "15y": "15 years",
}


@dataclass(frozen=True, slots=True)
class Setting:
    """One thickness: kVp and mAs on the room's stations; both None where the room cannot give them."""

    thickness_cm: float
    kvp: float | None
    mas: float | None


@dataclass(frozen=True, slots=True)
class AtAge:
    """What a child of an age gets, at the thickness usual for it."""

    age: AgeBand
    setting: Setting


@dataclass(frozen=True, slots=True)
class SheetLine:
    """A line as printed. conditions: support, grid, SID and filter in words. control: AEC with chambers, density and
    back-up, or breathing; "" for manual. filter: the name of the tube filter, "" for none. usual: for the small, average and
    large adult, as far as the range goes; along: at even steps over the whole range; at_ages: of a line for children.
    trust: what stands behind it; changed: new, or not as in the version before."""

    line: ChartLine
    exam: str
    name: str
    region: str
    conditions: str
    control: str
    filter: str
    receptor: str
    target: str
    """The index to aim at, as the console shows it; "" on film."""
    usual: tuple[Setting, ...]
    along: tuple[Setting, ...]
    at_ages: tuple[AtAge, ...]
    trust: Trust = "supported"
    changed: bool = False


def _target(receptor: Receptor, target_ei: float | None) -> str:
    name = receptor.index_scale.name if receptor.index_scale else "EI"
    return f"{name} {receptor.shown(target_ei):.4g}" if target_ei else ""


def sheet(
    lines: Iterable[ChartLine],
    room: Room,
    projections: Mapping[str, Projection],
    unit: LengthUnit = "cm",
    trust: Mapping[int, Trust] | None = None,
    before: Collection[ChartLine] = (),
) -> tuple[SheetLine, ...]:
    """The lines of a chart as they are printed, in the chart's order. unit: in which the steps along a range are even, and
    lengths are said. trust: by id. before: the lines of the version before, to say what changed; none for a room's first."""
    by_key = {line.key: line for line in before}
    whole = (_printed(line, room, projections[line.projection], unit) for line in lines)
    return tuple(
        replace(
            one,
            trust=(trust or {}).get(one.line.id or 0, "supported"),
            changed=bool(before) and by_key.get(one.line.key) != one.line,
        )
        for one in whole
    )


def for_children(line: ChartLine, projection: Projection) -> bool:
    """A line of a children's projection, or one that ends before the small adult begins."""
    return projection.for_children or line.range_cm[1] < projection.thickness_cm[0]


def _printed(line: ChartLine, room: Room, projection: Projection, unit: LengthUnit) -> SheetLine:
    low, high = line.range_cm
    sizes = [cm for cm in projection.thickness_cm if low <= cm <= high] or [line.thickness_cm]
    steps = [to_cm(step, unit) for step in STEPS[unit]]
    step = next((step for step in steps if (high - low) / step <= MOST_STEPS), steps[-1])
    first = int(-(-low // step))
    inside = [i * step for i in range(first, int(high // step) + 1)]
    along = sorted({low, *(cm for cm in inside if low + step / 2 <= cm <= high - step / 2), high})
    grid = f" {line.grid_ratio}:1" if line.grid_ratio else ""
    added = room.filter(line.filter)
    behind = f", filter {added.name}" if added else ""
    receptor = next((one for one in room.receptors if one.id == line.receptor), None)
    return SheetLine(
        line,
        projection.exam,
        projection.name,
        projection.region,
        f"{SUPPORT_NAMES[line.support]}{grid}, {length_words(line.sid_cm, unit)}{behind}",
        _control(line, room, projection, sizes[-1]),
        added.name if added else "",
        receptor.name if receptor else line.receptor,
        _target(receptor, receptor.target_for(projection.region, line.target_ei)) if receptor else "",
        tuple(_setting(line, room, projection, cm) for cm in sizes),
        tuple(_setting(line, room, projection, cm) for cm in along),
        tuple(
            AtAge(age, _setting(line, room, projection, cm))
            for age, cm in usual_children(projection, line.range_cm)
            if for_children(line, projection)
        ),
    )


def _control(line: ChartLine, room: Room, projection: Projection, largest_cm: float) -> str:
    """How a line is exposed where not by hand; the back-up of AEC is that of the largest patient."""
    if line.exposure_control == "manual":
        return ""
    words = control_words(line, projection)
    if line.exposure_control != "aec" or room.aec is None:
        return words
    try:
        backup = aec_backup_mas(room.generator, line.law.at(largest_cm)[1], room.aec.backup_factor)
    except Refusal:
        return words
    return f"{words}, back-up {backup:g} mAs"


def _setting(line: ChartLine, room: Room, projection: Projection, thickness_cm: float) -> Setting:
    try:
        on = nearest_generator_setting(room, projection, *line.law.at(thickness_cm))
    except Refusal:
        return Setting(thickness_cm, None, None)
    return Setting(thickness_cm, on.kvp, on.mas)
