"""Slips of the pen in a calibration: honest readings are left alone, wrong ones are named with what is likely wrong."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from tests.conftest import ROOM

from oakbeam.core.equipment.calibration import HvlReading, IndexReading, OutputReading
from oakbeam.core.equipment.calibration_slips import least_hvl_mm_al, slips
from oakbeam.core.equipment.templates import room_templates

NEW = replace(room_templates()["fixed-dr"].room, id="x", name="X")
KVPS = (60, 70, 80, 100, 120)


def honest(room, scale=1.0, spread=(1.0,) * 5, distance_cm=100.0):
    return [
        OutputReading(kvp, 200, 20, distance_cm, 20 * scale * one * room.output_ugy_per_mas(kvp) * (100 / distance_cm) ** 2)
        for kvp, one in zip(KVPS, spread, strict=True)
    ]


@given(st.floats(0.85, 1.18), st.tuples(*[st.floats(0.96, 1.04)] * 5), st.sampled_from([60.0, 75.0, 100.0]))
def test_honest_readings_of_a_tube_that_ages_are_left_alone(scale, spread, distance_cm):
    assert slips(ROOM, honest(ROOM, scale, spread, distance_cm)) == ()


@given(st.floats(0.6, 2.2))
def test_a_new_room_may_give_what_tubes_give(scale):
    assert slips(NEW, honest(NEW, scale)) == ()


@given(st.integers(0, 4), st.sampled_from([0.1, 0.5, 2.0, 10.0]), st.tuples(*[st.floats(0.97, 1.03)] * 5))
def test_one_wrong_reading_is_named_whether_the_room_is_known_or_new(at, factor, spread):
    for room in (ROOM, NEW):
        read = honest(room, 1.0, spread)
        read[at] = replace(read[at], kerma_ugy=factor * read[at].kerma_ugy)
        (found,) = slips(room, read)
        assert (found.of, found.readings, found.all) == ("outputs", (at,), False)
        # Leaving it out is the way on.
        assert slips(room, read[:at] + read[at + 1 :]) == ()


@pytest.mark.parametrize(
    ("factor", "says"),
    [(1e-3, "mGy"), (0.1, "decimal point"), (10.0, "decimal point"), (1 / 8.73, "mR|decimal"), (0.5, "mAs|cm")],
)
@pytest.mark.parametrize("room", [ROOM, NEW], ids=["known", "new"])
def test_all_wrong_alike_is_told_with_what_is_likely(room, factor, says):
    found = slips(room, honest(room, factor))
    if room is NEW and factor == 0.5:
        assert found == ()  # such tubes there are
        return
    (one,) = found
    assert one.all and any(word in one.says for word in says.split("|"))


@given(st.sampled_from([50.0, 75.0, 150.0]))
def test_another_distance_than_typed(true_cm):
    read = [replace(one, distance_cm=100.0) for one in honest(ROOM, distance_cm=true_cm)]
    (found,) = slips(ROOM, read)
    assert found.all and f"read at {true_cm:g} cm, not at 100" in found.says


def test_least_half_value_layers_are_the_published_ones():
    # IEC 60601-1-3: 2.9 mm Al at 80 kV, 3.6 at 100, 5.4 at 150.
    assert [least_hvl_mm_al(kvp) for kvp in (80, 100, 150)] == [2.9, 3.6, 5.4]
    soft, right, hard = (slips(ROOM, [], [HvlReading(80, mm)]) for mm in (2.4, 3.2, 7.5))
    assert "least of 2.9" in soft[0].says and right == () and "misread" in hard[0].says


@given(st.floats(0.55, 1.9), st.lists(st.floats(1, 20), min_size=1, max_size=5), st.floats(3, 12))
def test_indices_over_what_the_kerma_calls_for(scale, kermas, wrong):
    read = [IndexReading("panel-43", kerma, 100 * scale * kerma) for kerma in kermas]
    assert slips(ROOM, [], [], read) == ()
    far = [replace(one, ei=one.ei * wrong) for one in read]
    assume(not 0.5 <= scale * wrong <= 2)
    assert [one.all for one in slips(ROOM, [], [], far)] == [True]
    if len(read) >= 3:
        one_off = [far[0], *read[1:]]
        assert [(one.readings, one.all) for one in slips(ROOM, [], [], one_off)] == [((0,), False)]
