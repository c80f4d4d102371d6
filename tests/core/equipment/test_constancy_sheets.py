"""Constancy: sheets with known answers, honest rooms that pass, and rooms off by a known amount that do not."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOM

from oakbeam.catalogue.constancy import constancy_tests
from oakbeam.core.equipment.constancy import outcome
from oakbeam.core.errors import Refusal
from oakbeam.demo import instrument

TESTS = constancy_tests()


def value(test_id, *rows):
    test = TESTS[test_id]
    keys = [column.key for column in test.columns]
    return outcome(test, [dict(zip(keys, row, strict=True)) for row in rows], test.limit)


@pytest.mark.parametrize(
    ("test_id", "rows", "figure"),
    [
        ("output", [(100,), (102,), (98,)], 2.0),  # CV of 98, 100, 102
        ("linearity", [(100, 20, 1000), (200, 20, 1100)], 100 * 5 / 105),  # |50 - 55| / (50 + 55)
        ("kvp", [(80, 84), (100, 98)], 5.0),
        ("hvl", [(80, 2.61), (100, 4.0)], 10.0),  # 2.61 is 10 % under 2.9
        ("focus", [(20, 1000), (10, 450)], 100 * 2.5 / 47.5),  # 50 and 45 for one mAs
        ("index", [(2.5, 250), (10, 1150)], 15.0),
        ("aec-steps", [(1, 16), (2, 20), (3, 25)], 0.0),  # each step x1.25
        ("aec-steps", [(1, 10), (3, 22.5), (4, 33.75)], 0.0),  # a step left out: x1.5 each
        ("grid", [(80, 20), (80, 20), (60, 20)], 100 * (4 - 11 / 3) / (11 / 3) * 2),
        ("light-field", [(100, 0), (100, 1.5), (100, 0.5), (100, 1)], 1.5),
        ("distance", [(100, 103)], 3.0),
    ],
)
def test_sheets_with_known_answers(test_id, rows, figure):
    found = value(test_id, *rows)
    assert found.value == pytest.approx(figure, abs=1e-6)
    assert found.passed == (figure <= TESTS[test_id].limit + 1e-9)


@pytest.mark.parametrize("test_id", TESTS)
@given(seed=st.integers(0, 10_000))
def test_instruments_in_a_room_that_is_in_order_pass(test_id, seed):
    test = TESTS[test_id]
    sheet = instrument.sheet(ROOM, test, seed)
    assert outcome(test, sheet, test.limit).value <= 1.6 * test.limit + 1e-9
    # And one reading far off is seen by every test that knows what is right, or has others to hold it against.
    key, wrong = test.columns[-1].key, [dict(row) for row in sheet]
    wrong[0][key] *= 0.5 if test.rule == "under_least_hvl" else 3
    if wrong[0][key]:
        far = wrong[0] if test.rule != "share_of_sid" else {**wrong[0], key: 5.0}
        assert not outcome(test, [far, *wrong[1:]], test.limit).passed


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ([], "3 to 60 rows"),
        ([{"kerma_ugy": 1}] * 61, "3 to 60 rows"),
        ([{"kerma_ugy": 1, "more": 2}] * 3, "has kerma_ugy"),
        ([{"kerma_ugy": 1}, {"kerma_ugy": 0}, {"kerma_ugy": 1}], "above 0"),
        ([{"kerma_ugy": 1}, {"kerma_ugy": float("nan")}, {"kerma_ugy": 1}], "above 0"),
    ],
)
def test_a_sheet_that_is_not_whole_says_what_is_missing(rows, says):
    with pytest.raises(Refusal, match=says):
        outcome(TESTS["output"], rows, 5)
