"""Two versions, two rooms or two technique systems beside each other: what changed, by how much, and what it does to DI and
dose."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Literal

import numpy as np

from oakbeam.core.cache import cached
from oakbeam.core.charts.line import ChartLine, control_words
from oakbeam.core.charts.receptor_exposure import signals_per_mas, skin_kerma_mgy, wanted_of
from oakbeam.core.charts.systems import SYSTEM_NAMES, Banded
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import SUPPORT_NAMES, Projection

Change = Literal["same", "changed", "added", "removed"]
SAME = 1e-6
"""Relative difference up to which two numbers are the same."""


@dataclass(frozen=True, slots=True)
class Size:
    """One patient's size under both lines. di_change and dose_change_percent: what the second does to the expected index and
    to the incident air kerma; None where one side has no answer."""

    who: str
    thickness_cm: float
    before: tuple[float, float] | None
    after: tuple[float, float] | None
    di_change: float | None
    dose_change_percent: float | None


@dataclass(frozen=True, slots=True)
class Compared:
    """A line in both charts. what: each thing that changed, in words."""

    change: Change
    before: ChartLine | None
    after: ChartLine | None
    what: tuple[str, ...]
    sizes: tuple[Size, ...]


def compare(
    before: Sequence[ChartLine],
    room_before: Room,
    after: Sequence[ChartLine],
    room_after: Room,
    projections: Mapping[str, Projection],
) -> tuple[Compared, ...]:
    """The lines of two charts paired: by key within a room, else by projection, support, grid and place; then the rest."""
    found = []
    for one, other in _paired(before, after, room_before.id == room_after.id):
        line = other or one
        assert line is not None
        projection = projections[line.projection]
        sizes = tuple(_sizes(one, room_before, other, room_after, projection))
        if one is None or other is None:
            found.append(Compared("added" if one is None else "removed", one, other, (), sizes))
            continue
        what = tuple(_differences(one, other))
        found.append(Compared("changed" if what or _moved(sizes) else "same", one, other, what, sizes))
    return tuple(found)


def _moved(sizes: Sequence[Size]) -> bool:
    return any(size.di_change is not None and abs(size.di_change) > 0.005 for size in sizes)


def _paired(
    before: Sequence[ChartLine], after: Sequence[ChartLine], one_room: bool
) -> Iterator[tuple[ChartLine | None, ChartLine | None]]:
    """Pairs in the order of the second chart, what only the first has at the end."""
    left = list(before)
    by_key = {line.key: line for line in before if line.key is not None} if one_room else {}
    # Set in stone first: the same line of the room's chart; then what looks most like it.
    sure = {at: by_key[line.key] for at, line in enumerate(after) if line.key in by_key}
    sure = {at: one for at, one in sure.items() if one.projection == after[at].projection}
    for one in sure.values():
        left.remove(one)
    places: dict[str, list[ChartLine]] = defaultdict(list)
    for line in left:
        places[line.projection].append(line)
    for at, line in enumerate(after):
        if at in sure:
            yield sure[at], line
            continue
        alike = places[line.projection]
        if not alike:
            yield None, line
            continue
        best = min(alike, key=lambda one: _unlike(one, line))
        alike.remove(best)
        yield best, line
    for lines in places.values():
        for line in lines:
            yield line, None


def _unlike(one: ChartLine, other: ChartLine) -> tuple[bool, bool, float]:
    return one.support != other.support, one.grid_ratio != other.grid_ratio, abs(one.range_cm[0] - other.range_cm[0])


def _differences(one: ChartLine, other: ChartLine) -> Iterator[str]:
    """What differs between two lines, in words."""
    if one.support != other.support:
        yield f"{SUPPORT_NAMES[one.support]} to {SUPPORT_NAMES[other.support]}"
    if one.grid_ratio != other.grid_ratio:
        yield f"grid {one.grid_ratio or 'none'} to {other.grid_ratio or 'none'}"
    if one.filter != other.filter:
        yield f"filter {one.filter or 'none'} to {other.filter or 'none'}"
    controls = [(line.exposure_control, line.aec_cells, line.aec_density) for line in (one, other)]
    if controls[0] != controls[1]:
        yield f"{control_words(one)} to {control_words(other)}"
    if one.sid_cm != other.sid_cm:
        yield f"SID {one.sid_cm:g} to {other.sid_cm:g} cm"
    if one.receptor != other.receptor:
        yield f"receptor {one.receptor} to {other.receptor}"
    if one.range_cm != other.range_cm:
        yield f"range {one.range_cm[0]:g}–{one.range_cm[1]:g} to {other.range_cm[0]:g}–{other.range_cm[1]:g} cm"
    if one.target_ei != other.target_ei:
        yield f"target index {_or_rooms(one.target_ei)} to {_or_rooms(other.target_ei)}"
    if one.field_cm != other.field_cm:
        yield "field"
    if one.law.name != other.law.name:
        yield f"{SYSTEM_NAMES[one.law.name]} to {SYSTEM_NAMES[other.law.name]}"
    elif one.law != other.law:
        yield from _law_differences(one, other)
    if one.link != other.link:
        yield "link"
    if one.note != other.note:
        yield "note"


def _or_rooms(target: float | None) -> str:
    return "the receptor's" if target is None else f"{target:g}"


def _law_differences(one: ChartLine, other: ChartLine) -> Iterator[str]:
    """The numbers of a law that changed; for bands and points how many."""
    if isinstance(one.law, Banded) or not hasattr(one.law, "kvp"):
        parts = [tuple(law.bands if isinstance(law, Banded) else getattr(law, "points", ())) for law in (one.law, other.law)]
        changed = len(set(parts[1]) - set(parts[0])) or abs(len(parts[0]) - len(parts[1]))
        yield f"{changed} {'bands' if isinstance(one.law, Banded) else 'points'} of {len(parts[1])}"
        return
    words = {"thickness_cm": "cm", "kvp": "kVp", "mas": "mAs", "doubling_cm": "cm to double", "kvp_per_cm": "kVp per cm"}
    for entry in fields(one.law):
        a, b = getattr(one.law, entry.name), getattr(other.law, entry.name)
        if entry.name in words and not math.isclose(a, b, rel_tol=SAME):
            yield f"{a:.4g} to {b:.4g} {words[entry.name]}"


def _sizes(
    one: ChartLine | None, room: Room, other: ChartLine | None, other_room: Room, projection: Projection
) -> Iterator[Size]:
    nothing: tuple[_Side | None, ...] = (None, None, None)
    sides = (
        _sides(one, room, projection) if one else nothing,
        _sides(other, other_room, projection) if other else nothing,
    )
    for who, cm, before, after in zip(("small", "average", "large"), projection.thickness_cm, *sides, strict=True):
        di, dose = None, None
        if before and after:
            di = None if before.di is None or after.di is None else after.di - before.di
            mgy = before.kerma_mgy, after.kerma_mgy
            dose = None if mgy[0] is None or mgy[1] is None else 100 * (mgy[1] / mgy[0] - 1)
        if before or after:
            was, becomes = before.setting if before else None, after.setting if after else None
            yield Size(who, cm, was, becomes, di, dose)


@dataclass(frozen=True, slots=True)
class _Side:
    """One line for one patient: (kVp, mAs), expected DI, incident air kerma; None for what cannot be said."""

    setting: tuple[float, float]
    di: float | None
    kerma_mgy: float | None


@cached(4096)
def _sides(line: ChartLine, room: Room, projection: Projection) -> tuple[_Side | None, ...]:
    """A line for the small, average and large adult; None where its range does not hold them."""
    sizes = [cm for cm in projection.thickness_cm if line.range_cm[0] <= cm <= line.range_cm[1]]
    settings = [line.law.at(cm) for cm in sizes]
    try:
        # A version of old may name what the room no longer has.
        wanted = wanted_of(line, room, projection)
        signals = signals_per_mas(line, room, projection, np.array(sizes), np.array([kvp for kvp, _ in settings]))
        di = [10 * math.log10(mas * float(s) / wanted) for (_, mas), s in zip(settings, signals, strict=True)]
    except Refusal:
        di = []
    found = {}
    for i, cm in enumerate(sizes):
        kvp, mas = settings[i]
        try:
            kerma_mgy = skin_kerma_mgy(line, room, cm, kvp, mas)
        except Refusal:
            kerma_mgy = None
        found[cm] = _Side((kvp, mas), di[i] if di else None, kerma_mgy)
    return tuple(found.get(cm) for cm in projection.thickness_cm)
