"""The methods of a view beside each other: each is the technique that its set-up gives, the present one is marked."""

from __future__ import annotations

from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from oakbeam import catalogue
from oakbeam.api.app import build


@pytest.fixture(scope="module")
def demo(demo_store) -> TestClient:
    return TestClient(build(demo_store), raise_server_exceptions=False)


def ways(demo: TestClient, projection: str, cm: float, **more) -> list[dict]:
    answer = demo.post("/api/ways", json={"room": "room-1", "projection": projection, "thickness_cm": cm, **more})
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_a_sternum_is_breathed_or_held_with_both_doses(demo):
    found = {one["way"]["name"]: one for one in ways(demo, "sternum-rao", 19) if one["way"]["of"] == "exposure control"}
    slow, held = found["While breathing"], found["Breath held, by hand"]
    assert slow["technique"]["time_ms"] >= 1000 > held["technique"]["time_ms"]
    assert slow["technique"]["kvp"] <= held["technique"]["kvp"]
    assert slow["incident_air_kerma_mgy"] >= held["incident_air_kerma_mgy"] > 0


@pytest.mark.parametrize(
    "projection, cm, kinds",
    [
        ("knee-ap", 12, {"support"}),
        ("abdomen-supine", 21, {"exposure control"}),
        ("cspine-oblique", 12, {"exposure control", "support", "SID"}),
        ("hand-pa", 3, {"support"}),
        ("tspine-lateral", 30, {"exposure control", "support"}),
    ],
)
def test_each_way_is_the_technique_of_its_own_set_up(demo, projection, cm, kinds):
    found = ways(demo, projection, cm)
    assert {one["way"]["of"] for one in found} >= kinds
    for of, count in Counter(one["way"]["of"] for one in found).items():
        assert count > 1, "a choice of one is none"
        assert sum(one["current"] for one in found if one["way"]["of"] == of) <= 1
    for one in found:
        setup = {key: one["way"][key] for key in ("exposure_control", "support", "sid_cm") if one["way"][key] is not None}
        asked = {"room": "room-1", "projection": projection, "thickness_cm": cm, "setup": setup}
        alone = demo.post("/api/techniques", json=asked)
        if one["refused"]:
            assert alone.status_code == 422 and alone.json()["detail"] == one["refused"]
        else:
            assert alone.json()["technique"] == one["technique"]
            assert alone.json()["forecast"]["incident_air_kerma_mgy"] == one["incident_air_kerma_mgy"]


def test_what_belongs_to_the_place_that_is_left_stays_behind_and_what_is_set_by_hand_elsewhere_stays(demo):
    set_up = {"support": "tabletop", "sid_cm": 90, "grid_ratio": 0, "kvp": 70}
    other = next(one for one in ways(demo, "knee-ap", 12, setup=set_up) if one["way"]["support"] == "table_bucky")
    assert (other["technique"]["grid_ratio"], other["technique"]["kvp"]) == (12, 70)
    assert other["technique"]["sid_cm"] != 90


@settings(max_examples=25)
@given(st.sampled_from(sorted(catalogue.shipped().projections)), st.sampled_from(("room-1", "room-2", "portable")))
def test_any_view_of_any_room_answers_or_says_why_not(demo, projection, room):
    cm = catalogue.projection(projection).thickness_cm[1]
    answer = demo.post("/api/ways", json={"room": room, "projection": projection, "thickness_cm": cm})
    assert answer.status_code in (200, 422), answer.text
