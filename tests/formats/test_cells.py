"""Text in exported cells: what a spreadsheet would take for a formula is guarded, and comes back as it was."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.formats import rows_csv
from oakbeam.formats.cells import guarded, unguarded

FORMULAS = ["=1+1", "+1", "-1", "@SUM(A1)", "\t=1", "\r=1", "\n=1", "  =1", "＝1+1", "＋1", "－1"]
FORMULAS += ["＠x", "\u00a0＝1", "﹦1", "\u3000=1"]


@pytest.mark.parametrize("text", FORMULAS)
def test_what_a_spreadsheet_may_take_for_a_formula_is_guarded_wherever_it_is_written(text):
    assert guarded(text) == f"'{text}"
    for value in (text, [text, "more"], {text: "said"}):
        (row,) = csv.reader(io.StringIO(rows_csv.write(["note"], [{"note": value}]).split("\r\n", 1)[1], newline=""))
        assert row[0].startswith("'")


@given(st.text(alphabet=st.sampled_from("=+-@'＝＋－＠ \t\r\na1")))
def test_a_guarded_text_comes_back_as_it_was(text):
    assert unguarded(guarded(text)) == text
    assert guarded(text) in (text, f"'{text}")
