"""The chart commands: JSON out, exit codes, files of every format."""

from __future__ import annotations

import json

import pytest
from tests.conftest import HAND, KNEE, LSPINE

from oakbeam.core.charts.systems import FixedKvp
from oakbeam.formats import chart_csv


@pytest.fixture
def files(tmp_path):
    """A chart that is in order, and one that is not."""
    from dataclasses import replace

    good, bad = tmp_path / "good.csv", tmp_path / "bad.csv"
    good.write_text(chart_csv.write((replace(HAND, law=FixedKvp(3, 57, 1.6, 3)),)), encoding="utf-8", newline="")
    drifting = replace(LSPINE, sid_cm=150, law=FixedKvp(21, 80, 40, 9))
    bad.write_text(chart_csv.write((drifting, KNEE)), encoding="utf-8", newline="")
    return good, bad


def test_lint_and_level_say_by_exit_code_whether_there_is_anything(run, files):
    good, bad = map(str, files)
    assert run("chart", "lint", good, "--room", "room-1") == (0, "[]\n")
    code, out = run("chart", "lint", bad, "--room", "room-1")
    assert code == 1
    assert {"grid_focus", "drifts"} <= {finding["rule"] for finding in json.loads(out)}
    assert run("chart", "lint", bad, "--room", "room-1", "--errors-only") == (0, "[]\n")
    assert run("chart", "level", good, "--room", "room-1")[0] == 0
    code, out = run("chart", "level", bad, "--room", "room-1", "--fix")
    spine = json.loads(out)[0]
    assert (code, spine["level"]) == (1, False)
    assert abs(spine["worst_after_di"]) < 1 < abs(spine["worst_di"])


def test_convert_goes_round_and_compare_sees_the_difference(run, files, tmp_path):
    good, bad = map(str, files)
    for ending in ("xlsx", "json", "csv"):
        target = str(tmp_path / f"copy.{ending}")
        assert run("chart", "convert", bad, target, "--room", "room-1")[0] == 0
        code, out = run("chart", "compare", bad, target, "--room", "room-1")
        assert (code, {one["change"] for one in json.loads(out)}) == (0, {"same"})
    code, out = run("chart", "compare", good, bad, "--room", "room-1")
    assert code == 1
    assert sorted(one["change"] for one in json.loads(out)) == ["added", "added", "removed"]


def test_build_adapt_and_print(run, tmp_path):
    exposure = {
        "projection": "lspine-ap", "receptor": "plate-35", "support": "table_bucky", "grid_ratio": 8, "sid_cm": 100,
        "thickness_cm": 21, "kvp": 80, "mas": 40, "ei": 300,
    }  # fmt: skip
    asked = {"exposures": [exposure], "projections": ["lspine-ap", "lspine-lateral"]}
    code, out = run("chart", "build", "room-2", "--school", "banded", "--save", "Drafted", given=asked)
    assert code == 0
    assert {draft["line"]["law"]["name"] for draft in json.loads(out)["drafts"]} == {"banded"}
    code, out = run("chart", "adapt", "2", "portable", "--save", "From room 2")
    assert code == 0
    assert any(one["refusal"] for one in json.loads(out)) or all(one["line"] for one in json.loads(out))
    for kind in ("wall", "booklet", "card"):
        target = tmp_path / f"{kind}.pdf"
        assert run("chart", "print", "2", str(target), "--kind", kind, "--paper", "a3", "--landscape")[0] == 0
        assert target.read_bytes().startswith(b"%PDF")


@pytest.mark.parametrize(
    "arguments",
    [("lint", "99"), ("lint", "none.csv"), ("lint", "none.doc"), ("convert", "1", "x.doc"), ("adapt", "1", "nowhere")],
)
def test_refusals_are_told_with_exit_code_2(run, arguments):
    code, out = run("chart", *arguments)
    assert code == 2
    assert {"title", "detail"} <= set(json.loads(out))


def test_people_from_the_shell(run):
    assert [person["id"] for person in json.loads(run("person")[1])] == ["ilse", "joren", "noor", "pim", "tamsin"]
    code, out = run("person", "add", "ann", "--name", "Ann", "--role", "keeper", given="a long enough one\n")
    assert (code, json.loads(out)["roles"]) == (0, ["keeper"])
    assert run("person", "add", "bob", "--role", "keeper", given="short")[0] == 2
