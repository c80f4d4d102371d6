"""What rejected images cost: dose, repeats Judge asks none of, and repeats its mAs would have mended."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.core.log.repeats import Try, repeats, share_of_kap
from oakbeam.core.log.said import repeats_said

CONDITIONS = (70.0, 115.0, "table_bucky", 8, "panel", None, 250.0)
LOW = Try(4.0, -4.0, True, CONDITIONS, 20.0, "R03")


@given(st.floats(-9, 9), st.floats(0.05, 20), st.floats(-3, 3))
def test_a_repeat_is_mended_just_where_the_advised_mas_puts_this_patient_within_one(first_di, factor, moved):
    # The same body gives DI as the log of mAs; between the two something else moved it.
    then_di = first_di + 10 * math.log10(factor) + moved
    then = replace(LOW, mas=4.0 * factor, di=then_di, reason="")
    found = repeats([(replace(LOW, di=first_di), then)])
    off = abs(then_di) > 1 and abs(first_di) > 1
    assert found.off_again == off
    if off and abs(abs(moved) - 1) > 1e-6:
        assert found.mended == (abs(moved) <= 1)


@pytest.mark.parametrize(
    "change",
    [
        {"by_hand": False},
        {"di": None},
        {"conditions": (77.0, *CONDITIONS[1:])},
        {"conditions": (*CONDITIONS[:-1], 400.0)},
    ],
)
def test_where_di_does_not_follow_mas_alone_nothing_is_said_of_the_advice(change):
    then = replace(LOW, mas=16.0, di=2.5, reason="")
    assert repeats([(LOW, then)]).off_again == 1
    assert repeats([(LOW, replace(then, **change))]).off_again == 0
    assert repeats([(replace(LOW, findings=frozenset({"motion"})), then)]).off_again == 0


@pytest.mark.parametrize(
    ("reason", "di", "findings", "asked"),
    [
        ("R03", -4.0, (), 0),
        ("R03", -2.0, (), 0),
        ("R03", 0.3, (), 1),
        ("R04", 2.5, (), 1),
        ("R04", 5.0, (), 1),
        ("R04", 5.0, ("clipped",), 0),
        ("R04", 0.2, ("motion",), 0),
    ],
)
def test_a_high_index_alone_is_no_reason_to_repeat(reason, di, findings, asked):
    found = repeats([(replace(LOW, reason=reason, di=di, findings=frozenset(findings)), replace(LOW, kap_mgycm2=7.0))])
    assert (found.for_exposure, found.not_needed, found.spared_mgycm2) == (1, asked, 7.0 * asked)


def test_dose_is_added_up_where_it_is_known_and_a_share_is_claimed_only_where_all_is():
    found = repeats([(LOW, None), (replace(LOW, kap_mgycm2=None, reason="R01"), None)])
    assert (found.rejected, found.repeated, found.kap_known, found.kap_mgycm2, found.for_exposure) == (2, 0, 1, 20.0, 1)
    bins = {round(40 * math.log10(20.0)): 10}
    assert share_of_kap(found, True, bins, 40) == pytest.approx(0.1, rel=0.03)
    assert share_of_kap(found, False, bins, 40) is None and share_of_kap(repeats([]), True, bins, 40) is None
    tied = "Of 2 rejected images 0 are tied to the try that repeats them."
    assert repeats_said(found, None)[1] == tied and not any(
        "tied" in one for one in repeats_said(repeats([(LOW, LOW)]), None)
    )
    assert repeats_said(found, 0.1)[0] == "20 mGy·cm² went into rejected images (known of 1 of the 2), 10.0 % of all KAP."
    assert "Judge, too, asks for a repeat of each" in " ".join(repeats_said(found, None))
    assert repeats_said(repeats([]), None) == []
