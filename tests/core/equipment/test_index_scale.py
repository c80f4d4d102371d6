"""Consoles that show another number than the exposure index: there and back, their directions, and scales from readings."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.equipment.index_scale import IndexScale, ScaleReading, check_scale, fit_scale
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.image_review import deviation_index
from oakbeam.core.patient.patient import Patient
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup

SPEED = IndexScale("Sensitivity", "inverse", 1000.0)
"""The speed class S = 1000 / K [µGy] (ISO 9236-1) as an index."""
SCALES = st.one_of(
    st.builds(IndexScale, st.just("S"), st.sampled_from(["inverse", "proportional"]), st.floats(1e-3, 1e6)),
    st.builds(
        IndexScale,
        st.just("L"),
        st.just("logarithmic"),
        st.floats(-3000, 3000),
        st.one_of(st.floats(0.5, 3000), st.floats(-3000, -0.5)),
    ),
)


@given(SCALES, st.floats(2, 40_000), st.floats(1.02, 3))
def test_there_and_back_and_always_the_same_way(scale, ei, more):
    assert scale.ei(scale.shown(ei)) == pytest.approx(ei, rel=1e-6)
    assert (scale.shown(ei * more) < scale.shown(ei)) is scale.falls


def test_published_points():
    # Speed class 400 is 2.5 µGy, EI 250 (ISO 9236-1, IEC 62494-1); twice the kerma is half the number and DI +3.
    assert SPEED.shown(250) == pytest.approx(400)
    assert deviation_index(SPEED.ei(200), 250) == pytest.approx(3.01, abs=0.01)
    # On a scale of 300 per doubling (1000 per decade in round numbers) twice the kerma adds 301.
    log = IndexScale("L", "logarithmic", 1600.0, 1000.0)
    assert log.shown(500) - log.shown(250) == pytest.approx(301, abs=0.1)


@pytest.mark.parametrize("shown", [0.0, -5.0, 1e12, math.inf])
def test_a_number_that_no_image_shows_is_refused_with_what_is_possible(shown):
    with pytest.raises(OutOfRange, match="are possible"):
        SPEED.ei(shown)


@given(SCALES, st.lists(st.floats(0.3, 60), min_size=3, max_size=6, unique=True))
def test_readings_give_the_scale_they_were_read_on(scale, kermas):
    if max(kermas) / min(kermas) < 1.5:
        kermas = [*kermas, 3 * max(kermas)]
    found = fit_scale(scale.name, scale.form, [ScaleReading(one, scale.shown(100 * one)) for one in kermas])
    assert found.scale.constant == pytest.approx(scale.constant, rel=1e-6, abs=1e-3)
    assert found.largest_residual_di == pytest.approx(0, abs=1e-3)


def test_a_misread_number_shows_in_the_residual_and_too_few_are_refused():
    readings = [ScaleReading(kerma, 1000 / kerma) for kerma in (1.0, 2.5, 10.0)]
    readings.append(ScaleReading(5.0, 400.0))
    assert fit_scale("S", "inverse", readings).largest_residual_di > 2
    assert fit_scale("S", "inverse", readings[:1]).largest_residual_di is None
    with pytest.raises(Refusal, match="two kermas"):
        fit_scale("L", "logarithmic", [ScaleReading(2.5, 1900), ScaleReading(2.5, 1910)])
    with pytest.raises(Refusal, match="at least one"):
        fit_scale("S", "inverse", [])


@pytest.mark.parametrize(
    "scale",
    [
        IndexScale("", "inverse", 1000),
        IndexScale("S", "inverse", 0),
        IndexScale("S", "inverse", 1000, 5),
        IndexScale("L", "logarithmic", 1600, 0),
    ],
)
def test_a_scale_that_is_none_is_refused(scale):
    with pytest.raises(Refusal):
        check_scale(scale)


def test_a_forecast_says_what_the_console_will_show_and_film_has_no_scale():
    receptors = tuple(replace(one, index_scale=SPEED) if one.digital else one for one in ROOM.receptors)
    room = check_room(replace(ROOM, receptors=receptors))
    found = derive(LSPINE, room, catalogue.projection(LSPINE.projection), Patient(27), Setup(mas=20)).forecast
    assert found.shown_index.expected == pytest.approx(1e5 / found.ei)
    assert found.shown_index.target == pytest.approx(1e5 / found.target_ei) and found.shown_index.falls
    assert derive(LSPINE, ROOM, catalogue.projection(LSPINE.projection), Patient(27), Setup()).forecast.shown_index is None
    film = tuple(replace(one, index_scale=SPEED) for one in ROOM.receptors)
    with pytest.raises(Refusal, match="shows no index"):
        check_room(replace(ROOM, receptors=film))
