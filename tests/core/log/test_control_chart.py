"""A change is seen, dated and sized; where there is none, little is said; and one wild image is no change."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.core.log.alerts import Event, Series, alerts, groups, version_of
from oakbeam.core.log.control_chart import CUSUM_LIMIT, WARM_UP, control_chart, creep_of, spread_of


def drawn(seed, n, *steps, spread=0.8):
    """n images, with (from which image, by how much) it moved."""
    values = np.random.default_rng(seed).normal(0.2, spread, n)
    for at, size in steps:
        values[at:] += size
    return list(values)


def days(n):
    return list(np.arange(n) / 2)


def test_a_clear_change_is_seen_dated_and_sized():
    hits = 0
    for seed in range(20):
        chart = control_chart(drawn(seed, 260, (150, 1.0)), days(260))
        newest = chart.shifts[-1] if chart.shifts else None
        if newest and abs(newest.begins - 150) <= 12:
            hits += 1
            assert newest.low < 1.0 < newest.high or abs(newest.size - 1.0) < 0.35
            assert newest.before < newest.after
    assert hits >= 17


def test_nothing_is_said_of_a_level_series_but_seldom():
    told = sum(len(control_chart(drawn(seed, 600), days(600)).shifts) for seed in range(60))
    assert told < 15


def test_half_a_deviation_index_is_seen_within_sixty_images_of_a_line_with_a_history():
    seen = sum(
        any(one.size > 0.3 and one.begins > 220 for one in control_chart(drawn(seed, 310, (250, 0.5)), days(310)).shifts)
        for seed in range(100)
    )
    assert seen >= 85


def test_a_change_is_dated_anew_between_its_neighbours():
    """Two changes, near each other: both are found about where they are."""
    near = 0
    for seed in range(30):
        begins = [one.begins for one in control_chart(drawn(seed, 300, (120, 1.2), (180, -1.5)), days(300)).shifts]
        near += len(begins) == 2 and abs(begins[0] - 120) <= 8 and abs(begins[1] - 180) <= 8
    assert near >= 25


def test_the_cumulative_sums_climb_where_a_series_moved_and_rest_where_it_did_not():
    level, moved = control_chart(drawn(1, 200), days(200)), control_chart(drawn(1, 200, (120, 1.0)), days(200))
    assert max(level.up) < CUSUM_LIMIT and max(level.down) < CUSUM_LIMIT
    over = next(i for i, value in enumerate(moved.up) if value > CUSUM_LIMIT)
    assert 120 <= over < 145 and max(moved.down[:120]) < CUSUM_LIMIT
    # Told once: from there on it is about the new mean.
    assert max(moved.up[over + 1 :]) < CUSUM_LIMIT


def test_limits_stand_about_an_accepted_period_and_nothing_before_or_within_it_is_a_change():
    values = drawn(2, 300, (60, -1.0), (200, 0.8))
    chart = control_chart(values, days(300), accepted=(60, 160))
    assert [200 - 15 < one.begins < 200 + 15 for one in chart.shifts] == [True]
    mean = np.mean(values[60:160])
    assert chart.about == pytest.approx([mean] * 300)
    assert chart.shifts[0].before == pytest.approx(np.mean(values[60 : chart.shifts[0].begins]))
    # The old mean stays the one that the sums are about: they stay out of control.
    assert min(chart.up[260:]) > CUSUM_LIMIT
    too_short = control_chart(values, days(300), accepted=(60, 60 + WARM_UP - 1))
    assert too_short == control_chart(values, days(300))
    later = chart.since(100)
    assert later.accepted == (0, 60) and later.shifts[0].begins == chart.shifts[0].begins - 100


def test_one_wild_image_is_no_change_and_does_not_widen_the_spread():
    values = drawn(3, 120)
    wild = [*values[:60], 9.0, *values[61:]]
    assert control_chart(wild, days(120)).shifts == control_chart(values, days(120)).shifts == ()
    assert spread_of(np.array(wild)) == pytest.approx(spread_of(np.array(values)), rel=0.1)


@given(st.lists(st.floats(-6, 6), max_size=120), st.floats(-3, 3))
def test_a_chart_has_a_place_for_every_image_and_does_not_care_where_zero_is(values, moved):
    chart = control_chart(values, days(len(values)))
    assert len(chart.centre) == len(chart.ewma) == len(chart.up) == len(chart.down) == len(values)
    assert min(chart.up, default=0) >= 0 and min(chart.down, default=0) >= 0
    assert all(one.n >= 8 and one.low < one.size < one.high for one in chart.shifts)
    other = control_chart([one + moved for one in values], days(len(values)))
    assert abs(len(other.shifts) - len(chart.shifts)) <= 1


def test_a_creep_is_a_line_and_not_a_scatter():
    x = np.random.default_rng(4).normal(0, 0.6, 300)
    when = np.arange(300.0)
    found = creep_of(x + 0.1 * when / 30, when)
    assert found is not None and found.low < 0.1 < found.high
    assert creep_of(x, when) is None


def series(key, receptor, seed, *steps, n=200, hand=0.0, spread=0.5):
    values = drawn(seed, n, *steps, spread=spread)
    over = [hand if steps and i >= steps[-1][0] else 0.0 for i in range(n)]
    return Series(key, f"View {key}", receptor, days(n), values, over, control_chart(values, days(n)))


NAMES = {"a": "Panel A", "b": "Panel B"}


def test_what_a_receptor_or_the_room_shares_is_told_once():
    of_a = [series(str(i), "a", i, (120, 0.7)) for i in range(4)]
    of_b = [series(str(10 + i), "b", 50 + i) for i in range(4)]
    (one,) = alerts([*of_a, *of_b], (), NAMES, 0)
    assert one.kind == "room" and one.saw.startswith("All of Panel A moved by +0.7") and len(one.series) == 4
    whole = [*of_a, *(series(str(20 + i), "b", 70 + i, (120, 0.7)) for i in range(4))]
    (one,) = alerts(whole, (Event(60.0, "version 3 came"),), NAMES, 0)
    assert one.saw.startswith("The whole room moved by") and "version 3" in one.with_what
    assert abs(one.since_day - 60) < 6
    # What a version of the chart did is not measured away.
    for version_day, likely in ((60.0, True), (66.0, True), (20.0, False)):
        (one,) = alerts(whole, (Event(version_day, "version 3 came", 3),), NAMES, 0)
        assert ("Version 3 was approved then: likely that." in one.do) is likely
        assert ("calibrate" in one.do) is not likely
        assert (version_of(groups(whole)[0], (Event(version_day, "x", 3),)) == 3) is likely
    # One view that moves by itself is its own, however far.
    alone = [series("0", "a", 3, (120, 1.5)), *of_b, *(series(str(30 + i), "a", 90 + i) for i in range(3))]
    assert groups(alone) == []
    (one,) = alerts(alone, (), NAMES, 0)
    assert (one.kind, one.series) == ("shift", ("0",))


def test_what_was_set_by_hand_is_said_and_a_move_to_the_target_is_no_alert():
    (one,) = alerts([series("0", "a", 5, (120, 1.0), hand=1.0)], (), NAMES, 0)
    assert one.with_what == "it was set over the chart by hand"
    back = series("1", "a", 6, (0, 1.2), (120, -1.3))
    assert back.chart.shifts and alerts([back], (), NAMES, 0) == []
    # And a change of long ago is none any more.
    assert alerts([series("0", "a", 5, (40, 1.0))], (), NAMES, since_day=80) == []
