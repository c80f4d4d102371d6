"""A chart carried to another room: each line with the factor that the new equipment asks for, step by step, and why.

The line's own accepted exposure is the anchor; the physics model gives the ratio between the two rooms. What the model
cannot vouch for is flagged, so that it gets a test exposure before anybody relies on it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from oakbeam.core.anatomy.composition import part_of
from oakbeam.core.charts.levelled import level_at
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.charts.systems import Banded, FixedKvp, Levelled, MasRule, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.aec import chambers_behind
from oakbeam.core.equipment.generator import nearest_setting
from oakbeam.core.equipment.room import Filter, Grid, Receptor, Room, Support
from oakbeam.core.equipment.room_beam import beam_setup, usual_field, wanted_rqa5_ugy
from oakbeam.core.equipment.usual import served, smallest_receptor
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.beam.model import rqa5_equivalent_ugy
from oakbeam.core.projection import SUPPORT_NAMES, Projection

LARGE_FACTOR = 2.0
"""A line whose mAs changes by more than this, up or down, wants a test exposure whatever the reason."""


@dataclass(frozen=True, slots=True)
class Factor:
    """One difference between the rooms: the mAs factor that keeps the receptor on its target, and why."""

    name: str
    factor: float
    why: str


@dataclass(frozen=True, slots=True)
class Adapted:
    """A line in its new room. factor: of the mAs at its own thickness, all in all. test: why it wants a test exposure first;
    empty where the model vouches for it. line None: it cannot be carried, and refusal says why."""

    source: ChartLine
    line: ChartLine | None
    factors: tuple[Factor, ...]
    factor: float
    test: tuple[str, ...]
    refusal: str | None = None


def adapt(
    lines: Iterable[ChartLine], source: Room, target: Room, projections: Mapping[str, Projection]
) -> tuple[Adapted, ...]:
    """Every line of a chart carried from one room to another, in the chart's order."""
    found = []
    for line in lines:
        try:
            found.append(_adapted(line, source, target, projections[line.projection]))
        except Refusal as refusal:
            found.append(Adapted(line, None, (), 1.0, (), refusal.detail))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class _Place:
    """Where a beam goes: room, support, grid, receptor, SID; one difference after the other is put into it."""

    room: Room
    support: Support
    grid: Grid | None
    receptor: Receptor
    sid_cm: float
    target_ei: float | None
    filter: Filter | None


def _adapted(line: ChartLine, source: Room, target: Room, projection: Projection) -> Adapted:
    old = _place_of(line, source, projection)
    support = _support(line, target, projection)
    receptor = _receptor(old.receptor, target, projection, support)
    grid = _grid(old.grid, support, target)
    sid_cm = target.sid_near_cm(line.sid_cm, support, grid)
    kvp, mas = line.law.at(line.thickness_cm)
    station = nearest_setting("kvp", kvp, target.generator.kvp, "kVp") if not _reaches(target, kvp) else kvp
    target_ei = receptor.target_for(projection.region)
    new_filter = _alike(old.filter, target)
    place = _Place(target, support, grid, receptor, sid_cm, target_ei, new_filter)
    factors = tuple(_steps(line, projection, kvp, station, old, place))
    factor = math.prod(one.factor for one in factors)
    field = usual_field(line.field_cm, projection, receptor) if line.field_cm else None
    moved = replace(
        line,
        receptor=receptor.id,
        support=support.id,
        grid_ratio=grid.ratio if grid else 0,
        sid_cm=sid_cm,
        target_ei=None,
        field_cm=field,
        link=None,
        filter=new_filter.id if new_filter else None,
        **({} if _same_control(line, projection, target, support) else MANUAL),
        origin="model",
        origin_spread_di=None,
        key=None,
        id=None,
        law=_law(line.law, factor, kvp, station),
        note=f"adapted from {source.name}, mAs ×{factor:.3g}"[:500],
    )
    if isinstance(line.law, Levelled):
        # The model levels it anew for the new beam: the base keeps the accepted exposure, and each point its kVp, as far
        # as the new room reaches it.
        kvps = {one.thickness_cm: _reached(target, one.kvp) for one in line.law.points}
        moved = replace(moved, law=level_at(moved, target, projection, kvps, line.thickness_cm, mas * factor))
    checked = check_line(moved, projection, target)
    return Adapted(line, checked, factors, factor, tuple(_doubts(line, checked, factor, old, receptor, source, target)))


MANUAL: Mapping[str, Any] = {"exposure_control": "manual", "aec_cells": None, "aec_density": 0}


def _same_control(line: ChartLine, projection: Projection, target: Room, support: Support) -> bool:
    """Whether the target can expose as the line does: AEC needs chambers there."""
    if line.exposure_control != "aec":
        return True
    try:
        chambers_behind(target, support.id, line.aec_cells or projection.aec_cells)
    except Refusal:
        return False
    return True


def _reached(room: Room, kvp: float) -> float:
    """The kVp itself, or the end of the room's settings that is nearest to it."""
    return min(max(kvp, room.generator.kvp[0]), room.generator.kvp[-1])


def _reaches(room: Room, kvp: float) -> bool:
    return room.generator.kvp[0] <= kvp <= room.generator.kvp[-1]


def _law(law: MasRule, factor: float, kvp: float, station: float) -> MasRule:
    """The law with its mAs times factor and, where the new room does not reach its kVp, moved to the one it has."""
    if isinstance(law, FixedKvp | VariableKvp | Banded):
        return scaled(law, factor, station - kvp)
    return scaled(law, factor)


def _place_of(line: ChartLine, room: Room, projection: Projection) -> _Place:
    support, receptor = room.support(line.support), room.receptor(line.receptor)
    target_ei = receptor.target_for(projection.region, line.target_ei)
    grid, added = room.grid(support, line.grid_ratio), room.filter(line.filter)
    return _Place(room, support, grid, receptor, line.sid_cm, target_ei, added)


def _support(line: ChartLine, target: Room, projection: Projection) -> Support:
    there = {support.id: support for support in served(projection, target)}
    if line.support in there:
        return there[line.support]
    if not there:
        names = ", ".join(SUPPORT_NAMES[one] for one in projection.supports)
        raise Refusal("Not in this room", f"{target.name} has no {names}.", None, "support")
    return next(iter(there.values()))


def _receptor(old: Receptor, target: Room, projection: Projection, support: Support) -> Receptor:
    """What takes the old receptor's place: in a Bucky the fixed one, else the smallest that takes the field, of the same
    kind where there is one."""
    usual = smallest_receptor(projection, target, support)
    if support.id in ("table_bucky", "upright_bucky") or usual.kind == old.kind:
        return usual
    alike = [one for one in target.receptors if one.kind == old.kind]
    needed = sorted(projection.field_cm)
    fits = [one for one in alike if all(f <= r for f, r in zip(needed, sorted(one.size_cm), strict=True))]
    return min(fits, key=lambda one: one.size_cm[0] * one.size_cm[1]) if fits else usual


def _alike(old: Filter | None, target: Room) -> Filter | None:
    """The target's filter of the same metal and thickness; none where it has none."""
    same = (one for one in target.filters if old and (one.mm_al, one.mm_cu) == (old.mm_al, old.mm_cu))
    return next(same, None)


def _grid(old: Grid | None, support: Support, target: Room) -> Grid | None:
    if old is None or support.id == "tabletop":
        return None
    loose = min(target.loose_grids, key=lambda grid: abs(grid.ratio - old.ratio), default=None)
    return support.grid or loose


def _steps(
    line: ChartLine, projection: Projection, kvp: float, station: float, old: _Place, new: _Place
) -> Iterator[Factor]:
    """The differences one after the other; each factor is the model's ratio of the mAs needed after it to that before."""
    here = old

    def needed(place: _Place, at_kvp: float) -> float:
        # The grid travels with the place, not with the room's list.
        room = replace(place.room, loose_grids=(place.grid,) if place.grid else ())
        support = replace(place.support, grid=place.grid)
        field = usual_field(line.field_cm, projection, place.receptor)
        ratio = place.grid.ratio if place.grid else 0
        setup = beam_setup(room, at_kvp, place.sid_cm, support, ratio, place.receptor, field, added=place.filter)
        part = part_of(projection.composition, projection.thickness_cm[1], np.array([line.thickness_cm]))
        return wanted_rqa5_ugy(place.receptor, place.target_ei) / float(rqa5_equivalent_ugy(setup, part)[0])

    def step(name: str, place: _Place, why: str, from_kvp: float = kvp, to_kvp: float = kvp) -> Iterator[Factor]:
        nonlocal here
        factor = needed(place, to_kvp) / needed(here, from_kvp)
        here = place
        if abs(math.log(factor)) > 1e-9:
            yield Factor(name, factor, why)

    a, b = old.room, new.room
    tube = f"{_filter(a)} to {_filter(b)}, at the same output"
    yield from step("Filtration", replace(here, room=replace(a, tube=b.tube), filter=new.filter), tube)
    out_a, out_b = _output(a, kvp), _output(b, kvp)
    yield from step("Output", replace(here, room=b), f"{out_a} to {out_b} µGy/mAs at {kvp:g} kVp and 100 cm")
    table = f"gap {old.support.gap_cm:g} to {new.support.gap_cm:g} cm, front {old.support.attenuation_mm_al:g} to "
    yield from step(
        "Table", replace(here, support=new.support), f"{table}{new.support.attenuation_mm_al:g} mm Al equivalent"
    )
    yield from step("SID", replace(here, sid_cm=new.sid_cm), f"{old.sid_cm:g} to {new.sid_cm:g} cm, where the grid works")
    yield from step("Grid", replace(here, grid=new.grid), f"{_grid_words(old.grid)} to {_grid_words(new.grid)}")
    yield from step("Receptor", new, f"{_receptor_words(old)} to {_receptor_words(new)}")
    yield from step("kVp", new, f"the new room has no {kvp:g} kVp; {station:g} is its nearest", kvp, station)


def _filter(room: Room) -> str:
    copper = f" + {room.tube.filtration_mm_cu:g} mm Cu" if room.tube.filtration_mm_cu else ""
    return f"{room.tube.filtration_mm_al:g} mm Al{copper}, {room.tube.anode_angle_deg:g}°"


def _output(room: Room, kvp: float) -> str:
    try:
        return f"{room.output_ugy_per_mas(kvp):.3g}"
    except Refusal:
        return "an output not measured"


def _grid_words(grid: Grid | None) -> str:
    return f"{grid.ratio}:1, {grid.lines_per_cm:g} lines/cm, {grid.interspace}" if grid else "none"


def _receptor_words(place: _Place) -> str:
    receptor = place.receptor
    aim = f"target {place.target_ei:g}" if place.target_ei else f"speed {receptor.speed_class():g}"
    return f"{receptor.name}, {aim}"


def _doubts(
    line: ChartLine, moved: ChartLine, factor: float, old: _Place, receptor: Receptor, source: Room, target: Room
) -> Iterator[str]:
    """Why a carried line wants a test exposure."""
    if source.calibration is None or target.calibration is None:
        which = target if target.calibration is None else source
        yield f"{which.name} has no accepted calibration"
    if receptor.kind != old.receptor.kind:
        yield "another kind of receptor"
    if moved.support != line.support:
        yield f"from the {SUPPORT_NAMES[line.support]} to the {SUPPORT_NAMES[moved.support]}"
    if bool(moved.grid_ratio) != bool(line.grid_ratio):
        yield "a grid where there was none" if moved.grid_ratio else "no grid where there was one"
    if abs(math.log(factor)) > math.log(LARGE_FACTOR):
        yield f"the mAs changes by a factor of {factor:.2g}"
