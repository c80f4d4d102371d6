"""The register of chart checks: what a check is, what it finds, and the list of all of them.

A check is one function, registered with its id, title and help where it stands: `line_check` for one that looks at a line by
itself (`line_checks`), `chart_check` for one that compares lines (`comparison_checks`). Nothing else has to be told of it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.chart_check.expected_index import IndexOverThickness
from oakbeam.core.charts.calibration_effect import Moved
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.core.projection import Projection

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that is wrong. rule: the id of the check. lines: the places (from 0) in the chart that it concerns, the one
    to change first. what, why and fix are sentences; proposal: the first line as the fix would leave it, where it can be
    computed. off_di: by how much images would be off for it [DI], where that is what is wrong: the worst is told first.
    """

    rule: str
    severity: Severity
    lines: tuple[int, ...]
    what: str
    why: str
    fix: str
    proposal: ChartLine | None = None
    off_di: float = 0.0


@dataclass(frozen=True, slots=True)
class CheckedLine:
    """A line as the checks look at it. index: its expected index over thickness, None where the model has no answer. moved:
    what calibrations moved since the line was set, None where none did."""

    at: int
    line: ChartLine
    projection: Projection
    index: IndexOverThickness | None
    moved: Moved | None = None

    @property
    def name(self) -> str:
        """The view in words."""
        return f"{self.projection.exam} {self.projection.name}"

    @property
    def usual_cm(self) -> tuple[float, float, float]:
        """Small, average and large patient, as far as the line's range holds them."""
        low, high = self.line.range_cm
        small, average, large = (min(max(cm, low), high) for cm in self.projection.thickness_cm)
        return small, average, large


LineCheck = Callable[[CheckedLine, Room], Iterator[Finding]]
ChartCheck = Callable[[Sequence[CheckedLine], Room], Iterator[Finding]]


@dataclass(frozen=True, slots=True)
class Check:
    """A chart check as people see it: id, title, and in a sentence what it looks for."""

    id: str
    title: str
    help: str


CHECKS: dict[str, Check] = {}
LINE_CHECKS: list[LineCheck] = []
CHART_CHECKS: list[ChartCheck] = []


def line_check(id: str, title: str, help: str) -> Callable[[LineCheck], LineCheck]:  # noqa: A002
    """Register a check of one line."""

    def register(check: LineCheck) -> LineCheck:
        CHECKS[id] = Check(id, title, help)
        LINE_CHECKS.append(check)
        return check

    return register


def chart_check(id: str, title: str, help: str) -> Callable[[ChartCheck], ChartCheck]:  # noqa: A002
    """Register a check that compares lines."""

    def register(check: ChartCheck) -> ChartCheck:
        CHECKS[id] = Check(id, title, help)
        CHART_CHECKS.append(check)
        return check

    return register
