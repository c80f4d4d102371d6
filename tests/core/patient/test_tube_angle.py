"""The angle rules against the values that the positioning texts give, and what they do where nothing was measured."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam import catalogue
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.patient.tube_angle import Facts, tube_angle, turn


def angle(projection, school=None, **facts):
    return tube_angle(catalogue.projection(projection), Facts(**facts), school)


@pytest.mark.parametrize(
    ("projection", "facts", "deg"),
    [
        ("knee-ap", {"pelvis_cm": 18.9}, -5),
        ("knee-ap", {"pelvis_cm": 19.0}, 0),
        ("knee-ap", {"pelvis_cm": 24.0}, 0),
        ("knee-ap", {"pelvis_cm": 24.1}, 5),
        ("knee-ap", {"pelvis_cm": 20, "pelvis_pad_cm": 2.5}, -5),
        ("knee-ap", {"habitus": "asthenic"}, -5),
        ("knee-ap", {"habitus": "sthenic"}, 0),
        ("knee-ap", {"habitus": "hypersthenic"}, 5),
        ("sij-ap-axial", {"sex": "male"}, 30),
        ("sij-ap-axial", {"sex": "female"}, 35),
        ("calcaneus-axial", {"foot_short_deg": 0}, 40),
        ("calcaneus-axial", {"foot_short_deg": 8}, 48),
        ("tspine-lateral", {"waist_supported": False, "sex": "female"}, 10),
        ("tspine-lateral", {"waist_supported": False, "sex": "male"}, 15),
        ("tspine-lateral", {"waist_supported": True, "sex": "male"}, 0),
        ("lspine-lateral", {"waist_supported": False, "sex": "female"}, -8),
        ("lspine-l5s1", {"waist_supported": False, "sex": "male"}, -5),
        ("swimmers-upright", {"shoulder_drops": True}, 0),
        ("swimmers-upright", {"shoulder_drops": False}, -5),
        ("clavicle-ap-axial", {"habitus": "hypersthenic"}, 15),
        ("clavicle-ap-axial", {"habitus": "asthenic"}, 30),
        ("foot-ap", {"arch": "high"}, 15),
        ("foot-ap", {"arch": "low"}, 5),
        ("pelvis-ap", {}, 0),
    ],
)
def test_the_texts_own_values(projection, facts, deg):
    assert angle(projection, **facts).deg == deg


@pytest.mark.parametrize(("depth", "deg"), [(15, 22), (18, 20), (21, 18), (24, 16), (27, 14), (30, 12), (35, 12), (10, 22)])
def test_the_sternum_turns_less_the_deeper_the_chest(depth, deg):
    assert turn(catalogue.projection("sternum-rao"), Facts(chest_depth_cm=depth)).deg == pytest.approx(deg)


def test_a_foot_far_short_of_a_right_angle_raises_the_leg():
    advice = angle("calcaneus-axial", foot_short_deg=15)
    assert (advice.deg, "Raise the leg by 15°" in advice.said) == (40, True)


@given(st.floats(8, 45))
def test_an_unsaid_pad_near_a_boundary_shows_both_outcomes(read):
    advice, padded = angle("knee-ap", pelvis_cm=read), angle("knee-ap", pelvis_cm=max(read, 10.5), pelvis_pad_cm=2.5)
    if read >= 10.5:
        assert (advice.either is not None) == (padded.deg != advice.deg)
    assert angle("knee-ap", pelvis_cm=read, pelvis_pad_cm=0).either is None


def test_what_was_measured_wins_over_the_build_and_says_so():
    advice = angle("knee-ap", pelvis_cm=26, habitus="asthenic")
    assert advice.deg == 5
    assert "the measurement wins" in advice.said


@pytest.mark.parametrize(
    ("projection", "asks", "either"),
    [
        ("knee-ap", "pelvis_cm", (-5, 5)),
        ("sij-ap-axial", "sex", (30, 35)),
        ("swimmers-crosstable", "shoulder_drops", (0, -5)),
        ("clavicle-ap-axial", "habitus", (15, 30)),
        ("lspine-lateral", "waist_supported", None),
        ("calcaneus-axial", "foot_short_deg", None),
    ],
)
def test_what_is_not_known_is_asked_for(projection, asks, either):
    advice = angle(projection)
    assert (advice.asks, advice.either) == (asks, either)


def test_schools_are_the_departments_choice_and_nonsense_is_refused():
    assert angle("knee-ap", "straight", pelvis_cm=30).deg == 0
    assert angle("knee-ap", "cephalad", pelvis_cm=15).deg == 6
    with pytest.raises(Refusal) as unknown:
        angle("knee-ap", "sideways")
    assert unknown.value.allowed == ["pelvis", "cephalad", "straight"]
    with pytest.raises(OutOfRange):
        angle("knee-ap", pelvis_cm=90)


def test_every_school_of_every_projection_gives_an_angle_that_the_tube_can_take():
    for projection in catalogue.shipped().projections.values():
        for way in projection.angles:
            assert -60 <= tube_angle(projection, Facts(), way.school).deg <= 60
        for way in projection.turns:
            assert -90 <= turn(projection, Facts(), way.school).deg <= 90
