"""Settings to chart lines: those of one projection and set-up together, with the rule that their numbers follow, and what
the file does not say filled in by rules that are named."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import cast

import numpy as np

from oakbeam.core.chart_check.expected_index import index_over_thickness
from oakbeam.core.charts.line import ChartLine, usual_range_cm
from oakbeam.core.charts.systems import Banded, FixedKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.equipment.room import Room, Support
from oakbeam.core.equipment.usual import best_support, grid_for, served, smallest_receptor
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import SUPPORT_NAMES, Projection
from oakbeam.formats.chart_import.doubts import ask_far, asked_twice, of_film, target_read
from oakbeam.formats.chart_import.made import Cell, Made
from oakbeam.formats.chart_import.questions import Asking
from oakbeam.formats.chart_import.rules import Placed, Sources, placed, ruled
from oakbeam.formats.chart_import.set_up import Origin, SetUp
from oakbeam.formats.chart_import.settings import Setting

MOST_NOTE = 200
"""Characters of a line's note."""


def lines_of(settings: Sequence[Setting], room: Room, known: Mapping[str, Projection], asking: Asking) -> list[Made]:
    """The lines that settings make. What cannot be a line is a fault of its first row."""
    found = []
    for projection, group in _groups(settings, known):
        try:
            found.append(_made(group, room, projection, asking))
        except Refusal as refusal:
            asking.fault(group[0].row, refusal.field or "", refusal.detail)
    meant = list(asked_twice(found, asking))
    for made in meant:
        ask_far(made, room, known[made.line.projection], asking)
    kept = [made for made in meant if asking.dropped.isdisjoint(made.rows)]
    return [
        replace(one, waits=tuple(sorted({key for row in one.rows for key in asking.waiting.get(row, ())}))) for one in kept
    ]


def _groups(settings: Sequence[Setting], known: Mapping[str, Projection]) -> list[tuple[Projection, list[Setting]]]:
    """Settings of one line: the same projection and set-up, differing in thickness, size or age."""
    found: dict[tuple[object, ...], list[Setting]] = {}
    for one in settings:
        if one.projection not in known:
            continue
        place = one.thickness or one.size or one.age
        setup = replace(one.setup, backup_mas=None, note="", sources={})
        # Without a size, a thickness or an age each row is a line of its own.
        key = (one.projection, repr(setup), one.control, one.age is not None, None if place else one.row)
        # A second row for the same thickness or size is another line for the same conditions: which is meant is asked.
        for again in itertools.count():
            group = found.setdefault((*key, again), [])
            if all(place != (other.thickness or other.size or other.age) for other in group):
                group.append(one)
                break
    return [(known[str(group[0].projection)], group) for group in found.values()]


def _made(group: list[Setting], room: Room, projection: Projection, asking: Asking) -> Made:
    first = group[0]
    sources = {name: origin for one in reversed(group) for name, origin in one.sources.items()}
    base = _conditions(first, room, projection, sources)
    base = replace(base, note=_note(group), target_ei=target_read(base, first, room, sources, asking))
    there = _with_mas(placed(group, projection, sources), base, room, projection, sources)
    line = check_line(ruled(there, base, projection, sources), projection, room)
    line, factor = of_film(line, first, room, sources, asking)
    cells = []
    for one, (low, high), mas in there:
        cm = (low + high) / 2
        kvp, of_line = line.law.at(cm)
        cells.append(Cell(one.row, cm, one.kvp, mas * factor, round(kvp, 1), round(of_line, 3)))
    rows = tuple(dict.fromkeys(one.row for one in group))
    return Made(line, rows, sources, tuple(cells), di_of(line, room, projection))


def _conditions(one: Setting, room: Room, projection: Projection, sources: Sources) -> ChartLine:
    """The set-up as the row says it, and what it does not say by rules that are named; no rule of its numbers yet."""
    said = one.setup
    support = _support(said, room, projection, sources)
    grid_ratio = _grid(said, room, projection, support, sources)
    receptor, sid_cm = said.receptor, said.sid_cm
    if receptor is None:
        receptor = smallest_receptor(projection, room, support).id
        sources["receptor"] = Origin("assumed", "the room's usual one there")
    if sid_cm is None:
        grid = room.grid(support, grid_ratio) if grid_ratio else None
        sid_cm = room.sid_near_cm(projection.sid_cm, support, grid)
        sources["sid_cm"] = Origin("assumed", "the usual SID of the projection there")
    control = cast(ExposureControl, one.control or "manual")
    by_aec = control == "aec"
    return ChartLine(
        projection.id,
        receptor,
        support.id,
        grid_ratio,
        sid_cm,
        usual_range_cm(projection),
        Banded(()),
        target_ei=said.target_ei,
        filter=said.filter,
        exposure_control=control,
        aec_cells=said.aec_cells if by_aec else None,
        aec_density=said.aec_density if by_aec else 0,
    )


def _with_mas(there: list[Placed], base: ChartLine, room: Room, projection: Projection, sources: Sources) -> list[Placed]:
    """Where a chamber ends the exposure the file names no mAs: the physics model's stands for it, for dose and back-up."""
    if all(mas for *_, mas in there):
        return there
    sources["mas"] = Origin("assumed", "by the physics model: the chamber ends the exposure")
    found = []
    for one, (low, high), mas in there:
        cm = (low + high) / 2
        trial = replace(base, range_cm=(max(0.5, cm - 1), cm + 1), law=FixedKvp(cm, one.kvp, 1.0))
        strip = index_over_thickness(check_line(trial, projection, room), room, projection)
        if strip is None:
            text = "A chamber ends it, the file names no mAs, and the physics model has no answer."
            raise Refusal("No mAs", text, None, "mas")
        found.append((one, (low, high), mas or round(10 ** (-strip.offset_di / 10), 2)))
    return found


def _support(said: SetUp, room: Room, projection: Projection, sources: Sources) -> Support:
    if said.support:
        return room.support(said.support)
    places = served(projection, room)
    if not places:
        text = f"This room has no support for {projection.exam} {projection.name}."
        raise Refusal("No support", text, list(projection.supports), "support")
    by_grid = None
    if said.grid_ratio:
        by_grid = next((place for place in places if place.grid and place.grid.ratio == said.grid_ratio), None)
    elif said.grid_ratio == 0:
        by_grid = next((place for place in places if place.grid is None), None)
    sources["support"] = Origin("assumed", "by its grid" if by_grid else "the usual one of the projection in this room")
    return by_grid or best_support(projection, room)


def _grid(said: SetUp, room: Room, projection: Projection, support: Support, sources: Sources) -> int:
    if said.grid_ratio is not None:
        return said.grid_ratio
    if said.some_grid:
        grid = support.grid or (room.loose_grids[0] if room.loose_grids else None)
        if grid is None:
            text = f"The file says a grid; the {SUPPORT_NAMES[support.id]} has none here."
            raise Refusal("Which grid", text, None, "grid_ratio")
        sources["grid_ratio"] = Origin("assumed", "the one there is")
        return grid.ratio
    usual = grid_for(projection, room, support)
    sources["grid_ratio"] = Origin("assumed", "the one usual for the projection there" if usual else "none is usual there")
    return usual.ratio if usual else 0


def _note(group: list[Setting]) -> str:
    """What the rows remark, and what a line has no place for."""
    parts = dict.fromkeys(one.setup.note for one in group if one.setup.note)
    if backup := group[0].setup.backup_mas:
        parts[f"back-up in the file {backup:g} mAs"] = None
    if ages := list(dict.fromkeys(one.age for one in group if one.age)):
        parts[f"children: {', '.join(ages)}"] = None
    return "; ".join(parts)[:MOST_NOTE]


def di_of(line: ChartLine, room: Room, projection: Projection) -> tuple[float, ...] | None:
    """The expected deviation index of a line for the small, average and large adult, as far as its range reaches."""
    strip = index_over_thickness(line, room, projection)
    if strip is None:
        return None
    low, high = line.range_cm
    wanted = [min(max(cm, low), high) for cm in projection.thickness_cm]
    return tuple(round(strip.offset_di + float(np.interp(cm, strip.places_cm, strip.exact_di)), 1) for cm in wanted)
