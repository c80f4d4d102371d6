"""Charts as spreadsheets, JSON with its schema, other people's columns, and printed pages."""

from __future__ import annotations

import io
import json
from dataclasses import replace
from pathlib import Path

import jsonschema_rs
import openpyxl
import pypdfium2 as pdfium
import pytest
from tests.conftest import CHEST, KNEE, LINES, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.charts.line import Chart, Link
from oakbeam.core.charts.links import followed
from oakbeam.core.charts.printed_page import sheet
from oakbeam.core.charts.systems import FixedKvp
from oakbeam.core.errors import Refusal
from oakbeam.demo import clinic
from oakbeam.formats import chart_csv, chart_import, chart_json, chart_pdf, chart_xlsx

KNOWN = catalogue.shipped()
FAMILY = followed(
    (
        replace(LSPINE, key=1, note="=1+1 is text"),
        replace(KNEE, key=2),
        replace(KNEE, projection="knee-lateral", key=7, link=Link(2, -2, 0.9, -1)),
        replace(CHEST, key=4),
        replace(CHEST, key=5, note="a twin", exposure_control="aec", aec_cells="L+R", aec_density=-1, filter="cu-01"),
        replace(CHEST, key=6, note="breathing", exposure_control="breathing"),
    )
)


def chart(lines, **change):
    whole = Chart(
        3, "room-1", "Röntgen & <co>", 4, "approved", "average", tuple(lines), "joren", "ilse", "2026-11-01", "2026-11-02"
    )
    return replace(whole, **change)


def whole(lines):
    """Everything a file must keep, keys and links too."""
    return [(line, line.key, line.link) for line in lines]


@pytest.mark.parametrize("lines", [FAMILY, tuple(LINES.values()), clinic.chart_lines(ROOM)], ids=["family", "round", "demo"])
def test_every_format_gives_the_identical_lines_back(lines):
    assert whole(chart_csv.read(chart_csv.write(lines), ROOM)) == whole(lines)
    assert whole(chart_xlsx.read(chart_xlsx.write(chart(lines)), ROOM)) == whole(lines)
    one = chart(lines)
    assert chart_json.read(json.dumps(chart_json.write(one))) == one


def test_an_exported_document_keeps_its_published_schema():
    published = json.loads((Path(__file__).parents[2] / "docs" / "chart.schema.json").read_text(encoding="utf-8"))
    assert published == chart_json.schema()
    schema = jsonschema_rs.validator_for(published)
    document = chart_json.write(chart(FAMILY))
    schema.validate(json.loads(json.dumps(document)))
    assert not schema.is_valid({**document, "format_version": 9})
    old = {**document, "format_version": 1}
    for line in old["chart"]["lines"]:
        line.pop("link")
        line.pop("key")
    assert len(chart_json.read(json.dumps(old)).lines) == len(FAMILY)


def test_a_note_never_becomes_a_formula_and_a_bad_workbook_is_refused():
    book = openpyxl.load_workbook(io.BytesIO(chart_xlsx.write(chart(FAMILY))))
    assert all(cell.data_type != "f" for sheet in book for row in sheet.iter_rows() for cell in row)
    for content in (b"", b"PK\x03\x04 no zip", b"a,b,c", b"x" * (chart_xlsx.MOST_BYTES + 1)):
        with pytest.raises(chart_csv.BadFile):
            chart_xlsx.read(content, ROOM)
    wrong = openpyxl.load_workbook(io.BytesIO(chart_xlsx.write(chart(FAMILY))))
    wrong["Chart"].cell(2, chart_csv.COLUMNS.index("mas") + 1).value = "forty"
    out = io.BytesIO()
    wrong.save(out)
    with pytest.raises(chart_csv.BadFile) as bad:
        chart_xlsx.read(out.getvalue(), ROOM)
    assert [(fault.row, fault.column) for fault in bad.value.faults] == [(2, "mas")]


def test_a_link_to_nothing_is_a_bad_cell():
    text = chart_csv.write(FAMILY).replace(",7,2,-2,", ",7,99,-2,")
    with pytest.raises(chart_csv.BadFile) as bad:
        chart_csv.read(text, ROOM)
    assert {fault.column for fault in bad.value.faults} == {"follows"}


PAPER = """View,kV,mAs,Thickness (in),FFD cm,Grid,Bucky,Detector,Who
L-spine AP,80,40,8,107,12:1,Table Bucky,Fixed panel 43x43,Ann
Chest PA,117,2,9,180,10:1,wall bucky,Fixed panel 43x43,Ann
Hand PA,57,1.6,1.2,100,none,tabletop,Loose panel 24x30,Ann
"""


def test_other_peoples_columns_are_guessed_shown_and_kept_in_their_units():
    found = chart_import.preview(chart_csv.rows_of(PAPER), ROOM, KNOWN)
    assert {one.given: one.taken_as for one in found.columns} == {
        "View": "projection",
        "kV": "kvp",
        "mAs": "mas",
        "Thickness (in)": "thickness_in",
        "FFD cm": "sid_cm",
        "Grid": "grid_ratio",
        "Bucky": "support",
        "Detector": "receptor",
        "Who": None,
    }
    assert found.faults == ()
    spine, chest, hand = found.lines
    assert (spine.projection, spine.support, spine.receptor, spine.grid_ratio) == (
        "lspine-ap",
        "table_bucky",
        "panel-43",
        12,
    )
    assert spine.law == FixedKvp(8 * 2.54, 80, 40, 4.5)
    assert (chest.projection, chest.support) == ("chest-pa", "upright_bucky")
    assert (hand.projection, hand.grid_ratio) == ("hand-pa", 0)
    assert {"L-spine AP", "wall bucky", "12:1"} <= {one.given for one in found.taken}


def test_a_person_puts_a_guess_right_and_every_bad_cell_is_reported():
    rows = chart_csv.rows_of(PAPER.replace("40,8", "forty,8").replace("Thickness (in)", "Thickness"))
    found = chart_import.preview(rows, ROOM, KNOWN)
    assert {(one.row, one.column) for one in found.faults} >= {(2, "mAs"), (3, "Thickness"), (4, "Thickness")}
    again = chart_import.preview(rows, ROOM, KNOWN, {"Thickness": "thickness_in", "Who": "note"})
    assert [(one.row, one.column) for one in again.faults] == [(2, "mAs")]
    fewer = chart_csv.rows_of("View,kV,mAs,cm\nHand PA,57,1.6,3\n")
    given = {"support": "tabletop", "receptor": "panel-24", "grid_ratio": "0", "sid_cm": "100"}
    assert chart_import.preview(fewer, ROOM, KNOWN, {"cm": "thickness_cm"}, given).lines[0].law.thickness_cm == 3
    with pytest.raises(Refusal):
        chart_import.preview(fewer, ROOM, KNOWN, {"cm": "colour"})


def qr_says(page):
    """The corner of a page where the QR code is, dark modules counted: there is one."""
    picture = page.render(scale=2).to_pil().convert("L")
    width, height = picture.size
    corner = picture.crop((int(width * 0.84), int(height * 0.88), width, height))
    return sum(1 for level in corner.tobytes() if level < 80)


@pytest.mark.parametrize(
    ("kind", "paper", "across", "size_mm"),
    [
        ("wall", "a4", False, (210, 297)),
        ("wall", "a4", True, (297, 210)),
        ("wall", "a3", False, (297, 420)),
        ("wall", "a3", True, (420, 297)),
        ("booklet", "a4", False, (148, 210)),
        ("card", "a4", False, (105, 148)),
    ],
)
def test_every_printed_page_says_which_chart_it_is(kind, paper, across, size_mm):
    lines = sheet([*FAMILY] * 8, ROOM, KNOWN.projections)
    document = pdfium.PdfDocument(chart_pdf.write(chart(FAMILY), "Room 1", lines, kind, paper, across))
    assert len(document) >= (1 if kind == "card" else 2 if kind == "booklet" else 1)
    for number, page in enumerate(document, 1):
        assert tuple(round(side / 72 * 25.4) for side in page.get_size()) == size_mm
        text = page.get_textpage().get_text_range()
        for said in (
            "Röntgen & <co>",
            "version 4",
            "Approved by ilse on 2026-11-02",
            f"Chart 3, version 4, page {number}",
            "local protocol",
        ):
            assert said in text, (kind, number, said)
        assert qr_says(page) > 300
    first = document[0].get_textpage().get_text_range()
    assert "40" in first
    assert chart_pdf.qr_text(chart(FAMILY)) == "oakbeam chart 3 version 4"


def test_what_is_not_approved_says_so_on_the_page():
    for kind in ("wall", "booklet", "card"):
        (page,) = pdfium.PdfDocument(chart_pdf.write(chart((), status="draft"), "Room 1", (), kind))
        assert "No line yet" in page.get_textpage().get_text_range()
    for status in ("draft", "proposed", "superseded"):
        lines = sheet(FAMILY, ROOM, KNOWN.projections)
        page = pdfium.PdfDocument(chart_pdf.write(chart(FAMILY, status=status), "Room 1", lines, "wall"))[0]
        assert page.get_textpage().get_text_range().count(status.upper()) >= 2
