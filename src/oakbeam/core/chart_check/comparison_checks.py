"""The chart checks that compare lines with each other; each is registered with its title and help."""

from __future__ import annotations

import math
import statistics
from collections import defaultdict
from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np

from oakbeam.core.chart_check.register import CheckedLine, Finding, chart_check
from oakbeam.core.equipment.room import Room

NEIGHBOURS_DI = 2.5
"""Lines of one exam on one receptor should agree with each other within this, after the model."""
REGION_DI = 3.5
"""Lines of one region of the body should agree within this with the middle of them."""
TWINS_DI = 2.0
LINK_DI = 2.0
THINNER_CM = 1.0


@chart_check("missing_range", "Thickness not charted", "Usual adults that no line of the projection covers.")
def _missing_range(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    """The usual adults that no line of a projection holds."""
    of_projection: dict[str, list[CheckedLine]] = defaultdict(list)
    for one in looked:
        of_projection[one.line.projection].append(one)
    for lines in of_projection.values():
        projection = lines[0].projection
        small, _, large = projection.thickness_cm
        gaps, reached = [], small
        for low, high in sorted(one.line.range_cm for one in lines):
            if low > reached + 0.01 and low < large:
                gaps.append((reached, min(low, large)))
            reached = max(reached, high)
        if reached < large - 0.01:
            gaps.append((reached, large))
        if gaps:
            holes = ", ".join(f"{low:g} to {high:g} cm" for low, high in gaps)
            yield Finding(
                "missing_range",
                "warning",
                tuple(one.at for one in lines),
                f"{lines[0].name}: nothing is charted for {holes}.",
                f"Usual adults measure {small:g} to {large:g} cm here.",
                "Widen the range, or add the band that is missing.",
            )


def _gap_di(one: CheckedLine, other: CheckedLine) -> float | None:
    """How much more one line exposes than another after the model, in DI; None where the model cannot say."""
    return one.index.offset_di - other.index.offset_di if one.index and other.index else None


def _pairs(looked: Sequence[CheckedLine]) -> Iterator[tuple[CheckedLine, CheckedLine]]:
    """Pairs of lines of one exam on one receptor."""
    groups: dict[tuple[str, str], list[CheckedLine]] = defaultdict(list)
    for one in looked:
        groups[one.projection.exam, one.line.receptor].append(one)
    for group in groups.values():
        yield from combinations(group, 2)


@chart_check(
    "neighbours",
    "Out of line with its neighbours",
    "Lines of one exam or region should agree beyond what thickness and kVp explain.",
)
def _neighbours(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    told: set[int] = set()
    for one, other in _pairs(looked):
        if one.line.grid_ratio != other.line.grid_ratio or one.line.projection == other.line.projection:
            continue
        gap = _gap_di(one, other)
        if gap is not None and abs(gap) > NEIGHBOURS_DI:
            # The one to look at first is that which is further from what the room's calibration calls for.
            off, by = sorted((one, other), key=lambda each: -abs(each.index.offset_di if each.index else 0))
            told |= {one.at, other.at}
            yield _apart("neighbours", off, by, _gap_di(off, by) or 0.0)
    regions: dict[tuple[str, str], list[CheckedLine]] = defaultdict(list)
    for one in looked:
        if one.index:
            regions[one.projection.region, one.line.receptor].append(one)
    for group in regions.values():
        if len(group) < 3:
            continue
        middle = statistics.median(one.index.offset_di for one in group if one.index)
        nearest = min(group, key=lambda one: abs((one.index.offset_di if one.index else 0) - middle))
        for one in group:
            if one.at not in told and one.index and abs(one.index.offset_di - middle) > REGION_DI:
                yield _apart("neighbours", one, nearest, one.index.offset_di - middle)


def _apart(rule: str, one: CheckedLine, other: CheckedLine, gap_di: float) -> Finding:
    more = "more" if gap_di > 0 else "less"
    grids = "their grids explain" if rule == "grid_twins" else "thickness and kVp explain"
    return Finding(
        rule,
        "warning",
        (one.at, other.at),
        f"{one.name} exposes the receptor {abs(gap_di):.1f} DI {more} than {other.name}, beyond what {grids}.",
        "One of the two was made from an exposure that was off, or was copied with a slip.",
        f"Expose again, or multiply the mAs of {one.name} by {math.pow(10, -gap_di / 10):.2g}.",
    )


@chart_check(
    "grid_twins", "With and without grid disagree", "Two lines of one projection differ by more than their grids explain."
)
def _grid_twins(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    for one, other in _pairs(looked):
        if one.line.projection != other.line.projection or one.line.grid_ratio == other.line.grid_ratio:
            continue
        gap = _gap_di(one, other)
        if gap is not None and abs(gap) > TWINS_DI:
            gridded, plain = (one, other) if one.line.grid_ratio else (other, one)
            yield _apart("grid_twins", gridded, plain, _gap_di(gridded, plain) or 0.0)


@chart_check(
    "same_technique", "Same technique for another thickness", "Two views of different thickness carry the same kVp and mAs."
)
def _same_technique(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    for one, other in _pairs(looked):
        if (one.line.projection == other.line.projection) or (one.line.support, one.line.grid_ratio, one.line.sid_cm) != (
            other.line.support,
            other.line.grid_ratio,
            other.line.sid_cm,
        ):
            continue
        ours, theirs = one.projection.thickness_cm[1], other.projection.thickness_cm[1]
        if abs(ours - theirs) <= THINNER_CM:
            continue
        if np.allclose(_own(one), _own(other), rtol=0.01):
            thick, thin = (one, other) if ours > theirs else (other, one)
            kvp, mas = _own(one)
            yield Finding(
                "same_technique",
                "warning",
                (thick.at, thin.at),
                f"{thick.name} and {thin.name} have the same {kvp:g} kVp and {mas:g} mAs.",
                f"The average patient measures {abs(ours - theirs):.2g} cm more in the first.",
                "Make the first anew from its own exposure, or link it with a factor.",
            )


def _own(one: CheckedLine) -> tuple[float, float]:
    """kVp and mAs for the average patient."""
    return one.line.law.at(one.usual_cm[1])


@chart_check("link", "Link does not fit", "What a linked line adds is not what the difference in thickness explains.")
def _links(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    by_key = {one.line.key: one for one in looked if one.line.key is not None}
    for one in looked:
        parent = by_key.get(one.line.link.to) if one.line.link else None
        gap = _gap_di(one, parent) if parent else None
        if parent and gap is not None and abs(gap) > LINK_DI:
            yield Finding(
                "link",
                "warning",
                (one.at, parent.at),
                f"{one.name} follows {parent.name} and ends {abs(gap):.1f} DI {'above' if gap > 0 else 'below'} it.",
                "What the link adds is not what the difference in thickness explains.",
                f"Multiply the link's mAs factor by {math.pow(10, -gap / 10):.2g}, or unlink the line.",
            )
