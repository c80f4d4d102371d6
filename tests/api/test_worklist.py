"""The worklist over the network: asked of a real server, without identity, mapped to exams by the department."""

from __future__ import annotations

import subprocess

import pytest

from oakbeam.api import worklist
from oakbeam.demo.worklist_server import INVENTED, WorklistStandIn


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
