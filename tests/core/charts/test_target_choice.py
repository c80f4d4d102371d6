"""A target index from accepted images: in order, priced in dose, and put into lines with their mAs."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import CHEST, KNEE, LSPINE

from oakbeam.core.charts.target_choice import FEWEST_IMAGES, Accepted, retargeted, target_choices
from oakbeam.core.errors import Refusal

IMAGES = st.lists(st.builds(Accepted, st.floats(60, 2000), st.booleans()), min_size=FEWEST_IMAGES, max_size=80)


@given(IMAGES, st.floats(100, 800))
def test_choices_stand_in_order_between_what_was_accepted_and_each_costs_its_share_of_dose(images, target):
    found = target_choices("knee-ap", "panel-24", target, images)
    assert [one.ei for one in found.choices] == sorted({one.ei for one in found.choices})
    assert found.low_ei <= found.median_ei <= found.high_ei
    # Of equal indices the middle between two is a last digit off.
    below = sum(one.ei < found.low_ei * (1 - 1e-12) for one in images) / len(images)
    assert below <= 0.2 + 2 / len(images)  # interpolated between two images
    for one in found.choices:
        assert one.dose_change_percent == pytest.approx(100 * (one.ei / target - 1))
        near = [image for image in images if abs(10 * math.log10(image.ei / one.ei)) <= 1]
        assert (one.near, one.noisy) == (len(near), sum(image.noisy for image in near))
    now = next(one for one in found.choices if one.says == "the target now")
    assert (now.ei, now.dose_change_percent) == (target, 0)


def test_a_few_images_speak_for_nothing():
    assert target_choices("knee-ap", "panel-24", 400, [Accepted(300, False)] * (FEWEST_IMAGES - 1)) is None


@pytest.mark.parametrize("line", [LSPINE, KNEE, CHEST])
def test_a_lines_mas_follows_its_target(line):
    lower = retargeted(line, 250, 200)
    assert lower.target_ei == 200
    for cm in (line.thickness_cm, line.range_cm[0]):
        (kvp, mas), (kvp_now, mas_now) = line.at(cm), lower.at(cm)
        assert (kvp_now, mas_now) == (kvp, pytest.approx(0.8 * mas))
    with pytest.raises(Refusal):
        retargeted(line, 250, 20)
