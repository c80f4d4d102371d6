"""Files that are no charts: each is refused with a clear word, in bounded time, whatever is in it."""

from __future__ import annotations

import base64
import io
import re
import struct
import time
import zipfile
import zlib
from contextlib import suppress

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl.xml.constants import SHEET_MAIN_NS
from tests.conftest import ROOM, proofs
from tests.formats.test_chart_csv import HEADER, ROW, faults

from oakbeam.catalogue import search, shipped
from oakbeam.formats import chart_csv, chart_import, chart_xlsx
from oakbeam.formats.chart_csv import BadFile
from oakbeam.formats.chart_import.names import MOST_LOOKED_UP

TAG = "worksheet"
NAMES = HEADER.split(",")


def workbook(rows: str, strings: str = "") -> bytes:
    """A workbook whose first sheet holds the rows as written."""
    plain = io.BytesIO()
    from openpyxl import Workbook

    Workbook().save(plain)
    out = io.BytesIO()
    with zipfile.ZipFile(plain) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for part in old.infolist():
            content = old.read(part)
            if part.filename.endswith("/sheet1.xml"):
                content = f'<{TAG} xmlns="{SHEET_MAIN_NS}"><sheetData>{rows}</sheetData></{TAG}>'.encode()
            new.writestr(part.filename, content)
        if strings:
            new.writestr("xl/sharedStrings.xml", strings)
    return out.getvalue()


def cells(at: int, *texts: str, kind: str = "str") -> str:
    inner = "".join(f'<c r="{chr(65 + i)}{at}" t="{kind}"><v>{text}</v></c>' for i, text in enumerate(texts))
    return f'<row r="{at}">{inner}</row>'


def refused(content: bytes) -> str:
    with pytest.raises(BadFile) as caught:
        chart_xlsx.read(content, ROOM)
    return caught.value.detail


def test_the_reader_of_what_is_made_here_reads_it():
    """The other cases are refused for what is wrong with them, and not for how they were made."""
    lines = chart_xlsx.read(workbook(cells(1, *NAMES) + cells(2, *ROW.split(","))), ROOM)
    assert [line.projection for line in lines] == ["lspine-ap"]


def test_a_row_number_costs_nothing_and_no_row_is_dropped():
    assert "below row" in refused(workbook(cells(1, *NAMES) + cells(1_000_000_000, *ROW.split(","))))
    assert "below row" in refused(workbook(cells(1, *NAMES) + cells(chart_xlsx.MOST_SHEET_ROW + 1, *ROW.split(","))))


def test_a_table_of_texts_that_unpacks_to_more_than_a_chart_is_refused_before_it_is():
    bomb = workbook(cells(1, *NAMES), f"<sst>{'<si><t>aaaaaaaa</t></si>' * 300_000}</sst>")
    assert len(bomb) < 200_000
    assert "too large when unpacked" in refused(bomb)


@pytest.mark.parametrize("value", ["1E999", "-1e400", "9" * 4000, "1" + "0" * 330])
def test_numbers_beyond_numbers_are_a_cell_at_fault(value):
    row = ROW.split(",")
    row[NAMES.index("kvp")] = value
    content = workbook(cells(1, *NAMES) + cells(2, *row, kind="n"))
    assert refused(content)


def test_encrypted_oddly_packed_and_corrupt_workbooks_are_no_spreadsheets():
    good = bytearray(workbook(cells(1, *NAMES) + cells(2, *ROW.split(","))))
    for flag, method in ((1, None), (0, 97), (0, 14)):
        bad = bytearray(good)
        for mark, at_flag, at_method in ((b"PK\x03\x04", 6, 8), (b"PK\x01\x02", 8, 10)):
            start = bad.find(mark)
            while start >= 0:
                struct.pack_into("<H", bad, start + at_flag, flag)
                if method is not None:
                    struct.pack_into("<H", bad, start + at_method, method)
                start = bad.find(mark, start + 4)
        assert "not readable" in refused(bytes(bad))
    for cut in (10, len(good) // 2, len(good) - 30):
        assert "not readable" in refused(bytes(good[:cut]))
    assert "not readable" in refused(zlib.compress(b"no workbook"))


# Made once: a workbook says when it was made, and so is never the same twice.
GOOD = workbook(cells(1, *NAMES) + cells(2, *ROW.split(",")))


def test_a_workbook_without_a_sheet_is_refused():
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(GOOD)) as old, zipfile.ZipFile(out, "w") as new:
        for part in old.infolist():
            content = old.read(part)
            if part.filename.endswith("workbook.xml"):
                content = re.sub(rb"<sheets>.*</sheets>", b"<sheets/>", content)
            new.writestr(part.filename, content)
    with pytest.raises(BadFile, match="no sheet"):
        chart_xlsx.read(out.getvalue(), ROOM)


@settings(max_examples=proofs(60, 2000))
@given(st.data())
def test_no_changed_byte_of_a_workbook_is_more_than_refused(data):
    good = bytearray(GOOD)
    for _ in range(data.draw(st.integers(1, 8))):
        good[data.draw(st.integers(0, len(good) - 1))] = data.draw(st.integers(0, 255))
    with suppress(BadFile):
        chart_xlsx.read(bytes(good), ROOM)


def preview(header, rows):
    sheet = chart_import.files.Sheet("", [(1, header), *enumerate(rows, 2)])
    return chart_import.preview(chart_import.File((sheet,)), ROOM, shipped())


@pytest.mark.parametrize("cell", ["1" + " " * 30_000 + "x", "(" * 30_000, "1" * 30_000, "in " * 10_000, "," * 30_000])
def test_one_cell_cannot_hold_the_server_up(cell):
    """30 kB of blanks took 25 s: blanks beside blanks in a pattern cost the square of their length. Counted, not timed: four
    times the length may not cost more than some times as much."""

    def cost(text: str) -> float:
        start = time.process_time()
        for column in ("grid", "projection", "sid", "kvp", "support", "receptor"):
            preview([column, text[:200]], [[text]])
        return time.process_time() - start

    cost(cell[:100])
    quarter, whole = max(cost(cell[: len(cell) // 4]), 0.01), cost(cell)
    assert whole < 12 * quarter
    assert "ore than" in faults(f"{HEADER}\n{ROW},{cell}")[0][2]


def test_thousands_of_unknown_names_are_looked_for_once_each_and_only_so_many(monkeypatch):
    asked = []

    def find(_, name, __):
        asked.append(name)
        return []

    monkeypatch.setattr(search, "find", find)
    rows = [[f"nothing {i % 2500}", "80", "40"] for i in range(5000)]
    found = preview(["view", "kvp", "mas"], rows)
    assert len(asked) == len(set(asked)) == MOST_LOOKED_UP
    assert 0 < len(found.faults) <= chart_csv.MOST_FAULTS


@pytest.mark.parametrize(
    ("mas", "taken"),
    [
        (["1,250"], None),
        (["12,500", "40"], None),
        (["1,250", "2,5"], 1.25),  # the column settles it: "2,5" is a decimal comma
        (["0,250"], 0.25),
        (["1,25"], 1.25),
        (["1.250"], 1.25),
        (["1.250", "2,5"], None),
    ],
)
def test_a_comma_before_three_digits_is_refused_where_nothing_settles_it(mas, taken):
    row = ROW.split(",")
    at = NAMES.index("mas")
    text = "\n".join([HEADER.replace(",", ";"), *(";".join([*row[:at], cell, *row[at + 1 :]]) for cell in mas)])
    if taken is None:
        assert any(column == "mas" and "without the" in problem for _, column, problem in faults(text))
    else:
        assert chart_csv.read(text, ROOM)[0].law.mas == taken


def test_a_hostile_file_over_the_api_is_a_refusal(client):
    bomb = workbook(cells(1, *NAMES) + cells(1_000_000_000, "x"))
    answer = client.post("/api/charts/import/preview", json={"room": "room-1", "xlsx": base64.b64encode(bomb).decode()})
    assert answer.status_code == 422
    assert "below row" in answer.json()["detail"]
