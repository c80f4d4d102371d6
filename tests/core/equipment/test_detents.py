"""SID detents: in the unit on the machine, per support, and what is drafted, adapted and offered goes by them."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOM

from oakbeam import catalogue
from oakbeam.core.chart_making.from_model import drafted_line
from oakbeam.core.equipment.room import USUAL_DETENTS, Grid, Support
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import CM_PER_INCH, in_unit, length_figure, length_words, to_cm

INCHES = replace(ROOM, length_unit="in")


def with_detents(room, support_id, detents):
    changed = tuple(replace(one, sid_detents=detents) if one.id == support_id else one for one in room.supports)
    return replace(room, supports=changed)


@given(st.floats(0.1, 400), st.sampled_from(["cm", "in"]))
def test_a_length_comes_back_from_its_unit(cm, unit):
    assert to_cm(in_unit(cm, unit), unit) == pytest.approx(cm)


def test_a_detent_in_inches_is_whole_in_inches():
    said = [length_words(cm, "in") for cm in INCHES.detents_cm(INCHES.supports[0])]
    assert said == ["40 in", "44 in", "48 in", "60 in", "72 in"]


@pytest.mark.parametrize(
    ("cm", "inches"), [(101.6, "40"), (4.25 * 2.54, "4.25"), (12.5, "4.9"), (100, "39.4"), (0.75 * 2.54, "0.75")]
)
def test_printed_inches_are_tenths_or_quarters(cm, inches):
    assert length_figure(cm, "in") == inches
    assert length_figure(2.25, "cm") == "2.25"


@given(st.floats(90, 190), st.sampled_from(["cm", "in"]))
def test_the_nearest_detent_that_the_grid_takes(wanted, unit):
    room = with_detents(replace(ROOM, length_unit=unit), "table_bucky", USUAL_DETENTS[unit])
    support = room.support("table_bucky")
    grid = Grid(12, 40, 110, (95, 155))
    chosen = room.sid_near_cm(wanted, support, grid)
    taken = [one for one in room.detents_cm(support) if 95 <= one <= 155]
    assert chosen in taken
    assert all(abs(chosen - wanted) <= abs(one - wanted) for one in taken)
    # A grid that takes no detent is served at its own focus.
    assert room.sid_near_cm(wanted, support, Grid(12, 40, 131, (130, 132))) == 131


def test_a_room_in_cm_that_did_not_say_its_detents_goes_to_any_sid():
    assert ROOM.sid_near_cm(107, Support("tabletop", 0, None), None) == 107
    said = with_detents(ROOM, "tabletop", (100.0, 110.0))
    assert said.sid_near_cm(107, said.support("tabletop"), None) == 110


@pytest.mark.parametrize("projection_id", ["lspine-ap", "hand-pa", "chest-pa"])
def test_a_line_drafted_in_an_inch_room_stands_on_a_detent(projection_id):
    projection = catalogue.projection(projection_id)
    support = next(one for one in INCHES.supports if one.id in projection.supports)
    line = drafted_line(projection, INCHES, support)
    assert line.sid_cm / CM_PER_INCH in USUAL_DETENTS["in"]


@pytest.mark.parametrize("detents", [(110.0, 100.0), (100.0, 100.0), (2.0, 100.0), tuple(100.0 + i for i in range(13))])
def test_detents_that_cannot_be_are_refused(detents):
    with pytest.raises(Refusal) as refused:
        check_room(with_detents(ROOM, "table_bucky", detents))
    assert "table Bucky" in str(refused.value)


def test_a_unit_that_is_none_is_refused():
    with pytest.raises(Refusal, match="one of: cm, in"):
        check_room(replace(ROOM, length_unit="feet"))
