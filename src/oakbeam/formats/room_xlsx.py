"""A room as a spreadsheet: what there is once on the first sheet, what there are several of in rows on sheets of their own.

Names are those of the room's JSON, joined by dots where one lies in another. Several numbers stand in one cell with spaces
between; pairs as "10:34 100:28".
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Mapping
from typing import Any

from openpyxl import Workbook
from openpyxl.styles import Font

from oakbeam.formats.chart_csv import BadCell, BadFile
from oakbeam.formats.chart_xlsx import sheets_of

TABLES = ("outputs", "generator.focal_spots", "supports", "loose_grids", "receptors", "filters")
"""What a room has several of: a sheet each."""
LISTS = frozenset(
    (
        *("generator.kvp", "generator.ma", "generator.mas", "generator.time_ms", "aec.cells"),
        *("supports.grid.range_cm", "supports.sid_range_cm", "supports.sid_detents"),
        *("loose_grids.range_cm", "receptors.size_cm"),
    )
)
PAIRS: Mapping[str, tuple[str, str] | None] = {
    "generator.focal_spots.power": ("time_ms", "power_kw"),
    "receptors.region_targets": None,
}
"""What is several pairs: the names of each pair's two, None where it has none."""
EMPTY: Mapping[str, tuple[str, ...]] = {"supports": ("grid",), "receptors": ("target_ei", "speed")}
"""What a row says by saying nothing."""
NONE = "none"
LEFT_OUT = frozenset(("calibration", "revision"))
"""What belongs to the room where it was accepted."""
FIRST = "Room"
TEXTS = frozenset(("id", "name", "cathode_at"))


def write(room: Mapping[str, Any]) -> bytes:
    """A room, as its JSON has it, as a workbook; `read` gives the same back, but for its calibration and revision."""
    book = Workbook()
    first = book.active
    assert first is not None
    first.title = FIRST
    first.append(["field", "value"])
    once = {name: value for name, value in room.items() if name not in LEFT_OUT}
    for path, value in _flat(once, ""):
        first.append([path, value])
    for table in TABLES:
        rows = [dict(_flat(row, table)) for row in _at(room, table) or []]
        columns = list(dict.fromkeys(path for row in rows for path in row))
        sheet = book.create_sheet(table)
        sheet.append([path.removeprefix(f"{table}.") for path in columns])
        for row in rows:
            sheet.append([row.get(path) for path in columns])
    for sheet in book.worksheets:
        for cells in sheet.iter_rows():
            for cell in cells:
                if isinstance(cell.value, str):
                    cell.data_type = "s"
        for cell in sheet[1]:
            cell.font = Font(bold=True)
        sheet.freeze_panes = "B2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def read(content: bytes) -> dict[str, Any]:
    """The room of a workbook as JSON, to be checked as any room is. BadFile where it is no such workbook."""
    sheets = dict(sheets_of(content))
    if FIRST not in sheets:
        raise BadFile([BadCell(1, "", f"There is no sheet '{FIRST}': a room's workbook is written under Rooms.")])
    room: dict[str, Any] = {}
    for at, cells in sheets[FIRST][1:]:
        path, text = cells[0], cells[1] if len(cells) > 1 else ""
        _put(room, path, _value(path, path, text, at, FIRST))
    for table in TABLES:
        head, *rows = sheets.get(table) or [(1, [])]
        names = head[1]
        found = []
        for at, cells in rows:
            entry: dict[str, Any] = {}
            for name, text in zip(names, cells, strict=False):
                if text:
                    _put(entry, name, _value(f"{table}.{name}", name, text, at, table))
            found.append({**dict.fromkeys(EMPTY.get(table, ())), **entry})
        _put(room, table, found)
    return room


def _flat(value: Any, path: str) -> Iterator[tuple[str, object]]:
    """The fields of an object as (path, cell), without the tables that lie in it and without what is empty."""
    for name, inner in value.items():
        where = f"{path}.{name}" if path else name
        if where in TABLES or inner == "" or (inner is None and path):
            continue
        if inner is None:
            yield where, NONE
            continue
        if where in PAIRS:
            yield where, " ".join(f"{a}:{b}" for a, b in (one.values() if isinstance(one, dict) else one for one in inner))
        elif isinstance(inner, dict):
            yield from _flat(inner, where)
        elif isinstance(inner, list | tuple):
            yield where, " ".join(map(str, inner))
        else:
            yield where, inner if isinstance(inner, int | float) and not isinstance(inner, bool) else str(inner)


def _at(room: Mapping[str, Any], path: str) -> Any:
    value: Any = room
    for name in path.split("."):
        value = value.get(name) if value else None
    return value


def _put(into: dict[str, Any], path: str, value: Any) -> None:
    *outer, last = path.split(".")
    for name in outer:
        into = into.setdefault(name, {})
        if not isinstance(into, dict):
            raise BadFile([BadCell(1, path[:60], "This stands both alone and with parts.")])
    into[last] = value


def _value(path: str, name: str, text: str, row: int, sheet: str) -> Any:
    if path in PAIRS:
        names, pairs = PAIRS[path], [one.split(":") for one in text.split()]
        if any(len(pair) != 2 for pair in pairs):
            raise BadFile([BadCell(row, name[:60], f"Sheet {sheet}: pairs with a colon between, as 10:34 100:28.")])
        return [dict(zip(names, map(_plain, pair), strict=True)) if names else [pair[0], _plain(pair[1])] for pair in pairs]
    if path in LISTS:
        return [_plain(one) for one in text.split()]
    return text if name.split(".")[-1] in TEXTS else _plain(text)


def _plain(text: str) -> Any:
    """A number where it is one, true or false, nothing, else the text."""
    if text == NONE:
        return None
    if text in ("True", "False"):
        return text == "True"
    try:
        return float(text.replace(",", "."))
    except ValueError:
        return text
