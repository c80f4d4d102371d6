"""What a calibration moves of a line, and that the correction holds what the receptor gets."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import CHEST, HAND, KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.charts.calibration_effect import Moved, corrected, effect
from oakbeam.core.charts.line import Link
from oakbeam.core.equipment.room import Output

PROJECTIONS = {one: catalogue.projection(one) for one in ("lspine-ap", "knee-ap", "chest-pa", "hand-pa")}


def room_with(output: float, index: float):
    outputs = tuple(Output(one.kvp, one.kerma_ugy_per_mas * output) for one in ROOM.outputs)
    return replace(
        ROOM, outputs=outputs, receptors=tuple(replace(one, ei_scale=one.ei_scale * index) for one in ROOM.receptors)
    )


@given(st.sampled_from([LSPINE, KNEE, CHEST, HAND]), st.floats(0.55, 1.8), st.floats(0.8, 1.25))
def test_a_corrected_line_gives_the_index_that_it_gave_before_up_to_the_cap(line, output, index):
    moved = effect(line, PROJECTIONS[line.projection], ROOM, room_with(output, index))
    assert moved.di_change == pytest.approx(10 * math.log10(output * index), abs=0.02)
    assert moved.kerma_change_percent == pytest.approx(100 * (output - 1), abs=0.1)
    back = corrected(line, Moved("2026-11-12", moved.di_change, moved.kerma_change_percent), ROOM)
    (kvp, mas), (kvp_now, mas_now) = line.at(line.thickness_cm), back.line.at(line.thickness_cm)
    left = 10 * math.log10(output * index * mas_now / mas)
    assert kvp_now == kvp and back.left_di == pytest.approx(left, abs=0.03)
    # Bands stay on stations, which lie a DI apart; the others are held to the number, up to a factor of two.
    assert abs(left) <= max(abs(moved.di_change) - 3, 0) + (0.6 if line is CHEST else 0.03)
    assert 0.5 <= back.mas_factor <= 2.0


def test_aec_holds_its_exposure_and_only_the_index_scale_moves_it():
    by_aec = replace(LSPINE, exposure_control="aec")
    project = PROJECTIONS["lspine-ap"]
    assert effect(by_aec, project, ROOM, room_with(0.5, 1.0)).di_change == 0
    assert effect(by_aec, project, ROOM, room_with(0.5, 1.25)).di_change == pytest.approx(0.97, abs=0.01)
    assert corrected(by_aec, Moved("2026-11-12", 0.97, 0), ROOM) is None


def test_the_check_calls_it_unusable_from_a_whole_di_and_leaves_followers_to_their_parent():
    lines = [replace(LSPINE, key=1), replace(KNEE, key=2), replace(HAND, key=3, link=Link(2))]
    moved = {1: Moved("2026-11-12T08:00", -1.4, -28), 2: Moved("2026-11-12T08:00", 0.4, 10), 3: Moved("2026-11-12", 0.7, 17)}
    found = [one for one in check_chart(lines, ROOM, PROJECTIONS, moved) if one.rule == "since_calibration"]
    assert [(one.severity, one.lines, one.proposal is None) for one in found] == [
        ("error", (0,), False),
        ("warning", (2,), True),
    ]
    assert found[0].proposal.law.mas == pytest.approx(40 * 10**0.14)
    assert not [one for one in check_chart(lines, ROOM, PROJECTIONS) if one.rule == "since_calibration"]
