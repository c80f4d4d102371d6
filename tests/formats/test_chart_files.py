"""Charts as spreadsheets, JSON with its schema, other people's columns, and printed pages."""

from __future__ import annotations

import copy
import io
import json
import re
from dataclasses import replace
from pathlib import Path

import jsonschema_rs
import openpyxl
import pypdfium2 as pdfium
import pytest
from tests.conftest import CHEST, HAND, KNEE, LINES, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.charts.line import Chart, Link
from oakbeam.core.charts.links import followed
from oakbeam.core.charts.printed_page import sheet
from oakbeam.core.charts.systems import FixedKvp
from oakbeam.core.errors import Refusal
from oakbeam.demo import clinic
from oakbeam.formats import chart_csv, chart_import, chart_json, chart_pdf, chart_xlsx
from oakbeam.formats.chart_pdf import Printing

KNOWN = catalogue.shipped()
FAMILY = followed(
    (
        replace(LSPINE, key=1, note="=1+1 is text", origin="tests", origin_spread_di=0.42),
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
    """Everything a file must keep, keys, links and origins too."""
    return [(line, line.key, line.link, line.origin, line.origin_spread_di) for line in lines]


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
    wrong = copy.deepcopy(document)
    for change in ({"colour": "red"}, {"sid_cm": 9}, {"grid_ratio": 7}, {"range_cm": [0, 20]}, {"law": {"kvp": 400}}):
        line = wrong["chart"]["lines"][0]
        wrong["chart"]["lines"][0] = {**line, **change, "law": {**line["law"], **change.get("law", {})}}
        assert not schema.is_valid(json.loads(json.dumps(wrong))), change
        wrong = copy.deepcopy(document)
    wrong["chart"]["lines"][0]["law"]["colour"] = "red"
    with pytest.raises(Refusal, match=r"lines\.0\.law has no 'colour'"):
        chart_json.read(json.dumps(wrong))
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
L-spine AP,80,32,8,107,12:1,Table Bucky,Fixed panel 43x43,Ann
Chest PA,117,2,9,180,10:1,wall bucky,Fixed panel 43x43,Ann
Hand PA,57,1.6,1.2,100,none,tabletop,Loose panel 24x30,Ann
"""


def test_other_peoples_columns_are_guessed_shown_and_kept_in_their_units():
    found = chart_import.preview(chart_import.text_of(PAPER), ROOM, KNOWN)
    assert {one.given: one.taken_as for one in found.columns} == {
        "View": "view",
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
    assert spine.law == FixedKvp(8 * 2.54, 80, 32, 4.5)
    assert (chest.projection, chest.support) == ("chest-pa", "upright_bucky")
    assert (hand.projection, hand.grid_ratio) == ("hand-pa", 0)
    assert {"L-spine AP", "wall bucky", "12:1"} <= {one.given for one in found.taken}


def test_a_person_puts_a_column_right_and_every_bad_cell_is_reported():
    file = chart_import.text_of(PAPER.replace("32,8", "forty,8").replace("Thickness (in)", "Measured at"))
    found = chart_import.preview(file, ROOM, KNOWN)
    assert [(one.row, one.column) for one in found.faults] == [(2, "mAs")]
    assert {one.sources["thickness_cm"].confidence for one in found.made} == {"assumed"}
    again = chart_import.preview(
        file, ROOM, KNOWN, {"Measured at": "thickness_in", "Who": "note"}, answers={"row:2": "leave out"}
    )
    assert (again.faults, [round(line.law.thickness_cm, 2) for line in again.lines]) == ((), [22.86, 3.05])
    assert {line.note for line in again.lines} == {"Ann"}
    fewer = chart_import.text_of("View,kV,mAs,deep\nHand PA,57,1.6,3\n")
    given = {"support": "tabletop", "receptor": "panel-24", "grid_ratio": "0", "sid_cm": "100"}
    (line,) = chart_import.preview(fewer, ROOM, KNOWN, {"deep": "thickness_cm"}, given).lines
    assert (line.law.thickness_cm, line.receptor) == (3, "panel-24")
    with pytest.raises(Refusal):
        chart_import.preview(fewer, ROOM, KNOWN, {"deep": "colour"})


@pytest.mark.parametrize(
    ("origin", "spread", "said"),
    [("heaven", "", "is not where a line comes from"), ("model", "0.4", "others do not"), ("tests", "40", "0.05 to 5 DI")],
)
def test_an_origin_that_cannot_be_is_a_fault_of_its_cell(origin, spread, said):
    heads, row = chart_csv.write([LSPINE]).splitlines()
    cells = dict(zip(heads.split(","), row.split(","), strict=True)) | {"origin": origin, "origin_spread_di": spread}
    with pytest.raises(chart_csv.BadFile) as refused:
        chart_csv.read(",".join(cells) + "\n" + ",".join(cells.values()), ROOM)
    assert [(fault.row, said in fault.problem) for fault in refused.value.faults] == [(2, True)]


def qr_says(page):
    """The corner of a page where the QR code is, dark modules counted: there is one."""
    picture = page.render(scale=2).to_pil().convert("L")
    width, height = picture.size
    corner = picture.crop((int(width * 0.84), int(height * 0.88), width, height))
    return sum(1 for level in corner.tobytes() if level < 80)


@pytest.mark.parametrize(
    ("printing", "size_mm"),
    [
        (Printing(), (210, 297)),
        (Printing(across=True), (297, 210)),
        (Printing(paper="a3", rows="steps"), (297, 420)),
        (Printing(paper="a3", across=True, pages="region"), (420, 297)),
        (Printing("booklet"), (148, 210)),
        (Printing("card"), (297, 210)),
    ],
)
def test_every_printed_page_says_which_chart_it_is(printing, size_mm):
    lines = sheet([*FAMILY] * 8, ROOM, KNOWN.projections)
    printing = replace(printing, printed="27 Nov 2026")
    document = pdfium.PdfDocument(chart_pdf.write(chart(FAMILY, review_by="2027-11-02"), "Room 1", lines, printing))
    assert len(document) >= (2 if printing.kind == "booklet" else 1)
    for page_number, page in enumerate(document, 1):
        assert tuple(round(side / 72 * 25.4) for side in page.get_size()) == size_mm
        text = page.get_textpage().get_text_range()
        for said in (
            "Röntgen & <co>",
            "version 4",
            "Approved by ilse on 2 Nov 2026",
            "Printed 27 Nov 2026, good until 2 Nov 2027",
            "Check the date: is version 4 still in use?",
            "Chart 3, version 4, page ",
            "local protocol",
        ):
            assert said in text, (printing.kind, page_number, said)
        if printing.kind != "card":
            assert f"version 4, page {page_number}" in text
            assert qr_says(page) > 300
    first = document[0].get_textpage().get_text_range()
    assert "40" in first
    assert chart_pdf.qr_text(chart(FAMILY)) == "oakbeam chart 3 version 4"


def sizes_of(page):
    """The size [pt] of each character of a page."""
    text = page.get_textpage()
    return [(text.get_text_range(i, 1), pdfium.raw.FPDFText_GetFontSize(text, i)) for i in range(text.count_chars())]


@pytest.mark.parametrize(("paper", "points"), [("a3", 14), ("a4", 11)])
@pytest.mark.parametrize("across", [False, True])
@pytest.mark.parametrize("rows", ["sizes", "steps"])
def test_numbers_on_the_wall_are_read_from_two_metres(paper, points, across, rows):
    """Every kVp and mAs of every line, none set smaller to make it fit."""
    lines = sheet(LINES.values(), ROOM, KNOWN.projections)
    printing = Printing(paper=paper, across=across, rows=rows)
    document = pdfium.PdfDocument(chart_pdf.write(chart(FAMILY), "Room 1", lines, printing))
    large = sum(1 for page in document for char, size in sizes_of(page) if size >= points - 0.01 and char in "0123456789.")
    settings = [setting for one in lines for setting in (one.usual if rows == "sizes" else one.along)]
    told = sum(len(f"{value:g}") for setting in settings for value in (setting.kvp, setting.mas) if value is not None)
    assert large >= told > 50


def test_a_wall_chart_hangs_from_the_head_down_with_children_by_age_on_a_sheet_of_their_own():
    child = replace(HAND, range_cm=(1, 2), law=FixedKvp(1.5, 55, 0.8, 4.5), id=7, key=7)
    adults = [replace(line, id=at, key=at) for at, line in enumerate((KNEE, HAND, CHEST, LSPINE), 1)]
    aec = replace(adults[2], exposure_control="aec", aec_cells="L+R", aec_density=1)
    before = [replace(adults[0], sid_cm=110), *adults[1:]]
    trust = {1: "proven", 2: "model", 3: "supported", 4: "supported"}
    lines = sheet([*adults[:2], aec, adults[3], child], ROOM, KNOWN.projections, trust=trust, before=before)
    document = pdfium.PdfDocument(chart_pdf.write(chart(FAMILY), "Room 1", lines, Printing()))
    first, last = (document[at].get_textpage().get_text_range().replace("\r\n", " ") for at in (0, len(document) - 1))
    assert len(document) == 2
    places = [first.index(word) for word in ("Spine", "Chest", "Arm", "Leg")]
    assert places == sorted(places)
    assert re.search(r"AEC, chamber L\+R, density \+1, back-up\s+[\d.]+ mAs", first)
    assert "EI 300" in first
    assert re.search(r"Knee AP\s\*•", first)
    assert re.search(r"Hand PA\s°", first)
    assert re.search(r"Children, by age.*10 kg.*Hand PA\s\*", last)
    assert "Children" not in first


def test_what_is_not_approved_says_so_on_the_page():
    for kind in ("wall", "booklet", "card"):
        (page,) = pdfium.PdfDocument(chart_pdf.write(chart((), status="draft"), "Room 1", (), Printing(kind)))
        assert "No line yet" in page.get_textpage().get_text_range()
    for status in ("draft", "proposed", "superseded"):
        lines = sheet(FAMILY, ROOM, KNOWN.projections)
        page = pdfium.PdfDocument(chart_pdf.write(chart(FAMILY, status=status), "Room 1", lines, Printing()))[0]
        assert page.get_textpage().get_text_range().count(status.upper()) >= 2
