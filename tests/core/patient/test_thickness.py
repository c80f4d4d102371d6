"""Corrections, estimates and plausibility of a thickness, and what is carried over between sister views."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import LINES, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.thickness import (
    carried,
    estimated,
    measured,
    plausibility,
    refuse_unbelievable,
    trunk_diameter_cm,
    usual_child_cm,
)
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup


def of(projection):
    return catalogue.projection(projection)


@given(st.floats(1, 45), st.floats(0, 8), st.floats(0, 2))
def test_what_was_counted_in_comes_off_and_is_said(read, mat, jaw):
    if read <= mat + jaw:
        with pytest.raises(Refusal):
            measured(read, mat, jaw)
        return
    found = measured(read, mat, jaw)
    assert found.cm == pytest.approx(read - mat - jaw)
    assert (f"{mat:g} cm mat" in found.said) == (mat > 0)
    assert not found.estimated


def test_the_equivalent_cylinder_is_the_published_formula():
    """A 70 kg, 170 cm adult: d = 2 sqrt(70000 / (pi 170)) = 22.9 cm."""
    assert trunk_diameter_cm(70, 170) == pytest.approx(22.9, abs=0.05)
    with pytest.raises(OutOfRange):
        trunk_diameter_cm(700, 170)


def test_estimates_go_by_size_then_age_then_build_and_never_by_two():
    lspine = of("lspine-ap")
    heavy = estimated(lspine, "asthenic", "adult", 110, 170)
    assert heavy.cm == pytest.approx(21.5 * (110 / 70) ** 0.5, abs=0.25)
    assert "110 kg" in heavy.said
    assert estimated(lspine, "asthenic", "10y").said == "Estimated from the age, not measured."
    assert estimated(lspine, "asthenic").cm == 16.5
    assert estimated(lspine, "hypersthenic").cm == 29.5
    assert estimated(lspine).said == "The average adult's, not measured."
    assert all(estimated(lspine, *known).estimated for known in ((), ("sthenic",), (None, "5y"), (None, None, 60, 160)))


@given(st.sampled_from(sorted(LINES)), st.floats(0, 1))
def test_an_estimate_widens_the_forecast_and_nothing_else(line, share):
    chosen = LINES[line]
    low, high = chosen.range_cm
    cm = low + share * (high - low)
    sure, unsure = (
        derive(chosen, ROOM, of(chosen.projection), Patient(cm, thickness_spread_cm=spread), Setup())
        for spread in (0.5, 3.0)
    )
    assert (sure.technique, sure.exact_mas) == (unsure.technique, unsure.exact_mas)
    if sure.forecast.di_low is not None:
        assert unsure.forecast.di_high - unsure.forecast.di_low > sure.forecast.di_high - sure.forecast.di_low


@pytest.mark.parametrize(
    ("projection", "band", "cm"),
    [
        ("peds-chest-ap-neonate", "newborn", 8),
        ("peds-chest-pa-child", "5y", 14),
        ("peds-abdomen-supine", "10y", 17.5),
        ("skull-lateral", "1y", 12.5),
        ("knee-ap", "1y", 6),
        ("knee-ap", "5y", 8),
        ("elbow-ap", "10y", 6),
        ("elbow-ap", "adult", None),
        ("chest-pa", "5y", None),
        ("sij-oblique", "5y", None),
    ],
)
def test_children_by_the_tables_and_limbs_by_their_share(projection, band, cm):
    assert usual_child_cm(of(projection), band) == cm


@pytest.mark.parametrize(
    ("projection", "cm", "habitus", "band", "said"),
    [
        ("lspine-ap", 21, None, None, ""),
        ("lspine-ap", 12, None, None, "is unusual (in adults 16.5 to 29.5 cm)"),
        ("lspine-ap", 9, None, None, "Read in inches it would be 22.9 cm"),
        ("knee-ap", 28, None, None, "If this was the other scale it would be 11.0 cm"),
        ("lspine-ap", 29, "asthenic", None, "does not go with a asthenic build"),
        ("knee-ap", 6, None, "1y", ""),
        ("knee-ap", 12, None, "1y", "is unusual (at this age"),
        ("peds-chest-pa-child", 10, None, "5y", ""),
        ("peds-chest-pa-child", 9, None, "5y", "is unusual (at this age 12 to 19 cm)"),
    ],
)
def test_an_odd_reading_is_told_what_is_odd(projection, cm, habitus, band, said):
    found = " ".join(caution.text for caution in plausibility(of(projection), cm, habitus, band))
    assert (said in found) if said else found == ""


def test_a_reading_nobody_can_believe_is_refused_until_it_is_confirmed():
    with pytest.raises(Refusal, match=r"far outside what is usual here \(16.5 to 29.5 cm\)") as refused:
        refuse_unbelievable(of("lspine-ap"), 6.3, None, False)
    assert refused.value.allowed == {"min": pytest.approx(6.6), "max": 59, "unit": "cm"}
    refuse_unbelievable(of("lspine-ap"), 6.3, None, True)
    assert list(plausibility(of("lspine-ap"), 6.3))


def test_sister_views_share_a_reading_only_where_they_are_the_same_way_through_the_same_part():
    ap, oblique, lateral = of("sij-oblique"), of("sij-oblique"), of("lspine-lateral")
    same = carried({ap: 22}, oblique)
    assert (same.cm, same.estimated, same.said) == (22, False, "As measured for the AP oblique.")
    scaled = carried({of("lspine-ap"): 24}, lateral)
    assert (scaled.cm, scaled.estimated) == (33, True)  # 24 x 29.5 / 21.5, to the half
    assert carried({of("knee-ap"): 12}, lateral) is None
    assert carried({}, lateral) is None


def test_contrast_media_keep_their_window_and_who_cannot_keep_still_has_half_the_time():
    iodine = catalogue.modifier("iodine", "contrast")
    plain, high = (
        derive(LSPINE, ROOM, of("lspine-ap"), Patient(21, contrast=medium), Setup(kvp=None)) for medium in (None, iodine)
    )
    assert plain.exact_kvp == high.exact_kvp == 80
    barium = derive(
        LSPINE, ROOM, of("lspine-ap"), Patient(21, contrast=catalogue.modifier("barium-single", "contrast")), Setup()
    )
    assert barium.exact_kvp == 100
    assert barium.exact_mas == pytest.approx(40 * (80 / 100) ** 4.9594, rel=1e-3)
    restless = derive(
        LSPINE, ROOM, of("lspine-ap"), Patient(30, age_band="5y", cannot_keep_still=True), Setup(mas=400, kvp=80)
    )
    texts = " ".join(caution.text for caution in restless.cautions)
    assert "over the 200 ms" in texts
    assert "Holding: a device first" in texts
