"""Making lines from an accepted exposure, and refusing lines that cannot be."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import CHEST, KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.chart_making.from_exposure import AcceptedExposure, line_from_exposure
from oakbeam.core.charts.line import usual_range_cm
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, Point, VariableKvp
from oakbeam.core.charts.validation import check_line, check_serves
from oakbeam.core.errors import Refusal

LSPINE_AP = catalogue.projection("lspine-ap")
SCHOOLS = st.sampled_from(["fixed_kvp", "variable_kvp", "banded"])


@given(SCHOOLS, st.floats(14, 35), st.floats(78, 85), st.floats(5, 100))
def test_a_line_goes_through_the_exposure_it_was_made_from(school, thickness, kvp, mas):
    line = line_from_exposure(
        AcceptedExposure(thickness, kvp, mas), LSPINE, LSPINE_AP, ROOM, school, 1 if school == "variable_kvp" else None
    )
    assert line.at(thickness) == (pytest.approx(kvp), pytest.approx(mas))


@given(SCHOOLS, st.floats(60, 900))
def test_an_index_off_target_brings_the_line_to_the_target(school, ei):
    plain, told = (
        line_from_exposure(AcceptedExposure(21, 80, 40, index), LSPINE, LSPINE_AP, ROOM, school, 1)
        if school == "variable_kvp"
        else line_from_exposure(AcceptedExposure(21, 80, 40, index), LSPINE, LSPINE_AP, ROOM, school)
        for index in (None, ei)
    )
    assert told.at(21)[1] / plain.at(21)[1] == pytest.approx(250 / ei)


def test_banded_follows_the_doubling_thickness_between_the_middles_of_its_bands():
    line = line_from_exposure(AcceptedExposure(21, 80, 40), LSPINE, LSPINE_AP, ROOM, "banded", 4.5)
    small, average, large = line.law.bands
    assert [(band.name, band.min_cm, band.max_cm) for band in line.law.bands] == [
        ("small", 13, 19),
        ("average", 19, 25.5),
        ("large", 25.5, 36),
    ]
    assert average.mas == 40
    assert small.mas == pytest.approx(40 * 2 ** ((16 - 22.25) / 4.5))
    assert large.mas == pytest.approx(40 * 2 ** ((30.75 - 22.25) / 4.5))


def test_usual_ranges_hold_the_usual_adult():
    for projection in catalogue.shipped().projections.values():
        low, high = usual_range_cm(projection)
        small, _, large = projection.thickness_cm
        assert 0.5 <= low <= small < large <= high <= 45
        assert high > large or high == 45 <= large


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"range_cm": (20, 20)}, "range_cm.max"),
        ({"range_cm": (0.1, 20)}, "range_cm.min"),
        ({"sid_cm": 500}, "sid_cm"),
        ({"sid_cm": 55}, "sid_cm"),
        ({"grid_ratio": 7}, "grid_ratio"),
        ({"receptor": "none"}, "receptor"),
        ({"support": "tabletop", "grid_ratio": 0}, "support"),
        ({"target_ei": 10}, "target_ei"),
        ({"receptor": "film-24", "target_ei": 250, "field_cm": None}, "target_ei"),
        ({"field_cm": (60, 43)}, "field_cm.width"),
        ({"law": FixedKvp(21, 39, 40)}, "kvp"),
        ({"law": FixedKvp(21, 80, 3000)}, "mas"),
        ({"law": FixedKvp(21, 80, 40, 1)}, "doubling_cm"),
        ({"law": Banded(())}, "bands"),
        ({"law": Banded((Band("a", 13, 20, 80, 10), Band("b", 21, 36, 80, 20)))}, "bands"),
        ({"law": Banded((Band("a", 13, 30, 80, 10),))}, "bands"),
        ({"law": Banded((Band("a", 20, 13, 80, 10), Band("b", 13, 36, 80, 20)))}, "bands"),
    ],
)
def test_a_line_that_cannot_be_is_refused(change, field):
    with pytest.raises(Refusal) as refused:
        check_line(replace(LSPINE, **change), LSPINE_AP, ROOM)
    assert refused.value.field == field


def test_a_grid_on_the_tabletop_and_film_with_an_index_are_refused():
    knee = catalogue.projection("knee-ap")
    with pytest.raises(Refusal, match="no grid"):
        check_line(replace(KNEE, grid_ratio=8), knee, ROOM)
    with pytest.raises(Refusal, match="no exposure index"):
        line_from_exposure(AcceptedExposure(12, 66, 5, 300), replace(KNEE, receptor="film-24"), knee, ROOM, "fixed_kvp")
    assert check_line(CHEST, catalogue.projection("chest-pa"), ROOM) == CHEST


@pytest.mark.parametrize(
    ("change", "allowed"),
    [
        ({"range_cm": (0.1, 20)}, {"min": 0.5, "max": 45, "unit": "cm"}),
        ({"range_cm": (20, 46)}, {"min": 0.5, "max": 45, "unit": "cm"}),
        ({"range_cm": (20, 20)}, {"min": 20, "unit": "cm"}),
        ({"sid_cm": 500}, {"min": 40, "max": 400, "unit": "cm"}),
        ({"sid_cm": 55}, {"min": 58, "unit": "cm"}),
        ({"target_ei": 10}, {"min": 50, "max": 5000, "unit": ""}),
        ({"target_ei": 5001}, {"min": 50, "max": 5000, "unit": ""}),
        ({"field_cm": (60, 43)}, {"min": 1, "max": 43, "unit": "cm"}),
        ({"field_cm": (0.5, 43)}, {"min": 1, "max": 43, "unit": "cm"}),
        ({"law": FixedKvp(0.1, 80, 40)}, {"min": 0.5, "max": 45, "unit": "cm"}),
        ({"law": FixedKvp(21, 39, 40)}, {"min": 40, "max": 150, "unit": "kVp"}),
        ({"law": VariableKvp(21, 80, 3000, 1)}, {"min": 0.01, "max": 2000, "unit": "mAs"}),
        ({"law": Banded((Band("a", 13, 30, 80, 10),))}, {"min": 13, "max": 36, "unit": "cm"}),
        ({"law": Levelled((Point(13, 80, 10), Point(30, 80, 90)), 13)}, {"min": 13, "max": 36, "unit": "cm"}),
    ],
)
def test_a_refusal_says_what_is_allowed(change, allowed):
    with pytest.raises(Refusal) as refused:
        check_line(replace(LSPINE, **change), LSPINE_AP, ROOM)
    assert refused.value.allowed == allowed


def test_what_stands_at_the_very_end_of_a_range_is_a_line():
    for change in (
        {"sid_cm": 58},
        {"target_ei": 50},
        {"target_ei": 5000},
        {"field_cm": (1, 43)},
        {"law": Levelled((Point(13, 80, 10), Point(36, 80, 90)), 13)},
    ):
        line = replace(LSPINE, **change)
        assert check_line(line, LSPINE_AP, ROOM) == line
    for points, base in (((Point(13, 80, 10),), 13), ((Point(13, 80, 10), Point(13, 80, 9), Point(36, 80, 90)), 13)):
        with pytest.raises(Refusal, match="rising thickness"):
            check_line(replace(LSPINE, law=Levelled(points, base)), LSPINE_AP, ROOM)
    with pytest.raises(Refusal, match="No point lies at"):
        check_line(replace(LSPINE, law=Levelled((Point(13, 80, 10), Point(36, 80, 90)), 20)), LSPINE_AP, ROOM)


def test_a_levelled_line_goes_between_its_points_and_holds_a_step_to_its_end():
    law = Levelled((Point(10, 70, 4), Point(12, 70, 9), Point(14, 75, 10), Point(16, 75, 14.4)), 12)
    assert law.thickness_cm == 12
    assert [law.at(cm) for cm in (10, 12, 14, 16)] == [(70, 4), (70, 9), (75, 10), (75, 14.4)]
    assert law.at(11) == (70, pytest.approx(6))
    # Along this side of a step the slope goes on; so it does beyond the ends.
    assert law.at(13) == (70, pytest.approx(13.5))
    assert law.at(15) == (75, pytest.approx(12))
    assert law.at(17) == (75, pytest.approx(17.28))
    assert law.at(9) == (70, pytest.approx(4 * (4 / 9) ** 0.5))
    assert Levelled((Point(10, 70, 4),), 10).at(20) == (70, 4)
    lonely = Levelled((Point(10, 70, 4), Point(12, 75, 5)), 10)
    assert lonely.at(11) == (70, 4)


def test_a_band_holds_its_start_and_the_last_its_end_too():
    law = CHEST.law
    assert [law.band(cm).name for cm in (13.5, 19.4, 19.5, 25, 33.5, 40)] == [
        "small", "small", "average", "large", "large", "large",
    ]  # fmt: skip


def test_equipment_that_a_line_stands_on_cannot_be_taken_away():
    check_serves(ROOM, [(LSPINE, LSPINE_AP)])
    poorer = replace(ROOM, receptors=tuple(one for one in ROOM.receptors if one.id != "panel-43"))
    with pytest.raises(Refusal, match=r"Lumbar spine AP .* would no longer hold") as refused:
        check_serves(poorer, [(LSPINE, LSPINE_AP)])
    assert refused.value.field == "receptor"
    assert "panel-24" in refused.value.allowed
