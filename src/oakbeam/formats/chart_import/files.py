"""A file of any office to sheets of text cells: encoding, separator and sheets, and what was decided about them."""

from __future__ import annotations

import codecs
import csv
import io
from dataclasses import dataclass

from oakbeam.formats import chart_xlsx
from oakbeam.formats.chart_csv import MOST_BYTES, BadCell, BadFile, Rows, checked_rows

SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
ZIP = b"PK\x03\x04"
BOMS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))


@dataclass(frozen=True, slots=True)
class Sheet:
    """One table of cells, as text, with the file's own row numbers; blank rows are left out. name: empty for a CSV."""

    name: str
    rows: Rows


@dataclass(frozen=True, slots=True)
class File:
    """The sheets of a file that hold anything. decided: what was settled to read it, in words."""

    sheets: tuple[Sheet, ...]
    decided: tuple[str, ...] = ()


def file_of(content: bytes) -> File:
    """The sheets of a spreadsheet or of a text in any usual encoding. BadFile where it is neither."""
    if content.startswith(ZIP):
        found = chart_xlsx.sheets_of(content)
        return File(tuple(Sheet(name, checked_rows(rows)) for name, rows in found if rows) or (Sheet("", []),))
    text, encoding = _decoded(content)
    found_text = text_of(text)
    return File(found_text.sheets, (f"Read as {encoding}.", *found_text.decided))


def text_of(text: str) -> File:
    """The cells of a text: the separator is the one that cuts most rows into the same number of cells."""
    if len(text) > MOST_BYTES:
        raise BadFile([BadCell(1, "", f"The file is larger than {MOST_BYTES // 1_000_000} MB.")])
    if "\0" in text:
        raise BadFile([BadCell(1, "", "The file holds binary data; save it as CSV text or as xlsx.")])
    text = text.lstrip("\ufeff")
    separator = _separator(text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    try:
        rows = [(reader.line_num, [" ".join(cell.split()) for cell in row]) for row in reader]
    except csv.Error as error:
        raise BadFile([BadCell(reader.line_num, "", f"This is not readable as CSV: {error}.")]) from None
    rows = checked_rows([(at, row) for at, row in rows if any(row)])
    return File((Sheet("", rows),), (f"Cells are separated by {SEPARATORS[separator]}.",))


def _decoded(content: bytes) -> tuple[str, str]:
    """The text, and the name of its encoding: by its mark, else UTF-8 where it is that, else the usual one of Windows."""
    for mark, name in BOMS:
        if content.startswith(mark):
            return content[len(mark) :].decode(name, errors="replace"), "UTF-8" if name == "utf-8" else "UTF-16"
    if content[1:2] == b"\0" or content[:1] == b"\0":
        return content.decode("utf-16-le" if content[1:2] == b"\0" else "utf-16-be", errors="replace"), "UTF-16"
    try:
        return content.decode("utf-8"), "UTF-8"
    except UnicodeDecodeError:
        return content.decode("cp1252", errors="replace"), "Windows (1252)"


def _separator(text: str) -> str:
    lines = [line for line in text.splitlines()[:200] if line.strip()]

    def evenness(mark: str) -> tuple[int, int]:
        """(rows of the commonest number of marks, that number)."""
        counts = [line.count(mark) for line in lines]
        common = max((one for one in counts if one), key=counts.count, default=0)
        return (counts.count(common) if common else 0, common)

    # A decimal comma cuts as evenly as a separator does: the other marks go first where they cut at least half as often.
    scores = {mark: evenness(mark) for mark in SEPARATORS}
    others = [mark for mark in (";", "\t", "|") if 2 * scores[mark][0] >= max(1, scores[","][0])]
    return max(others or [","], key=lambda mark: scores[mark])
