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
    assert "alone is no reason" in e.evaluate(2).repeat_why
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


@pytest.mark.parametrize(
    ("di", "seen", "repeat", "change"),
    [
        (-4.0, {"wrong_label"}, "no", "technique_not_at_fault"),
        (-4.0, {"anatomy_missing"}, "ask_radiologist", "technique_not_at_fault"),
        (0.0, {"malpositioned"}, "ask_radiologist", "technique_not_at_fault"),
        (0.0, {"motion"}, "ask_radiologist", "technique_not_at_fault"),
        (0.0, {"cut_off"}, "ask_radiologist", "technique_not_at_fault"),
        (4.0, {"metal"}, "ask_radiologist", "technique_not_at_fault"),
        (-4.0, {"field_not_found"}, "ask_radiologist", "technique_not_at_fault"),
        (-4.0, {"off_centre", "clipped"}, "only_if_clipped", "technique_not_at_fault"),
        (0.0, {"not_penetrated"}, "no", "kvp"),
        (-2.0, {"flat_contrast"}, "ask_radiologist", "kvp"),
        (-4.0, {"noisy"}, "yes", "mas"),
        (4.0, set(), "only_if_clipped", "mas"),
        (0.9, {"noisy"}, "no", "none"),
    ],
)
def test_what_was_seen_goes_before_the_index(di, seen, repeat, change):
    """What decides a repeat, in the field's order: label, anatomy, position, burned out, motion, whether the index speaks at
    all, and only then the index."""
    found = e.evaluate(di, frozenset(seen))
    assert (found.repeat, found.change) == (repeat, change)
    assert found.reliable == (not seen & {"metal", "field_not_found", "off_centre"})
    assert (found.factor is None) == (not found.reliable)
    assert ("not reliable" in found.verdict) == (not found.reliable)
    assert found.repeat_why
    assert found.change_why


@pytest.mark.parametrize(
    ("seen", "word"),
    [("wrong_label", "Identity"), ("anatomy_missing", "Centring and field"), ("malpositioned", "Position"),
     ("motion", "Motion"), ("off_centre", "Centring:"), ("cut_off", "Grid: square"), ("field_not_found", "Collimation"),
     ("metal", "Metal")],
)  # fmt: skip
def test_each_finding_says_what_to_check_first_and_others_do_not(seen, word):
    assert any(text.startswith(word) for text in e.evaluate(0, frozenset({seen})).check_first)
    assert not any(text.startswith(word) for text in e.evaluate(0).check_first)


def test_low_and_high_ask_for_opposite_things_and_on_target_for_nothing():
    low, high = e.evaluate(-2).check_first, e.evaluate(2).check_first
    assert any("in when the chart says out" in text for text in low)
    assert any("longer than the chart" in text for text in low)
    assert any("out when the chart says in" in text for text in high)
    assert any("shorter than the chart" in text for text in high)
    assert e.evaluate(0.4).check_first == ()
    assert len(low) == 4
    assert len(high) == 5


def test_every_finding_is_asked_for_once_and_film_is_spoken_of_as_film():
    asked = [key for _, keys in e.QUESTIONS for key in keys]
    assert sorted(asked) == sorted(e.FINDINGS)
    assert e.evaluate(2, film=True).verdict == "Over-exposed film"
    assert "30 %" in e.evaluate(0, film=True).change_why


def test_the_factor_the_limits_and_what_is_refused():
    assert e.evaluate(2).factor == pytest.approx(10**-0.2)
    assert e.evaluate(-2).factor == pytest.approx(10**0.2)
    for di, level in ((0.5, "on_target"), (-0.5, "on_target"), (0.51, "acceptable"), (-1.0, "acceptable"), (-1.01, "under")):
        assert e.action_level(di) == level
    assert e.evaluate(4).check_first
    assert "on_target" not in e.evaluate(4).check_first
    for call, field in (
        (lambda: e.deviation_index(0.5, 300), "ei"),
        (lambda: e.deviation_index(300, 0), "target_ei"),
        (lambda: e.deviation_from_density(0.1), "optical_density"),
        (lambda: e.corrected_mas(0, 1), "mas"),
    ):
        with pytest.raises(OutOfRange) as refused:
            call()
        assert refused.value.field == field
    assert e.density_from_deviation(e.deviation_from_density(0.45)) == pytest.approx(0.45)
    assert e.density_from_deviation(-10) is None
    assert e.evaluate(1.5, frozenset({"metal"})).verdict == "Index not reliable (over-exposed if it were)"
    assert "usual spread" in e.evaluate(0).change_why


@pytest.mark.parametrize(
    ("ei", "target", "asked"),
    [
        (e.LEAST_INDEX, 400, False),
        (e.LEAST_INDEX - 1, 400, True),
        (e.MOST_INDEX_OF_TARGET * 400, 400, False),
        (e.MOST_INDEX_OF_TARGET * 400 + 1, 400, True),
        (None, 400, False),
        (1, None, False),
    ],
)
def test_an_index_that_can_hardly_be_is_asked_back(ei, target, asked):
    found = e.unlikely(ei, target, 10, 10)
    assert bool(found) == asked
    assert all(f"Index {ei:g}?" in text and f"target is {target:g}" in text for text in found)


@pytest.mark.parametrize(("factor", "asked"), [(1, False), (0.999, False), (1.01, True)])
def test_mas_far_from_what_was_suggested_are_asked_back_either_way(factor, asked):
    for mas in (10 * e.MOST_MAS_APART * factor, 10 / (e.MOST_MAS_APART * factor)):
        found = e.unlikely(250, 250, mas, 10)
        assert bool(found) == asked
        assert all(f"{mas:g} mAs?" in text and "10 was suggested" in text for text in found)
    assert e.unlikely(250, 250, 999, None) == ()
    assert e.unlikely(250, 250, 999, 0) == ()


def test_what_a_chamber_ended_is_not_cured_by_mas():
    found = e.evaluate(-3, density_step=1.25)
    assert found.change == "aec"
    assert "a new mAs changes nothing" in found.change_why
    # A step of 1.25 is one DI: three of them make up for -3.
    assert found.change_why.endswith("density +3.")
    assert e.evaluate(2, density_step=1.25).change_why.endswith("density −2.")
    # More than a density switch has: something else is wrong.
    assert e.evaluate(-6, density_step=1.25).change_why.endswith("Back-up reached?")
    assert e.evaluate(0.3, density_step=1.25).change == "none"
    assert e.evaluate(-3, frozenset({"metal"}), density_step=1.25).change == "technique_not_at_fault"
