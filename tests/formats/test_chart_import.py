"""Charts as departments keep them: understood, asked about, or refused in words, and never silently wrong."""

from __future__ import annotations

import io
import tomllib
from contextlib import suppress
from dataclasses import replace
from datetime import date
from pathlib import Path

import openpyxl
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from tests.conftest import proofs

from oakbeam import catalogue
from oakbeam.catalogue import search
from oakbeam.core.chart_making.from_model import drafted_lines
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.index_scale import IndexScale
from oakbeam.core.errors import Refusal
from oakbeam.demo import clinic
from oakbeam.formats.chart_import import File, answers_of, file_of, preview, text_of
from oakbeam.formats.chart_import.files import Sheet
from oakbeam.formats.chart_import.values import pair

ROOM, KNOWN = clinic.room_1(), catalogue.shipped()
FILES = tomllib.loads((Path(__file__).parents[1] / "imports" / "files.toml").read_text(encoding="utf-8"))["file"]


def content(one):
    """The bytes of a file as a person would send it."""
    if "text" in one:
        return one["text"].lstrip("\n").encode(one.get("encoding", "utf-8"))
    book = openpyxl.Workbook()
    book.remove(book.active)
    for sheet in one["sheets"]:
        made = book.create_sheet(sheet["name"])
        for row in sheet["rows"]:
            dated = [date.fromisoformat(cell[5:]) if str(cell).startswith("date:") else cell for cell in row]
            made.append([None if cell == "" else cell for cell in dated])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def agree(lines, wanted, name):
    """Every line that is made is one that was wanted, and none is missing."""
    assert [line.projection for line in lines] == [one["p"] for one in wanted], name
    for line, one in zip(lines, wanted, strict=True):
        kvp, mas = line.law.at(one["at"])
        assert kvp == pytest.approx(one["kvp"], abs=0.6), (name, one)
        if "mas" in one:
            assert mas == pytest.approx(one["mas"], rel=0.05), (name, one)
        said = {
            "support": line.support,
            "grid": line.grid_ratio,
            "sid": line.sid_cm,
            "control": line.exposure_control,
            "cells": line.aec_cells,
        }
        assert {key: one[key] for key in said if key in one} == {key: said[key] for key in said if key in one}, (name, one)


@pytest.mark.parametrize("one", FILES, ids=lambda one: one["name"])
def test_a_departments_file_is_read_as_a_person_reads_it(one):
    file = file_of(content(one))
    found = preview(file, ROOM, KNOWN)
    asked = {question.kind for question in found.questions if question.answer is None}
    assert asked >= set(one.get("asks", ())), one["name"]
    if "refused" in one:
        assert any(one["refused"] in fault.problem for fault in found.faults), found.faults
    else:
        assert found.faults == ()
    agree(found.lines, one.get("lines", []), one["name"])
    if "then" in one:
        answered = preview(file, ROOM, KNOWN, answers=one["answers"])
        agree(answered.lines, one["then"], one["name"])
    if not one.get("asks") and "refused" not in one:
        assert found.ready, [question for question in found.questions if question.answer is None]


# -- files drawn at random, in words that are not the reader's own list

NAMES = [
    ("hand-pa", ("Hand PA", "PA hand", "Hand - PA view", "HAND P.A.")),
    ("wrist-lateral", ("Wrist lat", "Lateral wrist", "Wrist, lateral (R)")),
    ("elbow-ap", ("Elbow AP", "AP Elbow joint", "elbow a.p.")),
    ("knee-ap", ("Knee AP", "AP knee, tabletop", "Knee (AP)")),
    ("knee-lateral", ("Knee Lat", "Lat. Knee", "knee LATERAL L")),
    ("ankle-ap", ("Ankle AP", "AP ankle")),
    ("lspine-ap", ("L Spine AP", "Lumbar spine - AP", "LSpine A.P.")),
    ("lspine-lateral", ("L-spine lat", "Lateral Lumbar Spine")),
    ("chest-pa", ("Chest PA", "PA chest erect", "CHEST P.A. upright")),
    ("chest-lateral", ("Chest lateral", "Lat chest")),
    ("pelvis-ap", ("Pelvis AP", "AP pelvis")),
    ("hip-ap", ("Hip AP", "AP Hip right")),
    # These two look like one projection and are several: they may only be asked.
    (None, ("Shoulder AP", "Femur AP", "Skull AP", "Ribs", "Abdomen", "Chest", "Spine lateral")),
]
HEADS = {
    "name": ("Exam", "EXAMINATION", "Projection", "Procedure"),
    "cm": ("Thickness (cm)", "cm", "Part thickness cm", "Caliper [cm]"),
    "in": ("Thickness (in)", "Thickness inches", "Caliper [in]"),
    "kvp": ("kVp", "KV", "kVp ", "Tube voltage kV"),
    "mas": ("mAs", "MAS", "mAs."),
    "sid": ("SID (cm)", "FFD cm", "Distance (cm)"),
}
SIZES = (("Small", "Medium", "Large"), ("S", "M", "L"), ("Thin", "Average", "Heavy"))
SIDS = {"chest-pa": 180, "chest-lateral": 180}
USUAL = {line.projection: line for line in reversed(list(drafted_lines(KNOWN.projections.values(), ROOM)))}


@st.composite
def drawn_files(draw):
    """(the file as text, what each of its names means, the settings that it says: projection, cm, kVp, mAs)."""
    picked = draw(st.lists(st.sampled_from(NAMES), min_size=2, max_size=6, unique_by=lambda one: one[0]))
    head = {key: draw(st.sampled_from(words)) for key, words in HEADS.items()}
    comma = draw(st.booleans())
    inches, layout = draw(st.booleans()), draw(st.sampled_from(("long", "sizes", "cm")))
    told: list[tuple[str | None, float, int, float]] = []

    def shown(value):
        return f"{value:g}".replace(".", "," if comma else ".")

    def setting(projection, share):
        line = USUAL[projection or "shoulder-ap-external"]
        small, average, large = KNOWN.projections[line.projection].thickness_cm
        cm = round({0: small, 1: average, 2: large}[share] * 2) / 2
        kvp, mas = line.at(min(max(cm, line.range_cm[0]), line.range_cm[1]))
        off = draw(st.sampled_from((0.8, 1.0, 1.25)))
        return cm, round(kvp), float(f"{mas * off:.2g}")

    rows = [[head["name"], head["in" if inches else "cm"], head["kvp"], head["mas"], head["sid"]]]
    if layout == "sizes":
        sizes = draw(st.sampled_from(SIZES))
        rows = [
            ["", "", *(cell for size in sizes for cell in (size, ""))],
            [head["name"], head["sid"], *(head["kvp"], head["mas"]) * 3],
        ]
    if layout == "cm":
        rows = [[head["name"], head["sid"], head["kvp"], *(f"{cm} cm" for cm in (8, 12, 20))]]
    for projection, names in picked:
        name, sid = draw(st.sampled_from(names)), SIDS.get(projection, 100)
        if layout == "long":
            cm, kvp, mas = setting(projection, 1)
            rows.append([name, shown(round(cm / 2.54, 1) if inches else cm), str(kvp), shown(mas), str(sid)])
            told.append((projection, round(cm / 2.54, 1) * 2.54 if inches else cm, kvp, mas))
        elif layout == "sizes":
            row = [name, str(sid)]
            for share in range(3):
                cm, kvp, mas = setting(projection, share)
                row += [str(kvp), shown(mas)]
                told.append((projection, cm, kvp, mas))
            rows.append(row)
        else:
            cm, kvp, mas = setting(projection, 1)
            rows.append([name, str(sid), str(kvp), *("" if place != 12 else shown(mas) for place in (8, 12, 20))])
            told.append((projection, 12, kvp, mas))
    title = draw(st.sampled_from(([], [["Invented Clinic"]], [["Technique chart"], ["Room 1, revised"]])))
    note = draw(st.sampled_from(([], [["* see the physicist for children"]])))
    separator = ";" if comma else draw(st.sampled_from((",", "\t", ";")))
    text = "\n".join(separator.join(row) for row in (*title, *rows, *note)) + "\n"
    return text, told


@given(drawn_files())
@settings(max_examples=proofs(120, 3000), deadline=None)
def test_a_file_drawn_at_random_is_never_silently_wrong(drawn):
    """Each line that is made without a question says what the file says; a name of several projections is always asked."""
    text, told = drawn
    found = preview(text_of(text), ROOM, KNOWN)
    assert {line.projection for line in found.lines} <= {projection for projection, *_ in told if projection}
    for line in found.lines:
        own = [one for one in told if one[0] == line.projection]
        for _, cm, kvp, mas in own:
            assert line.law.at(cm) == (pytest.approx(kvp, abs=0.6), pytest.approx(mas, rel=0.02)), text
    asked = {row for question in found.questions if question.answer is None for row in question.rows}
    lines = sum(len(one.rows) for one in found.made if not one.waits)
    charted = len({one[0] for one in told})
    assert lines + len(asked | {fault.row for fault in found.faults}) >= charted, text


CELLS = st.one_of(
    st.sampled_from(
        [
            "kVp",
            "mAs",
            "cm",
            "Small",
            "70/12",
            "60-65",
            "12:1",
            '40"',
            "AEC",
            "Knee AP",
            "1,250",
            "10 cm",
            "-",
            "ms",
            "2.5",
            "1/10",
            "",
        ]
    ),
    st.text(max_size=12),
    st.integers(0, 2000).map(str),
)


@given(
    st.lists(st.lists(CELLS, min_size=1, max_size=7), min_size=1, max_size=9),
    st.dictionaries(st.text(max_size=8), st.text(max_size=8), max_size=3),
)
@example([["(14 cm)", "(small)", "kVp"], ["Hand PA", "3", "55"]], {})  # heads that are nothing but a bracket
@settings(max_examples=proofs(150, 5000), deadline=None)
def test_any_cells_are_read_asked_about_or_refused(rows, answers):
    file = File((Sheet("", [(at, row) for at, row in enumerate(rows, 1) if any(row)]),))
    with suppress(Refusal):
        found = preview(file, ROOM, KNOWN, answers=answers)
        assert all(check_line(line, KNOWN.projections[line.projection], ROOM) for line in found.lines)


def test_names_cost_no_more_than_a_few_times_ids():
    """300 rows by names and by ids: the work is counted in searches, of which an exact name needs none."""
    ids = [one for one, names in NAMES if one]
    said = {one: names[0] for one, names in NAMES if one}
    rows = [f"{said[ids[i % len(ids)]]},{10 + i % 12},70,5" for i in range(300)]
    asked: list[str] = []

    def find(_: object, name: str, __: int) -> list[search.Hit]:
        asked.append(name)
        return []

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(search, "find", find)
        found = preview(text_of("Exam,cm,kVp,mAs\n" + "\n".join(rows) + "\n"), ROOM, KNOWN)
    assert asked == []
    assert {one.line.projection for one in found.made} <= set(ids)


def test_answers_are_an_object_of_texts():
    assert answers_of('{"projection:ivp": "leave out"}') == {"projection:ivp": "leave out"}
    for text in ("[]", "{", '{"a": 1}'):
        with pytest.raises(Refusal):
            answers_of(text)


def test_what_is_said_for_all_lines_is_something_this_room_has():
    file = text_of("Exam,kVp,mAs\nHand PA,55,1.6\n")
    for wrong in ({"sid_cm": "far"}, {"grid_ratio": "x"}, {"support": "bucky"}, {"receptor": "plate"}, {"kvp": "70"}):
        with pytest.raises(Refusal):
            preview(file, ROOM, KNOWN, defaults=wrong)
    (line,) = preview(file, ROOM, KNOWN, defaults={"sid_cm": "110", "receptor": "panel-35"}).lines
    assert (line.sid_cm, line.receptor) == (110, "panel-35")


def test_a_column_of_ours_that_is_misspelt_is_named_and_can_be_left_out():
    head, row = (
        "projection,school,kvp,mas,thickness_cm,doubling_cm,support,receptor,grid_ratio,sid_cm,range_min_cm,range_max_cm",
        ("hand-pa,fixed_kvp,55,1.6,3,4.5,tabletop,panel-24,0,100,2,5"),
    )
    file = text_of(f"{head},colour\n{row},red\n")
    assert "colour" in preview(file, ROOM, KNOWN).faults[0].column
    assert len(preview(file, ROOM, KNOWN, {"colour": None}).lines) == 1


def test_a_film_without_its_speed_is_asked_about():
    found = preview(text_of("Exam,cm,kVp,mAs,Film\nKnee AP,12,66,5,Medium\nAnkle AP,10,60,4,DR\n"), ROOM, KNOWN)
    assert [(one.kind, one.rows) for one in found.questions] == [("film", (2,))]
    assert [line.projection for line in found.lines] == ["ankle-ap"]


@pytest.mark.parametrize(("answer", "target_ei"), [("shown", 250), ("ei", 400), (None, None)])
def test_a_target_is_asked_about_where_the_console_shows_another_number(answer, target_ei):
    scale = IndexScale("Sensitivity", "inverse", 1000.0)
    room = replace(ROOM, receptors=tuple(replace(one, index_scale=scale) for one in ROOM.receptors if one.digital))
    file = text_of("Exam,cm,kVp,mAs,Target index\nKnee AP,12,66,5,400\n")
    key = "index:400 panel-24"
    found = preview(file, room, KNOWN, answers={key: answer} if answer else {})
    (asked,) = found.questions
    assert (asked.id, asked.guess, asked.answer) == (key, "shown", answer)
    assert [line.target_ei for line in found.lines] == ([target_ei] if answer else [])


@pytest.mark.parametrize(
    ("row", "question"),
    [
        ("Knee AP,12,66,5,200,tabletop", "film:200 panel-24"),
        ("Knee AP,12,66,5,,Bay 2", "support:bay 2"),
        ("Knee AP,12,64-68,5,,tabletop", "range:kvp"),
        ("Knee AP,12,66,80,,tabletop", "far:knee-ap 2"),
        ("Sacrum,21,80,25,,table bucky", "projection:sacrum"),
    ],
)
def test_what_a_question_leaves_out_makes_no_line(row, question):
    file = text_of(f"Exam,cm,kVp,mAs,Film,Bucky\n{row}\nHand PA,3,55,1.6,,tabletop\n")
    assert question in {one.id for one in preview(file, ROOM, KNOWN).questions}
    left = preview(file, ROOM, KNOWN, answers={question: "leave out"})
    assert ([line.projection for line in left.lines], left.ready, left.unread) == (["hand-pa"], True, ())


@pytest.mark.parametrize(
    ("cell", "kvp", "mas", "by_chamber"),
    [
        ("60-65 AEC", (60, 65), None, True),
        ("60-65 kV 5", (60, 65), 5, False),
        ("81 AEC", (81, 81), None, True),
        ("12 mAs 70 kV", (70, 70), 12, False),
        (".5/.8", (0.5, 0.5), 0.8, False),
    ],
)
def test_a_range_in_a_cell_of_both_stays_a_range(cell, kvp, mas, by_chamber):
    found = pair(cell, False)
    assert ((found.kvp.low, found.kvp.high), found.mas, found.aec) == (kvp, mas, by_chamber)


def test_a_row_left_out_of_one_sheet_is_not_left_out_of_another():
    sheets = [{"name": name, "rows": [["View", "cm", "kVp", "mAs"], ["AP", cm, kvp, mas], ["Lateral", 9, 60, 3]]}
              for name, cm, kvp, mas in (("Knee", 12, 66, "five"), ("Ankle", 10, 60, 4))]  # fmt: skip
    file = file_of(content({"sheets": sheets}))
    left = {"sheet:which": "Knee", "row:2": "leave out"}
    assert [line.projection for line in preview(file, ROOM, KNOWN, answers=left).lines] == ["knee-lateral"]
    other = preview(file, ROOM, KNOWN, answers={"sheet:which": "Ankle"})
    assert [line.projection for line in other.lines] == ["ankle-ap", "ankle-lateral"]
