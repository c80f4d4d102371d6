"""Exams as they are worked, replayed through the API: tests/replay/exams.toml says what must come of each."""

from __future__ import annotations

import tomllib
from dataclasses import fields
from itertools import pairwise
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from oakbeam.api.app import build
from oakbeam.core.exam.changes import Placed, ViewChange, applied

EXAMS = tomllib.loads((Path(__file__).parents[1] / "replay" / "exams.toml").read_text(encoding="utf-8"))["exam"]


@pytest.fixture(scope="module")
def demo(demo_store) -> TestClient:
    return TestClient(build(demo_store), raise_server_exceptions=False)


def replayed(demo: TestClient, exam: dict) -> list[dict]:
    """The steps of an exam's run sheet."""
    views = [
        {
            "projection": view["p"],
            "thickness_cm": view["cm"],
            "side": view.get("side", exam.get("side", "")),
            "digit": exam.get("digit", ""),
            **({"setup": view["setup"]} if "setup" in view else {}),
        }
        for view in exam["views"]
    ]
    asked = {"room": exam.get("room", "room-1"), "patient": exam.get("patient", {}), "views": views}
    if "facts" in exam:
        asked["facts"] = exam["facts"]
    answer = demo.post("/api/run-sheets", json=asked)
    assert answer.status_code == 200, answer.text
    return answer.json()["steps"]


def placed(step: dict) -> Placed:
    return Placed(**{one.name: step["placed"][one.name] for one in fields(Placed)})


def test_there_are_exams_enough():
    assert len(EXAMS) >= 40
    assert len({exam["name"] for exam in EXAMS}) == len(EXAMS)


@pytest.mark.parametrize("exam", EXAMS, ids=lambda exam: exam["name"])
def test_an_exam_goes_as_it_should(demo, exam):
    for view, step in zip(exam["views"], replayed(demo, exam), strict=True):
        if "refused" in view:
            assert view["refused"] in (step["refused"] or "")
            continue
        now, stands = step["technique"]["technique"], step["placed"]
        for number in ("kvp", "mas"):
            if number in view:
                low, high = view[number]
                assert low <= now[number] <= high, (view["p"], number, now[number])
        assert (stands["posture"], stands["marker"]) == (view["posture"], view["marker"]), view["p"]
        assert stands["lengthwise"] == (view["lies"] == "lengthwise"), view["p"]
        assert [one["said"] for one in step["changes"] if one["said"]] == view.get("change", []), view["p"]
        if "caution" in view:
            assert any(view["caution"] in one["text"] for one in step["technique"]["cautions"]), view["p"]


@pytest.mark.parametrize("exam", [exam for exam in EXAMS if len(exam["views"]) > 1], ids=lambda exam: exam["name"])
def test_backwards_too_the_changes_lead_from_each_set_up_to_the_next(demo, exam):
    steps = [step for step in replayed(demo, {**exam, "views": exam["views"][::-1]}) if step["placed"]]
    for before, after in pairwise(steps):
        made = [ViewChange(**one) for one in after["changes"]]
        assert applied(placed(before), made) == placed(after)
