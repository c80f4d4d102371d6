"""Stations, tube limits and loading: every result is the room's, within half a step, within the tube's power."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from tests.conftest import ROOM

from oakbeam.core.equipment import generator as g
from oakbeam.core.errors import OutOfRange, Refusal

GENERATOR = ROOM.generator
STATIONS = st.lists(st.floats(0.1, 1000), min_size=1, max_size=30, unique=True).map(sorted)


@given(STATIONS, st.floats(0.05, 2000))
def test_the_nearest_station_is_a_station_within_half_a_step(stations, value):
    try:
        found = g.nearest_setting("mas", value, stations, "mAs")
    except OutOfRange as refused:
        assert value < stations[0] or value > stations[-1]
        assert refused.allowed == {"min": stations[0], "max": stations[-1], "unit": "mAs"}
        return
    assert found in stations
    assert all(abs(math.log(found / value)) <= abs(math.log(other / value)) + 1e-9 for other in stations)
    steps = [math.log2(b / a) for a, b in pairwise(stations)]
    here = stations.index(found)
    step = max(steps[max(0, here - 1) : here + 1], default=0)
    assert abs(math.log2(found / value)) <= step / 2 + 1e-9


def test_a_tie_goes_down():
    assert g.nearest_setting("mas", math.sqrt(20), [4, 5], "mAs") == 4


def test_preferred_numbers_are_iso_497():
    assert g.renard_r10(1, 10) == (1, 1.25, 1.6, 2, 2.5, 3.2, 4, 5, 6.3, 8, 10)
    assert g.renard_r10(0.5, 2) == (0.5, 0.63, 0.8, 1, 1.25, 1.6, 2)


@given(
    st.sampled_from(GENERATOR.kvp),
    st.sampled_from(GENERATOR.mas),
    st.sampled_from(["small", "small_or_large", "large"]),
    st.sampled_from([10, 100, 1000, math.inf]),
    st.sampled_from(["manual", "breathing"]),
)
def test_a_loading_is_on_stations_and_within_the_tube(kvp, mas, spots, ceiling, control):
    try:
        found = g.choose_loading(GENERATOR, kvp, mas, spots, ceiling, control)
    except Refusal as refused:
        assert refused.allowed is None or refused.allowed["unit"] == "mAs"
        return
    assert found.ma in GENERATOR.ma
    assert found.time_ms in GENERATOR.time_ms
    assert abs(found.ma * found.time_ms / 1000 / mas - 1) <= g.PAIR_TOLERANCE
    spot = next(spot for spot in GENERATOR.focal_spots if spot.name == found.focal_spot)
    assert kvp * found.ma / 1000 <= g.power_limit_kw(spot, found.time_ms)
    assert found.heat_units == pytest.approx(1.4 * kvp * found.ma * found.time_ms / 1000)
    if control == "breathing":
        assert 1000 <= found.time_ms <= 4000


def test_small_focus_while_it_is_quick_enough_large_when_it_is_not():
    quick = g.choose_loading(GENERATOR, 70, 10, "small_or_large", 100)
    assert (quick.focal_spot, quick.ma, quick.time_ms) == ("small", 200, 50)
    assert g.choose_loading(GENERATOR, 70, 10, "small_or_large", 20).focal_spot == "large"


@given(
    st.sampled_from(GENERATOR.kvp),
    st.sampled_from(GENERATOR.mas),
    st.sampled_from(["small", "large"]),
    st.sampled_from([20, 100, 500]),
)
def test_the_usual_ma_is_passed_only_for_the_time_or_a_setting(kvp, mas, spot, ceiling):
    try:
        found = g.choose_loading(GENERATOR, kvp, mas, "small_or_large", ceiling, spot=spot)
    except Refusal:
        return
    assert found.focal_spot == spot
    if found.ma <= g.USUAL_MA[spot]:
        return
    takes = {one.name: one for one in GENERATOR.focal_spots}[spot]
    for ma in (ma for ma in GENERATOR.ma if ma <= g.USUAL_MA[spot]):
        time = min(GENERATOR.time_ms, key=lambda one: abs(one * ma / 1000 - mas))
        lands = abs(time * ma / 1000 / mas - 1) <= g.PAIR_TOLERANCE
        assert not lands or time > ceiling or kvp * ma / 1000 > g.power_limit_kw(takes, time)


def test_a_finger_is_not_shot_at_500_ma_and_a_quick_one_is():
    assert g.choose_loading(GENERATOR, 55, 1.25, "small", 500).ma == 200
    assert g.choose_loading(GENERATOR, 80, 63, "large", 400).ma == 400
    assert g.choose_loading(GENERATOR, 80, 63, "large", 100).ma == 630


def test_a_focal_spot_takes_no_more_ma_than_its_console_gives_it():
    spots = tuple(replace(spot, most_ma=160.0) if spot.name == "small" else spot for spot in GENERATOR.focal_spots)
    limited = replace(GENERATOR, focal_spots=spots)
    assert g.choose_loading(limited, 60, 2, "small", 500).ma == 160
    fast = g.choose_loading(limited, 70, 10, "small_or_large", 20)
    assert fast.focal_spot == "large"
    by_hand = g.choose_loading(limited, 70, 10, "small_or_large", 20, spot="small")
    assert (by_hand.focal_spot, by_hand.ma) == ("small", 160)
    with pytest.raises(OutOfRange, match="small focus"):
        g.choose_loading(limited, 120, 500, spot="small")


def test_breathing_takes_the_lowest_current_of_the_wanted_time():
    slow = g.choose_loading(GENERATOR, 75, 63, "small_or_large", 4000, "breathing")
    assert (slow.ma, slow.time_ms) == (16, 4000)


def test_over_the_tube_says_what_the_tube_takes():
    weak = g.Generator(
        (80.0,),
        (100.0, 200.0),
        (10.0, 100.0, 500.0),
        (),
        (g.FocalSpot("small", 0.6, (g.PowerPoint(10, 30), g.PowerPoint(1000, 10))),),
    )
    with pytest.raises(OutOfRange) as refused:
        g.choose_loading(weak, 80, 500)
    assert refused.value.allowed == {"min": 10, "max": 100, "unit": "mAs"}


@given(st.floats(0.5, 400))
def test_the_aec_back_up_covers_the_prediction_and_never_passes_the_ceiling(predicted):
    backup = g.aec_backup_mas(GENERATOR, predicted)
    assert backup in GENERATOR.mas
    assert backup <= GENERATOR.mas_ceiling
    assume(predicted * 1.5 <= 400)
    assert backup >= predicted * 1.5 * (1 - 1e-9)


@given(st.floats(1, 6300), st.floats(1, 6300))
def test_the_power_limit_only_falls_with_time(one, other):
    short, long = sorted((one, other))
    for spot in GENERATOR.focal_spots:
        assert g.power_limit_kw(spot, short) >= g.power_limit_kw(spot, long)
    assert g.power_limit_kw(GENERATOR.focal_spots[0], 7000) == 0


STEEP = g.FocalSpot("small", 0.6, (g.PowerPoint(10, 30), g.PowerPoint(1000, 10)))
FEW = g.Generator((80.0,), (100.0, 200.0), (10.0, 20.0, 40.0, 80.0), (), (STEEP,), mas_ceiling=50.0)


@pytest.mark.parametrize(
    "predicted, factor, backup",
    # 1.5 times lands on a station, between two, under the first; twice; capped where the ceiling lies between stations
    [(20 / 1.5, 1.5, 20), (14, 1.5, 40), (1, 1.5, 10), (10, 2, 20), (26.6, 1.5, 40), (30, 1.5, 40), (500, 1.5, 40)],
)
def test_the_aec_back_up_is_the_next_station_up_but_never_over_the_ceiling(predicted, factor, backup):
    assert g.aec_backup_mas(FEW, predicted, factor) == backup
    assert g.AEC_BACKUP_FACTOR == 1.5


def test_the_aec_back_up_reaches_the_last_station_where_the_ceiling_lets_it():
    free = g.Generator(FEW.kvp, FEW.ma, FEW.mas, (), FEW.focal_spots, mas_ceiling=80.0)
    assert g.aec_backup_mas(free, 500) == 80
    assert g.aec_backup_mas(free, 41 / 1.5) == 80
    low = g.Generator(FEW.kvp, FEW.ma, FEW.mas, (), FEW.focal_spots, mas_ceiling=5.0)
    assert g.aec_backup_mas(low, 500) == 10, "no station lies under such a ceiling: the lowest there is"


@pytest.mark.parametrize(
    "predicted, factor, field",
    [(10, 1.49, "backup_factor"), (10, 2.01, "backup_factor"), (0, 1.5, "predicted_mas"), (math.inf, 1.5, "predicted_mas")],
)
def test_an_aec_back_up_that_cannot_be_is_refused_by_name(predicted, factor, field):
    with pytest.raises(OutOfRange) as refused:
        g.aec_backup_mas(FEW, predicted, factor)
    assert refused.value.field == field
    if field == "backup_factor":
        assert refused.value.allowed == {"min": 1.5, "max": 2.0, "unit": ""}


def test_no_breathing_technique_says_which_mas_has_one():
    with pytest.raises(Refusal) as refused:
        g.choose_loading(FEW, 80, 10, control="breathing")
    assert refused.value.allowed == {"min": 100, "max": 800, "unit": "mAs"}
    assert refused.value.field == "exposure_control"


def test_a_tube_that_takes_nothing_says_so():
    with pytest.raises(Refusal) as refused:
        g.choose_loading(FEW, 400, 20)
    assert (refused.value.field, refused.value.allowed) == ("mas", None)
    assert "no mAs setting at 400 kVp" in str(refused.value)


def test_breathing_prefers_two_to_four_seconds_then_takes_one_to_two():
    wide = g.FocalSpot("large", 1.2, (g.PowerPoint(10, 60), g.PowerPoint(6000, 20)))
    slow = g.Generator((80.0,), (25.0, 50.0, 100.0), (50.0, 100.0, 150.0), (), (wide,))
    # 50 mAs: 2, 1 and 0.5 s; 100: 4, 2 and 1 s; 150: 6, 3 and 1.5 s
    chosen = [(g.choose_loading(slow, 80, mas, control="breathing")) for mas in (50, 100, 150)]
    assert [(found.ma, found.time_ms) for found in chosen] == [(25, 2000), (25, 4000), (50, 3000)]
    fast = g.Generator((80.0,), (50.0, 100.0), (75.0,), (), (wide,))
    assert g.choose_loading(fast, 80, 75, control="breathing").time_ms == 1500


def test_the_power_limit_is_log_linear_between_its_points():
    assert g.power_limit_kw(STEEP, 1) == g.power_limit_kw(STEEP, 10) == 30
    assert g.power_limit_kw(STEEP, 100) == pytest.approx(20)
    assert g.power_limit_kw(STEEP, 1000) == 10
    assert g.power_limit_kw(STEEP, 1001) == 0
    assert g.tube_energy_j(80, 200, 100) == 1600
