"""What is expected of a technique: the best estimate of what will happen, whichever method made it."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from tests.conftest import CHEST, KNEE, LINES, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.equipment.room import Calibration
from oakbeam.core.patient.dose_levels import dose_levels
from oakbeam.core.patient.patient import Patient
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.forecast import LINE_SPREAD_DI, Seen, standing
from oakbeam.core.technique.set_up import Setup
from oakbeam.core.technique.warnings import METHODS_PART
from oakbeam.demo import clinic

DI = st.floats(-4, 4)
SPREAD = st.floats(0.2, 3)


def of(line, cm, method="rules", room=ROOM, seen=None, **setup):
    part = catalogue.projection(line.projection)
    return derive(line, room, part, Patient(cm), Setup(**setup), "average", method, seen or Seen())


def parting(found):
    return [one.text for one in found.cautions if one.cites == METHODS_PART]


@given(DI, SPREAD, SPREAD, st.integers(0, 200), DI, SPREAD)
def test_what_is_known_lies_between_its_witnesses_and_is_surer_than_any(model, unsure, patient, count, mean, scatter):
    found = standing(model, unsure, patient, Seen(count, mean, scatter))
    said = [0.0, model, *([mean] if count else [])]
    assert min(said) - 1e-9 <= found.mean_di <= max(said) + 1e-9
    assert found.spread_di < min(LINE_SPREAD_DI, unsure)
    assert min(patient, scatter) - 1e-9 <= found.patient_di <= max(patient, scatter) + 1e-9


def test_a_line_is_not_on_target_because_it_says_so_and_its_images_are_heard_most():
    """Worked: a line of ±0.8 that claims 0 beside a model of ±0.8 that expects 2 is taken as 1, ±0.57."""
    even = standing(2.0, 0.8, 0.7)
    assert (even.mean_di, even.spread_di) == (pytest.approx(1), pytest.approx(0.8 / math.sqrt(2)))
    assert standing(None, 0.0, 0.7).mean_di == 0
    many = standing(2.0, 0.8, 0.7, Seen(100, -0.5, 0.7))
    assert many.mean_di == pytest.approx(-0.5, abs=0.06)
    assert many.spread_di < 0.08


@given(st.sampled_from(sorted(LINES)), st.floats(0, 1), st.sampled_from(["rules", "model"]))
def test_at_another_thickness_the_forecast_moves_as_the_model_does(name, share, method):
    line = LINES[name]
    low, high = line.range_cm
    own, other = (of(line, cm, method) for cm in (line.thickness_cm, low + share * (high - low)))
    assume(own.forecast.model_di is not None and other.forecast.model_di is not None)
    moved = other.forecast.di - own.forecast.di
    # What is not known of the mean differs with thickness, and with it the weight of the witnesses, a little.
    assert moved == pytest.approx(other.forecast.model_di - own.forecast.model_di, abs=0.6)
    assert other.forecast.di_low < other.forecast.di < other.forecast.di_high


@pytest.mark.parametrize(
    ("line", "cm", "setup"),
    [
        (replace(KNEE, support="table_bucky", receptor="panel-43", grid_ratio=12, sid_cm=107), 12, {"grid_ratio": 0}),
        (CHEST, 22, {"kvp": 90}),
        (LSPINE, 21, {"field_cm": (10, 10)}),
    ],
    ids=["knee without its grid", "a chest at 90 for 117 kVp by the 15 % rule", "a small field"],
)
def test_a_textbook_step_is_checked_and_not_repeated(line, cm, setup):
    """The forecast is the model's, and where the two part both techniques are said; taking the other brings it home."""
    plain = of(line, cm).forecast.di
    by_rules, by_model = (of(line, cm, method, **setup) for method in ("rules", "model"))
    assert abs(by_model.forecast.di - plain) < 0.75  # a station's half step at each end, and no more
    assert abs(by_rules.forecast.di - plain) > 0.4
    if by_rules.technique.kvp == by_model.technique.kvp:
        apart = 10 * math.log10(by_rules.technique.mas / by_model.technique.mas)
        assert by_rules.forecast.di - by_model.forecast.di == pytest.approx(apart, abs=0.05)
    (text,) = parting(by_rules)
    for number in (f"{by_rules.technique.mas:g} mAs", f"{by_model.technique.mas:g} mAs", f"{abs(by_rules.forecast.di):.1f}"):
        assert number in text
    assert parting(by_model) == []


def test_where_both_agree_and_under_aec_nothing_is_said():
    assert parting(of(LSPINE, 21)) == []
    assert parting(of(LSPINE, 21, sid_cm=110)) == []
    aec = of(LSPINE, 24, exposure_control="aec", aec_density=1)
    assert aec.forecast.di == pytest.approx(10 * math.log10(ROOM.aec.density_step), abs=0.3)
    assert parting(aec) == []
    assert parting(of(LSPINE, 21, kvp=80, mas=160)) == []


def test_a_chamber_without_a_curve_drifts_with_the_beam_and_the_forecast_says_so():
    assert ROOM.aec
    drifting = replace(ROOM, aec=replace(ROOM.aec, holds="kerma"))
    held = of(LSPINE, 21, exposure_control="aec").forecast.di

    def drift(**setup):
        found = of(LSPINE, 21, room=drifting, exposure_control="aec", **setup)
        return found.forecast.di - of(LSPINE, 21, exposure_control="aec", **setup).forecast.di

    # Where it was set hardly any (the part has bone, the phantom none); a CsI receptor's signal per kerma falls with kVp.
    assert abs(held) < 0.4
    assert abs(drift()) < 0.5
    by_kvp = [drift(kvp=kvp) for kvp in (60, 80, 100, 120)]
    assert by_kvp[0] < by_kvp[1] - 0.2
    assert max(by_kvp) - min(by_kvp) > 0.5
    # mAs by hand is not the chamber's.
    by_hand = [of(LSPINE, 21, room=room, exposure_control="aec", mas=40).technique.mas for room in (ROOM, drifting)]
    assert by_hand[0] == by_hand[1]


def test_a_calibrated_room_and_logged_images_narrow_the_band():
    calibrated = replace(ROOM, calibration=Calibration("2026-11-01T08:00:00Z", "ilse", 9, 2.0, ""))
    wide, known, seen = (
        of(LSPINE, 21, room=room, seen=images).forecast
        for room, images in ((ROOM, Seen()), (calibrated, Seen()), (ROOM, Seen(60, 0.4, 0.6)))
    )
    widths = [one.di_high - one.di_low for one in (wide, known, seen)]
    assert widths[0] > widths[1] > widths[2]
    assert seen.di == pytest.approx(0.4, abs=0.1)
    assert seen.seen == 60
    assert wide.entrance_surface_kerma_mgy > wide.incident_air_kerma_mgy


def test_dose_is_held_against_a_level_of_its_own_quantity_and_age():
    level = catalogue.projection("lspine-ap").usual_kerma_mgy
    usual, much = of(LSPINE, 21), of(LSPINE, 33)
    held = [(one.quantity, one.value) for one in usual.forecast.levels]
    assert sorted(held) == [("incident_air_kerma", 4.2), ("kerma_area_product", 1500)]
    # The one that is passed by most stands first, each against its own figure.
    given = {"incident_air_kerma": much.forecast.incident_air_kerma_mgy, "kerma_area_product": much.forecast.kap_mgycm2}
    times_each = [given[one.quantity] / one.value for one in much.forecast.levels]
    assert times_each == sorted(times_each, reverse=True)
    said = [one.text for one in much.cautions if one.cites == "dose level"]
    kap = much.forecast.kap_mgycm2
    assert kap / 1500 > much.forecast.incident_air_kerma_mgy / level > 2
    (text,) = said
    assert text.startswith(f"KAP {kap:.0f} mGy·cm² is {kap / 1500:.1f} times an example level, 1500 mGy·cm² for the average")
    assert not [one for one in usual.cautions if one.cites == "dose level"]
    child = derive(KNEE, ROOM, catalogue.projection("knee-ap"), Patient(8, age_band="5y"), Setup())
    assert child.forecast.levels == ()


@pytest.mark.parametrize(
    ("age", "weight_kg", "kap"),
    [("newborn", None, 15), ("1y", None, 22), ("5y", None, 50), ("5y", 14.9, 22), ("10y", 50, 87), ("15y", 95, None)],
)
def test_a_child_is_held_against_the_kap_of_its_weight(age, weight_kg, kap):
    found = dose_levels(catalogue.projection("chest-pa"), Patient(16, age_band=age, weight_kg=weight_kg))
    assert [(one.quantity, one.value) for one in found] == ([("kerma_area_product", kap)] if kap else [])


def test_a_childrens_projection_has_its_usual_childs_level_and_no_adult_is_held_against_it():
    infant = catalogue.projection("peds-chest-ap-infant")
    held = dose_levels(infant, Patient(12, age_band="1y"))
    assert [(one.quantity, one.value, one.of_whom) for one in held] == [
        ("incident_air_kerma", 0.04, "the average child"),
        ("kerma_area_product", 22, "a child of 5 to 15 kg"),
    ]
    assert [one.value for one in dose_levels(infant, Patient(12))] == [0.04]
    assert dose_levels(infant, Patient(12, age_band="adult")) == ()


def test_a_childs_wide_field_is_over_its_level():
    held = [
        derive(
            CHEST, ROOM, catalogue.projection("chest-pa"), Patient(16, age_band="5y", weight_kg=20), Setup(kvp=60, mas=mas)
        )
        for mas in (2, 50)
    ]
    said = [[one.text for one in each.cautions if one.cites == "dose level"] for each in held]
    assert said[0] == []
    assert "times an example level, 50 mGy·cm² for a child of 15 to 30 kg" in said[1][0]


def test_a_focus_too_near_to_the_skin_is_said_for_fixed_and_mobile_units():
    portable = clinic.portable()
    mobile = next(line for line in clinic.chart_lines(portable) if line.thickness_cm > 15)
    for room, line, least in ((ROOM, LSPINE, 45), (portable, mobile, 30)):
        part, cm, gap = catalogue.projection(line.projection), line.thickness_cm, room.support(line.support).gap_cm
        for ssd, count in ((least - 1, 1), (least + 1, 0)):
            found = derive(line, room, part, Patient(cm), Setup(sid_cm=ssd + cm + gap, kvp=70, mas=10))
            assert len([one for one in found.cautions if one.cites == "focus to skin"]) == count


def test_what_the_methods_part_by_is_said_first():
    """Before what else there is to say of the step: it is about the numbers that stand above."""
    found = of(CHEST, 22, kvp=90)
    assert found.cautions[0].cites == METHODS_PART
    assert any(one.cites == "15 % rule" for one in found.cautions[1:])
