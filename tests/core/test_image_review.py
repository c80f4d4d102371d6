"""The judgement of an image: IEC 62494-1 values, TG-116 levels, and never a repeat for a high index alone."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.core import image_review as e
from oakbeam.core.errors import OutOfRange

FINDINGS = st.frozensets(st.sampled_from(sorted(e.FINDINGS)))


@pytest.mark.parametrize(
    ("ei", "target", "di"), [(250, 250, 0), (500, 250, 3.0103), (125, 250, -3.0103), (315, 250, 1.0037)]
)
def test_deviation_index(ei, target, di):
    assert e.deviation_index(ei, target) == pytest.approx(di, abs=1e-4)


@pytest.mark.parametrize(
    ("di", "level", "repeat"),
    [
        (0.5, "on_target", "no"),
        (-0.5, "on_target", "no"),
        (0.51, "acceptable", "no"),
        (-1.0, "acceptable", "no"),
        (1.01, "over", "only_if_clipped"),
        (3.0, "over", "only_if_clipped"),
        (3.01, "excessive", "only_if_clipped"),
        (-1.01, "under", "ask_radiologist"),
        (-3.0, "under", "ask_radiologist"),
        (-3.01, "far_under", "yes"),
    ],
)
def test_action_levels(di, level, repeat):
    found = e.evaluate(di)
    assert (found.level, found.repeat) == (level, repeat)


@given(st.floats(0, 20), FINDINGS)
def test_a_high_index_never_by_itself_asks_for_a_repeat(di, findings):
    assert e.evaluate(di, findings).repeat != "yes"


@given(st.floats(-20, 20), FINDINGS)
def test_nothing_is_corrected_from_an_index_that_does_not_speak_for_the_part(di, findings):
    found = e.evaluate(di, findings)
    assert (found.factor is None) == bool(findings & e.UNRELIABLE) == (not found.reliable)
    if not found.reliable:
        assert found.repeat != "yes"
    if findings & e.NOT_CURED_BY_MAS:
        assert found.change == "technique_not_at_fault"
        assert found.check_first


@given(st.floats(0.1, 500), st.floats(-6, 6))
def test_the_corrected_mas_would_have_been_on_target(mas, di):
    assert e.corrected_mas(mas, di) * 10 ** (di / 10) == pytest.approx(mas)


def test_what_to_change():
    assert e.evaluate(-2).change == "mas"
    assert e.evaluate(-2, frozenset({"not_penetrated"})).change == "kvp"
    assert e.evaluate(0.2, frozenset({"flat_contrast"})).change == "kvp"
    assert e.evaluate(0.8).change == "none"
    assert "SID" in e.evaluate(-2).check_first[0]
    assert "clipped" not in e.evaluate(2).repeat_why
    assert e.evaluate(0, frozenset({"clipped"})).repeat == "only_if_clipped"


@given(st.floats(0.45, 2.2))
def test_film_density_and_deviation_are_inverse(density):
    assert e.density_from_deviation(e.deviation_from_density(density)) == pytest.approx(density)


def test_film_at_its_speed_point_and_beyond_its_straight_line():
    assert e.deviation_from_density(1.2) == pytest.approx(0)
    assert e.deviation_from_density(1.2 + 2.6 * 0.30103) == pytest.approx(3.0103)  # twice the exposure
    with pytest.raises(OutOfRange) as refused:
        e.deviation_from_density(3)
    assert refused.value.allowed == {"min": 0.45, "max": 2.2, "unit": "OD"}
    assert e.density_from_deviation(6) is None
