"""Charts as CSV and JSON: exact round trips, every fault named with its row and column, nothing guessed."""

from __future__ import annotations

import json
import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import CHEST, HAND, KNEE, LINES, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.api.chart_files import import_chart
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.errors import Refusal
from oakbeam.demo import clinic
from oakbeam.formats import chart_csv, chart_json
from oakbeam.store import charts

HEADER = "projection,support,receptor,grid_ratio,sid_cm,range_min_cm,range_max_cm,school,thickness_cm,kvp,mas,doubling_cm"
ROW = "lspine-ap,table_bucky,panel-43,12,107,13,36,fixed_kvp,21,80,40,4.5"


def faults(text: str) -> list[tuple[int, str, str]]:
    with pytest.raises(chart_csv.BadFile) as bad:
        chart_csv.read(text, ROOM)
    return [(fault.row, fault.column, fault.problem) for fault in bad.value.faults]


NOTES = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=40).map(str.strip)
LAWS = st.one_of(
    st.builds(FixedKvp, st.floats(13, 36), st.floats(50, 120), st.floats(0.1, 100), st.floats(3.5, 12)),
    st.builds(VariableKvp, st.floats(20, 25), st.floats(75, 85), st.floats(0.1, 100), st.floats(0.5, 1)),
    st.builds(
        lambda cut, name, mas: Banded((Band(name, 13, cut, 80, mas), Band("rest", cut, 36, 82.5, mas / 3))),
        st.floats(14, 35),
        NOTES.filter(bool),
        st.floats(0.1, 100),
    ),
)


NAMES = ("exposure_control", "aec_cells", "aec_density")
CONTROLS = st.sampled_from([("manual", None, 0), ("breathing", None, 0), ("aec", None, -2), ("aec", "L+R", 1)])
FILTERS = st.none() | st.sampled_from([one.id for one in ROOM.filters])


@given(
    st.lists(
        st.tuples(LAWS, NOTES, st.none() | st.floats(50, 5000), st.floats(80, 180), FILTERS, CONTROLS),
        min_size=1,
        max_size=5,
    )
)
def test_a_round_trip_gives_the_identical_lines(drawn):
    lines = tuple(
        check_line(
            replace(
                LSPINE,
                law=law,
                note=note,
                target_ei=target,
                sid_cm=sid,
                filter=behind,
                **dict(zip(NAMES, control, strict=True)),
            ),
            catalogue.projection("lspine-ap"),
            ROOM,
        )
        for law, note, target, sid, behind, control in drawn
    )
    assert chart_csv.read(chart_csv.write(lines), ROOM) == lines


def test_the_demo_chart_and_the_round_lines_survive_a_round_trip():
    for lines in (clinic.chart_lines(ROOM), (*LINES.values(), CHEST, CHEST)):
        assert chart_csv.read(chart_csv.write(lines), ROOM) == tuple(lines)
    for room in clinic.rooms():
        lines = clinic.chart_lines(room)
        assert chart_csv.read(chart_csv.write((*lines, lines[-1])), room) == (*lines, lines[-1])


def test_json_round_trip_and_foreign_documents(charted):
    chart = charts.newest_approved(charted, "room-1")
    assert chart_json.read(json.dumps(chart_json.write(chart))) == chart
    for wrong in (
        [],
        {"format": "other"},
        {"format": "oakbeam-chart", "format_version": 2},
        {**chart_json.write(chart), "chart": 3},
    ):
        with pytest.raises(Refusal):
            chart_json.read(json.dumps(wrong))


def test_inches_by_column_and_units_in_cells():
    inches = HEADER.replace("sid_cm", "sid_in").replace("thickness_cm", "thickness")
    row = 'lspine-ap,table_bucky,panel-43,12,42,13,36,fixed_kvp,"8 in",80,40,4.5'
    (line,) = chart_csv.read(f"{inches}\n{row}\n", ROOM)
    assert line.sid_cm == pytest.approx(106.68)
    assert line.law.thickness_cm == pytest.approx(20.32)


def test_semicolons_with_decimal_commas_and_a_byte_order_mark():
    text = "\ufeff" + f"{HEADER}\n{ROW}".replace(",", ";").replace("4.5", "4,5")
    assert chart_csv.read(text, ROOM)[0].law.doubling_cm == 4.5


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("", (1, "", "empty")),
        (HEADER, (2, "", "no row")),
        (f"{HEADER},colour\n{ROW},red", (1, "colour", "not known")),
        (f"{HEADER},mas\n{ROW},3", (1, "mas", "twice")),
        (HEADER.replace("mas", "mA") + f"\n{ROW}", (1, "mA", "mAs meant")),
        (HEADER.replace(",kvp", "") + "\n" + ROW.replace(",80", ""), (1, "", "Missing column: kvp")),
        (f"{HEADER}\n{ROW.replace(',40,', ',,')}", (2, "mas", "Half a row: kvp is given")),
        (f"{HEADER}\n{ROW.replace(',80,', ',,')}", (2, "kvp", "Half a row: mas is given")),
        (f"{HEADER}\n{ROW.replace(',40,', ',400,')}", (2, "mas", "is it mA?")),
        (f"{HEADER}\n{ROW.replace(',40,', ',forty,')}", (2, "mas", "not a number")),
        (HEADER.replace("sid_cm", "sid") + f"\n{ROW}", (2, "sid", "cannot be told")),
        (f"{HEADER}\n{ROW.replace(',107,', ',42 in,')}", (2, "sid_cm", "contradicts")),
        (f"{HEADER}\n{ROW.replace('12,107', '7,107')}", (2, "grid_ratio", "not a grid ratio")),
        (f"{HEADER}\n{ROW.replace('table_bucky', 'shelf')}", (2, "support", "not a support")),
        (f"{HEADER}\n{ROW.replace('lspine-ap', 'lspine-front')}", (2, "projection", "no projection")),
        (f"{HEADER}\n{ROW.replace('panel-43', 'panel-9')}", (2, "receptor", "not known")),
        (f"{HEADER}\n{ROW.replace('fixed_kvp', 'guessed')}", (2, "school", "not a technique system")),
        (f"{HEADER}\n{ROW.replace(',13,36,', ',36,13,')}", (2, "range_max_cm", "above its start")),
        (f"{HEADER},kvp_per_cm\n{ROW},2", (2, "kvp_per_cm", "does not belong")),
        (f"{HEADER}\n{ROW}\n{ROW.replace(',80,', ',39,')}", (3, "kvp", "allowed is 40 to 150")),
        (f'{HEADER}\n"{ROW}', (2, "", "not readable as CSV")),
        (f"{HEADER}\n{ROW}\0", (1, "", "binary")),
    ],
)
def test_each_fault_is_named_with_row_and_column(text, expected):
    row, column, said = expected
    assert any((r, c) == (row, column) and said in problem for r, c, problem in faults(text)), faults(text)


def test_every_fault_of_a_file_is_told_at_once():
    text = f"{HEADER}\n{ROW.replace('12,107', '7,107')}\n{ROW}\n{ROW.replace(',40,', ',,')}\n{ROW.replace(',21,', ',x,')}"
    assert [(row, column) for row, column, _ in faults(text)] == [(2, "grid_ratio"), (4, "mas"), (5, "thickness_cm")]


def mutated(text: str, chance: random.Random) -> str:
    """The text with one thing broken or merely changed: characters, cells, rows, the header, the encoding's leftovers."""
    rows = text.split("\r\n")
    at = chance.randrange(len(rows) - 1)
    cells = rows[at].split(",")
    cell = chance.randrange(len(cells))
    kind = chance.randrange(9)
    if kind == 0:
        cells[cell] = chance.choice(
            ["", "x", "-1", "1e9", "NaN", "inf", '"', "12 in", "0", "=1+1", "\u202e", "999999999999"]
        )
    elif kind == 1:
        del cells[cell]
    elif kind == 2:
        cells.insert(cell, chance.choice(["", "7", "cm"]))
    elif kind == 3:
        cells[cell] = cells[cell][::-1]
    rows[at] = ",".join(cells)
    if kind == 4:
        rows.insert(at, rows[at])
    elif kind == 5:
        del rows[at]
    elif kind == 6:
        rows = rows[: at + 1]
    joined = "\r\n".join(rows)
    if kind == 7:
        place = chance.randrange(len(joined))
        joined = joined[:place] + chance.choice(['"', ",", "\n", "\0", ";", "é", "\t"]) + joined[place + 1 :]
    elif kind == 8:
        joined = joined.replace(",", chance.choice([";", "\t", "|"]))
    return joined


def test_two_hundred_broken_files_give_a_clear_error_or_a_correct_import(store):
    good = chart_csv.write((LSPINE, KNEE, CHEST, HAND))
    outcomes = {"refused": 0, "imported": 0}
    for seed in range(200):
        text = mutated(good, random.Random(seed))
        before = list(store.db.iterdump())
        try:
            chart = import_chart(store, "room-1", f"mutant {seed}", text, "test")
        except chart_csv.BadFile as bad:
            outcomes["refused"] += 1
            assert bad.faults
            assert all(fault.row >= 1 and len(fault.problem) > 10 for fault in bad.faults)
            assert list(store.db.iterdump()) == before
        else:
            outcomes["imported"] += 1
            for line in chart.lines:
                check_line(line, catalogue.projection(line.projection), ROOM)
            assert chart_csv.read(chart_csv.write(chart.lines), ROOM) == tuple(
                replace(line, id=None) for line in chart.lines
            )
            charts.discard(store, chart.id, "test")
    assert outcomes["refused"] > 100
    assert outcomes["imported"] > 10
