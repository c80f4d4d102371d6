"""Shares and quartiles of the log, with how sure they are: never a bare percentage of four images."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

Z = 1.96


@dataclass(frozen=True, slots=True)
class Share:
    """A share of `of` cases, and the ends of its 95 % interval; all in 0 to 1."""

    part: int
    of: int
    share: float
    low: float
    high: float


def share(part: int, of: int) -> Share | None:
    """A share with its interval after Wilson; None of nothing."""
    if of <= 0:
        return None
    p, z2 = part / of, Z * Z
    middle = (p + z2 / (2 * of)) / (1 + z2 / of)
    half = Z * math.sqrt(p * (1 - p) / of + z2 / (4 * of * of)) / (1 + z2 / of)
    # At either end the formula gives that end but for rounding.
    low, high = (0.0 if part == 0 else middle - half), (1.0 if part == of else middle + half)
    return Share(part, of, p, low, high)


@dataclass(frozen=True, slots=True)
class Quartiles:
    """Of n values: the median and the quartiles, and the 95 % interval of the median."""

    n: int
    low: float
    median: float
    high: float
    median_low: float
    median_high: float


def quartiles(bins: Mapping[int, int], per_unit: float) -> Quartiles | None:
    """From how many values lie in each bin, of which `per_unit` make one unit: as if each bin's were spread evenly over it.

    The interval of the median is that of its order statistics (binomial, by the normal approximation)."""
    counted = sorted((at, n) for at, n in bins.items() if n > 0)
    total = sum(n for _, n in counted)
    if not total:
        return None

    def at(position: float) -> float:
        wanted, below = min(max(position, 0.0), 1.0) * total, 0.0
        for place, n in counted:
            if below + n >= wanted:
                return (place - 0.5 + (wanted - below) / n) / per_unit
            below += n
        return (counted[-1][0] + 0.5) / per_unit

    half = Z / (2 * math.sqrt(total))
    return Quartiles(total, at(0.25), at(0.5), at(0.75), at(0.5 - half), at(0.5 + half))
