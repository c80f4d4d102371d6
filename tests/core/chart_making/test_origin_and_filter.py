"""Where a line's numbers come from when it is changed, and what becomes of its tube filter."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.conftest import KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.chart_making.adapt import adapt
from oakbeam.core.chart_making.bulk_edit import Adjust, adjusted, with_cell
from oakbeam.core.charts.printed_page import sheet
from oakbeam.core.charts.receptor_exposure import skin_kerma_mgy
from oakbeam.core.equipment.room import Filter, Support
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.errors import Refusal

PART = catalogue.projection("lspine-ap")
ACCEPTED = replace(LSPINE, origin="exposure", origin_spread_di=0.3)
COPPER = Filter("cu", "0.2 mm Cu", 0, 0.2)


@pytest.mark.parametrize("cell", [("kvp", 82), ("mas", 50), ("thickness_cm", 22), ("sid_cm", 110), ("grid_ratio", 0)])
def test_a_number_typed_into_a_line_makes_it_typed(cell):
    made = with_cell(ACCEPTED, *cell)
    assert (made.origin, made.origin_spread_di) == ("typed", None)


@pytest.mark.parametrize("wanted", [{"mas_percent": 10}, {"kvp_added": 2}, {"sid_cm": 115, "hold": True}, {"grid_ratio": 0}])
def test_a_line_under_other_conditions_was_never_exposed(wanted):
    made, _ = adjusted(ACCEPTED, ROOM, PART, Adjust(**wanted))
    assert (made.origin, made.origin_spread_di) == ("typed", None)


def test_what_keeps_the_accepted_exposure_keeps_its_origin():
    assert with_cell(ACCEPTED, "parameter", 3.5).origin == "exposure"
    made, _ = adjusted(ACCEPTED, ROOM, PART, Adjust(school="levelled"))
    assert made.origin == "exposure"


@pytest.mark.parametrize(("there", "kept"), [((COPPER,), "cu"), ((replace(COPPER, mm_cu=0.1),), None), ((), None)])
def test_a_filter_goes_along_where_the_other_room_has_the_same(there, kept):
    """Where it has none the mAs falls by what the filter took away, and the step says so."""
    here, other = replace(ROOM, filters=(COPPER,)), replace(ROOM, id="other", filters=there)
    (found,) = adapt((replace(KNEE, filter="cu"),), here, other, catalogue.shipped().projections)
    assert found.line is not None
    assert found.line.filter == kept
    assert found.line.origin == "model"
    assert (found.factor < 0.9) == (kept is None)
    assert ("Filtration" in {one.name for one in found.factors}) == (kept is None)


def test_a_filter_lowers_the_dose_of_a_line_and_is_printed_beside_it():
    room = replace(ROOM, filters=(COPPER,))
    bare, behind = (skin_kerma_mgy(line, room, 21, 80, 40) for line in (LSPINE, replace(LSPINE, filter="cu")))
    assert 0.3 < behind / bare < 0.7
    plain, filtered = sheet(
        (replace(LSPINE, id=1), replace(LSPINE, id=2, filter="cu")),
        room,
        catalogue.shipped().projections,
        trust={2: "model"},
    )
    assert "filter" not in plain.conditions
    assert filtered.conditions.endswith("12:1, 107 cm, filter 0.2 mm Cu")
    assert [one.trust for one in (plain, filtered)] == ["supported", "model"]


@pytest.mark.parametrize(
    ("filters", "field"),
    [
        ((COPPER, COPPER), "filters"),
        ((replace(COPPER, id="none"),), "filters"),
        ((replace(COPPER, name=" "),), "filters"),
        ((replace(COPPER, mm_cu=0),), "filters"),
        ((replace(COPPER, mm_cu=5),), "0.2 mm Cu, mm Cu"),
        (tuple(replace(COPPER, id=f"{i}") for i in range(11)), "filters"),
    ],
)
def test_a_filter_that_cannot_be_is_refused(filters, field):
    with pytest.raises(Refusal) as refused:
        check_room(replace(ROOM, filters=filters))
    assert refused.value.field == field


def test_a_tube_travels_from_near_to_far():
    def with_travel(*ends: float):
        return replace(ROOM, supports=(Support("detector", 1, None, sid_range_cm=ends),))

    assert check_room(with_travel(90, 150)).supports[0].tube_travel_cm == (90, 150)
    for ends in ((150, 90), (10, 150), (90, 900)):
        with pytest.raises(Refusal):
            check_room(with_travel(*ends))
