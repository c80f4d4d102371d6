"""Rows as CSV: the log, the generator's programs."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping

from oakbeam.formats.cells import guarded

AT_ONCE = 500


def write(columns: Iterable[str], rows: Iterable[Mapping[str, object]]) -> str:
    """Rows under their column names. None is empty, lists are joined by '; ', text is guarded against formulas."""
    return "".join(lines(columns, rows))


def lines(columns: Iterable[str], rows: Iterable[Mapping[str, object]]) -> Iterator[str]:
    """The same, some rows at a time: a table of millions is never held whole."""
    out, names = io.StringIO(), list(columns)
    table = csv.writer(out)
    table.writerow(names)
    for at, row in enumerate(rows, 1):
        table.writerow(_cell(row[name]) for name in names)
        if at % AT_ONCE == 0:
            yield out.getvalue()
            out.seek(0)
            out.truncate()
    yield out.getvalue()


def _cell(value: object) -> object:
    if value is None:
        return ""
    if isinstance(value, str):
        return guarded(value)
    if isinstance(value, (list, tuple)):
        return guarded("; ".join(map(str, value)))
    if isinstance(value, Mapping):
        return guarded("; ".join(f"{name}: {said}" for name, said in value.items()))
    return value
