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
from oakbeam.core.patient.thickness import usual_child_cm
from oakbeam.core.technique.warnings import GRID_THRESHOLD_SLACK_CM

NEIGHBOURS_DI = 2.5
"""Lines of one exam on one receptor should agree with each other within this, after the model."""
REGION_DI = 3.5
"""Lines of one region of the body should agree within this with the middle of them."""
TWINS_DI = 2.0
LINK_DI = 2.0
OVERLAP_CM = 0.1
"""Ranges that meet, or all but meet, do not overlap."""
OFF_DI = 2.0
"""A line whose own number is this far from the others' of its receptor is pointed out; twice as far apart is a factor of two
in mAs, within which accepted charts scatter."""
SLIP_DI = 5.0
"""From here on it is no technique but a slip: a factor of three."""
FEWEST_OTHERS = 4
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
        # Either may be the one that is off: a line that is off by itself goes before a pair that is as far apart.
        off_di=gap_di / 2,
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


@chart_check(
    "same_conditions",
    "Two lines for the same conditions",
    "The Desk takes the first; the other is never used, or is used by somebody who reads the chart on paper.",
)
def _same_conditions(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    groups: dict[tuple[object, ...], list[CheckedLine]] = defaultdict(list)
    for one in looked:
        line = one.line
        key = (line.projection, line.support, line.receptor, line.grid_ratio, line.exposure_control, line.filter)
        groups[key].append(one)
    for group in groups.values():
        for one, other in combinations(group, 2):
            low, high = max(one.line.range_cm[0], other.line.range_cm[0]), min(one.line.range_cm[1], other.line.range_cm[1])
            if high - low > OVERLAP_CM:
                (kvp, mas), (kvp_2, mas_2) = _own(one), _own(other)
                yield Finding(
                    "same_conditions",
                    "error",
                    (other.at, one.at),
                    f"{one.name} stands twice for {low:g} to {high:g} cm: {kvp:g} kVp {mas:.3g} mAs, and {kvp_2:g} kVp "
                    f"{mas_2:.3g} mAs.",
                    "The Desk takes the first; the other is used by nobody, or by who reads the chart on paper.",
                    "Remove one of them, or let their ranges meet without overlap.",
                )


@chart_check(
    "off_by_itself",
    "Off by itself",
    "A line's own number against what the physics model, tied to the room by all lines of its receptor, calls for.",
)
def _off_by_itself(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    """The middle of a receptor's lines is what the room does; a line far from it was read or typed wrong."""
    receptors: dict[str, list[CheckedLine]] = defaultdict(list)
    for one in looked:
        if one.index:
            receptors[one.line.receptor].append(one)
    every = [one for group in receptors.values() for one in group]
    for group in receptors.values():
        others = group if len(group) > FEWEST_OTHERS else every
        if len(others) <= FEWEST_OTHERS:
            continue
        middle = statistics.median(one.index.offset_di for one in others if one.index)
        for one in group:
            off = (one.index.offset_di if one.index else 0.0) - middle
            if abs(off) <= OFF_DI:
                continue
            kvp, mas = one.line.law.at(one.line.thickness_cm)
            said = f"{off:+.1f}".replace("-", "−")
            yield Finding(
                "off_by_itself",
                "error" if abs(off) > SLIP_DI else "warning",
                (one.at,),
                f"{one.name}: {kvp:g} kVp and {mas:.3g} mAs at {one.line.thickness_cm:g} cm are {said} DI off what this "
                "room's other lines call for.",
                "A digit too many, a neighbouring row, or mA for mAs; or a part that the model knows badly.",
                f"Look it up again; the others call for about {mas * math.pow(10, -off / 10):.2g} mAs.",
                off_di=off,
            )


@chart_check(
    "child_with_grid",
    "Reaches into children's sizes",
    "An adult's line with a grid that a child of five would fall under, and no line without one for it.",
)
def _child_with_grid(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    bare = [one.line for one in looked if not one.line.grid_ratio]
    for one in looked:
        child, over = usual_child_cm(one.projection, "5y"), one.projection.grid_over_cm or 0.0
        # Above the usual threshold a grid is the chart's own decision, for a child too.
        if (
            not one.line.grid_ratio
            or child is None
            or one.line.range_cm[0] > child
            or child > over + GRID_THRESHOLD_SLACK_CM
        ):
            continue
        own = (line for line in bare if line.projection == one.line.projection)
        if any(line.range_cm[0] <= child <= line.range_cm[1] for line in own):
            continue
        yield Finding(
            "child_with_grid",
            "note",
            (one.at,),
            f"{one.name}: its range begins at {one.line.range_cm[0]:g} cm; a child of five measures about {child:g} cm.",
            "A child needs no grid here, and a bone of its own size calls for less.",
            f"Let it begin above {child:g} cm, and give children a line without a grid.",
        )


@chart_check("orphan_link", "Follows a line that is gone", "A linked line keeps its last numbers and follows nothing.")
def _orphan_link(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    keys = {one.line.key for one in looked}
    for one in looked:
        if one.line.link and one.line.link.to not in keys:
            yield Finding(
                "orphan_link",
                "warning",
                (one.at,),
                f"{one.name} follows a line that this chart does not have.",
                "It keeps the numbers that it had, whatever becomes of the other line.",
                "Unlink it, or link it to another line.",
            )
