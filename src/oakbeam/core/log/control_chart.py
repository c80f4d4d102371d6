"""Control charts of a series of deviation indices: whether it moved, when, by how much, and how sure that is.

A series is parted where its mean changed (binary segmentation, after Vostrikova, from memory): the split of a stretch whose
two means differ most for their standard errors is a change where they differ by more than chance explains. No target has to
be right for that, nor a level be known before. Beside it stand the two charts that quality meetings know, the running mean
(EWMA, after Roberts, from memory) and the cumulative sum (CUSUM, after Page, from memory): about the mean of each stretch,
or about that of a period that somebody accepted as how it should be. How often what was found, and how often something is
told that is not there: docs/log-evidence.md.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from oakbeam.core.physics.beam.tables import Array

TOLD = 3.1
"""Standard errors by which the means on either side of a change differ at least."""
LEAST_BEFORE, LEAST_SINCE = 10, 8
"""Values on either side of a change."""
HELD = 3.0
"""Standard deviations from the median at which a wild value is held: one is no change of level."""
WARM_UP = 20
"""Values before which nothing is said of a series, and that an accepted period has at least."""
EWMA_WEIGHT, EWMA_LIMIT = 0.1, 2.8
CUSUM_REFERENCE, CUSUM_LIMIT = 0.31, 6.5
"""In standard deviations: half of the change looked for (0.5 DI of 0.8), and where the sum is out of control."""
SURE = 1.96
"""Standard deviations on either side of an interval that holds 95 of 100."""
LEAST_SPREAD_DI = 0.15
"""Readings are no more alike than this, however alike a few of them look."""
CREEP_SURE, CREEP_LEAST_DI, CREEP_LEAST = 3.5, 0.3, 40
"""A creep is told where it is this many standard errors, at least this much over what was looked at, of so many values."""


@dataclass(frozen=True, slots=True)
class Shift:
    """A change of a series. begins: the first value after it; size: mean after it less the mean before it, and the ends of
    its 95 % interval; before and after: the means; n: how many values came after it."""

    begins: int
    size: float
    low: float
    high: float
    before: float
    after: float
    n: int


@dataclass(frozen=True, slots=True)
class Creep:
    """A slow change: per month (30 days), with its 95 % interval, from the value `begins` on."""

    begins: int
    per_month: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class ControlChart:
    """A series as a control chart, a figure for each value. centre: the mean of the stretch it belongs to; about: what the
    limits stand about, that mean or the one of the accepted period. spread: one standard deviation of a value; ewma: None
    while it warms up, with its limits on either side of about; up and down: the CUSUMs in standard deviations, with their
    limit. accepted: the first value of the accepted period and the one after its last."""

    centre: tuple[float, ...]
    about: tuple[float, ...]
    spread: float
    ewma: tuple[float | None, ...]
    ewma_limit: float
    up: tuple[float, ...]
    down: tuple[float, ...]
    cusum_limit: float
    shifts: tuple[Shift, ...]
    creep: Creep | None
    accepted: tuple[int, int] | None

    def since(self, first: int) -> ControlChart:
        """The part of it from a value on."""
        return replace(
            self,
            centre=self.centre[first:],
            about=self.about[first:],
            ewma=self.ewma[first:],
            up=self.up[first:],
            down=self.down[first:],
            shifts=tuple(replace(one, begins=one.begins - first) for one in self.shifts if one.begins >= first),
            creep=self.creep and replace(self.creep, begins=max(0, self.creep.begins - first)),
            accepted=self.accepted and (max(0, self.accepted[0] - first), max(0, self.accepted[1] - first)),
        )


def spread_of(values: Array) -> float:
    """One standard deviation of a value about its neighbours: a change of level, or one wild value, does not move it."""
    if len(values) < 3:
        return math.nan
    steps = np.abs(np.diff(values))
    # The median step of a normal series is 0.954 standard deviations.
    return max(LEAST_SPREAD_DI, float(np.median(steps)) / 0.954)


def control_chart(
    values: Sequence[float], days: Sequence[float], told: float = TOLD, accepted: tuple[int, int] | None = None
) -> ControlChart:
    """The control chart of a series in the order of time. days: when each value was taken, in days; told: standard errors
    of a change; accepted: the first value of a period that was accepted as how it should be, and the one after its last: no
    change is looked for before its end, and the limits stand about its mean. It counts from WARM_UP values on."""
    x, n = np.asarray(values, float), len(values)
    if accepted and accepted[1] - accepted[0] < WARM_UP:
        accepted = None
    first, known = (accepted[0], accepted[1] - accepted[0]) if accepted else (0, LEAST_BEFORE)
    spread = spread_of(x[slice(*accepted)] if accepted else x)
    bounds = [first, *(first + at for at in changes(x[first:], spread, told, known))]
    stretches = list(pairwise([*([0] if first else []), *bounds, n]))
    centre, about, ewma = np.empty(n), np.empty(n), list[float | None]()
    for begin, end in stretches:
        centre[begin:end] = x[begin:end].mean() if end > begin else math.nan
        about[begin:end] = x[slice(*accepted)].mean() if accepted else centre[begin:end]
    running = 0.0
    for begin, end in [(0, n)] if accepted else stretches:
        running = float(about[begin]) if end > begin else 0.0
        for i in range(begin, end):
            running = EWMA_WEIGHT * float(x[i]) + (1 - EWMA_WEIGHT) * running
            ewma.append(running if i - begin >= WARM_UP // 2 else None)
    up, down = _cusums(x, [*bounds, n], spread, accepted)
    sides = list(pairwise(pairwise([*bounds, n])))
    return ControlChart(
        tuple(map(float, centre)),
        tuple(map(float, about)),
        spread,
        tuple(ewma),
        EWMA_LIMIT * spread * math.sqrt(EWMA_WEIGHT / (2 - EWMA_WEIGHT)),
        up,
        down,
        CUSUM_LIMIT,
        tuple(_shift(x, before, after, spread) for before, after in sides),
        creep_of(x[bounds[-1] :], np.asarray(days, float)[bounds[-1] :], bounds[-1]),
        accepted,
    )


def changes(x: Array, spread: float, told: float, known: int = LEAST_BEFORE) -> list[int]:
    """Where a series changed its mean: the first value of each new stretch. known: so many at its beginning are one."""
    found, looked_at = list[int](), [(0, len(x))]
    while looked_at:
        begin, end = looked_at.pop()
        strength, at = _best_split(x[begin:end], spread, known if begin == 0 else LEAST_BEFORE)
        if strength > told:
            found.append(begin + at)
            looked_at += [(begin, begin + at), (begin + at, end)]
    found.sort()
    # Each is dated anew between its neighbours, and taken back, the weakest first, where that leaves too little of it.
    while found:
        ends, strengths = [0, *found, len(x)], []
        for i in range(len(found)):
            begin, end = ends[i], ends[i + 2]
            strength, at = _best_split(x[begin:end], spread, known if begin == 0 else LEAST_BEFORE)
            if strength > 0:
                ends[i + 1] = found[i] = begin + at
            strengths.append(strength)
        weakest = int(np.argmin(strengths))
        if strengths[weakest] > told:
            break
        del found[weakest]
    return found


def _best_split(x: Array, spread: float, least_before: int) -> tuple[float, int]:
    """(standard errors, first value after it) of the split of a stretch whose two means differ most for their errors; (0, 0)
    where it is too short."""
    n = len(x)
    if n < max(WARM_UP, least_before + LEAST_SINCE):
        return 0.0, 0
    middle = float(np.median(x))
    sums = np.cumsum(np.clip(x, middle - HELD * spread, middle + HELD * spread))
    k = np.arange(least_before, n - LEAST_SINCE + 1)
    left, right = sums[k - 1] / k, (sums[-1] - sums[k - 1]) / (n - k)
    strength = np.abs(left - right) * np.sqrt(k * (n - k) / n) / spread
    at = int(np.argmax(strength))
    return float(strength[at]), int(k[at])


def _cusums(
    x: Array, bounds: list[int], spread: float, accepted: tuple[int, int] | None
) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """The CUSUMs of a series about the accepted mean; else about the mean before each change until they are out of control,
    and about the new one from there on."""
    up, down = np.zeros(len(x)), np.zeros(len(x))
    means = [float(x[begin:end].mean()) for begin, end in pairwise(bounds) if end > begin]
    high = low = 0.0
    for stretch, (begin, end) in enumerate(pairwise(bounds)):
        about = float(x[slice(*accepted)].mean()) if accepted else means[max(0, stretch - 1)] if means else 0.0
        for i in range(begin, end):
            z = max(-HELD, min(HELD, (float(x[i]) - about) / spread))
            high, low = max(0.0, high + z - CUSUM_REFERENCE), max(0.0, low - z - CUSUM_REFERENCE)
            up[i], down[i] = high, low
            if not accepted and max(high, low) > CUSUM_LIMIT:
                about, high, low = means[stretch], 0.0, 0.0
    return tuple(map(float, up)), tuple(map(float, down))


def _shift(x: Array, first: tuple[int, int], second: tuple[int, int], spread: float) -> Shift:
    a, b = x[slice(*first)], x[slice(*second)]
    size, error = float(b.mean() - a.mean()), spread * math.sqrt(1 / len(a) + 1 / len(b))
    return Shift(second[0], size, size - SURE * error, size + SURE * error, float(a.mean()), float(b.mean()), len(b))


def creep_of(x: Array, days: Array, begins: int = 0) -> Creep | None:
    """A slow change of a stretch: the least-squares line through it, values beyond three spreads held there; None where it
    is not sure or small."""
    if len(x) < CREEP_LEAST or float(days[-1] - days[0]) < 14:
        return None
    months = (days - days.mean()) / 30
    centre, spread = float(np.median(x)), float(np.std(x))
    held = np.clip(x, centre - 3 * spread, centre + 3 * spread)
    slope = float(months @ (held - held.mean()) / (months @ months))
    left = held - held.mean() - slope * months
    error = float(np.sqrt(left @ left / (len(x) - 2) / (months @ months)))
    if abs(slope) < CREEP_SURE * error or abs(slope) * float(np.ptp(months)) < CREEP_LEAST_DI:
        return None
    return Creep(begins, slope, slope - SURE * error, slope + SURE * error)
