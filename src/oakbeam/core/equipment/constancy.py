"""Constancy: what an entry sheet of a test says, and whether that is within the tolerance.

The tests themselves, their columns, tolerances and intervals are data (`catalogue.constancy_tests`).
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from oakbeam.core.equipment.calibration_slips import least_hvl_mm_al
from oakbeam.core.errors import Refusal, positive

MOST_ROWS = 60
Row = Mapping[str, float]
Rule = Literal[
    "spread",
    "off_set",
    "off_mean",
    "off_mean_per",
    "linearity",
    "under_least_hvl",
    "index_off",
    "share_of_sid",
    "steps_alike",
    "ratios_alike",
]


@dataclass(frozen=True, slots=True)
class SheetColumn:
    """A figure of an entry sheet; may_be_zero: none is a reading too, as of a misfit."""

    key: str
    name: str
    unit: str = ""
    may_be_zero: bool = False


@dataclass(frozen=True, slots=True)
class ConstancyTest:
    """One test. rows: the fewest rows a sheet needs. limit: the tolerance that ships, in `unit`; months: how often; source:
    where both are from. of_receptor: it is done for each receptor. rule: how the columns become the figure that is held
    against the limit."""

    id: str
    name: str
    group: str
    how: str
    columns: tuple[SheetColumn, ...]
    rows: int
    rule: Rule
    unit: str
    limit: float
    months: int
    source: str
    of_receptor: bool = False


@dataclass(frozen=True, slots=True)
class Tolerance:
    """What a department allows of a test, and how often it does it. own: it said so; else as shipped."""

    limit: float
    months: int
    own: bool = False


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a sheet says: the figure, the tolerance it was held against, and whether that was kept."""

    value: float
    unit: str
    limit: float
    passed: bool


def outcome(test: ConstancyTest, rows: Sequence[Row], limit: float) -> Outcome:
    """What a sheet says. Refusal where it is not whole, OutOfRange where a figure is not above 0."""
    if not test.rows <= len(rows) <= MOST_ROWS:
        says = f"{test.name} takes {test.rows} to {MOST_ROWS} rows, not {len(rows)}."
        raise Refusal("Rows", says, {"min": float(test.rows), "max": float(MOST_ROWS), "unit": "rows"}, "rows")
    keys = {column.key for column in test.columns}
    for at, row in enumerate(rows):
        if set(row) != keys:
            raise Refusal("Columns", f"Each row of {test.name} has {', '.join(sorted(keys))}.", sorted(keys), f"rows.{at}")
        for column in test.columns:
            if not (column.may_be_zero and row[column.key] == 0):
                positive(f"rows.{at}.{column.key}", row[column.key])
    value = RULES[test.rule](rows, [column.key for column in test.columns])
    # What is shown as the limit itself is within it.
    return Outcome(value, test.unit, limit, value <= limit + 1e-9)


def _spread(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """Coefficient of variation [%] of the last column."""
    values = [row[keys[-1]] for row in rows]
    return 100 * statistics.stdev(values) / statistics.fmean(values)


def _off_set(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """The largest distance [%] of the second column, measured, from the first, set."""
    is_set, measured = keys
    return max(100 * abs(row[measured] / row[is_set] - 1) for row in rows)


def _off_mean(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """The largest distance [%] of the last column from its mean."""
    return _furthest([row[keys[-1]] for row in rows])


def _off_mean_per(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """The largest distance [%] of the second column, for one of the first, from the mean of that."""
    per, value = keys
    return _furthest([row[value] / row[per] for row in rows])


def _linearity(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """|X1 - X2| / (X1 + X2) [%] of the kerma per mAs between mA stations next to each other (IEC 60601-2-54)."""
    ma, mas, kerma = keys
    by_ma = sorted((row[ma], row[kerma] / row[mas]) for row in rows)
    return max(100 * abs(a - b) / (a + b) for (_, a), (_, b) in pairwise(by_ma))


def _under_least_hvl(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """By how much [%] the softest half-value layer lies under the least one; below 0 where all are over it."""
    kvp, hvl = keys
    return max(100 * (1 - row[hvl] / least_hvl_mm_al(row[kvp])) for row in rows)


def _index_off(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """The largest distance [%] of the index from 100 times the kerma [µGy] (IEC 62494-1)."""
    kerma, index = keys
    return max(100 * abs(row[index] / (100 * row[kerma]) - 1) for row in rows)


def _share_of_sid(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """The largest misfit of an edge [%] of the SID."""
    sid, off = keys
    return max(100 * row[off] / row[sid] for row in rows)


def _steps_alike(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """The largest distance [%] of the factor of one step from the mean step."""
    step, value = keys
    by_step = sorted((row[step], row[value]) for row in rows)
    logs = [math.log(b / a) / (high - low) for (low, a), (high, b) in pairwise(by_step) if high > low]
    if not logs:
        raise Refusal("Two steps needed", "Give the reading at two different steps or more.", None, "rows")
    mean = statistics.fmean(logs)
    return max(100 * abs(math.expm1(one - mean)) for one in logs)


def _ratios_alike(rows: Sequence[Row], keys: Sequence[str]) -> float:
    """The largest distance [%] of the first column over the second from the mean of that."""
    over, under = keys
    return _furthest([row[over] / row[under] for row in rows])


def _furthest(values: Sequence[float]) -> float:
    mean = statistics.fmean(values)
    return max(100 * abs(one / mean - 1) for one in values)


RULES: Mapping[Rule, Callable[[Sequence[Row], Sequence[str]], float]] = {
    "spread": _spread,
    "off_set": _off_set,
    "off_mean": _off_mean,
    "off_mean_per": _off_mean_per,
    "linearity": _linearity,
    "under_least_hvl": _under_least_hvl,
    "index_off": _index_off,
    "share_of_sid": _share_of_sid,
    "steps_alike": _steps_alike,
    "ratios_alike": _ratios_alike,
}
