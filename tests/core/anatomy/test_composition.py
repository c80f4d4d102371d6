"""What lies in the beam: views that agree with each other, children who are none of the adult's numbers, limits."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import CHEST, KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.catalogue.loader import compositions
from oakbeam.core.anatomy.composition import FAT_RANGE, Age, bone_of_region_mm, part_of
from oakbeam.core.anatomy.growth import BONE_AT_AGE, BONE_WITH_SIZE, FAT_AT_AGE, LUNG_AT_AGE, place_of
from oakbeam.core.charts.systems import FixedKvp
from oakbeam.core.equipment.room_beam import beam_setup
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.thickness import declared_age, usual_child_cm
from oakbeam.core.physics.beam.model import rqa5_equivalent_ugy
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup

CHILDREN = ("newborn", "1y", "5y", "10y", "15y")
VIEWS = compositions()


def of(projection):
    return catalogue.projection(projection)


def bone(projection, cm, age=None):
    one = of(projection)
    return float(part_of(one.composition, one.thickness_cm[1], np.array([cm]), age=declared_age(one, age)).bones_mm[0])


@pytest.mark.parametrize(
    ("view", "mm", "how_sure"),
    [
        # Areal mineral by densitometry, 1 g/cm² as 10 mm, averaged over the index region; after reference populations, from
        # memory. The share covered is an estimate, for limbs a rough one.
        ("lumbar-ap", 8.3, 0.06),
        ("lumbar-lateral", 6.7, 0.08),
        ("hip-ap", 9.5, 0.08),
        ("pelvis-ap", 8.3, 0.08),
        ("heel-lateral", 6.0, 0.08),
        ("wrist-pa", 5.2, 0.10),
        ("skull-pa", 18.0, 0.06),
        ("skull-lateral", 12.5, 0.08),
        ("chest-pa", 2.7, 0.10),
        ("knee-ap", 10.0, 0.10),
        ("ankle-lateral", 12.5, 0.10),
    ],
)
def test_bone_is_what_densitometry_found(view, mm, how_sure):
    assert VIEWS[view].bone_mm == pytest.approx(mm, rel=how_sure)


def test_the_views_of_one_part_agree_with_each_other():
    """More on the lateral ray where bones lie behind each other, less where the arch leaves it."""
    assert VIEWS["lumbar-lateral"].bone_mm < VIEWS["lumbar-ap"].bone_mm < VIEWS["l5s1-lateral"].bone_mm
    assert VIEWS["ankle-lateral"].bone_mm > VIEWS["ankle-ap"].bone_mm
    assert VIEWS["wrist-lateral"].bone_mm > 1.8 * VIEWS["wrist-pa"].bone_mm
    assert VIEWS["knee-lateral"].bone_mm == pytest.approx(VIEWS["knee-ap"].bone_mm, rel=0.1)
    assert VIEWS["chest-pa"].lung_fraction > VIEWS["chest-lateral"].lung_fraction > VIEWS["chest-lying"].lung_fraction


@given(st.floats(50, 3000), st.floats(8, 250), st.floats(0.2, 1))
def test_bone_of_a_region_is_less_than_under_the_bone_and_less_than_its_average(section, shadow, covers):
    ray = section / shadow
    if ray > 60:
        return
    found = bone_of_region_mm(section, shadow, covers)
    assert 0 < found <= covers * ray + 1e-9
    if covers == 1:
        assert found == pytest.approx(ray)
    # The open part outshines what is under the bone.
    assert found >= ray * covers * math.exp(-0.04 * ray)


def test_the_worked_averages_of_a_region():
    assert bone_of_region_mm(14 * 30, 30, 0.55) == pytest.approx(6.7, abs=0.05)
    assert bone_of_region_mm(10 * 47, 47, 0.85) == pytest.approx(8.3, abs=0.1)


@given(
    st.sampled_from(sorted(catalogue.shipped().projections)),
    st.floats(0.3, 1.6),
    st.sampled_from([None, "asthenic", "hyposthenic", "sthenic", "hypersthenic"]),
    st.sampled_from([None, *CHILDREN, "adult", "older_adult"]),
)
def test_a_part_is_always_a_part(projection, share, habitus, band):
    one = of(projection)
    average = one.thickness_cm[1]
    cm = np.array([share * average])
    part = part_of(one.composition, average, cm, habitus, age=declared_age(one, band))
    assert sum(np.ravel(value)[0] for value in part.tissues.values()) == pytest.approx(1)
    assert FAT_RANGE[0] <= float(np.ravel(part.tissues["adipose"])[0]) <= FAT_RANGE[1]
    assert 0 <= part.lung_fraction < 0.9
    assert 0 <= float(part.bones_mm[0]) <= 10 * float(cm[0]) * (1 - part.lung_fraction)
    fatter = part_of(one.composition, average, cm, "hypersthenic", age=declared_age(one, band))
    assert float(np.ravel(fatter.tissues["adipose"])[0]) >= float(np.ravel(part.tissues["adipose"])[0]) - 1e-12


def test_bone_and_lung_grow_with_age_and_every_kind_of_growth_is_known():
    for growth, by_age in BONE_AT_AGE.items():
        shares = [by_age[band] for band in CHILDREN] if by_age else []
        assert shares == sorted(shares)
        assert growth in BONE_WITH_SIZE
        assert place_of(growth) in (None, *FAT_AT_AGE)
    lung = [LUNG_AT_AGE[band] for band in CHILDREN]
    assert lung == sorted(lung)
    assert {one.growth for one in VIEWS.values()} <= set(BONE_AT_AGE)


@pytest.mark.parametrize(
    ("projection", "band", "most"), [("knee-ap", "1y", 3), ("lspine-ap", "1y", 4), ("pelvis-ap", "5y", 5.5)]
)
def test_a_child_has_a_childs_bone_whether_the_age_was_said_or_not(projection, band, most):
    cm = usual_child_cm(of(projection), band)
    assert bone(projection, cm, band) < most
    assert bone(projection, cm) < 1.35 * most
    adults = of(projection).thickness_cm[1]
    assert bone(projection, adults) == pytest.approx(of(projection).composition.bone_mm)
    # Who is said to be an adult is a thin one, and not a child.
    assert bone(projection, cm, "adult") > 1.25 * bone(projection, cm)
    assert bone(projection, adults, "adult") == bone(projection, adults)


@pytest.mark.parametrize("projection", ["knee-ap", "lspine-ap", "pelvis-ap", "ankle-ap", "chest-pa", "skull-lateral"])
def test_what_a_child_needs_grows_with_age_and_so_does_what_the_same_thickness_needs(projection):
    one = of(projection)
    setup = beam_setup(ROOM, 70, 100, ROOM.support("tabletop"), 0, ROOM.receptor("panel-43"), (24, 30))

    def needs(cm, band):
        part = part_of(one.composition, one.thickness_cm[1], np.array([cm]), age=declared_age(one, band))
        return 1 / float(rqa5_equivalent_ugy(setup, part)[0])

    ages = [band for band in CHILDREN if not one.ages or band in one.ages]
    usual = [needs(usual_child_cm(one, band), band) for band in ages]
    assert usual == sorted(usual)
    if projection != "chest-pa":  # where more lung comes with age
        cm = 0.6 * one.thickness_cm[1]
        at_one_thickness = [needs(cm, band) for band in CHILDREN]
        assert [a <= 1.12 * b for a, b in pairwise(at_one_thickness)] == [True] * 4
        assert at_one_thickness[0] < at_one_thickness[-1]


@pytest.mark.parametrize("method", ["rules", "model"])
@pytest.mark.parametrize(
    ("line", "cm", "band"), [(KNEE, 8, "5y"), (LSPINE, 14, "5y"), (replace(CHEST, range_cm=(12, 33)), 14, "5y")]
)
def test_a_declared_child_never_gets_the_adults_numbers_unchanged(line, cm, band, method):
    if line is not KNEE and line is not LSPINE:
        line = replace(line, law=FixedKvp(22, 117, 2, 6))

    def technique(age):
        return derive(line, ROOM, of(line.projection), Patient(cm, age_band=age), Setup(), method=method)

    child, adult = technique(band), technique("adult")
    step = next(one for one in child.steps if one.name == "Age")
    assert step.school == "model"
    assert "a child of 4 to 9 years" in step.why
    assert child.exact_mas == pytest.approx(adult.exact_mas * step.factor)
    assert step.factor != 1
    assert any("Scaled to a child of 4 to 9 years" in one.text for one in child.cautions)
    assert not any(one.name == "Age" for one in adult.steps)


def test_an_older_adults_bone_moves_what_is_expected_and_not_the_numbers():
    adult, older, nobody = (
        derive(LSPINE, ROOM, of("lspine-ap"), Patient(21, age_band=band), Setup()) for band in ("adult", "older_adult", None)
    )
    assert older.exact_mas == adult.exact_mas == nobody.exact_mas == 40
    assert older.forecast.model_di > adult.forecast.model_di == nobody.forecast.model_di
    assert not any(one.name == "Age" for one in older.steps)


def test_a_childrens_projection_has_its_own_figures_at_any_age():
    one = of("peds-chest-pa-child")
    assert declared_age(one, "5y") is None
    assert declared_age(of("knee-ap"), "5y") == Age("5y", usual_child_cm(of("knee-ap"), "5y"))
    assert declared_age(of("knee-ap"), None) is None
