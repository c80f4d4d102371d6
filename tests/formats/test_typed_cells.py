"""Cells of the grid as people write and paste them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.core.chart_making.bulk_edit import Control
from oakbeam.core.errors import Refusal
from oakbeam.formats.typed_cells import NAMES, cell_value


@pytest.mark.parametrize(
    ("cell", "text", "said"),
    [
        ("grid_ratio", "12:1", 12),
        ("grid_ratio", "none", 0),
        ("grid_ratio", "–", 0),
        ("grid_ratio", "8 to 1", 8),
        ("sid_cm", "100", 100),
        ("sid_cm", "40 in", 101.6),
        ("sid_cm", "1 m", 100),
        ("thickness_cm", "9,5", 9.5),
        ("range_cm", "13–36", (13, 36)),
        ("range_cm", "13 - 36 cm", (13, 36)),
        ("kvp", "80 kVp", 80),
        ("mas", "1/10", 0.1),
        ("mas", "200 mA 0.1 s", 20),
        ("parameter", "×2 / 4.5 cm", 4.5),
        ("parameter", "2 kVp/cm", 2),
        ("exposure_control", "AEC", Control("aec", None)),
        ("exposure_control", "AEC, L+R", Control("aec", "L+R")),
        ("exposure_control", "manual", Control("manual", None)),
        ("exposure_control", "breathing", Control("breathing", None)),
    ],
)
def test_a_cell_says_what_people_mean_by_it(cell, text, said):
    found = cell_value(cell, text, "cm")
    assert found == (pytest.approx(said) if isinstance(said, tuple | int | float) else said)


def test_a_length_without_a_unit_is_in_the_unit_on_screen():
    assert cell_value("sid_cm", "40", "in") == pytest.approx(101.6)
    assert cell_value("range_cm", "5-14", "in") == pytest.approx((12.7, 35.56))
    assert cell_value("sid_cm", "100 cm", "in") == 100


@pytest.mark.parametrize(
    ("cell", "text", "why"),
    [
        ("mas", "1,250", "Write it without the comma"),
        ("kvp", "60-65", "kVp: '60-65' is a range"),
        ("range_cm", "13", "Range: '13' is one length"),
        ("grid_ratio", "yes", "Grid: 'yes' does not say which ratio"),
        ("exposure_control", "often", "none of manual, AEC"),
        ("sid_cm", "far", "SID: 'far' is not a number"),
    ],
)
def test_what_is_not_understood_is_refused_in_the_columns_words(cell, text, why):
    with pytest.raises(Refusal) as refused:
        cell_value(cell, text, "cm")
    assert why.lower() in refused.value.detail.lower()


@given(st.sampled_from(sorted(NAMES)), st.text(max_size=20), st.sampled_from(["cm", "in"]))
def test_any_text_is_read_or_refused(cell, text, unit):
    try:
        cell_value(cell, text, unit)
    except Refusal as refused:
        assert refused.detail.startswith(NAMES[cell])
