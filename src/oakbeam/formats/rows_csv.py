"""Rows as CSV: the log, the generator's programs."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping

from oakbeam.formats.cells import guarded


def write(columns: Iterable[str], rows: Iterable[Mapping[str, object]]) -> str:
    """Rows under their column names. None is empty, lists are joined by '; ', text is guarded against formulas."""
    out = io.StringIO()
    table = csv.writer(out)
    names = list(columns)
    table.writerow(names)
    for row in rows:
        table.writerow(_cell(row[name]) for name in names)
    return out.getvalue()


def _cell(value: object) -> object:
    if value is None:
        return ""
    if isinstance(value, str):
        return guarded(value)
    if isinstance(value, (list, tuple)):
        return "; ".join(map(str, value))
    return value
