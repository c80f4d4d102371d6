"""What logged images say of a chart line as it stands today."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.charts.systems import FixedKvp
from oakbeam.core.patient.patient import Patient
from oakbeam.core.technique.forecast import NOTHING_SEEN
from oakbeam.core.technique.logged import LoggedImage, di_today, seen_of
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.set_up import as_charted

PART = catalogue.projection("lspine-ap")
IMAGE = LoggedImage(21, -2.0, 40, 40, 250, LSPINE)


def today(image, line=LSPINE, room=ROOM):
    return di_today(image, line, room, PART)


@given(st.floats(0.2, 5))
def test_a_line_that_was_put_right_no_longer_carries_the_bias_of_its_images(factor):
    """Images came out at DI -2 with the old line; the new one exposes more by a factor, and so would they."""
    corrected = replace(LSPINE, law=replace(LSPINE.law, mas=LSPINE.law.mas * factor))
    assert today(IMAGE, corrected) == pytest.approx(-2 + 10 * math.log10(factor), abs=1e-9)
    right = replace(LSPINE, law=replace(LSPINE.law, mas=LSPINE.law.mas * 10**0.2))
    seen = seen_of([IMAGE] * 12, right, ROOM, PART)
    assert (seen.count, seen.mean_di) == (12, pytest.approx(0, abs=1e-9))


def test_an_image_of_another_thickness_counts_by_the_model_so_that_a_wrong_rule_is_no_wrong_line():
    """A rule that exposes thick patients too little: their images are low, and the line itself is not."""
    flat = replace(LSPINE, law=replace(LSPINE.law, doubling_cm=12))
    thick = replace(IMAGE, thickness_cm=30, line=flat)
    gives = [line_di(flat, cm) for cm in (21, 30)]
    assert gives[1] < gives[0] - 2
    assert today(replace(thick, di=gives[1] - gives[0]), flat) == pytest.approx(0, abs=0.1)


def line_di(line, cm):
    """What the model expects of a line at a thickness [DI]."""
    kvp, mas = line.law.at(cm)
    state = ModelState.charted(line, ROOM, PART, as_charted(line, ROOM, PART), Patient(cm)).trial(thickness_cm=cm, kvp=kvp)
    return state.di_of(mas)


def test_another_mas_than_suggested_is_taken_out_and_another_target_too():
    assert today(replace(IMAGE, mas=80)) == pytest.approx(-2 - 10 * math.log10(2))
    assert today(IMAGE, replace(LSPINE, target_ei=500)) == pytest.approx(-2 + 10 * math.log10(250 / 500))
    assert today(replace(IMAGE, target_ei=None)) == pytest.approx(-2)


def test_another_kvp_counts_by_the_physics_model():
    higher = replace(LSPINE, law=FixedKvp(21, 90, 40, 4.5))
    assert 1.5 < today(IMAGE, higher) + 2 < 3.5  # by the 15 % rule 2.5 DI


def test_what_says_nothing_of_the_line_is_not_counted():
    assert today(replace(IMAGE, line=None)) is None
    assert today(replace(IMAGE, thickness_cm=40)) is None
    assert today(IMAGE, replace(LSPINE, range_cm=(25, 36))) is None
    assert seen_of([replace(IMAGE, line=None)], LSPINE, ROOM, PART) == NOTHING_SEEN
    seen = seen_of([IMAGE, replace(IMAGE, di=1.0), replace(IMAGE, line=None)], LSPINE, ROOM, PART)
    assert (seen.count, seen.mean_di, seen.spread_di) == (2, pytest.approx(-0.5), pytest.approx(1.5))
