"""One change made to many lines: some kVp more, some mAs less, another grid, distance, receptor or technique system."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from oakbeam.core.chart_making.systems import TechniqueSystem, in_system
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.charts.receptor_exposure import signals_per_mas, wanted_of
from oakbeam.core.charts.systems import SYSTEM_NAMES, Band, Banded, FixedKvp, Levelled, MasRule, Point, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.generator import ExposureControl, nearest_setting
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import usual_field
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import SUPPORT_NAMES, Projection

Cell = Literal["grid_ratio", "sid_cm", "range_cm", "exposure_control", "thickness_cm", "kvp", "mas", "parameter"]
"""What can be typed into a line in the grid; parameter: the cm to double, or the kVp per cm."""


@dataclass(frozen=True, slots=True)
class Control:
    """What is typed for the exposure control; cells: the chambers, None for the projection's usual ones."""

    kind: ExposureControl
    cells: str | None


CellValue = float | tuple[float, float] | Control
"""A number, the two ends of a range [cm], or an exposure control."""


@dataclass(frozen=True, slots=True)
class Adjust:
    """What to change; None leaves it. hold: the mAs follows what else changes, so that the receptor gets what it did (or
    what it wants, where that changes) by the physics model at the line's own thickness. mas_percent comes on top."""

    kvp_added: float | None = None
    mas_percent: float | None = None
    grid_ratio: int | None = None
    sid_cm: float | None = None
    support: str | None = None
    receptor: str | None = None
    school: TechniqueSystem | None = None
    on_stations: bool = False
    hold: bool = True


def adjusted(line: ChartLine, room: Room, projection: Projection, wanted: Adjust) -> tuple[ChartLine, str]:
    """(the line changed, what changed in words). Raises Refusal where the line could not stand so.

    A line that follows another is not changed by itself: its parent is, or the link.
    """
    if line.link:
        raise Refusal("Follows another line", "It follows another line: change that one, or the link.", None, "link")
    if wanted == Adjust(hold=wanted.hold):
        raise Refusal("Nothing to change", "Say what to change: kVp, mAs, grid, SID, support, receptor or technique system.")
    made, words = line, []
    if wanted.support is not None and wanted.support != line.support:
        made = replace(made, support=room.support(wanted.support).id)
        words.append(f"on the {SUPPORT_NAMES[wanted.support]}")
    if wanted.grid_ratio is not None and wanted.grid_ratio != line.grid_ratio:
        made = replace(made, grid_ratio=wanted.grid_ratio)
        words.append(f"grid {wanted.grid_ratio}:1" if wanted.grid_ratio else "no grid")
    if wanted.sid_cm is not None and wanted.sid_cm != line.sid_cm:
        made = replace(made, sid_cm=wanted.sid_cm)
        words.append(f"SID {wanted.sid_cm:g} cm")
    if wanted.receptor is not None and wanted.receptor != line.receptor:
        receptor = room.receptor(wanted.receptor)
        field = usual_field(line.field_cm, projection, receptor) if line.field_cm else None
        made = replace(made, receptor=receptor.id, target_ei=None, field_cm=field)
        words.append(receptor.name)
    if words or wanted.kvp_added or wanted.mas_percent:
        # No exposure was accepted at these numbers under these conditions.
        made = replace(made, origin="typed", origin_spread_di=None)
    if wanted.kvp_added:
        made = replace(made, law=scaled(made.law, 1.0, wanted.kvp_added))
        words.append(f"{wanted.kvp_added:+g} kVp".replace("-", "−"))
    if wanted.hold and words:
        factor = _held(line, made, room, projection)
        made = replace(made, law=scaled(made.law, factor))
        words.append(f"mAs ×{factor:.3g} to hold the exposure")
    if wanted.mas_percent:
        made = replace(made, law=scaled(made.law, 1 + wanted.mas_percent / 100))
        words.append(f"mAs {wanted.mas_percent:+g} %".replace("-", "−"))
    if wanted.school is not None:
        made = in_system(made, room, projection, wanted.school)
        words.append(wanted.school.replace("_kvp", " kVp"))
    if wanted.on_stations:
        law = stationed(made.law, room)
        if law != made.law:
            made = replace(made, law=law)
            words.append("on generator settings")
    return check_line(made, projection, room), ", ".join(words) or "nothing"


def with_cell(line: ChartLine, cell: Cell, value: CellValue) -> ChartLine:
    """The line with one cell typed into it; lengths cm. Raises Refusal where the line has no such cell.

    A line of many numbers is moved as a whole, so that its own technique (at its own thickness) becomes the number.

    Cells typed or pasted one after the other are composed: the second is typed into what the first made.
    """
    law = line.law
    if isinstance(value, Control):
        return replace(line, exposure_control=value.kind, aec_cells=value.cells)
    if line.link and cell == "range_cm":
        raise Refusal("Follows another line", "Its range goes with the line that it follows.", None, "link")
    if isinstance(value, tuple):
        return replace(line, range_cm=value, law=_over(law, value))
    if cell != "parameter":
        line = replace(line, origin="typed", origin_spread_di=None)
    if line.link and cell not in ("grid_ratio", "sid_cm"):
        raise Refusal("Follows another line", "It follows another line: change that one, or the link.", None, "link")
    if cell == "grid_ratio":
        return replace(line, grid_ratio=int(value))
    if cell == "sid_cm":
        return replace(line, sid_cm=value)
    if cell in ("kvp", "mas") and isinstance(law, Banded | Levelled):
        kvp, mas = law.at(line.thickness_cm)
        return replace(line, law=scaled(law, 1.0, value - kvp) if cell == "kvp" else scaled(law, value / mas))
    if isinstance(law, FixedKvp | VariableKvp):
        own = "doubling_cm" if isinstance(law, FixedKvp) else "kvp_per_cm"
        changed: dict[str, Any] = {own if cell == "parameter" else cell: value}
        return replace(line, law=replace(law, **changed))
    raise Refusal(
        "No such number", f"A {SYSTEM_NAMES[law.name]} line has no {cell.replace('_cm', '')} of its own.", None, cell
    )


def _over(law: MasRule, range_cm: tuple[float, float]) -> MasRule:
    """The law over another range: bands are cut to it, or their ends stretched; other laws need no change."""
    if not isinstance(law, Banded):
        return law
    kept = [band for band in law.bands if band.max_cm > range_cm[0] and band.min_cm < range_cm[1]]
    if not kept or range_cm[0] >= range_cm[1]:
        raise Refusal("No band in this range", "None of its bands lies in this range.", None, "range_cm")
    kept[0] = replace(kept[0], min_cm=range_cm[0])
    kept[-1] = replace(kept[-1], max_cm=range_cm[1])
    return Banded(tuple(kept))


def _held(before: ChartLine, after: ChartLine, room: Room, projection: Projection) -> float:
    """The mAs factor that gives the receptor after a change what it had before, in units of what it wants."""

    def standing(line: ChartLine) -> float:
        kvp, mas = line.law.at(before.thickness_cm)
        signal = signals_per_mas(line, room, projection, np.array([before.thickness_cm]), np.array([kvp]))[0]
        return float(mas * signal) / wanted_of(line, room, projection)

    return standing(before) / standing(after)


def stationed(law: MasRule, room: Room) -> MasRule:
    """The law with each number that a person would set put on the room's nearest station."""

    def on(kvp: float, mas: float) -> tuple[float, float]:
        kvp_on = nearest_setting("kvp", kvp, room.generator.kvp, "kVp")
        return kvp_on, nearest_setting("mas", mas, room.generator.mas, "mAs")

    if isinstance(law, FixedKvp | VariableKvp):
        kvp, mas = on(law.kvp, law.mas)
        return replace(law, kvp=kvp, mas=mas)
    if isinstance(law, Banded):
        return Banded(tuple(Band(b.name, b.min_cm, b.max_cm, *on(b.kvp, b.mas)) for b in law.bands))
    return Levelled(tuple(Point(p.thickness_cm, *on(p.kvp, p.mas)) for p in law.points), law.base_cm)
