"""What each step changes, by which method, and what it says; and when there is none."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from tests.conftest import CHEST, KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.equipment.room_beam import within_receptor
from oakbeam.core.patient.conditions import exposure_worth
from oakbeam.core.patient.patient import Patient
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup


def of(line, thickness, method="rules", patient=None, **setup):
    person = patient or Patient(thickness)
    return derive(line, ROOM, catalogue.projection(line.projection), person, Setup(**setup), method=method)


def step(found, name):
    return next((one for one in found.steps if one.name == name), None)


def texts(found):
    return [caution.text for caution in found.cautions]


@pytest.mark.parametrize("method", ["rules", "model"])
def test_all_steps_come_in_the_order_of_the_work_and_each_says_who_was_asked(method):
    everything = of(
        replace(LSPINE, field_cm=(35, 43)), 24, method,
        Patient(24, conditions=(catalogue.modifier("ascites", "additive"),)),
        sid_cm=115, grid_ratio=8, grid_tilt_deg=1.0, gap_cm=10, receptor="panel-35", field_cm=(20, 25),
    )  # fmt: skip
    names = [one.name for one in everything.steps]
    order = ["Chart line", "Thickness", "SID", "Grid", "Grid alignment", "Air gap", "Receptor", "Collimation"]
    assert [name for name in names if name in order] == [name for name in order if name in names]
    assert set(order) - {"Receptor"} <= set(names)
    for one in everything.steps[2:8]:
        assert one.school == method
        assert one.other_school == {"rules": "model", "model": "rules"}[method]
        assert one.apart == (abs(math.log(one.other_factor / one.factor)) > math.log(1.1))


def test_no_difference_is_no_step():
    field = within_receptor((35, 43), ROOM.receptor("panel-43"))
    same = of(LSPINE, 21, sid_cm=107, support="table_bucky", grid_ratio=12, receptor="panel-43", gap_cm=7, field_cm=field)
    assert [one.name for one in same.steps] == ["Chart line"]


def test_a_receptor_that_changes_place_under_the_tube_changes_the_distance_and_says_so():
    table = of(LSPINE, 24, support="tabletop")
    assert step(table, "SID").factor == pytest.approx((100 / 107) ** 2)
    assert "7 cm nearer to the focus than the table Bucky" in step(table, "SID").why
    assert any("move the tube to 107 cm" in text for text in texts(table))
    bucky = of(replace(KNEE, sid_cm=100), 12, support="table_bucky", grid_ratio=12, receptor="panel-43")
    assert "7 cm further from the focus than the tabletop" in step(bucky, "SID").why
    measured = of(LSPINE, 24, support="tabletop", sid_cm=110)
    assert "the square of the SID" in step(measured, "SID").why
    assert not any("tube has not moved" in text for text in texts(measured))


def test_another_support_with_the_same_grid_is_a_step_for_the_model_alone():
    line = replace(CHEST, support="upright_bucky", grid_ratio=0)
    by_rules = of(line, 22, support="detector", sid_cm=180)
    by_model = of(line, 22, "model", support="detector", sid_cm=180)
    assert step(by_rules, "Support") is None
    assert step(by_model, "Support").factor == pytest.approx(1, abs=0.3)
    assert step(by_model, "Support").other_factor == 1


def test_the_field_counts_for_the_rules_on_thick_parts_with_a_charted_field_only():
    old, new = rules_of_thumb.collimation_factor(35 * 43), rules_of_thumb.collimation_factor(20 * 25)
    assert step(of(LSPINE, 24, field_cm=(20, 25)), "Collimation").factor == pytest.approx(new / old)
    thin = replace(LSPINE, range_cm=(5, 36))
    assert step(of(thin, 9.9, patient=Patient(9.9, thickness_confirmed=True), field_cm=(20, 25)), "Collimation") is None
    assert step(of(replace(LSPINE, field_cm=None), 24, field_cm=(20, 25)), "Collimation") is None
    assert step(of(replace(LSPINE, field_cm=None), 24, "model", field_cm=(20, 25)), "Collimation").factor > 1


def test_one_condition_counts_the_strongest_and_it_moves_what_it_should():
    weak, strong = (catalogue.modifier(key, "additive", "destructive") for key in ("soft-tissue-swelling", "osteopetrosis"))
    found = of(LSPINE, 24, patient=Patient(24, conditions=(weak, strong)))
    assert exposure_worth(strong, 80) > exposure_worth(weak, 80)
    assert step(found, strong.name).kvp_after == pytest.approx(80 * 1.1)
    assert step(found, strong.name).factor == 1
    assert step(found, weak.name) is None
    assert any("not stacked: only osteopetrosis" in text for text in texts(found))
    alone = of(LSPINE, 24, patient=Patient(24, conditions=(weak,)))
    assert not any("stacked" in text for text in texts(alone))


def test_a_medium_moves_the_kvp_into_its_window_and_not_within_it():
    iodine = catalogue.modifier("iodine", "contrast")
    assert iodine.kvp_window is not None
    low, high = iodine.kvp_window
    above = of(replace(LSPINE, law=replace(LSPINE.law, kvp=high + 10)), 21, patient=Patient(21, contrast=iodine))
    moved = step(above, iodine.name)
    assert moved.kvp_after == high
    assert moved.factor == pytest.approx(rules_of_thumb.mas_for_kvp(1, high + 10, high))
    inside = of(replace(LSPINE, law=replace(LSPINE.law, kvp=(low + high) / 2)), 21, patient=Patient(21, contrast=iodine))
    assert step(inside, iodine.name) is None


def test_by_hand_one_follows_the_other_and_two_give_the_exposure_up():
    kvp = of(LSPINE, 21, kvp=92)
    assert step(kvp, "kVp by hand").factor == pytest.approx(rules_of_thumb.mas_for_kvp(1, 80, 92))
    assert "by the 15 % rule" in step(kvp, "kVp by hand").why
    mas = of(LSPINE, 21, mas=20)
    assert step(mas, "mAs by hand").kvp_after == pytest.approx(92)
    model = of(LSPINE, 21, "model", mas=20)
    assert step(model, "mAs by hand").school == "model"
    assert "by the physics model" in step(model, "mAs by hand").why
    for same in ({"kvp": 80.0}, {"mas": 40.0}, {"kvp": 80.0, "mas": 40.0}):
        assert [one.name for one in of(LSPINE, 21, **same).steps] == ["Chart line"]
    both = of(LSPINE, 21, kvp=80, mas=50)
    assert step(both, "kVp and mAs by hand").factor == pytest.approx(1.25)


@pytest.mark.parametrize(
    ("charted", "kvp", "said"),
    [
        (66, 58, "too weak below 60 kVp"),
        (66, 60, None),
        (90, 104, "too strong above 100 kVp"),
        (90, 100, None),
        (80, 110, "more than two steps"),
    ],
)
def test_the_15_percent_rule_says_where_it_is_not_to_be_trusted(charted, kvp, said):
    line = replace(LSPINE, law=replace(LSPINE.law, kvp=charted))
    found = " ".join(text for text in texts(of(line, 21, kvp=kvp)) if "15 % rule" in text)
    assert (said in found) if said else found == ""
    assert not any("15 % rule" in text for text in texts(of(line, 21, "model", kvp=kvp)))


def test_a_density_setting_trims_only_what_the_chamber_ends():
    up = of(LSPINE, 24, exposure_control="aec", aec_density=2)
    plain = of(LSPINE, 24, exposure_control="aec")
    assert up.exact_mas == pytest.approx(plain.exact_mas * ROOM.aec.density_step**2)
    assert "+2 steps" in step(up, "Density setting").why
    assert "−1 steps" in step(of(LSPINE, 24, exposure_control="aec", aec_density=-1), "Density setting").why
    assert step(of(LSPINE, 24, aec_density=2), "Density setting") is None
