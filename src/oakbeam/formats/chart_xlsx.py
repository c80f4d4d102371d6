"""Charts as spreadsheets (Office Open XML): the columns of the CSV on the first sheet, what chart it is on the second."""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Mapping
from datetime import datetime

from openpyxl import Workbook, load_workbook
from openpyxl.styles import Alignment, Font, PatternFill
from openpyxl.utils import get_column_letter
from openpyxl.worksheet.worksheet import Worksheet

from oakbeam.catalogue import Catalogue
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.formats.cells import number
from oakbeam.formats.chart_csv import (
    COLUMNS,
    MOST_COLUMNS,
    MOST_ROWS,
    BadCell,
    BadFile,
    Rows,
    checked_rows,
    read_rows,
    rows_for,
)

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
"""What a workbook calls itself on the way."""
MOST_BYTES = 5_000_000
MOST_UNPACKED = 20_000_000
MOST_STRINGS = 4_000_000
"""Bytes of the table of texts when unpacked: more of it is read before the first row than a chart can hold."""
MOST_PARTS = 200
MOST_SHEETS = 40
MOST_SHEET_ROW = 20_000
"""No row of a chart stands further down; a row number costs the rows that are left out above it."""
TEXT_COLUMNS = frozenset(
    ("projection", "support", "receptor", "school", "filter", "exposure_control", "aec_cells", "origin", "band", "note")
)


def write(chart: Chart) -> bytes:
    """The chart as a workbook; `read` gives identical lines back (ids apart)."""
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Chart"
    sheet.append(COLUMNS)
    rows = (row for line in chart.lines for row in rows_for(line))
    for at, row in enumerate(rows, 2):
        _put(sheet, at, row)
    for cell in sheet[1]:
        cell.font, cell.alignment = Font(bold=True), Alignment(textRotation=60)
        cell.fill = PatternFill("solid", start_color="EFE6D2")
    for at, column in enumerate(COLUMNS, 1):
        sheet.column_dimensions[get_column_letter(at)].width = 24 if column in ("projection", "note") else 11
    sheet.freeze_panes = "B2"
    about = book.create_sheet("About")
    for pair in (
        ("chart", chart.id),
        ("room", chart.room),
        ("name", chart.name),
        ("version", chart.version),
        ("status", chart.status),
        ("author", chart.author),
        ("approved by", chart.approver),
        ("approved at", chart.approved_at),
        ("grid factors", chart.grid_table),
        ("note", "Starting points under local protocol, never an order. Lengths in cm."),
    ):
        about.append(pair)
    for row in about.iter_rows(min_col=2, max_col=2):
        for cell in row:
            if isinstance(cell.value, str):
                cell.data_type = "s"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def read(content: bytes, room: Room, known: Catalogue | None = None) -> tuple[ChartLine, ...]:
    """The lines of a workbook's first sheet for a room. Raises BadFile with the row and column of every fault."""
    return read_rows(rows_of(content), room, known)


def rows_of(content: bytes) -> Rows:
    """The rows of a workbook's first sheet that hold anything, every cell as text. BadFile where it is not a workbook."""
    return checked_rows(sheets_of(content, 1)[0][1])


def sheets_of(content: bytes, most: int = MOST_SHEETS) -> list[tuple[str, Rows]]:
    """The first sheets that can be seen, by name, with the rows that hold anything, every cell as text; of a workbook's
    merged cells the first holds the text. BadFile where it is not a workbook."""
    if len(content) > MOST_BYTES:
        raise BadFile([BadCell(1, "", f"The file is larger than {MOST_BYTES // 1_000_000} MB.")])
    try:
        _refuse_oversized(content)
        found = _sheets(content, most)
    except BadFile:
        raise
    except Exception:
        # Encrypted, oddly packed, cut off or made up: the reader raises whatever its parser met. None of it is a workbook.
        raise BadFile([BadCell(1, "", "This is not readable as a spreadsheet (xlsx).")]) from None
    if not found:
        raise BadFile([BadCell(1, "", "The workbook has no sheet.")])
    return found


def _refuse_oversized(content: bytes) -> None:
    """Refuse by what the parts say of their unpacked size; no more than that is ever unpacked of them."""
    with zipfile.ZipFile(io.BytesIO(content)) as packed:
        parts = packed.infolist()
    strings = sum(part.file_size for part in parts if part.filename.lower().endswith("sharedstrings.xml"))
    whole = sum(part.file_size for part in parts)
    if len(parts) > MOST_PARTS or whole > MOST_UNPACKED or strings > MOST_STRINGS:
        raise BadFile([BadCell(1, "", "The workbook is too large when unpacked.")])


def _sheets(content: bytes, most: int) -> list[tuple[str, Rows]]:
    book = load_workbook(io.BytesIO(content), read_only=True, data_only=True)
    seen = [sheet for sheet in book.worksheets if sheet.sheet_state == "visible"] or book.worksheets
    return [(str(sheet.title), _rows(sheet)) for sheet in seen[:most]]


def _rows(sheet: Worksheet) -> Rows:
    rows: Rows = []
    for at, row in enumerate(sheet.iter_rows(max_row=MOST_SHEET_ROW + 1, max_col=MOST_COLUMNS + 1, values_only=True), 1):
        if at > MOST_SHEET_ROW:
            raise BadFile([BadCell(MOST_SHEET_ROW, "", f"A row stands below row {MOST_SHEET_ROW:,}; this is no chart.")])
        cells = [_text(value) for value in row]
        while cells and not cells[-1]:
            cells.pop()
        if cells:
            rows.append((at, cells))
        if len(rows) > MOST_ROWS:
            break
    return rows


def _put(sheet: Worksheet, at: int, row: Mapping[str, str]) -> None:
    """Write a row, numbers as numbers."""
    for place, column in enumerate(COLUMNS, 1):
        text = row.get(column, "")
        if text:
            cell = sheet.cell(at, place, text)
            # All digits of a number are written, seventeen where it needs them: openpyxl itself writes sixteen.
            # And text stays text, whatever it begins with: nothing in here is a formula.
            cell.data_type = "s" if column in TEXT_COLUMNS else "n"


def _text(value: object) -> str:
    if value is None or isinstance(value, bool | datetime):
        return "" if value is None else str(value)
    if not isinstance(value, int | float):
        return str(value).strip()
    try:
        whole = float(value)
    except OverflowError:
        return "a number too large"
    return number(whole) if math.isfinite(whole) else "a number too large"
