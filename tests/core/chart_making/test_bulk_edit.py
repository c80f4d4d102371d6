"""Numbers typed into lines one after the other, and one change made to many."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import CHEST, KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.chart_making.bulk_edit import Adjust, adjusted, with_cell
from oakbeam.core.charts.levelled import level
from oakbeam.core.charts.line import Link
from oakbeam.core.errors import Refusal

STEPPED = replace(LSPINE, law=level(LSPINE, ROOM, catalogue.projection("lspine-ap"), 21, 80, 40, 1.0))


@given(st.sampled_from([LSPINE, KNEE, CHEST, STEPPED]), st.floats(60, 110), st.floats(0.5, 200))
def test_two_cells_of_one_line_both_count_whatever_its_system(line, kvp, mas):
    """The second of two pasted cells used to be worked out from the stored line, and the first was lost."""
    both = with_cell(with_cell(line, "kvp", kvp), "mas", mas)
    assert both.law.at(line.thickness_cm) == (pytest.approx(kvp), pytest.approx(mas))
    assert both.law.name == line.law.name
    other = with_cell(with_cell(line, "mas", mas), "kvp", kvp)
    assert other.law.at(line.thickness_cm) == (pytest.approx(kvp), pytest.approx(mas))


def test_a_moved_line_keeps_the_proportions_of_its_parts():
    moved = with_cell(CHEST, "mas", 4)
    assert [band.mas for band in moved.law.bands] == [2.5, 4, 6.4]
    assert [p.kvp for p in with_cell(STEPPED, "kvp", 85).law.points] == [p.kvp + 5 for p in STEPPED.law.points]


def test_each_number_goes_where_it_belongs_or_is_refused():
    assert with_cell(LSPINE, "parameter", 5).law.doubling_cm == 5
    assert with_cell(KNEE, "parameter", 3).law.kvp_per_cm == 3
    assert with_cell(LSPINE, "thickness_cm", 22).law.thickness_cm == 22
    assert (with_cell(CHEST, "sid_cm", 150).sid_cm, with_cell(CHEST, "grid_ratio", 0).grid_ratio) == (150, 0)
    for line in (CHEST, STEPPED):
        for cell in ("parameter", "thickness_cm"):
            with pytest.raises(Refusal, match="of its own"):
                with_cell(line, cell, 5)
    linked = replace(KNEE, link=Link(1))
    assert with_cell(linked, "sid_cm", 110).sid_cm == 110
    with pytest.raises(Refusal, match="follows another"):
        with_cell(linked, "mas", 5)


def test_one_change_of_many_holds_the_exposure_or_does_not():
    part = catalogue.projection("lspine-ap")
    held, words = adjusted(LSPINE, ROOM, part, Adjust(grid_ratio=0, sid_cm=120))
    assert held.law.mas < LSPINE.law.mas
    assert "to hold the exposure" in words
    plain, _ = adjusted(LSPINE, ROOM, part, Adjust(mas_percent=50, hold=False))
    assert plain.law.mas == pytest.approx(60)
    with pytest.raises(Refusal, match="Say what to change"):
        adjusted(LSPINE, ROOM, part, Adjust())
