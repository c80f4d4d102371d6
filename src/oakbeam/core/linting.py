"""What is wrong with a chart: each rule is one function that yields findings, with the reason and what to do about it.

A finding advises; the keeper decides. `error`: the line cannot be used as it stands; `warning`: it will disappoint;
`note`: worth a look.
"""

from __future__ import annotations

import math
import statistics
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise
from typing import Literal

import numpy as np

from oakbeam.core import rules
from oakbeam.core.chart import Banded, ChartLine, Levelled, VariableKvp
from oakbeam.core.families import exposure_ratio
from oakbeam.core.kept import kept
from oakbeam.core.levelcheck import Strip, level_it, strip
from oakbeam.core.modelling import skin_kerma_mgy
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import SUPPORT_NAMES, Room
from oakbeam.core.stations import put_on_stations

Severity = Literal["error", "warning", "note"]
Rule = Literal[
    "not_monotonic",
    "coarse_steps",
    "kvp_window",
    "time_ceiling",
    "tube_limit",
    "grid_small_part",
    "no_grid_thick_part",
    "dose_level",
    "neighbours",
    "grid_twins",
    "grid_focus",
    "minimum_sid",
    "missing_range",
    "half_row",
    "same_technique",
    "drifts",
    "link",
]
DRIFT_DI = 2.0
"""A line that strays further than this within the usual patients is pointed out; within it patients stray too."""
BAND_SWING_DI = 4.0
"""A band whose ends lie further apart than this is too coarse: ±2 about its middle."""
NEIGHBOURS_DI = 2.5
"""Lines of one exam on one receptor should agree with each other within this, after the model."""
REGION_DI = 3.5
"""Lines of one region of the body should agree within this with the middle of them."""
TWINS_DI = 2.0
LINK_DI = 2.0
KVP_BEYOND = 1.12
"""kVp this factor beyond the usual window are pointed out."""
THINNER_CM = 1.0
_WHO = ("a small", "an average", "a large")


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that is wrong. lines: the places (from 0) in the chart that it concerns, the one to change first. what, why
    and fix are sentences; proposal: the first line as the fix would leave it, where the fix can be computed."""

    rule: Rule
    severity: Severity
    lines: tuple[int, ...]
    what: str
    why: str
    fix: str
    proposal: ChartLine | None = None


@dataclass(frozen=True, slots=True)
class _Looked:
    """A line as the rules look at it."""

    at: int
    line: ChartLine
    projection: Projection
    strip: Strip | None

    @property
    def name(self) -> str:
        return f"{self.projection.exam} {self.projection.name}"

    @property
    def usual_cm(self) -> tuple[float, float, float]:
        """Small, average and large patient, as far as the line's range holds them."""
        low, high = self.line.range_cm
        small, average, large = (min(max(cm, low), high) for cm in self.projection.thickness_cm)
        return small, average, large


def lint(lines: Sequence[ChartLine], room: Room, projections: Mapping[str, Projection]) -> tuple[Finding, ...]:
    """Everything that the rules find, errors first, in the order of the chart. Refusal for an unknown projection."""
    looked = []
    for at, line in enumerate(lines):
        projection = projections.get(line.projection)
        if projection is None:
            raise Refusal("Unknown projection", f"'{line.projection[:60]}' is not in the catalogue.", None, "projection")
        looked.append(_Looked(at, line, projection, strip(line, room, projection)))
    found = [finding for one in looked for finding in _alone(one.line, room, one.projection, one.at)]
    found += [finding for rule in _TOGETHER for finding in rule(looked, room)]
    order = {"error": 0, "warning": 1, "note": 2}
    return tuple(sorted(found, key=lambda one: (order[one.severity], one.lines[0], one.rule)))


@kept
def _findings(line: ChartLine, room: Room, projection: Projection) -> tuple[Finding, ...]:
    """What one line shows by itself; kept, since one edit changes one line."""
    one = _Looked(0, line, projection, strip(line, room, projection))
    return tuple(finding for rule in _ALONE for finding in rule(one, room))


def _alone(line: ChartLine, room: Room, projection: Projection, at: int) -> Iterator[Finding]:
    for f in _findings(line, room, projection):
        yield Finding(f.rule, f.severity, (at,), f.what, f.why, f.fix, f.proposal)


def _not_monotonic(one: _Looked, room: Room) -> Iterator[Finding]:
    law = one.line.law
    if isinstance(law, Banded):
        steps = [(f"{b.min_cm:g} to {b.max_cm:g} cm", b.kvp, b.mas) for b in law.bands]
    elif isinstance(law, Levelled):
        steps = [(f"{p.thickness_cm:g} cm", p.kvp, p.mas) for p in law.points]
    else:
        return
    for (_, kvp, mas), (where, next_kvp, next_mas) in pairwise(steps):
        if exposure_ratio(next_kvp, next_mas, kvp, mas) < 0.999:
            yield Finding(
                "not_monotonic",
                "error",
                (one.at,),
                f"{one.name}: at {where} the exposure falls although the part is thicker.",
                "A thicker part needs more; a number is misread or two rows are swapped.",
                "Put the numbers right, or level the line.",
                _levelled(one, room),
            )
            return


def _coarse(one: _Looked, room: Room) -> Iterator[Finding]:
    law, found = one.line.law, one.strip
    if not isinstance(law, Banded) or found is None:
        return
    for band in law.bands:
        inside = [di for cm, di in zip(found.places_cm, found.exact_di, strict=True) if band.min_cm <= cm < band.max_cm]
        swing = max(inside, default=0.0) - min(inside, default=0.0)
        if swing > BAND_SWING_DI:
            yield Finding(
                "coarse_steps",
                "warning",
                (one.at,),
                f"{one.name}: within '{band.name}' ({band.min_cm:g} to {band.max_cm:g} cm) the index strays {swing:.1f} DI.",
                f"One setting serves {band.max_cm - band.min_cm:g} cm; thin patients get too much, thick ones too little.",
                "Cut the band in two, or let the mAs follow the thickness.",
                _levelled(one, room),
            )
            return


def _kvp_window(one: _Looked, room: Room) -> Iterator[Finding]:
    low, high = one.projection.kvp_usual(one.line.support)
    small, average, large = one.usual_cm
    kvps = [
        one.line.law.at(cm)[0] for cm in ((average,) if isinstance(one.line.law, VariableKvp) else (small, average, large))
    ]
    for kvp in kvps:
        if not low / KVP_BEYOND <= kvp <= high * KVP_BEYOND:
            why = "Too little gets through the part; the skin takes it." if kvp < low else "Contrast is lost to scatter."
            yield Finding(
                "kvp_window",
                "warning",
                (one.at,),
                f"{one.name}: {kvp:g} kVp lies outside the usual {low:g} to {high:g} kVp.",
                why,
                "Move it into the window and keep the receptor exposure: 15 % in kVp for a factor of two in mAs.",
            )
            return


def _tube(one: _Looked, room: Room) -> Iterator[Finding]:
    """Stations and tube limit at the small, the average and the large patient."""
    for who, cm in zip(_WHO, one.usual_cm, strict=True):
        kvp, mas = one.line.law.at(cm)
        try:
            put_on_stations(room, one.projection, kvp, mas)
        except Refusal as refusal:
            yield Finding(
                "tube_limit",
                "error",
                (one.at,),
                f"{one.name}: {kvp:.3g} kVp and {mas:.3g} mAs for {who} patient ({cm:g} cm) cannot be had.",
                refusal.detail,
                "Raise the kVp for less mAs, shorten the SID, or cut the range.",
            )
            return


def _time(one: _Looked, room: Room) -> Iterator[Finding]:
    """Time at the small and the average patient; for a large one the ceiling has to bend."""
    for who, cm in zip(_WHO[:2], one.usual_cm[:2], strict=True):
        try:
            on = put_on_stations(room, one.projection, *one.line.law.at(cm))
        except Refusal:
            return
        if on.loading.time_ms > 1.5 * one.projection.time_ceiling_ms:
            yield Finding(
                "time_ceiling",
                "warning",
                (one.at,),
                f"{one.name}: {on.loading.time_ms:.3g} ms for {who} patient; usual is up to "
                f"{one.projection.time_ceiling_ms:g} ms.",
                "Longer than the part keeps still: motion blur.",
                "Raise the kVp for less mAs, use the large spot, or shorten the SID.",
            )
            return


def _grid(one: _Looked, room: Room) -> Iterator[Finding]:
    line, over, average = one.line, one.projection.grid_over_cm, one.projection.thickness_cm[1]
    kvp, _ = line.law.at(line.thickness_cm)
    if line.grid_ratio and (over is None or max(average, line.thickness_cm) <= over):
        yield Finding(
            "grid_small_part",
            "warning",
            (one.at,),
            f"{one.name}: a {line.grid_ratio}:1 grid on a part of {average:g} cm.",
            "There is little scatter to take away; the grid only multiplies the dose.",
            f"Take the grid off and divide the mAs by about {rules.grid_factor(line.grid_ratio, kvp):g}.",
        )
    middle = (line.range_cm[0] + line.range_cm[1]) / 2
    bucky = any(support.grid and support.id in one.projection.supports for support in room.supports)
    clip_on = one.projection.detector_grid and room.loose_grids
    there = (clip_on if line.support == "detector" else bucky) and one.projection.child != "own"
    if not line.grid_ratio and over is not None and min(line.thickness_cm, middle) > over + 4 and there:
        yield Finding(
            "no_grid_thick_part",
            "warning",
            (one.at,),
            f"{one.name}: no grid on {line.thickness_cm:g} cm, on the {SUPPORT_NAMES[line.support]}.",
            f"Above about {over:g} cm scatter takes the contrast; the room has a grid for this projection.",
            "Use the grid, or say in the note why not.",
        )


def _distance(one: _Looked, room: Room) -> Iterator[Finding]:
    line = one.line
    grid = room.grid(room.support(line.support), line.grid_ratio) if line.grid_ratio else None
    if grid and not grid.range_cm[0] <= line.sid_cm <= grid.range_cm[1]:
        yield Finding(
            "grid_focus",
            "warning",
            (one.at,),
            f"{one.name}: SID {line.sid_cm:g} cm with a grid for {grid.range_cm[0]:g} to {grid.range_cm[1]:g} cm.",
            "Outside its focal range the grid cuts the edges of the field off.",
            f"Use {grid.focal_cm:g} cm; the mAs goes with the square of the SID.",
        )
    least = one.projection.minimum_sid_cm
    if least is not None and line.sid_cm < least - 0.5:
        yield Finding(
            "minimum_sid",
            "warning",
            (one.at,),
            f"{one.name}: SID {line.sid_cm:g} cm; this projection wants {least:g} cm at least.",
            "Nearer, the parts far from the receptor are magnified and blurred.",
            f"Use {one.projection.sid_cm:g} cm; the mAs goes with the square of the SID.",
        )


def _dose(one: _Looked, room: Room) -> Iterator[Finding]:
    level_mgy, average = one.projection.reference_kerma_mgy, one.usual_cm[1]
    if level_mgy is None:
        return
    kvp, mas = one.line.law.at(average)
    try:
        kerma_mgy = skin_kerma_mgy(one.line, room, average, kvp, mas)
    except Refusal:
        return
    if kerma_mgy > level_mgy:
        yield Finding(
            "dose_level",
            "warning",
            (one.at,),
            f"{one.name}: {kerma_mgy:.2g} mGy for an average patient, over the level of {level_mgy:g} mGy.",
            "The level is an example until the department sets its own; most rooms stay below it.",
            "Look at the target index, the kVp and the grid; more kVp and less mAs lower the dose.",
        )


def _drift(one: _Looked, room: Room) -> Iterator[Finding]:
    found = one.strip
    if found is None or isinstance(one.line.law, Banded):
        return
    small, _, large = one.usual_cm
    inside = [di for cm, di in zip(found.places_cm, found.exact_di, strict=True) if small <= cm <= large]
    worst = max(inside, key=abs, default=0.0)
    if abs(worst) > DRIFT_DI:
        yield Finding(
            "drifts",
            "warning",
            (one.at,),
            f"{one.name}: the index drifts to {worst:+.1f} DI within the usual patients.".replace("-", "−"),
            "The law does not follow how this part takes up the beam.",
            "Level it: one number of the law, or the beam model's mAs.",
            _levelled(one, room),
        )


_ALONE: tuple[Callable[[_Looked, Room], Iterator[Finding]], ...] = (
    _not_monotonic,
    _coarse,
    _kvp_window,
    _tube,
    _time,
    _grid,
    _distance,
    _dose,
    _drift,
)


def _levelled(one: _Looked, room: Room) -> ChartLine | None:
    proposal = level_it(one.line, room, one.projection)
    return proposal.line if proposal else None


def _missing_range(looked: Sequence[_Looked], room: Room) -> Iterator[Finding]:
    """The usual adults that no line of a projection holds."""
    of_projection: dict[str, list[_Looked]] = defaultdict(list)
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


def _gap_di(one: _Looked, other: _Looked) -> float | None:
    """How much more one line exposes than another after the model, in DI; None where the model cannot say."""
    return one.strip.offset_di - other.strip.offset_di if one.strip and other.strip else None


def _pairs(looked: Sequence[_Looked]) -> Iterator[tuple[_Looked, _Looked]]:
    """Pairs of lines of one exam on one receptor."""
    groups: dict[tuple[str, str], list[_Looked]] = defaultdict(list)
    for one in looked:
        groups[one.projection.exam, one.line.receptor].append(one)
    for group in groups.values():
        yield from combinations(group, 2)


def _neighbours(looked: Sequence[_Looked], room: Room) -> Iterator[Finding]:
    told: set[int] = set()
    for one, other in _pairs(looked):
        if one.line.grid_ratio != other.line.grid_ratio or one.line.projection == other.line.projection:
            continue
        gap = _gap_di(one, other)
        if gap is not None and abs(gap) > NEIGHBOURS_DI:
            # The one to look at first is that which is further from what the room's calibration calls for.
            off, by = sorted((one, other), key=lambda each: -abs(each.strip.offset_di if each.strip else 0))
            told |= {one.at, other.at}
            yield _apart("neighbours", off, by, _gap_di(off, by) or 0.0)
    regions: dict[tuple[str, str], list[_Looked]] = defaultdict(list)
    for one in looked:
        if one.strip:
            regions[one.projection.region, one.line.receptor].append(one)
    for group in regions.values():
        if len(group) < 3:
            continue
        middle = statistics.median(one.strip.offset_di for one in group if one.strip)
        nearest = min(group, key=lambda one: abs((one.strip.offset_di if one.strip else 0) - middle))
        for one in group:
            if one.at not in told and one.strip and abs(one.strip.offset_di - middle) > REGION_DI:
                yield _apart("neighbours", one, nearest, one.strip.offset_di - middle)


def _apart(rule: Rule, one: _Looked, other: _Looked, gap_di: float) -> Finding:
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


def _grid_twins(looked: Sequence[_Looked], room: Room) -> Iterator[Finding]:
    for one, other in _pairs(looked):
        if one.line.projection != other.line.projection or one.line.grid_ratio == other.line.grid_ratio:
            continue
        gap = _gap_di(one, other)
        if gap is not None and abs(gap) > TWINS_DI:
            gridded, plain = (one, other) if one.line.grid_ratio else (other, one)
            yield _apart("grid_twins", gridded, plain, _gap_di(gridded, plain) or 0.0)


def _same_technique(looked: Sequence[_Looked], room: Room) -> Iterator[Finding]:
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


def _own(one: _Looked) -> tuple[float, float]:
    """kVp and mAs for the average patient."""
    return one.line.law.at(one.usual_cm[1])


def _links(looked: Sequence[_Looked], room: Room) -> Iterator[Finding]:
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


_TOGETHER: tuple[Callable[[Sequence[_Looked], Room], Iterator[Finding]], ...] = (
    _missing_range,
    _neighbours,
    _grid_twins,
    _same_technique,
    _links,
)
