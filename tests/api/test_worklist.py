"""The worklist over the network: asked of a real server, without identity, mapped to exams by the department."""

from __future__ import annotations

import shutil
import socket
import subprocess
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import ASK, problem
from tests.conftest import signed_in

from oakbeam.api import worklist
from oakbeam.api.app import build
from oakbeam.demo.worklist_server import INVENTED, WorklistStandIn
from oakbeam.formats import worklist as formats_worklist
from oakbeam.store import Store, people


@pytest.fixture
def demo(tmp_path, demo_file):
    store = Store(Path(shutil.copy(demo_file, tmp_path)))
    people.agree(store, people.Agreement(open_records=True), "test")
    yield signed_in(store, TestClient(build(store)), "every", "technologist", "admin")
    store.close()


@pytest.fixture
def server():
    made = WorklistStandIn()
    yield made
    made.close()


def test_requests_come_without_identity_and_their_procedure_learns_its_exam(client, charted, server, monkeypatch):
    monkeypatch.setattr(worklist, "ASKED_AGAIN_S", 0.0)
    # Without a worklist, and outside the demo, nobody waits.
    assert client.get("/api/waiting").json() == []
    assert client.get("/api/modality-worklist").json()["server"] is None
    where = {"host": "127.0.0.1", "port": server.port, "title": "WORKLIST"}
    assert client.put("/api/modality-worklist", json={**where, "port": 0}).status_code == 422
    assert client.put("/api/modality-worklist", json=where).json()["server"]["own_title"] == "OAKBEAM"
    answer = client.get("/api/waiting")
    found = answer.json()
    # The four of our modalities, in the order they are scheduled.
    assert [one["words"] for one in found] == ["chest", "hand", "lumbar spine", "knee"]
    assert [(one["side"], one["age_band"], one["sex"]) for one in found][1] == ("left", "10y", "male")
    assert (found[0]["weight_kg"], found[0]["height_cm"], found[0]["exam"]) == (70, 170, "")
    said = [part for row in INVENTED for part in (*row[1].split("^"), row[2], row[6])]
    assert not any(one in answer.text for one in said)
    told = {"procedure": found[0]["procedure"], "exam": "no-such"}
    assert client.post("/api/modality-worklist/exams", json=told).status_code == 422
    client.post("/api/modality-worklist/exams", json={**told, "exam": "chest"})
    assert client.get("/api/waiting").json()[0]["exam"] == "chest"
    charted.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    kept = charted.path.read_bytes()
    assert not any(one.encode() in kept for one in said)


def test_a_request_waits_until_each_of_its_views_is_accepted_or_somebody_says_that_none_is_to_be(demo):
    def row(key):
        return next((one for one in demo.get("/api/waiting").json() if one["study_key"] == key), None)

    def record(key, view, cm, **more):
        body = {"technique": {"room": "room-1", "projection": view, "thickness_cm": cm}, "kvp": 80, "mas": 4}
        sent = {**body, "outcome": "accepted", "study_key": key, **more}
        answer = demo.post("/api/exposures", json=sent)
        assert answer.status_code == 201, answer.text
        return answer.json()["exposure"]["id"]

    assert (row("S-1041")["done"], row("S-1041")["due"]) == ([], ["chest-pa", "chest-lateral"])
    first = record("S-1041", "chest-pa", 22)
    assert (row("S-1041")["done"], row("S-1041")["due"]) == (["chest-pa"], ["chest-lateral"])
    record("S-1041", "chest-lateral", 31, outcome="rejected", reject_reason="R01")
    assert row("S-1041")["due"] == ["chest-lateral"]  # a rejected image is none
    record("S-1041", "chest-lateral", 31)
    assert row("S-1041") is None
    demo.post(f"/api/exposures/{first}/undo")
    assert row("S-1041")["due"] == ["chest-pa"]
    record("S-1047", "hand-pa", 3.5)
    assert row("S-1047")["due"]
    assert demo.post("/api/waiting/S-1047/close").status_code == 204 == demo.post("/api/waiting/S-1047/close").status_code
    assert row("S-1047") is None
    assert [one["action"] for one in demo.get("/api/audit", params={"action": "request"}).json()] == ["request.close"]
    assert demo.post("/api/waiting/a%20b/close").status_code == 422


def test_a_study_that_was_recorded_waits_no_longer(client, charted, server):
    client.put("/api/modality-worklist", json={"host": "127.0.0.1", "port": server.port})
    first = client.get("/api/waiting").json()[0]
    asked = {"room": "room-1", "projection": "chest-pa", "thickness_cm": 22}
    record = {"technique": asked, "kvp": 117, "mas": 2, "outcome": "accepted", "study_key": first["study_key"]}
    assert client.post("/api/exposures", json=record).status_code == 201
    assert first["study_key"] not in [one["study_key"] for one in client.get("/api/waiting").json()]


@pytest.mark.parametrize("host", ["no-such-server.invalid", "a..b", "x" * 100, "127.0.0.1:99", "::ffff:1:2:3:4:5:6:7"])
def test_a_name_that_leads_nowhere_is_said_and_is_no_fault_of_ours(client, host):
    assert client.put("/api/modality-worklist", json={"host": host, "port": 104}).status_code == 200
    answer = client.get("/api/waiting")
    assert answer.status_code == 503 and answer.json()["title"] == "No worklist"


def test_a_server_that_does_not_answer_is_said_and_the_desk_goes_on(client, server):
    port = server.port
    client.put("/api/modality-worklist", json={"host": "127.0.0.1", "port": port, "title": "ANOTHER"})
    server.close()
    answer = client.get("/api/waiting")
    assert answer.status_code == 503 and "does not answer" in answer.json()["detail"]
    assert client.get("/api/modality-worklist").json()["server"]["port"] == port


def test_a_program_that_is_not_ours_gets_the_same_requests(server):
    asked = ["-W", "-aec", "WORKLIST", "-k", "PatientName", "-k", "ScheduledProcedureStepSequence[0].Modality=DX"]
    done = subprocess.run(
        ["/usr/bin/findscu", *asked, "127.0.0.1", str(server.port)], capture_output=True, text=True, timeout=30, check=False
    )
    assert done.returncode == 0 and (done.stdout + done.stderr).count("Quill^Aster") == 1
    assert "CTHEAD" not in done.stdout + done.stderr


def test_a_silent_server_is_asked_once_and_keeps_nobody_waiting(client, charted, monkeypatch):
    # It is silent until the techniques are answered, then hangs up.
    monkeypatch.setattr(formats_worklist, "PATIENCE_S", 60.0)
    taken = []
    with socket.create_server(("127.0.0.1", 0), backlog=200) as silent, ThreadPoolExecutor(46) as desks:
        threading.Thread(target=lambda: taken.extend(iter(lambda: _accepted(silent), None)), daemon=True).start()
        where = {"host": "127.0.0.1", "port": silent.getsockname()[1], "title": "SILENT"}
        assert client.put("/api/modality-worklist", json=where).status_code == 200
        asked = [desks.submit(client.get, "/api/waiting") for _ in range(45)]
        for _ in range(20):
            assert client.post("/api/techniques", json=ASK).status_code == 200
        while not taken:
            time.sleep(0.01)
        assert not any(one.done() for one in asked) and len(taken) == 1
        taken[0].close()
        assert {problem(one.result(), 503)["title"] for one in asked} == {"No worklist"}
        # Its silence stands for a while, like an answer, and is not told without a pause.
        begun = time.monotonic()
        problem(client.get("/api/waiting"), 503)
        assert len(taken) == 1 and time.monotonic() - begun >= 0.5


def _accepted(listening):
    try:
        return listening.accept()[0]
    except OSError:
        return None
