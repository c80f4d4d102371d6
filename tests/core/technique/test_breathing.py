"""A breathing technique finds its own kVp, or says the one thing to set."""

from __future__ import annotations

import math
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOM

from oakbeam import catalogue
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.patient import Patient
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.result import Derived
from oakbeam.core.technique.set_up import Setup
from oakbeam.demo import clinic

SLOW = [line for line in clinic.chart_lines(ROOM) if "slow" in catalogue.projection(line.projection).breathing]
STERNUM = next(line for line in SLOW if line.projection == "sternum-rao" and line.grid_ratio)


def breathing(line, thickness_cm: float, **setup) -> Derived:
    patient = Patient(thickness_cm, thickness_confirmed=True)
    projection = catalogue.projection(line.projection)
    return derive(line, ROOM, projection, patient, Setup(exposure_control="breathing", **setup))


@pytest.mark.parametrize(("thickness_cm", "least_ms"), [(19, 1000), (26, 2000)])
def test_the_sternum_gets_its_seconds_within_the_usual_kvp(thickness_cm, least_ms):
    found = breathing(STERNUM, thickness_cm).technique
    assert 65 <= found.kvp <= 80
    assert least_ms <= found.time_ms <= 4000


def test_a_thin_sternum_needs_a_longer_distance_and_then_has_it():
    with pytest.raises(Refusal, match="Set the SID to 120 cm") as refused:
        breathing(STERNUM, 15)
    assert refused.value.allowed == ["manual", "aec"]
    assert breathing(STERNUM, 15, sid_cm=120).technique.time_ms >= 1000


@given(st.sampled_from(SLOW), st.floats(0, 1))
def test_it_holds_the_exposure_within_usual_kvp_or_says_what_to_set(line, share):
    low, high = line.range_cm
    window = catalogue.projection(line.projection).kvp_usual(line.support)
    try:
        found = breathing(line, low + share * (high - low))
    except Refusal as refused:
        assert refused.detail.endswith(("manual.", "cm.")), refused.detail
        return
    assert 1000 <= found.technique.time_ms <= 4000
    moved = [step for step in found.steps if step.name == "Breathing"]
    assert not moved or window[0] <= found.technique.kvp <= window[1]
    half_a_step = max(math.log2(b / a) for a, b in pairwise(ROOM.generator.mas)) / 2
    assert abs(found.residual_log2) <= half_a_step + 1e-9


def test_what_is_set_by_hand_stays():
    assert breathing(STERNUM, 26, kvp=80).technique.kvp == 80


def as_charted(thickness_cm: float, still: bool = True, **setup) -> Derived:
    patient = Patient(thickness_cm, cannot_keep_still=not still)
    return derive(STERNUM, ROOM, catalogue.projection("sternum-rao"), patient, Setup(**setup))


def test_views_that_are_taught_so_are_drafted_so_and_open_so():
    first = {line.projection for line in SLOW if catalogue.projection(line.projection).breathing[0] == "slow"}
    assert {line.projection for line in SLOW if line.exposure_control == "breathing"} == first
    assert as_charted(19).technique == breathing(STERNUM, 19).technique


@pytest.mark.parametrize(
    ("found", "why"),
    [
        (lambda: as_charted(15), "Set the SID to 120 cm"),
        (lambda: as_charted(26, still=False), "cannot keep still"),
        (lambda: as_charted(15, kvp=80), "lowest mA"),
    ],
    ids=["slender", "restless", "by hand"],
)
def test_where_the_line_cannot_be_breathed_the_breath_is_held_and_it_is_said_why(found, why):
    held = found()
    assert held.technique.exposure_control == "manual"
    assert held.technique.time_ms < 1000
    (said,) = [one.text for one in held.cautions if one.cites == "breathing"]
    assert said.startswith("Breath held") and why in said


def test_unsharpness_while_breathing_is_that_of_the_part_that_keeps_still():
    slow, held = breathing(STERNUM, 26), as_charted(26, exposure_control="manual")
    assert slow.technique.time_ms > 20 * held.technique.time_ms
    assert slow.forecast.unsharpness_mm < held.forecast.unsharpness_mm
