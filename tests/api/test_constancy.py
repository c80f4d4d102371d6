"""Constancy in a room: kept as done, due again, overdue, by the department's own tolerance; never altered."""

from __future__ import annotations

import sqlite3
from datetime import timedelta

import pytest
from tests.api.test_api import problem
from tests.conftest import signed_in

from oakbeam.store import constancy, local, reviews, rooms

SHEET = {"test": "output", "rows": [{"kerma_ugy": 100}, {"kerma_ugy": 102}, {"kerma_ugy": 98}]}


def standing(client, test, receptor=None):
    found = client.get("/api/rooms/room-1/constancy").json()["due"]
    return next(one for one in found if (one["test"], one["receptor"]) == (test, receptor))


def kept(client, days_ago=0, **more):
    done_on = (reviews.today() - timedelta(days=days_ago)).isoformat()
    return client.post("/api/rooms/room-1/constancy", json={**SHEET, "done_on": done_on, **more})


def test_a_test_is_missing_then_done_then_due_then_overdue(charted, client):
    signed_in(charted, client, "ilse", "physicist")
    assert standing(client, "output")["last"] is None and not standing(client, "output")["overdue"]
    assert client.post("/api/rooms/room-1/constancy/outcome", json=SHEET).json() == {
        "value": pytest.approx(2),
        "unit": "% spread",
        "limit": 5,
        "passed": True,
    }
    assert kept(client, 400, note="before the service").status_code == 201
    assert standing(client, "output")["overdue"] and standing(client, "output")["last"]["note"] == "before the service"
    (waits,) = client.get("/api/rooms-due").json()
    assert [one["name"] for one in waits["overdue"]] == ["Output, the same setting"]
    assert (waits["failed"], waits["calibration_overdue"]) == ([], False)
    done = kept(client, 3).json()
    assert (done["kept_by"], done["passed"], done["most"]) == ("ilse", True, 5)
    assert not standing(client, "output")["overdue"]
    assert client.get("/api/rooms/room-1/history").json()[0]["action"] == "constancy.keep"
    assert client.get("/api/rooms/room-1/constancy/csv").text.count("output,") == 2


def test_the_departments_tolerance_holds_from_then_on_and_what_was_done_keeps_its_own(charted, client):
    signed_in(charted, client, "ilse", "physicist")
    kept(client, 60)
    found = client.put("/api/constancy-tests/output", json={"limit": 1.5, "months": 1}).json()
    assert found["tolerance"] == {"limit": 1.5, "months": 1, "own": True} and found["shipped_limit"] == 5
    assert standing(client, "output")["overdue"]
    assert not client.post("/api/rooms/room-1/constancy/outcome", json=SHEET).json()["passed"]
    assert standing(client, "output")["last"]["passed"] and standing(client, "output")["last"]["most"] == 5
    assert problem(client.put("/api/constancy-tests/output", json={"limit": 1}))["field"] == "limit"
    assert problem(client.put("/api/constancy-tests/output", json={"limit": 1, "months": 0}))
    assert client.put("/api/constancy-tests/output", json={}).json()["tolerance"] == {"limit": 5, "months": 12, "own": False}


def test_what_cannot_be_kept_is_refused_and_what_is_kept_stays(charted, client):
    signed_in(charted, client, "ilse", "physicist")
    assert problem(kept(client, -1))["field"] == "done_on"
    assert problem(kept(client, receptor="panel-43"))["field"] == "receptor"
    assert "names its receptor" in problem(kept(client, test="uniformity", rows=[{"value": 1}] * 5))["detail"]
    assert problem(kept(client, test="uniformity", rows=[{"value": 1}] * 5, receptor="nope"))
    assert "light-field" in problem(kept(client, test="nope"))["allowed"]
    assert problem(client.get("/api/rooms/room-1/constancy/output/simulated"))["title"] == "Only in the demo"
    kept(client)
    for statement in ("UPDATE constancy SET passed = 0", "DELETE FROM constancy"):
        with pytest.raises(sqlite3.IntegrityError):
            charted.db.execute(statement)


def test_a_room_is_asked_only_for_what_it_has(charted, client):
    found = client.get("/api/rooms/room-1/constancy").json()
    receptors = [one["receptor"] for one in found["due"] if one["test"] == "index"]
    assert "film-24" not in receptors and len(receptors) > 1 and not found["simulated"]
    room = client.get("/api/rooms/room-1").json()
    bare = {**room, "name": "Bare", "aec": None, "loose_grids": []}
    bare["supports"] = [{**one, "grid": None} for one in room["supports"]]
    client.post("/api/rooms/import", json=bare)
    tests = {one["test"] for one in client.get("/api/rooms/bare/constancy").json()["due"]}
    assert "grid" not in tests and not any(test.startswith("aec") for test in tests) and "output" in tests


def test_the_demo_has_one_overdue_one_that_failed_and_instruments_to_read(demo_store):
    assert local.offered_accounts(demo_store)
    found = constancy.due(demo_store, rooms.get(demo_store, "room-1"))
    assert any(one.overdue for one in found)
    assert any(one.last and not one.last.passed for one in found)
    assert any(one.last is None for one in found)
