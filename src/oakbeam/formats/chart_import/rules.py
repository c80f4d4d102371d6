"""Settings at their thicknesses, and the rule that their numbers follow: doubling thickness, kVp per cm, bands or points."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise
from typing import cast

import numpy as np

from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.charts.line import ChartLine, usual_bands, usual_range_cm
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, MasRule, Point, VariableKvp
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import CM_PER_INCH
from oakbeam.core.patient.thickness import usual_child_cm
from oakbeam.core.physics.rules_of_thumb import DEFAULT_DOUBLING_CM, DOUBLING_CM_RANGE, KVP_PER_CM_RANGE
from oakbeam.core.projection import Projection
from oakbeam.formats.chart_import.set_up import Origin
from oakbeam.formats.chart_import.settings import Setting

MAS_MISFIT = 0.10
"""A cell's mAs may be off the doubling rule by this share for the rule to stand for the cells: half a step of R'10."""
KVP_MISFIT = 1.0
"""A cell's kVp may be off the rule by this much for the rule to stand for the cells."""
NEIGHBOURS_CM = (1.0, CM_PER_INCH)
"""Bands that end and begin on neighbouring whole centimetres or inches are cut in the middle between them."""
KG = {"newborn": 3.5, "1y": 10.0, "5y": 19.0, "10y": 32.0, "15y": 55.0}
YEARS = {"newborn": 0.1, "1y": 1.0, "5y": 5.0, "10y": 10.0, "15y": 15.0}
"""The usual weight and age of the age bands."""
Sources = dict[str, Origin]
Placed = tuple[Setting, tuple[float, float], float]
"""A setting, the thicknesses [cm] it is for (one: from and to alike), and its mAs, 0 where a chamber ends it."""


def placed(group: Sequence[Setting], projection: Projection, sources: Sources) -> list[Placed]:
    """Each setting at its thickness: as said, or that of the size or age it is for, or the average adult's."""
    found: list[Placed] = []
    small, average, large = projection.thickness_cm
    sizes = {"small": small, "average": average, "large": large, "very_large": 1.2 * large}
    bands = {name: (low, high) for name, low, high in usual_bands(projection, usual_range_cm(projection))}
    several = len({one.size for one in group if one.size}) > 1
    for one in group:
        mas = one.mas or 0.0
        if one.thickness:
            place = (one.thickness.low, one.thickness.high)
        elif one.size and several and one.size in bands and "very_large" not in {other.size for other in group}:
            place = bands[one.size]
            sources["band"] = Origin("assumed", "cut midway between the usual small, average and large adult")
        elif one.size:
            place = (sizes[one.size], sizes[one.size])
            sources["thickness_cm"] = Origin("assumed", f"the usual {one.size.replace('_', ' ')} adult's")
        elif one.age:
            cm = _child_cm(one.age, projection)
            if cm is None:
                what = f"“{one.age[:30]}” is no age or weight of a child that {projection.exam} {projection.name} is for."
                raise Refusal("No such child", what, None, "age")
            place = (cm, cm)
            sources["thickness_cm"] = Origin("assumed", "the usual one of that age or weight")
        else:
            place = (average, average)
            sources["thickness_cm"] = Origin("assumed", "the average adult's")
        found.append((one, place, mas))
    return sorted(found, key=lambda one: one[1])


def _child_cm(text: str, projection: Projection) -> float | None:
    numbers = [float(one.replace(",", ".")) for one in re.findall(r"\d+(?:[.,]\d+)?", text)]
    said = sum(numbers) / len(numbers) if numbers else 0.0
    table = KG if "kg" in text.lower() else YEARS
    if re.search(r"(?i)\bmo(nths?)?\b", text):
        said /= 12
    if not numbers and not re.search(r"(?i)new|neo|neu|infant", text):
        return None
    band = min(table, key=lambda one: abs(math.log(max(said, 0.1) / table[one])))
    return usual_child_cm(projection, cast(AgeBand, band))


def ruled(placed: Sequence[Placed], base: ChartLine, projection: Projection, sources: Sources) -> ChartLine:
    """The line with the rule that its settings follow, over the range that they cover."""
    first = placed[0][0]
    if any(low < high for _, (low, high), _ in placed):
        return _banded(placed, base, first, sources)
    if len(placed) == 1:
        return _single(placed[0], base, projection, sources)
    low, high = placed[0][1][0], placed[-1][1][0]
    law, why = _fitted([(cm, one.kvp, mas) for one, (cm, _), mas in placed])
    sources["law"] = Origin("exact", why)
    sources["range_cm"] = Origin("assumed", "from the first to the last of its thicknesses")
    return replace(base, range_cm=_said_range(first, (low, high), sources), law=law)


def _single(placed: Placed, base: ChartLine, projection: Projection, sources: Sources) -> ChartLine:
    one, (cm, _), mas = placed
    kvp = one.kvp
    law: MasRule
    if one.setup.kvp_per_cm:
        law = VariableKvp(cm, kvp, mas, one.setup.kvp_per_cm)
    else:
        law = FixedKvp(cm, kvp, mas, one.setup.doubling_cm or DEFAULT_DOUBLING_CM)
        if not one.setup.doubling_cm:
            sources["doubling_cm"] = Origin("assumed", f"mAs doubles every {DEFAULT_DOUBLING_CM:g} cm, as taught")
    usual = usual_range_cm(projection)
    if one.age:
        usual = (max(0.5, math.floor(1.6 * cm) / 2), math.ceil(2.4 * cm) / 2)
    low, high = min(usual[0], cm), max(usual[1], cm)
    sources["range_cm"] = Origin("assumed", "the usual adults of the projection" if not one.age else "about that size")
    return replace(base, range_cm=_said_range(one, (low, high), sources), law=law)


def _said_range(one: Setting, usual: tuple[float, float], sources: Sources) -> tuple[float, float]:
    low, high = one.setup.range_cm
    if low is not None or high is not None:
        sources["range_cm"] = (
            one.sources.get("range_min_cm") or one.sources.get("range_max_cm") or Origin("exact", "the file")
        )
    return (usual[0] if low is None else low, usual[1] if high is None else high)


def _banded(placed: Sequence[Placed], base: ChartLine, first: Setting, sources: Sources) -> ChartLine:
    """Bands by their limits; those on neighbouring whole centimetres are cut midway."""
    edges = [list(place) for _, place, _ in placed]
    for before, after in pairwise(edges):
        gap = after[0] - before[1]
        if abs(gap) > 0.05 and not any(abs(gap - step) < 0.11 for step in NEIGHBOURS_CM):
            kind = "leave a gap" if gap > 0 else "overlap"
            raise Refusal("Bands", f"The bands {kind} between {before[1]:g} and {after[0]:g} cm.", None, "thickness_cm")
        if gap:
            before[1] = after[0] = (before[1] + after[0]) / 2
            sources["band"] = Origin("assumed", "cut midway between neighbouring limits")
    bands = []
    for (one, _, mas), (low, high) in zip(placed, edges, strict=True):
        name = (one.size or "").replace("_", " ") or f"{low:g}–{high:g} cm"
        bands.append(Band(name, low, high, one.kvp, mas))
    return replace(base, range_cm=(edges[0][0], edges[-1][1]), law=Banded(tuple(bands)))


def _fitted(points: list[tuple[float, float, float]]) -> tuple[MasRule, str]:
    """The simplest rule that holds at every cell, and which it is: doubling thickness, kVp per cm, or the points."""
    cm, kvp, mas = (np.array(column) for column in zip(*points, strict=True))
    middle = len(points) // 2
    if np.ptp(kvp) == 0 and np.ptp(mas) > 0:
        slope, level = np.polyfit(cm, np.log2(mas), 1)
        off = np.abs(2 ** (slope * cm + level) / mas - 1)
        if slope > 0 and off.max() <= MAS_MISFIT and _within(1 / slope, DOUBLING_CM_RANGE):
            at = float(cm[middle])
            law = FixedKvp(at, float(kvp[0]), round(float(2 ** (slope * at + level)), 3), round(float(1 / slope), 2))
            return law, f"fitted: mAs doubles every {law.doubling_cm:g} cm, {100 * off.max():.0f} % off at most"
    if np.ptp(mas) == 0 and np.ptp(kvp) > 0:
        slope, level = np.polyfit(cm, kvp, 1)
        off = np.abs(slope * cm + level - kvp)
        if off.max() <= KVP_MISFIT and _within(slope, KVP_PER_CM_RANGE):
            at = float(cm[middle])
            law_v = VariableKvp(at, round(float(slope * at + level), 1), float(mas[0]), round(float(slope), 2))
            return law_v, f"fitted: {law_v.kvp_per_cm:g} kVp per cm, {off.max():.1f} kVp off at most"
    return Levelled(tuple(Point(*point) for point in points), float(cm[middle])), "the file's points as they are"


def _within(value: float, allowed: tuple[float, float]) -> bool:
    return allowed[0] <= value <= allowed[1]
