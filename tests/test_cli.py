"""The command line gives what the API gives, and exit code 2 with problem details for a refusal."""

from __future__ import annotations

import io
import json
import sys
from pathlib import Path

import pytest

from oakbeam import cli


@pytest.fixture
def run(tmp_path, capsys, monkeypatch):
    def call(*arguments: str, given: object = "") -> tuple[int, str]:
        text = given if isinstance(given, str) else json.dumps(given)
        monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(text.encode())))
        code = cli.main(["--data", str(tmp_path), *arguments])
        return code, capsys.readouterr().out

    assert call("seed") == (0, "Demo clinic added.\n")
    return call


def test_technique_and_refusals(run):
    ask = {"room": "room-1", "projection": "chest-pa", "thickness_cm": 22}
    code, out = run("technique", given=ask)
    assert code == 0
    assert json.loads(out)["technique"]["kvp"] == 117
    for wrong in ({**ask, "thickness_cm": 44}, {**ask, "room": "x"}, {**ask, "colour": 1}, "{", ""):
        code, out = run("technique", given=wrong)
        assert code == 2
        assert {"title", "detail", "status"} <= set(json.loads(out))


def test_judge_export_import_backup(run, tmp_path):
    asked = {"room": "room-1", "projection": "chest-pa", "receptor": "panel-43", "kvp": 117, "mas": 2, "ei": 500}
    assert json.loads(run("judge", given=asked)[1])["evaluation"]["level"] == "excessive"
    _, text = run("chart-export", "1")
    _, document = run("chart-export", "1", "--format", "json")
    assert json.loads(document)["format"] == "oakbeam-chart"
    code, out = run("chart-import", "room-1", "--format", "json", given=document)
    assert (code, json.loads(out)["version"]) == (0, 2)
    assert run("chart-import", "room-1", given=text)[0] == 2  # the draft is still open
    assert run("chart-export", str(json.loads(out)["id"]))[1] == text
    assert run("chart-import", "room-1", "--format", "json", given="{")[0] == 2
    assert run("chart-export", "99")[0] == 2
    assert run("backup", str(tmp_path / "copy.db"))[0] == 0
    assert run("backup", str(tmp_path / "copy.db"))[0] == 2
    assert run("seed")[1].startswith("The database already has rooms")


def test_the_described_api_is_the_one_the_front_end_was_made_for(capsys):
    """web/openapi.json is what the client's types are generated from; `make types` renews it."""
    assert cli.main(["openapi"]) == 0
    kept = Path(__file__).parents[1] / "web" / "openapi.json"
    assert capsys.readouterr().out == kept.read_text(encoding="utf-8")
