"""Each chart check finds what it is for, on a line made so, and nothing on the line it was made from."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import CHEST, HAND, KNEE, LSPINE, ROOM, proofs

from oakbeam import catalogue
from oakbeam.core.chart_check.register import CHECKS
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.chart_making.from_model import drafted_lines
from oakbeam.core.charts.levelled import level
from oakbeam.core.charts.line import Link
from oakbeam.core.charts.links import scaled
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, VariableKvp
from oakbeam.core.errors import Refusal

KNOWN = catalogue.shipped().projections
LATERAL = replace(LSPINE, projection="lspine-lateral", range_cm=(22, 42), law=FixedKvp(31, 90, 100, 5), key=2)


def rules(*lines):
    return {one.rule for one in check_chart(lines, ROOM, KNOWN)}


def levelled(line, kvp, mas):
    return replace(line, law=level(line, ROOM, KNOWN[line.projection], line.thickness_cm, kvp, mas))


DRAFTED = list(drafted_lines(KNOWN.values(), ROOM))
"""A whole chart that the model agrees with."""
CLICKS = replace(
    ROOM, supports=tuple(replace(one, sid_detents=(100, 115)) if one.id == "table_bucky" else one for one in ROOM.supports)
)
ROOMS = {"sid_detent": CLICKS}
SEVERE = {
    "error": ("not_monotonic", "tube_limit", "aec_backup", "same_conditions"),
    "note": ("sid_detent", "child_with_grid", "range_not_settable"),
}
CASES = {
    "not_monotonic": [replace(CHEST, law=Banded((Band("a", 13.5, 20, 117, 2), Band("b", 20, 33.5, 117, 1.6))))],
    "coarse_steps": [replace(LSPINE, law=Banded((Band("all", 13, 36, 80, 40),)))],
    "kvp_window": [replace(LSPINE, law=FixedKvp(21, 110, 10, 4.5))],
    "time_ceiling": [replace(CHEST, law=FixedKvp(22, 70, 40, 6))],
    "tube_limit": [replace(LSPINE, law=FixedKvp(21, 80, 400, 4.5))],
    "range_not_settable": [replace(LSPINE, range_cm=(13, 45), law=FixedKvp(21, 80, 40, 4.5))],
    "aec_backup": [replace(LSPINE, exposure_control="aec", range_cm=(13, 34), law=FixedKvp(21, 80, 200, 4.5))],
    "child_dose_level": [
        replace(
            CHEST,
            projection="peds-chest-pa-child",
            range_cm=(10, 20),
            target_ei=None,
            field_cm=None,
            law=FixedKvp(14, 100, 20, 5),
        )
    ],
    "grid_small_part": [replace(HAND, support="table_bucky", receptor="panel-43", grid_ratio=12)],
    "no_grid_thick_part": [replace(LSPINE, grid_ratio=0, law=FixedKvp(21, 80, 10, 4.5))],
    "grid_focus": [replace(LSPINE, sid_cm=180)],
    "minimum_sid": [replace(CHEST, sid_cm=130)],
    "dose_level": [replace(LSPINE, law=FixedKvp(21, 70, 250, 4.5))],
    "drifts": [replace(LSPINE, law=FixedKvp(21, 80, 40, 12))],
    "missing_range": [replace(LSPINE, range_cm=(13, 24))],
    "neighbours": [LSPINE, replace(LATERAL, law=FixedKvp(31, 90, 20, 5))],
    "grid_twins": [LSPINE, replace(LSPINE, grid_ratio=0, law=FixedKvp(21, 80, 40, 4.5))],
    "same_technique": [
        replace(one, law=FixedKvp(KNOWN[one.projection].thickness_cm[1], 80, 40, 4.5)) for one in (LSPINE, LATERAL)
    ],
    "same_conditions": [LSPINE, replace(LSPINE, range_cm=(20, 40), law=FixedKvp(24, 80, 50, 4.5))],
    "off_by_itself": [replace(DRAFTED[0], law=scaled(DRAFTED[0].law, 3)), *DRAFTED[1:8]],
    "orphan_link": [replace(LSPINE, key=1), replace(LATERAL, link=Link(7, 0, 1, 10))],
    "sid_detent": [LSPINE],
    "child_with_grid": [replace(KNEE, support="table_bucky", receptor="panel-43", grid_ratio=12, range_cm=(6, 19))],
    "link": [replace(LSPINE, key=1), replace(LATERAL, link=Link(1, 0, 0.3, 10), law=FixedKvp(31, 80, 12, 4.5))],
}


def test_every_check_has_a_case_here_a_title_and_a_help_text():
    # What a calibration moved is no property of lines; it has its cases in charts/test_calibration_effect.
    assert set(CASES) == set(CHECKS) - {"since_calibration"}
    for key, check in CHECKS.items():
        assert check.id == key
        assert 5 < len(check.title) < 50
        assert check.help.endswith(".")


@pytest.mark.parametrize("rule", sorted(CASES))
def test_a_check_finds_what_it_is_for(rule):
    findings = [one for one in check_chart(CASES[rule], ROOMS.get(rule, ROOM), KNOWN) if one.rule == rule]
    assert findings
    for one in findings:
        assert one.severity == next((key for key, rules in SEVERE.items() if rule in rules), "warning")
        assert all(0 <= at < len(CASES[rule]) for at in one.lines)
        assert all(text.endswith(".") for text in (one.what, one.why, one.fix))


def test_a_sound_chart_has_nothing_to_find():
    sound = [levelled(LSPINE, 80, 32), levelled(HAND, 55, 1.25)]
    assert rules(*sound) - {"missing_range", "dose_level"} == set()


def test_errors_come_first_and_an_unknown_projection_is_named():
    found = check_chart([*CASES["drifts"], *CASES["tube_limit"]], ROOM, KNOWN)
    assert found[0].severity == "error"
    assert found[0].lines[0] == 1
    with pytest.raises(Refusal, match="'nose' is not in the catalogue"):
        check_chart([replace(KNEE, projection="nose")], ROOM, KNOWN)


def test_the_usual_patient_of_a_short_range_is_its_own_end():
    """A line for children only is not asked for the adult's technique."""
    child = replace(LSPINE, range_cm=(13, 15), law=VariableKvp(14, 76, 12, 2))
    assert "tube_limit" not in rules(child)


def test_lines_that_meet_or_differ_in_what_is_set_are_not_the_same():
    apart = replace(LSPINE, range_cm=(13, 24)), replace(LSPINE, range_cm=(24, 36))
    assert "same_conditions" not in rules(*apart)
    by_chamber = replace(LSPINE, exposure_control="aec")
    assert "same_conditions" not in rules(LSPINE, by_chamber)


@pytest.mark.parametrize(("times", "named"), [(10, 0.98), (0.1, 0.98), (3, 0.95), (2, 0.90)])
def test_a_slip_of_one_line_in_a_whole_chart_is_told_first(times, named):
    """Every third line, one at a time, in a chart whose lines scatter by up to 1 DI as accepted ones do."""
    chance = np.random.default_rng(13)
    scattered = [replace(one, law=scaled(one.law, 10 ** (chance.uniform(-1, 1) / 10))) for one in DRAFTED]
    first = []
    for at in range(0, len(scattered), proofs(15, 3)):
        line = scattered[at]
        with_slip = [*scattered[:at], replace(line, law=scaled(line.law, times)), *scattered[at + 1 :]]
        found = check_chart(with_slip, ROOM, KNOWN)
        first.append(bool(found) and found[0].lines[0] == at)
    assert np.mean(first) >= named
