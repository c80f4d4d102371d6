"""From images to a better chart: what each line's images say of its level and its slope, and the line that follows.

Each image says by how much today's line would miss its target on that patient. That is taken as a sum of unknowns: the room,
the receptor, the support with its grid, the site of the body, and of the line itself a level and a slope with thickness.
Each has a prior, so an image moves its line and, less, its relatives, and a line with a dozen images is not jerked about:
the same regression as a chart is built by (`chart_making.from_test_exposures`), with images that fit badly counted less
(Student's t). What all lines of a receptor or of the room share is one correction of the room, not forty of lines.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.charts.systems import Banded, FixedKvp, Levelled, VariableKvp
from oakbeam.core.equipment.generator import nearest_setting
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.log.shares import Share, share
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

LEAST_IMAGES = 10
"""Reliable images of a line from which it may be tuned."""
PRIOR_DI: Mapping[str, float] = {"room": 0.4, "receptor": 0.3, "support": 0.2, "site": 0.2, "line": 0.7}
"""One standard deviation of what each unknown may be off by in a chart that is in use [DI]; estimates."""
SLOPE_PRIOR = 0.25
"""One standard deviation of a line's slope, as a share of what a centimetre of its part takes off the index."""
DEGREES = 4.0
"""Of Student's t: how little images count that fit badly."""
WEIGHED = 0.788
"""What is left of a normal variance once values are weighed by Student's t of DEGREES: 5 E[z² / (4 + z²)]."""
SPREAD_WORTH = 8.0
"""The estimated spread of patients counts as much as so many images."""
SURE = 2.58
"""Standard deviations on either side of an interval that holds 99 of 100: many lines are looked at."""
LEAST_CHANGE_DI = 0.15
"""A smaller change than this is none that anybody sees."""
ON_TARGET_DI = 0.2
"""A line whose own images are off by less on average is on target, whatever its relatives say."""
MOST_CHANGE_DI = 3.0
ROOM_LINES, ROOM_LEAST_DI = 4, 0.25
"""A cause of the room is proposed from so many lines that show it, and from this size on."""
ROUNDS = 6


@dataclass(frozen=True, slots=True)
class LineImages:
    """What the images of a line say: by how much the line as it stands would miss [DI] on each patient, the thickness [cm]
    that each was entered with, and one standard deviation of that. patient_di: the spread of patients as estimated;
    di_per_cm: what a centimetre of the part takes off the index, positive. site: of the body."""

    line: ChartLine
    thickness_cm: Array
    thickness_spread_cm: Array
    off_di: Array
    patient_di: float
    di_per_cm: float
    site: str


@dataclass(frozen=True, slots=True)
class Cause:
    """What lines share: of the room, a receptor, or a support with its grid. of: which; size_di with its interval, a month
    where it is slow; lines and images that show it; since: from which day on, "" where it was always so."""

    kind: str
    of: str
    size_di: float
    low: float
    high: float
    lines: int
    images: int
    since: str = ""
    slow: bool = False


@dataclass(frozen=True, slots=True)
class Tuning:
    """What the images of one line say of it, apart from the causes that are proposed for the room.

    level_di at at_cm (the mean of its images), slope_di_per_cm, each with its 99 % interval: how far the line is off. before
    and after: the share of its images within ±1 as the line stands, and as it would stand, each image held against what the
    others say (leave one out). mas_percent: what the change does to the mAs of its images on average.
    """

    line: ChartLine
    images: int
    at_cm: float
    level_di: float
    level_low: float
    level_high: float
    slope_di_per_cm: float
    slope_low: float
    slope_high: float
    spread_di: float
    before: Share
    after: Share
    mas_percent: float
    level_sure: bool
    slope_sure: bool

    @property
    def sure(self) -> bool:
        """Whether there is something to change."""
        return self.level_sure or self.slope_sure

    def off_at(self, thickness_cm: float) -> float:
        """How far the line is off at a thickness [DI], by what is sure."""
        level = self.level_di if self.level_sure else 0.0
        slope = self.slope_di_per_cm if self.slope_sure else 0.0
        return max(-MOST_CHANGE_DI, min(MOST_CHANGE_DI, level + slope * (thickness_cm - self.at_cm)))


@dataclass(frozen=True, slots=True)
class Learned:
    """What the images of a room say: causes of the room first, then its lines, the surest first."""

    causes: tuple[Cause, ...]
    lines: tuple[Tuning, ...]


def off_di(
    line: ChartLine,
    room: Room,
    projection: Projection,
    thickness_cm: Array,
    di: Array,
    kvp: Array,
    mas: Array,
    sid_cm: Array,
) -> Array:
    """By how much the line as it stands would miss its target on the patients of some images [DI], (n).

    An image made at kvp and mas came out at di, against the line's own target. The line would give the same patient another
    kVp and mAs: the physics model says what that does, the inverse square what another SID did.
    """
    law = np.array([line.law.at(float(cm)) for cm in thickness_cm])
    given = law[:, 1] * signals_per_mas(line, room, projection, thickness_cm, law[:, 0])
    made = mas * (line.sid_cm / sid_cm) ** 2 * signals_per_mas(line, room, projection, thickness_cm, kvp)
    return np.asarray(di + 10 * np.log10(given / made))


def di_per_cm(line: ChartLine, room: Room, projection: Projection) -> float:
    """What a centimetre of the part takes off the index at a line's own thickness and kVp [DI], positive."""
    cm, kvp = line.thickness_cm, line.law.at(line.thickness_cm)[0]
    signals = signals_per_mas(line, room, projection, np.array([cm - 0.5, cm + 0.5]), np.array([kvp, kvp]))
    return float(10 * math.log10(signals[0] / signals[1]))


class _Unknowns:
    """The columns of the regression and their priors."""

    def __init__(self, lines: Sequence[LineImages]) -> None:
        names: list[tuple[str, str]] = [("room", "")]
        for one in lines:
            names += [("receptor", one.line.receptor), ("support", _support(one.line)), ("site", one.site)]
        self.at = {name: i for i, name in enumerate(dict.fromkeys(names))}
        shared = [PRIOR_DI[kind] for kind, _ in self.at]
        own = [value for one in lines for value in (PRIOR_DI["line"], SLOPE_PRIOR * one.di_per_cm)]
        self.prior = np.array([*shared, *own])
        self.shared = len(shared)

    def level_row(self, one: LineImages, number: int) -> Array:
        row = np.zeros(len(self.prior))
        for name in (("room", ""), ("receptor", one.line.receptor), ("support", _support(one.line)), ("site", one.site)):
            row[self.at[name]] = 1.0
        row[self.shared + 2 * number] = 1.0
        return row


def _support(line: ChartLine) -> str:
    return f"{line.support} {line.grid_ratio}"


def learn(lines: Sequence[LineImages]) -> Learned:
    """What the images of a room's lines say, jointly."""
    seen = [one for one in lines if len(one.off_di)]
    if not seen:
        return Learned((), ())
    unknowns = _Unknowns(seen)
    designs = [_design(one, unknowns, i) for i, one in enumerate(seen)]
    spreads = [one.patient_di for one in seen]
    weights = [np.ones(len(one.off_di)) for one in seen]
    mean, covariance = np.zeros(len(unknowns.prior)), np.diag(unknowns.prior**2)
    for _ in range(ROUNDS):
        precision, pull = np.diag(unknowns.prior**-2.0), np.zeros(len(unknowns.prior))
        for one, design, spread, weight in zip(seen, designs, spreads, weights, strict=True):
            worth = weight / _variances(one, spread)
            precision += design.T * worth @ design
            pull += design.T @ (worth * one.off_di)
        covariance = np.linalg.inv(precision)
        mean = covariance @ pull
        for i, one in enumerate(seen):
            left = one.off_di - designs[i] @ mean
            weights[i] = (DEGREES + 1) / (DEGREES + left**2 / _variances(one, spreads[i]))
            spreads[i] = _spread(one, left, weights[i])
    causes = _causes(seen, [float(unknowns.level_row(one, i) @ mean) for i, one in enumerate(seen)])
    taken = {(one.kind, one.of): one.size_di for one in causes}
    found = []
    for i, one in enumerate(seen):
        if len(one.off_di) < LEAST_IMAGES:
            continue
        of_room = sum(taken.get(name, 0.0) for name in (("room", ""), ("receptor", one.line.receptor)))
        found.append(_tuning(one, unknowns, i, mean, covariance, designs[i], spreads[i], weights[i], of_room))
    found.sort(key=lambda one: (not one.sure, -abs(one.level_di)))
    return Learned(causes, tuple(found))


def _design(one: LineImages, unknowns: _Unknowns, number: int) -> Array:
    row = unknowns.level_row(one, number)
    design = np.tile(row, (len(one.off_di), 1))
    design[:, unknowns.shared + 2 * number + 1] = one.thickness_cm - one.thickness_cm.mean()
    return design


def _variances(one: LineImages, spread: float) -> Array:
    """Of each image: its patient's, and what its thickness may be off by."""
    return np.asarray(spread**2 + (one.di_per_cm * np.maximum(one.thickness_spread_cm - 0.5, 0)) ** 2)


def _spread(one: LineImages, left: Array, weight: Array) -> float:
    """The spread of a line's patients: what was estimated, and what its images show once those that fit badly count less."""
    shown = float((weight * left**2).sum()) / WEIGHED
    return math.sqrt((SPREAD_WORTH * one.patient_di**2 + shown) / (SPREAD_WORTH + len(left)))


def _causes(seen: Sequence[LineImages], levels: Sequence[float]) -> tuple[Cause, ...]:
    """What the lines of the whole room, and then of one receptor, share: a shift that most of them show and that explains
    more than half of what they are off by."""
    told = [(one, level) for one, level in zip(seen, levels, strict=True) if len(one.off_di) >= LEAST_IMAGES]
    left = np.array([level for _, level in told])
    receptors = sorted({one.line.receptor for one, _ in told})
    groups = {("room", ""): np.ones(len(told), bool)}
    if len(receptors) > 1:
        groups |= {("receptor", of): np.array([one.line.receptor == of for one, _ in told]) for of in receptors}
    found: list[Cause] = []
    # The one that explains most first; what it leaves is looked at again.
    while candidates := [(which, shared) for which, of in groups.items() if (shared := _shared(left[of]))]:
        (kind, of), (size, error) = max(candidates, key=lambda one: groups[one[0]].sum() * one[1][0] ** 2)
        members = groups.pop((kind, of))
        images = sum(len(one.off_di) for (one, _), member in zip(told, members, strict=True) if member)
        found.append(Cause(kind, of, size, size - SURE * error, size + SURE * error, int(members.sum()), images))
        left[members] -= size
    return tuple(found)


def _shared(levels: Array) -> tuple[float, float] | None:
    """The shift that lines share and its standard error [DI]; None where they do not share one."""
    n = len(levels)
    if n < ROOM_LINES:
        return None
    size, error = float(levels.mean()), float(levels.std(ddof=1)) / math.sqrt(n)
    # Student's t beyond which one in a thousand lies, within a tenth: few lines agree by chance.
    agreed = abs(size) > (3.3 + 150 / n**2) * error and (np.sign(levels) == np.sign(size)).mean() >= 0.75
    explained = float(((levels - size) ** 2).sum()) <= 0.5 * float((levels**2).sum())
    return (size, error) if agreed and explained and abs(size) >= ROOM_LEAST_DI else None


def _tuning(
    one: LineImages,
    unknowns: _Unknowns,
    number: int,
    mean: Array,
    covariance: Array,
    design: Array,
    spread: float,
    weight: Array,
    of_room: float,
) -> Tuning:
    row = unknowns.level_row(one, number)
    level, level_error = float(row @ mean) - of_room, math.sqrt(float(row @ covariance @ row))
    place = unknowns.shared + 2 * number + 1
    slope, slope_error = float(mean[place]), math.sqrt(float(covariance[place, place]))
    reach = float(np.ptp(one.thickness_cm)) or 1.0
    own = float(one.off_di.mean())
    supported = abs(own) >= ON_TARGET_DI and own * level > 0
    level_sure = supported and abs(level) > SURE * level_error and abs(level) >= LEAST_CHANGE_DI
    slope_sure = abs(slope) > SURE * slope_error and abs(slope) * reach >= 2 * LEAST_CHANGE_DI
    off = one.off_di - of_room
    tuned = Tuning(
        one.line,
        len(off),
        float(one.thickness_cm.mean()),
        level,
        level - SURE * level_error,
        level + SURE * level_error,
        slope,
        slope - SURE * slope_error,
        slope + SURE * slope_error,
        spread,
        _within(off),
        _within(off),
        0.0,
        level_sure,
        slope_sure,
    )
    fitted = np.array([tuned.off_at(float(cm)) for cm in one.thickness_cm])
    # What an image itself has in the fit is taken out of it: nobody is judged by their own evidence.
    own = np.einsum("ij,jk,ik->i", design, covariance, design) * weight / _variances(one, spread)
    left = (off - fitted) / (1 - np.minimum(own, 0.5)) if tuned.sure else off
    mas = 100 * (float(np.mean(10 ** (-fitted / 10))) - 1)
    return replace(tuned, after=_within(left), mas_percent=mas)


def _within(off: Array) -> Share:
    found = share(int((np.abs(off) <= 1).sum()), len(off))
    assert found is not None
    return found


def retuned(tuning: Tuning, room: Room, projection: Projection) -> ChartLine:
    """The line with what is sure put right. Raises Refusal for a line that follows another, or that AEC exposes."""
    line = tuning.line
    if line.link:
        raise Refusal("It follows another line", "A line that follows another is put right with that one.", None, "line")
    if line.exposure_control == "aec":
        raise Refusal(
            "AEC exposes it", "mAs does not steer AEC: its chambers are set anew, or the target index.", None, "line"
        )
    law = line.law

    def factor(cm: float) -> float:
        return float(10 ** (-tuning.off_at(cm) / 10))

    if isinstance(law, FixedKvp):
        slope = tuning.slope_di_per_cm if tuning.slope_sure else 0.0
        # mAs doubles every doubling_cm: 3.01 DI over that many centimetres.
        per_cm = 10 * math.log10(2) / law.doubling_cm - slope
        if per_cm <= 0.05:
            raise Refusal(
                "No such rule", "The images call for mAs that do not rise with thickness; look at them.", None, "line"
            )
        doubling = 10 * math.log10(2) / per_cm
        return replace(line, law=replace(law, mas=law.mas * factor(law.thickness_cm), doubling_cm=doubling))
    if isinstance(law, VariableKvp):
        slope = tuning.slope_di_per_cm if tuning.slope_sure else 0.0
        per_kvp = _di_per_kvp(line, room, projection)
        return replace(
            line,
            law=replace(law, mas=law.mas * factor(law.thickness_cm), kvp_per_cm=max(0.0, law.kvp_per_cm - slope / per_kvp)),
        )
    if isinstance(law, Banded):
        bands = (
            replace(
                band,
                mas=nearest_setting("mas", band.mas * factor((band.min_cm + band.max_cm) / 2), room.generator.mas, "mAs"),
            )
            for band in law.bands
        )
        return replace(line, law=Banded(tuple(bands)))
    assert isinstance(law, Levelled)
    points = tuple(replace(point, mas=point.mas * factor(point.thickness_cm)) for point in law.points)
    return replace(line, law=Levelled(points, law.base_cm))


def _di_per_kvp(line: ChartLine, room: Room, projection: Projection) -> float:
    """What a kVp adds to the index at a line's own thickness [DI]."""
    cm, kvp = line.thickness_cm, line.law.at(line.thickness_cm)[0]
    signals = signals_per_mas(line, room, projection, np.array([cm, cm]), np.array([kvp - 1, kvp + 1]))
    return float(5 * math.log10(signals[1] / signals[0]))
