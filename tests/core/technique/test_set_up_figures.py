"""The figures beside a technique, and the chambers of the AEC."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import CHEST, KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.equipment import aec
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.exam.order import angle_words
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.posture import stance
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.image_quality import structure_oid_cm
from oakbeam.core.technique.set_up import Setup
from oakbeam.demo import clinic


def of(line, thickness, **setup):
    return derive(line, ROOM, catalogue.projection(line.projection), Patient(thickness), Setup(**setup))


def test_the_texts_own_figures():
    """Angled tube, receptor shift and light on the skin as the positioning texts work them out."""
    found = of(replace(LSPINE, sid_cm=100), 19, tube_angle_deg=15).figures  # 19 + 7 cm above the receptor
    assert found.tube_height_cm == pytest.approx(96.6, abs=0.05)
    assert found.receptor_shift_cm == pytest.approx(7.0, abs=0.05)
    assert found.mas_factor_if_left == pytest.approx(1 / math.cos(math.radians(15)) ** 2)
    light = of(replace(LSPINE, sid_cm=100), 33, field_cm=(24, 30)).figures.field_at_skin_cm
    assert light == (pytest.approx(14.4), pytest.approx(18.0))  # 36 + 4 cm in the text, 33 + 7 here
    neck = catalogue.projection("cspine-lateral")
    assert 180 / (180 - structure_oid_cm(neck, 11.5, 5)) == pytest.approx(1.16, abs=0.005)


@given(st.floats(13, 32), st.sampled_from([95.0, 110.0, 130.0]))
def test_another_sid_trades_magnification_for_mas(thickness, sid):
    found = of(LSPINE, thickness, sid_cm=sid).figures
    assert {one.sid_cm for one in found.other_sids} <= {100, 110, 115, 120}  # the grid's range is 95 to 130
    for one in found.other_sids:
        assert (one.sid_cm > sid) == (one.magnification < found.magnification) == (one.mas_factor > 1)
        assert one.mas_factor == pytest.approx((one.sid_cm / sid) ** 2)


def test_what_the_field_exposes_beyond_the_part():
    knee = of(KNEE, 12).figures
    assert (knee.beyond_cm2, knee.beyond_percent) == (0, 0)
    wide = derive(
        replace(KNEE, receptor="panel-43"), ROOM, catalogue.projection("knee-ap"), Patient(12), Setup(field_cm=(30, 40))
    ).figures
    assert wide.beyond_cm2 == 30 * 40 - 16 * 22
    assert wide.beyond_percent == pytest.approx(100 * (1 - 352 / 1200))


def test_grid_advice_says_the_threshold_and_the_price():
    found = of(LSPINE, 24).figures.grid
    assert (found.usual, found.in_use, found.ratio) == (True, True, 12)
    assert 2.5 < found.dose_factor < 6
    thin = of(KNEE, 9).figures.grid
    assert (thin.usual, thin.in_use, thin.ratio) == (False, False, None)


@given(st.floats(5, 43), st.floats(5, 43))
def test_a_chamber_is_covered_when_the_whole_of_it_lies_in_the_field(width, height):
    cells = {one.name: one for one in aec.chambers(("L", "C", "R"), "L+C", (width, height))}
    assert cells["C"].covered
    assert cells["L"].covered == cells["R"].covered == (width >= 20 - 2e-9 and height >= 15 - 2e-9)
    assert [one.name for one in cells.values() if one.selected] == ["L", "C"]


def test_the_thick_end_goes_under_the_cathode_and_the_heel_is_told_in_numbers():
    forearm = next(line for line in clinic.chart_lines(ROOM) if line.projection == "forearm-ap")
    near, far = (of(forearm, 8, sid_cm=sid_cm).figures.heel for sid_cm in (100, 140))
    assert near.said.startswith("The elbow under the cathode (foot end): along 40 cm the anode's end gets")
    assert 0 <= near.at_anode < far.at_anode < 1 < far.at_cathode + 0.05
    assert f"{100 * near.at_anode:.0f} % of the middle" in near.said
    assert of(CHEST, 22).figures.heel is None
    assert of(LSPINE, 21).figures.heel is None


def test_aec_says_why_it_cannot_be_trusted_and_density_is_a_step():
    found = of(CHEST, 22, exposure_control="aec", field_cm=(15, 43))
    texts = " ".join(caution.text for caution in found.cautions)
    assert "does not cover chamber L and R" in texts
    dense = of(CHEST, 22, exposure_control="aec", aec_density=2)
    assert dense.exact_mas == pytest.approx(of(CHEST, 22, exposure_control="aec").exact_mas * 1.25**2)
    assert dense.forecast.di == pytest.approx(20 * math.log10(1.25), abs=1e-6)
    with pytest.raises(Refusal, match="'X' is not known"):
        of(CHEST, 22, exposure_control="aec", aec_cells="X")
    with pytest.raises(OutOfRange):
        of(CHEST, 22, exposure_control="aec", aec_density=5)
    baby = derive(CHEST, ROOM, catalogue.projection("chest-pa"), Patient(22, age_band="1y"), Setup(exposure_control="aec"))
    assert "small child does not cover a chamber" in " ".join(caution.text for caution in baby.cautions)


def test_posture_follows_the_support():
    shoulder = catalogue.projection("shoulder-ap-external")
    assert stance(shoulder, "upright_bucky") == ("standing", "horizontal")
    assert stance(shoulder, "table_bucky") == ("supine", "vertical")
    assert stance(catalogue.projection("tspine-lateral"), "upright_bucky") == ("standing", "horizontal")
    assert stance(catalogue.projection("elbow-ap"), "upright_bucky") == ("seated", "horizontal")
    assert stance(catalogue.projection("sternum-rao"), "table_bucky") == ("prone", "vertical")
    assert stance(catalogue.projection("knee-lateral-crosstable"), "detector") == ("supine", "horizontal")
    assert [angle_words(deg) for deg in (0, 15, -10)] == ["0°", "15° cephalad", "10° caudal"]
