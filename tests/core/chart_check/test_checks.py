"""Each chart check finds what it is for, on a line made so, and nothing on the line it was made from."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.conftest import CHEST, HAND, KNEE, LSPINE, ROOM

from oakbeam import catalogue
from oakbeam.core.chart_check.register import CHECKS
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.charts.levelled import level
from oakbeam.core.charts.line import Link
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, VariableKvp
from oakbeam.core.errors import Refusal

KNOWN = catalogue.shipped().projections
LATERAL = replace(LSPINE, projection="lspine-lateral", range_cm=(22, 42), law=FixedKvp(31, 90, 100, 5), key=2)


def rules(*lines):
    return {one.rule for one in check_chart(lines, ROOM, KNOWN)}


def levelled(line, kvp, mas):
    return replace(line, law=level(line, ROOM, KNOWN[line.projection], line.thickness_cm, kvp, mas))


CASES = {
    "not_monotonic": [replace(CHEST, law=Banded((Band("a", 13.5, 20, 117, 2), Band("b", 20, 33.5, 117, 1.6))))],
    "coarse_steps": [replace(LSPINE, law=Banded((Band("all", 13, 36, 80, 40),)))],
    "kvp_window": [replace(LSPINE, law=FixedKvp(21, 110, 10, 4.5))],
    "time_ceiling": [replace(CHEST, law=FixedKvp(22, 70, 40, 6))],
    "tube_limit": [replace(LSPINE, law=FixedKvp(21, 80, 400, 4.5))],
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
    "link": [replace(LSPINE, key=1), replace(LATERAL, link=Link(1, 0, 0.3, 10), law=FixedKvp(31, 80, 12, 4.5))],
}


def test_every_check_has_a_case_here_a_title_and_a_help_text():
    assert set(CASES) == set(CHECKS)
    for key, check in CHECKS.items():
        assert check.id == key
        assert 5 < len(check.title) < 50
        assert check.help.endswith(".")


@pytest.mark.parametrize("rule", sorted(CASES))
def test_a_check_finds_what_it_is_for(rule):
    findings = [one for one in check_chart(CASES[rule], ROOM, KNOWN) if one.rule == rule]
    assert findings
    for one in findings:
        assert one.severity == ("error" if rule in ("not_monotonic", "tube_limit") else "warning")
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
