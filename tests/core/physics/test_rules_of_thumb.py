"""The laws of the rules of thumb, and the values that textbooks print."""

from __future__ import annotations

import inspect
import math
from typing import get_args

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from oakbeam.core.errors import OutOfRange, Refusal, named
from oakbeam.core.physics import rules_of_thumb

MAS = st.floats(0.1, 600)
SID = st.floats(40, 400)
KVP = st.floats(40, 150)
CM = st.floats(0.5, 45)
RATIO = st.sampled_from(sorted(rules_of_thumb.GRID_FACTORS_AVERAGE))
TABLE = st.sampled_from(get_args(rules_of_thumb.GridTable))
SPEED = st.floats(50, 800)


@given(MAS, SID, SID, KVP, KVP, CM, CM, st.floats(2, 12), RATIO, RATIO, TABLE, SPEED, SPEED)
def test_every_adjustment_is_undone_by_its_inverse(mas, s1, s2, k1, k2, t1, t2, doubling, g1, g2, table, v1, v2):
    there_and_back = {
        "sid": rules_of_thumb.maintain_exposure(rules_of_thumb.maintain_exposure(mas, s1, s2), s2, s1),
        "kvp": rules_of_thumb.mas_for_kvp(rules_of_thumb.mas_for_kvp(mas, k1, k2), k2, k1),
        "thickness": rules_of_thumb.mas_for_thickness(
            rules_of_thumb.mas_for_thickness(mas, t1, t2, doubling), t2, t1, doubling
        ),
        "grid": rules_of_thumb.convert_grid(rules_of_thumb.convert_grid(mas, g1, g2, k1, table), g2, g1, k1, table),
        "speed": rules_of_thumb.convert_speed(rules_of_thumb.convert_speed(mas, v1, v2), v2, v1),
    }
    for name, back in there_and_back.items():
        assert back == pytest.approx(mas, rel=1e-9), name
    assert rules_of_thumb.kvp_for_mas(k1, mas, rules_of_thumb.mas_for_kvp(mas, k1, k2)) == pytest.approx(k2, rel=1e-9)
    assume(k1 + 2 * (t2 - t1) > 0)  # below that there is no kVp to come back from
    assert rules_of_thumb.kvp_for_thickness(rules_of_thumb.kvp_for_thickness(k1, t1, t2), t2, t1) == pytest.approx(k1)


@given(MAS, st.permutations(["sid", "grid", "speed", "thickness"]), SID, SID, RATIO, RATIO, SPEED, SPEED, CM, CM)
def test_the_order_of_independent_factors_does_not_matter(mas, order, s1, s2, g1, g2, v1, v2, t1, t2):
    adjust = {
        "sid": lambda m: rules_of_thumb.maintain_exposure(m, s1, s2),
        "grid": lambda m: rules_of_thumb.convert_grid(m, g1, g2, 80),
        "speed": lambda m: rules_of_thumb.convert_speed(m, v1, v2),
        "thickness": lambda m: rules_of_thumb.mas_for_thickness(m, t1, t2),
    }
    straight, shuffled = mas, mas
    for name in adjust:
        straight = adjust[name](straight)
    for name in order:
        shuffled = adjust[name](shuffled)
    assert shuffled == pytest.approx(straight, rel=1e-9)


@given(KVP, MAS)
def test_the_continuous_fifteen_percent_rule_holds_its_two_named_points(kvp, mas):
    assert rules_of_thumb.mas_for_kvp(mas, kvp, kvp * 1.15) == pytest.approx(mas / 2)
    assert rules_of_thumb.mas_for_kvp(mas, kvp, kvp / 1.15) == pytest.approx(mas * 2)
    assert rules_of_thumb.fifteen_percent_steps(kvp, kvp * 1.15**2) == pytest.approx(2)


@given(RATIO, RATIO, KVP, TABLE)
def test_a_higher_grid_ratio_never_needs_less(one, other, kvp, table):
    low, high = sorted((one, other))
    assert rules_of_thumb.grid_factor(low, kvp, table) <= rules_of_thumb.grid_factor(high, kvp, table)
    assert rules_of_thumb.grid_factor(0, kvp, table) == 1


@given(st.floats(20, 3000), st.floats(20, 3000))
def test_a_smaller_field_never_needs_less(one, other):
    small, large = sorted((one, other))
    assert 1.5 >= rules_of_thumb.collimation_factor(small) >= rules_of_thumb.collimation_factor(large) >= 1


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        (lambda: rules_of_thumb.maintain_exposure(10, 100, 180), 32.4),  # 10 x 1.8²
        (lambda: rules_of_thumb.maintain_exposure(10, 100, 106), 11.236),  # the Bucky 6 cm lower: x 1.12
        (lambda: rules_of_thumb.inverse_square(100, 100, 200), 25),
        (lambda: rules_of_thumb.mas_for_thickness(20, 20, 25, 5), 40),
        (lambda: rules_of_thumb.kvp_for_thickness(60, 10, 13), 66),
        (lambda: rules_of_thumb.kvp_for_thickness(85, 20, 22, 3), 91),
        (lambda: rules_of_thumb.convert_grid(10, 0, 12, 80), 50),
        (lambda: rules_of_thumb.convert_grid(50, 12, 8, 80), 40),
        (lambda: rules_of_thumb.convert_grid(10, 0, 8, 90, "by_kvp"), 35),
        (lambda: rules_of_thumb.convert_grid(10, 0, 16, 105, "by_kvp"), 55),  # half way from 5 at 90 to 6 at 120 kVp
        (lambda: rules_of_thumb.grid_factor(6, 70, "by_kvp"), 2 + 1 / 3),  # a third of the way from 5:1 to 8:1
        (lambda: rules_of_thumb.grid_factor(12, 60, "by_kvp"), 3.5),  # below the table: its end value
        (lambda: rules_of_thumb.convert_speed(10, 400, 100), 40),
        (lambda: rules_of_thumb.collimation_factor(35 * 43), 1),
        (lambda: rules_of_thumb.collimation_factor(25 * 30), 1.35),
        (lambda: rules_of_thumb.collimation_factor(20 * 25), 1.5),
        (lambda: rules_of_thumb.KVP_EXPONENT, 4.959484),
    ],
)
def test_textbook_values(rule, expected):
    assert rule() == pytest.approx(expected, rel=1e-5)


@pytest.mark.parametrize("bad", [0, -1, math.nan, math.inf])
def test_nonsense_is_refused_with_its_name(bad):
    calls = {
        "sid_to_cm": lambda: rules_of_thumb.maintain_exposure(10, 100, bad),
        "kvp_to": lambda: rules_of_thumb.mas_for_kvp(10, 80, bad),
        "mas": lambda: rules_of_thumb.convert_grid(bad, 0, 8, 80),
        "doubling_cm": lambda: rules_of_thumb.mas_for_thickness(10, 10, 12, bad),
        "speed_to": lambda: rules_of_thumb.convert_speed(10, 100, bad),
    }
    for field, call in calls.items():
        with pytest.raises(OutOfRange) as refused:
            call()
        assert refused.value.field == field
    with pytest.raises(Refusal) as unknown:
        rules_of_thumb.grid_factor(7, 80)
    assert unknown.value.allowed == [0, 5, 6, 8, 10, 12, 16]


GOOD = {
    "mas": 40.0, "sid_from_cm": 100.0, "sid_to_cm": 110.0, "kerma": 5.0, "distance_from_cm": 100.0, "distance_to_cm": 80.0,
    "kvp_from": 80.0, "kvp_to": 90.0, "kvp": 80.0, "mas_from": 40.0, "mas_to": 20.0, "from_cm": 20.0, "to_cm": 24.0,
    "doubling_cm": 4.5, "kvp_per_cm": 2.0, "speed_from": 200.0, "speed_to": 400.0, "area_cm2": 900.0, "ratio": 8,
    "ratio_from": 8, "ratio_to": 12, "table": "by_kvp",
}  # fmt: skip
RULES = [
    rule
    for name, rule in inspect.getmembers(rules_of_thumb, inspect.isfunction)
    if rule.__module__ == rules_of_thumb.__name__ and not name.startswith("_") and "__mutmut" not in name
]


@pytest.mark.parametrize("rule", RULES, ids=lambda rule: rule.__name__)
def test_every_argument_that_cannot_be_is_refused_by_its_own_name(rule):
    """Not positive, not finite, not known: the refusal names the argument, so that a screen can point at it."""
    given = {name: GOOD[name] for name in inspect.signature(rule).parameters}
    assert rule(**given) == rule(**given)
    for name, good in given.items():
        bad = {float: (0.0, -1.0, math.nan, math.inf), int: (7, -8), str: ("guessed",)}[type(good)]
        if name in ("kerma", "table"):
            continue
        for value in bad:
            with pytest.raises(Refusal) as refused:
                rule(**{**given, name: value})
            if type(good) is float:
                assert refused.value.field == name
                assert named(name) in refused.value.detail
                assert isinstance(refused.value, OutOfRange)
            assert refused.value.allowed


def test_limits_say_their_ends_and_unit():
    for rule, name, low, high, unit in (
        (rules_of_thumb.mas_for_thickness, "doubling_cm", 2, 12, "cm"),
        (rules_of_thumb.kvp_for_thickness, "kvp_per_cm", 0.5, 5, "kVp/cm"),
    ):
        given = {key: GOOD[key] for key in inspect.signature(rule).parameters}
        for end in (low, high):
            rule(**{**given, name: end})
        with pytest.raises(OutOfRange) as refused:
            rule(**{**given, name: high + 0.01})
        assert refused.value.allowed == {"min": low, "max": high, "unit": unit}


def test_what_is_left_out_is_the_textbooks_own():
    assert rules_of_thumb.grid_factor(8, 70) == 4
    assert rules_of_thumb.convert_grid(10, 0, 12, 70) == 50
    assert rules_of_thumb.grid_factor(8, 70, "by_kvp") == 3
    assert rules_of_thumb.grid_factor(6, 70, "by_kvp") == pytest.approx(2 + 1 / 3)
    assert rules_of_thumb.grid_factor(10, 120, "by_kvp") == pytest.approx(4.5)
    assert rules_of_thumb.grid_factor(16, 200, "by_kvp") == 6
    assert rules_of_thumb.collimation_factor(10) == 1.5
    assert rules_of_thumb.collimation_factor(3000) == 1
    assert rules_of_thumb.collimation_factor(750) == pytest.approx(1.35)
