"""A line made of a file, with where its figures come from."""

from __future__ import annotations

from dataclasses import dataclass

from oakbeam.core.charts.line import ChartLine
from oakbeam.formats.chart_import.set_up import Origin


@dataclass(frozen=True, slots=True)
class Cell:
    """A figure of the file against what the line made of it gives: where they part the rule does not hold for it."""

    row: int
    thickness_cm: float
    kvp: float
    mas: float
    line_kvp: float
    line_mas: float


@dataclass(frozen=True, slots=True)
class Made:
    """A line that would be made. rows: of the file; sources: by the line's field, where each figure comes from; cells: of
    more than one, against the line; di: the expected deviation index for the small, average and large adult, None where the
    model has no answer. waits: the questions that it waits for, empty for a line that is ready."""

    line: ChartLine
    rows: tuple[int, ...]
    sources: dict[str, Origin]
    cells: tuple[Cell, ...]
    di: tuple[float, ...] | None
    waits: tuple[str, ...] = ()
