"""Control charts of a series of deviation indices: whether it moved, when, by how much, and how sure that is.

Each value is held against the mean of those before it (a self-starting CUSUM after Hawkins, from memory; EWMA after
Roberts), so that no target has to be right for a change to be seen. A change starts the series anew: each is told once. The
limits are chosen so that images of an ordinary spread raise a false alarm once in about a thousand, and a change of 0.5 DI
is seen within 60 of them (docs/log-evidence.md holds what was found).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from oakbeam.core.physics.beam.tables import Array

REFERENCE, LIMIT = 0.31, 6.5
"""Of the CUSUM, in standard deviations: half of the change looked for (0.5 DI of 0.8), and where it alarms."""
STANDS, STANDS_NEW = 3.3, 2.4
"""Standard errors by which the two sides of a change have to differ, of an earlier one and of the newest."""
WARM_UP = 20
"""Values before which nothing is said of a series."""
EWMA_WEIGHT, EWMA_LIMIT = 0.1, 2.8
SURE = 1.96
"""Standard deviations on either side of an interval that holds 95 of 100."""
LEAST_SPREAD_DI = 0.15
"""Readings are no more alike than this, however alike a few of them look."""
CREEP_SURE, CREEP_LEAST_DI, CREEP_LEAST = 3.5, 0.3, 40
"""A creep is told where it is this many standard errors, at least this much over what was looked at, of so many values."""


@dataclass(frozen=True, slots=True)
class Shift:
    """A change of a series. begins: the first value after it; seen: the value that gave it away. size: mean after it less
    the mean before it, and the ends of its 95 % interval; before and after: the means; n: how many values came after it."""

    begins: int
    seen: int
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
    """A series as a control chart. centre: of the stretch each value belongs to; spread: one standard deviation of a value;
    ewma with its limits about the centre, None while it warms up; up and down: the CUSUMs in standard deviations."""

    centre: tuple[float, ...]
    spread: float
    ewma: tuple[float | None, ...]
    ewma_limit: float
    up: tuple[float, ...]
    down: tuple[float, ...]
    shifts: tuple[Shift, ...]
    creep: Creep | None

    def since(self, first: int) -> ControlChart:
        """The part of it from a value on."""
        shifts = tuple(
            replace(one, begins=one.begins - first, seen=one.seen - first) for one in self.shifts if one.begins >= first
        )
        creep = self.creep and replace(self.creep, begins=max(0, self.creep.begins - first))
        parts = (self.up[first:], self.down[first:], shifts, creep)
        return ControlChart(self.centre[first:], self.spread, self.ewma[first:], self.ewma_limit, *parts)


def spread_of(values: Array) -> float:
    """One standard deviation of a value about its neighbours: a change of level, or one wild value, does not move it."""
    if len(values) < 3:
        return math.nan
    steps = np.abs(np.diff(values))
    # The median step of a normal series is 0.954 standard deviations.
    return max(LEAST_SPREAD_DI, float(np.median(steps)) / 0.954)


def control_chart(values: Sequence[float], days: Sequence[float], limit: float = LIMIT) -> ControlChart:
    """The control chart of a series in the order of time. days: when each value was taken, in days."""
    x, n = np.asarray(values, float), len(values)
    spread = spread_of(x)
    up, down = np.zeros(n), np.zeros(n)
    bounds, seen_at = [0], []
    start = at = 0
    total, last_up, last_down, high, low = 0.0, 0, 0, 0.0, 0.0
    while at < n:
        before = at - start
        if before >= WARM_UP:
            z = (x[at] - total / before) / spread * math.sqrt(before / (before + 1))
            # One wild value is no change of level: it counts as much as three standard deviations at most.
            z = max(-3.0, min(3.0, z))
            high, low = max(0.0, high + z - REFERENCE), max(0.0, low - z - REFERENCE)
            last_up, last_down = (at if high == 0 else last_up), (at if low == 0 else last_down)
            up[at], down[at] = high, low
            if high > limit or low > limit:
                begins = _change_point(x[start : at + 1]) + start
                bounds.append(begins)
                seen_at.append(at)
                # The series goes on from the change: what came since is the new before.
                start, total = begins, float(x[begins:at].sum())
                high = low = 0.0
                last_up = last_down = at
        total += x[at]
        at += 1
    bounds, seen_at = _weighed(x, bounds, seen_at, spread)
    ends = [*bounds[1:], n]
    centre, stretches = np.empty(n), list(zip(bounds, ends, strict=True))
    for begin, end in stretches:
        centre[begin:end] = x[begin:end].mean() if end > begin else math.nan
    shifts = tuple(_shift(x, stretches[i], stretches[i + 1], seen_at[i], spread) for i in range(len(stretches) - 1))
    ewma, value = list[float | None](), 0.0
    for begin, end in stretches:
        value = float(centre[begin]) if end > begin else 0.0
        for i in range(begin, end):
            value = EWMA_WEIGHT * float(x[i]) + (1 - EWMA_WEIGHT) * value
            ewma.append(value if i - begin >= WARM_UP // 2 else None)
    ewma_limit = EWMA_LIMIT * spread * math.sqrt(EWMA_WEIGHT / (2 - EWMA_WEIGHT))
    creep = creep_of(x[bounds[-1] :], np.asarray(days, float)[bounds[-1] :], bounds[-1])
    return ControlChart(
        tuple(map(float, centre)),
        spread,
        tuple(ewma),
        ewma_limit,
        tuple(map(float, up)),
        tuple(map(float, down)),
        shifts,
        creep,
    )


def _weighed(x: Array, bounds: list[int], seen_at: list[int], spread: float) -> tuple[list[int], list[int]]:
    """The changes that still stand once all is known: one whose two sides hardly differ is taken back, the weakest first.
    The newest has few images after it, and needs fewer."""
    bounds, seen_at = list(bounds), list(seen_at)
    while len(bounds) > 1:
        ends = [*bounds[1:], len(x)]
        sides = [x[begin:end] for begin, end in zip(bounds, ends, strict=True)]
        strength = [
            abs(float(b.mean() - a.mean())) / (spread * math.sqrt(1 / len(a) + 1 / len(b))) for a, b in pairwise(sides)
        ]
        needed = [STANDS] * (len(strength) - 1) + [STANDS_NEW]
        weakest = min(range(len(strength)), key=lambda at: strength[at] / needed[at])
        if strength[weakest] >= needed[weakest]:
            break
        del bounds[weakest + 1], seen_at[weakest]
    return bounds, seen_at


def _change_point(x: Array) -> int:
    """Where a stretch most likely changed its mean: the split whose two means differ most for their standard errors."""
    n = len(x)
    sums, k = np.cumsum(x), np.arange(1, n)
    left, right = sums[:-1] / k, (sums[-1] - sums[:-1]) / (n - k)
    away = np.abs(left - right) * np.sqrt(k * (n - k) / n)
    away[: WARM_UP // 2] = 0
    return int(np.argmax(away)) + 1


def _shift(x: Array, first: tuple[int, int], second: tuple[int, int], seen: int, spread: float) -> Shift:
    a, b = x[slice(*first)], x[slice(*second)]
    size, error = float(b.mean() - a.mean()), spread * math.sqrt(1 / len(a) + 1 / len(b))
    return Shift(second[0], seen, size, size - SURE * error, size + SURE * error, float(a.mean()), float(b.mean()), len(b))


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
