"""Charts as spreadsheets (Office Open XML): the columns of the CSV on the first sheet, what chart it is on the second."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from datetime import datetime

from openpyxl import Workbook, load_workbook
from openpyxl.styles import Alignment, Font, PatternFill
from openpyxl.utils import get_column_letter
from openpyxl.utils.exceptions import InvalidFileException
from openpyxl.worksheet.worksheet import Worksheet

from oakbeam.catalogue import Catalogue
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.formats.cells import number
from oakbeam.formats.chart_csv import COLUMNS, MOST_ROWS, BadCell, BadFile, Rows, checked_rows, read_rows, rows_for

MOST_BYTES = 5_000_000
MOST_UNPACKED = 60_000_000
MOST_COLUMNS = 200
TEXT_COLUMNS = frozenset(("projection", "support", "receptor", "school", "band", "note"))


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
    if len(content) > MOST_BYTES:
        raise BadFile([BadCell(1, "", f"The file is larger than {MOST_BYTES // 1_000_000} MB.")])
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            if sum(entry.file_size for entry in packed.infolist()) > MOST_UNPACKED:
                raise BadFile([BadCell(1, "", "The workbook is too large when unpacked.")])
        book = load_workbook(io.BytesIO(content), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        rows: Rows = []
        for at, row in enumerate(sheet.iter_rows(max_col=MOST_COLUMNS, values_only=True), 1):
            cells = [_text(value) for value in row]
            if any(cells):
                rows.append((at, cells))
            if len(rows) > MOST_ROWS:
                break
    except (zipfile.BadZipFile, InvalidFileException, KeyError, IndexError, ValueError, TypeError, OSError, SyntaxError):
        raise BadFile([BadCell(1, "", "This is not readable as a spreadsheet (xlsx).")]) from None
    return checked_rows(rows)


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
    return number(float(value)) if isinstance(value, int | float) else str(value).strip()
