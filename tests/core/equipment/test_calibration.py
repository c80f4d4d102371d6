"""Calibration finds the room that the readings were made in; equipment that is not whole is refused by name."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.charts.calibration_effect import effect
from oakbeam.core.charts.validation import check_serves
from oakbeam.core.equipment.calibration import HvlReading, IndexReading, OutputReading, accepted, fit
from oakbeam.core.equipment.generator import PowerPoint
from oakbeam.core.equipment.room import Aec, Grid, Output, Support, Tube
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.physics.beam.spectrum import beam_quality

LSPINE_AP = catalogue.projection("lspine-ap")


def readings(scale: float, noise: float = 0.0, kvps=(50, 80, 120), seed: int = 1) -> list[OutputReading]:
    """Readings of a tube whose output is `scale` times the model's, at 75 cm and 20 mAs."""
    chance = random.Random(seed)
    tube = ROOM.tube
    return [
        OutputReading(
            kvp,
            ma,
            20,
            75,
            scale * beam_quality(kvp, tube.filtration_mm_al)[0] * 20 * (100 / 75) ** 2 * (1 + chance.gauss(0, noise)),
        )
        for kvp in kvps
        for ma in (100, 200)
        for _ in range(3)
    ]


@settings(max_examples=20)
@given(st.floats(0.4, 1.6), st.integers(1, 99))
def test_the_scale_of_the_tube_is_found_in_spite_of_noise(scale, seed):
    found = fit(ROOM, readings(scale, 0.01, seed=seed))
    assert found.output_scale == pytest.approx(scale, rel=0.02)
    assert max(abs(point.residual_percent) for point in found.outputs) < 3
    assert all(check.kept for check in found.checks)
    assert {check.name for check in found.checks} == {"Reproducibility", "Linearity"}


def test_the_filtration_and_the_index_scale_are_found():
    hvls = [HvlReading(kvp, beam_quality(kvp, 4.1)[1]) for kvp in (60, 80, 110)]
    found = fit(ROOM, [], hvls, [IndexReading("panel-43", 2.0, 230), IndexReading("panel-43", 4.0, 460)])
    assert found.filtration_mm_al == pytest.approx(4.1, abs=0.03)
    assert found.room.tube.filtration_mm_al == pytest.approx(4.1, abs=0.03)
    assert found.room.receptor("panel-43").ei_scale == pytest.approx(1.15)
    assert found.room.outputs == ROOM.outputs


def test_what_accepting_would_change_is_told_line_by_line_and_charts_keep_their_numbers():
    stronger = fit(ROOM, readings(1.2 * ROOM.output_ugy_per_mas(80) / beam_quality(80, ROOM.tube.filtration_mm_al)[0]))
    found = effect(LSPINE, LSPINE_AP, ROOM, stronger.room)
    assert found is not None
    assert found.di_change == pytest.approx(0.79, abs=0.05)  # 10 log10 1.2
    assert found.kerma_change_percent == pytest.approx(20, abs=1)
    done = accepted(stronger, "2026-11-20T12:00:00", "physicist", "yearly")
    assert done.calibration.output_points == 18
    assert LSPINE.at(21) == (80, 40)


def test_beyond_the_kvp_that_were_read_the_earlier_output_is_carried_on():
    found = fit(ROOM, readings(0.9, kvps=(60, 100)))
    assert (found.room.outputs[0].kvp, found.room.outputs[-1].kvp) == (40, 150)
    ratio = found.room.output_ugy_per_mas(60) / ROOM.output_ugy_per_mas(60)
    assert found.room.output_ugy_per_mas(40) / ROOM.output_ugy_per_mas(40) == pytest.approx(ratio, rel=1e-4)


def test_what_is_off_is_pointed_out():
    bad = [*readings(1.0), OutputReading(100, 200, 20, 100, 500)]
    assert any("100 kVp lies" in notice for notice in fit(ROOM, bad).notices)
    jumping = [OutputReading(80, 200, 20, 100, kerma) for kerma in (900, 1000, 1100)] + readings(1.0, kvps=(60,))
    assert any("Reproducibility" in notice for notice in fit(ROOM, jumping).notices)
    bent = [OutputReading(80, ma, 20, 100, kerma) for ma, kerma in ((100, 800), (400, 1100))] + readings(1.0, kvps=(60,))
    assert any("Linearity at 80 kVp, 100 to 400 mA: 15.8 % is over 10 %" in notice for notice in fit(ROOM, bent).notices)


@pytest.mark.parametrize(
    "given",
    [
        {"outputs": []},
        {"outputs": [OutputReading(80, 100, 10, 100, 500)]},
        {"outputs": [OutputReading(30, 100, 10, 100, 500)]},
        {"outputs": [OutputReading(80, 100, 10, 5, 500)]},
        {"outputs": [OutputReading(80, 100, 10, 100, float("nan"))]},
        {"outputs": [], "hvls": [HvlReading(80, 99)]},
        {"outputs": [], "indices": [IndexReading("film-24", 2, 200)]},
        {"outputs": [], "indices": [IndexReading("panel-43", 2, 0)]},
        {"outputs": [], "indices": [IndexReading("nothing", 2, 200)]},
    ],
)
def test_readings_that_cannot_be_are_refused(given):
    with pytest.raises(Refusal):
        fit(ROOM, **given)


GENERATOR = ROOM.generator


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"name": " "}, "name"),
        ({"generator": replace(GENERATOR, mas=())}, "generator.mas"),
        ({"generator": replace(GENERATOR, ma=(10.0, 10.0))}, "generator.ma"),
        ({"generator": replace(GENERATOR, kvp=(30.0, 80.0))}, "generator.kvp"),
        ({"generator": replace(GENERATOR, time_ms=(float("nan"),))}, "generator.time_ms"),
        (
            {
                "generator": replace(
                    GENERATOR,
                    focal_spots=(replace(GENERATOR.focal_spots[0], power=(PowerPoint(10, 5), PowerPoint(100, 6))),),
                )
            },
            "power",
        ),
        ({"tube": Tube(0.1)}, "tube.filtration_mm_al"),
        ({"outputs": (Output(80, 50),)}, "outputs"),
        ({"supports": ()}, "supports"),
        ({"supports": (Support("tabletop", 0, None), Support("tabletop", 0, None))}, "supports"),
        ({"loose_grids": (Grid(7, 40, 110, (90, 140)),)}, "grid.ratio"),
        ({"loose_grids": (Grid(8, 40, 180, (90, 140)),)}, "grid.range_cm"),
        ({"receptors": ()}, "receptors"),
        ({"receptors": (replace(ROOM.receptors[0], target_ei=None),)}, "Fixed panel 43×43, target index"),
        ({"aec": Aec(backup_factor=3)}, "aec.backup_factor"),
        ({"aec": Aec(cells=())}, "aec.cells"),
    ],
)
def test_a_room_that_is_not_whole_is_refused_by_field(change, field):
    with pytest.raises(Refusal) as refused:
        check_room(replace(ROOM, **change))
    assert refused.value.field == field


def test_the_clinics_rooms_are_whole_and_a_chart_line_holds_its_equipment():
    from oakbeam.demo import clinic

    for room in clinic.rooms():
        check_room(room)
    with pytest.raises(Refusal, match=r"Lumbar spine AP \(or PA\) of the room's chart would no longer hold"):
        check_serves(replace(ROOM, supports=ROOM.supports[:1]), [(LSPINE, LSPINE_AP)])
    with pytest.raises(OutOfRange):
        ROOM.output_ugy_per_mas(30)
