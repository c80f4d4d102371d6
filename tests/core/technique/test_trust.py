"""How far a line can be trusted, and what its own word is worth in the forecast."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import LSPINE

from oakbeam.core.technique.forecast import BAND_80, LINE_SPREAD_DI, Seen, standing
from oakbeam.core.technique.trust import trust_of, trust_words


@given(st.integers(0, 60), st.floats(-2, 2), st.floats(0, 2))
def test_a_line_is_proven_by_ten_images_whose_mean_is_surely_within_half_a_di(count, mean, spread):
    found = trust_of(LSPINE, Seen(count, mean, spread))
    ends = [mean + sign * BAND_80 * spread / math.sqrt(max(count, 1)) for sign in (-1, 1)]
    proven = count >= 10 and all(abs(end) <= 0.5 for end in ends)
    assert (found == "proven") == proven
    if not proven:
        assert found == ("supported" if count else "model")


@pytest.mark.parametrize(
    ("origin", "trust"), [("typed", "model"), ("model", "model"), ("tests", "supported"), ("exposure", "supported")]
)
def test_without_an_image_a_line_is_as_good_as_what_it_was_made_from(origin, trust):
    line = replace(LSPINE, origin=origin)
    assert trust_of(line, Seen()) == trust
    assert trust_words(line, Seen()).endswith("no image logged yet: watch the first image.")
    assert "1 image logged, −0.7 DI" in trust_words(line, Seen(1, -0.7))


@given(st.floats(-3, 3), st.floats(0.2, 2), st.floats(0.2, 1.5))
def test_a_lines_word_goes_by_its_origin(model_di, unsure, patient):
    """An accepted exposure is one image; a draft from test exposures is as sure as it said and counts the model only once;
    the model's own draft adds nothing to the model."""

    def found(origin, spread_di=None):
        return standing(model_di, unsure, patient, line=replace(LSPINE, origin=origin, origin_spread_di=spread_di))

    assert (found("model").mean_di, found("model").spread_di) == pytest.approx((model_di, unsure))
    assert (found("tests", 0.4).mean_di, found("tests", 0.4).spread_di) == pytest.approx((0, 0.4))
    accepted, imaged = (
        found("exposure"),
        standing(model_di, unsure, patient, Seen(1, 0.0, patient), replace(LSPINE, origin="model")),
    )
    assert (accepted.mean_di, accepted.spread_di) == pytest.approx((imaged.mean_di, imaged.spread_di))
    assert found("typed").spread_di == pytest.approx(1 / math.hypot(1 / unsure, 1 / LINE_SPREAD_DI))
