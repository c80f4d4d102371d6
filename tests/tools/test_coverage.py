"""Every projection, patient and grid has a technique in some room of the demo, within stations, limits and the index."""

from __future__ import annotations

import pytest

from oakbeam import catalogue
from oakbeam.demo import clinic
from tools import coverage


@pytest.fixture(scope="session")
def everything():
    return [one for room in clinic.rooms() for one in coverage.tried(room, clinic.chart_lines(room))]


def test_none_is_missing(everything):
    assert {one.projection.id for one in everything} == set(catalogue.shipped().projections)
    assert coverage.gaps(everything) == []
    assert len(everything) > 1600


def test_all_are_within_stations_and_the_tube(everything):
    for one in everything:
        if one.derived:
            now, generator = one.derived.technique, one.room.generator
            assert now.kvp in generator.kvp
            assert now.mas in generator.mas
            assert now.mas <= generator.mas_ceiling
            assert now.ma in generator.ma
            spot = next(spot for spot in generator.focal_spots if spot.name == now.focal_spot)
            assert now.kvp * now.ma / 1000 <= max(point.power_kw for point in spot.power)


def test_the_index_is_on_target(everything):
    """As it is to be expected, by line, model and room; where the model drew the line, by the model alone too."""
    assert coverage.largest_di(everything) <= 2
    charted = [one.derived for one in everything if one.derived and one.charted]
    assert sum(abs(one.forecast.di) <= 1 for one in charted) > 0.97 * len(charted)
    drafted = [one for one in everything if one.derived and one.charted and one.room.id == "room-1"]
    by_hand = {plan.projection for plan in clinic.CHARTS["room-1"].plans}
    assert all(abs(one.derived.forecast.model_di) <= 1 for one in drafted if one.projection.id not in by_hand)


def test_the_page_says_what_was_found(everything):
    page, found = coverage.TARGET.read_text(), sum(one.derived is not None for one in everything)
    assert f"{len(catalogue.shipped().projections)} projections, {found} techniques, 0 that no room gives" in page
