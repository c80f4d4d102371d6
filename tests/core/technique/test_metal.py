"""Metal in the part: by hand the technique stays and the index reads low; a chamber behind it waits."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOM
from tools.tables.materials import coefficients

from oakbeam import catalogue
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.systems import FixedKvp
from oakbeam.core.equipment.room import Room
from oakbeam.core.patient.patient import Patient
from oakbeam.core.physics.beam.tables import tables
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup

LINE = ChartLine("lspine-ap", "panel-43", "table_bucky", 12, 107, (13, 36), FixedKvp(21, 80, 32, 4.5))
METALS = [one for one in catalogue.modifiers().values() if one.kind == "hardware"]
RODS = catalogue.modifiers()["spinal-rods"]


def derived(room: Room, **more):
    setup = Setup(exposure_control=more.pop("control", None))
    return derive(LINE, room, catalogue.projection("lspine-ap"), Patient(21, **more), setup)


def test_the_tables_hold_the_metals_as_nist_has_them():
    """After NIST's tables of mass attenuation: titanium 0.4052 cm²/g at 80 keV, 0.7661 at 60 keV."""
    for kev, per_gram in ((60, 0.7661), (80, 0.4052)):
        energies = np.array([float(kev)])
        assert coefficients("titanium", energies)["total"][0] / 4.54 == pytest.approx(per_gram, rel=0.01)
        at = int(np.argmin(abs(tables().energies_kev - (kev + 0.5))))
        assert tables().mu["titanium"][at] / 4.54 == pytest.approx(per_gram, rel=0.05)


def test_by_hand_the_technique_stays_and_the_index_is_said_to_read_low():
    bare, metal = derived(ROOM), derived(ROOM, hardware=RODS)
    assert (metal.technique.kvp, metal.technique.mas) == (bare.technique.kvp, bare.technique.mas)
    lost = bare.forecast.di - metal.forecast.di
    # Some of it comes through, and never more than the share that the metal covers is lost.
    assert 0.1 < lost < -10 * math.log10(1 - RODS.shadows)
    assert any(one.cites == "metal" and "reads about" in one.text for one in metal.cautions)
    assert metal.forecast.di_high - metal.forecast.di_low > bare.forecast.di_high - bare.forecast.di_low


def test_a_chamber_behind_metal_waits_and_it_is_warned_of():
    bare, metal = derived(ROOM, control="aec"), derived(ROOM, hardware=RODS, control="aec")
    assert 1.02 < metal.exact_mas / bare.exact_mas < 1 / (1 - RODS.shadows)
    assert metal.forecast.di == pytest.approx(bare.forecast.di)
    assert any(one.cites == "metal" and one.level == "warning" for one in metal.cautions)


@given(st.sampled_from(METALS), st.floats(13, 36))
def test_what_metal_takes_is_never_more_than_it_covers(metal, cm):
    projection = catalogue.projection("lspine-ap")
    bare, found = (derive(LINE, ROOM, projection, Patient(cm, hardware=one), Setup()) for one in (None, metal))
    assert found.technique == bare.technique
    lost, most = bare.forecast.di - found.forecast.di, -10 * math.log10(1 - metal.shadows)
    assert 0 < lost < most if metal.counts_in("spine") else lost == 0


def test_a_condition_counts_only_where_it_is():
    emphysema = catalogue.modifiers()["emphysema"]
    bare, said = derived(ROOM), derived(ROOM, conditions=(emphysema,))
    assert said.technique == bare.technique
    assert any("changes nothing in this part" in one.text for one in said.cautions)
    elsewhere = derived(ROOM, hardware=catalogue.modifiers()["nail"])
    assert elsewhere.forecast == bare.forecast
    assert any("Nail in the shaft: changes nothing in this part" in one.text for one in elsewhere.cautions)
    known = catalogue.modifiers()
    both = derived(ROOM, conditions=(emphysema, known["ascites"]))
    assert both.exact_mas == pytest.approx(1.5 * bare.exact_mas)
    assert not any("not stacked" in one.text for one in both.cautions)
