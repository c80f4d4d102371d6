"""Readiness, metrics, lines of log, and the administrator's look at what was done."""

from __future__ import annotations

import errno
import json
import os
import shutil

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import problem
from tests.conftest import signed_in

from oakbeam.api import observing
from oakbeam.api.app import build
from oakbeam.store import backups


def test_ready_says_what_stands_against_a_change(charted, client, monkeypatch):
    monkeypatch.setattr(observing, "READY_AGAIN_S", 0.0)
    assert client.get("/api/ready").json()["ready"]
    # Somebody else holds the database, as a copying tool may.
    with charted.change():
        monkeypatch.setattr("oakbeam.store.database.MOST_WAIT_S", 0.05)
        held = client.get("/api/ready")
    assert held.status_code == 503 and "takes no change" in held.json()["why"][0]
    usage = shutil.disk_usage("/")
    monkeypatch.setattr(shutil, "disk_usage", lambda _: usage._replace(free=5_000_000))
    full = client.get("/api/ready")
    assert full.status_code == 503 and full.json()["why"] == ["Only 5 MB are free where the database is."]
    assert client.get("/api/health").status_code == 200


def test_ready_writes_and_syncs_for_real_and_not_for_everybody_who_asks(charted, client, monkeypatch):
    synced, sync = [], os.fsync

    def counted(number):
        synced.append(number)
        sync(number)

    monkeypatch.setattr(os, "fsync", counted)
    first = [client.get("/api/ready").json() for _ in range(20)]
    assert len(synced) == 1 and first[0]["ready"] and first[0]["backup_at"] is None
    assert (charted.path.parent / "oakbeam.ready").stat().st_size > 10
    backups.rotate(charted, charted.path.parent / "kept", 2)
    monkeypatch.setattr(observing, "READY_AGAIN_S", 0.0)
    assert client.get("/api/ready").json()["backup_at"]

    def full(_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    said = client.get("/api/ready")
    assert said.status_code == 503 and "No space left" in said.json()["why"][0]


def test_requests_are_counted_by_operation_and_never_by_what_was_asked(charted):
    with TestClient(build(charted), client=("127.0.0.1", 50000)) as near:
        for _ in range(3):
            near.get("/api/rooms/room-1")
        near.get("/api/rooms/somebody%27s-name")
        near.get("/api/made-up/secret")
        text = near.get("/api/metrics").text
    assert 'oakbeam_requests_total{operation="GET /api/rooms/{room_id}",status="200"} 3.0' in text
    assert 'operation="GET /api/rooms/{room_id}",status="404"} 1.0' in text
    assert 'oakbeam_request_seconds_count{operation="GET /api/rooms/{room_id}"} 4.0' in text
    assert "secret" not in text and "somebody" not in text
    with TestClient(build(charted), client=("10.0.0.7", 50000)) as far:
        assert problem(far.get("/api/metrics"), 404)


@pytest.mark.parametrize(
    ("log", "slow_ms", "lines"), [("requests", 1e9, 3), ("slow", -1.0, 3), ("slow", 1e9, 0), ("none", -1.0, 0)]
)
def test_a_line_of_log_names_who_what_and_how_long(charted, log, slow_ms, lines, monkeypatch):
    said = []
    monkeypatch.setattr(observing._LOG, "info", said.append)
    monkeypatch.setattr(observing, "SLOW_MS", slow_ms)
    with TestClient(build(charted, log=log)) as client:
        signed_in(charted, client, "noor", "admin")
        said.clear()
        answers = [client.get("/api/people"), client.get("/api/people"), client.get("/api/rooms")]
    assert len(said) == lines
    found = {one["request"]: one for one in map(json.loads, said)}
    assert set(found) <= {one.headers["x-request-id"] for one in answers}
    if lines:
        first = found[answers[0].headers["x-request-id"]]
        assert (first["operation"], first["status"], first["person"]) == ("GET /api/people", 200, "noor")
        assert first["ms"] > 0 and first.get("slow", False) is (slow_ms < 0)
        assert found[answers[2].headers["x-request-id"]]["person"] is None


def test_the_administrator_sees_what_was_done_and_who_signed_in(charted, client):
    client.put("/api/checks", json={"checks": ["Right patient"]})
    newest = client.get("/api/audit", params={"limit": 2}).json()
    assert newest[0]["action"] == "setting.save" and newest[0]["actor"] == "all"
    older = client.get("/api/audit", params={"before": newest[-1]["id"], "limit": 3}).json()
    assert [one["id"] for one in older] == sorted((one["id"] for one in older), reverse=True)
    assert older[0]["id"] < newest[-1]["id"]
    mine = client.get("/api/audit", params={"actor": "all", "action": "setting"}).json()
    assert {(one["actor"], one["action"]) for one in mine} == {("all", "setting.save")}
    assert client.get("/api/audit/chain").json() == {"whole": True, "fault": None}
    assert client.get("/api/audit/csv").text.startswith("id,at,actor,action,subject,detail")
    client.post("/api/session", json={"person": "all", "password": "not this one"})
    assert client.get("/api/sign-ins").json()[0] | {"at": ""} == {
        "at": "",
        "person": "all",
        "address": "testclient",
        "passed": False,
    }
