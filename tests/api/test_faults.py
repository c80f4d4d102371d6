"""What a server meets in a cellar: a full disk, a file that may not be written, a damaged one, a lock that is held, no more
descriptors, a clock that is put back, clients that never finish. Each is answered as a problem, nothing kept is lost,
and it goes on by itself once the cause is gone."""

from __future__ import annotations

import asyncio
import http.client
import json
import resource
import shutil
import socket
import sqlite3
import time
import urllib.error
from contextlib import closing, suppress
from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import problem
from tests.api.test_kill import ASK, Client, check_whole
from tests.browser.conftest import serve, stop
from tests.conftest import PASSWORD, proofs, signed_in

from oakbeam import cli
from oakbeam.api import bodies, slow_clients
from oakbeam.api.app import build
from oakbeam.store import Store, database, people

RECORD = {"technique": ASK, "kvp": 117, "mas": 2.5, "ei": 250, "outcome": "accepted", "note": "x" * 400}


def refused(client: Client, body: object = RECORD) -> tuple[int, dict]:
    """The status and the problem that a record meets; (201, what was kept) where it is kept."""
    try:
        return 201, client.send("POST", "/api/exposures", body)["exposure"]
    except urllib.error.HTTPError as error:
        assert error.headers["content-type"] == "application/problem+json"
        return error.code, json.load(error)


@pytest.fixture
def served(tmp_path, demo_file):
    shutil.copy(demo_file, tmp_path)
    server, address = serve(tmp_path)
    yield server, address, tmp_path
    stop(server)


def test_a_full_disk_is_said_and_over_once_there_is_room(served):
    server, address, data = served
    client, kept = Client(address, "joren"), []
    soft, hard = resource.prlimit(server.pid, resource.RLIMIT_FSIZE)
    full = max(file.stat().st_size for file in data.iterdir()) + 40_000
    resource.prlimit(server.pid, resource.RLIMIT_FSIZE, (full, hard))
    for _ in range(400):
        status, found = refused(client)
        if status != 201:
            break
        kept.append(found["id"])
    assert status == 503 and "Nothing of this was kept" in found["detail"]
    # Techniques are answered, and what can be written is still written: nothing is stuck.
    assert client.send("POST", "/api/techniques", ASK)["technique"]["kvp"] > 0
    resource.prlimit(server.pid, resource.RLIMIT_FSIZE, (soft, hard))
    status, found = refused(client)
    assert status == 201
    store = check_whole(data / "oakbeam.db")
    assert {*kept, found["id"]} <= {row[0] for row in store.db.execute("SELECT id FROM exposure")}
    store.close()


def test_a_file_that_may_not_be_written_still_answers_the_desk(charted, monkeypatch):
    people.add(charted, "all", "All", ("technologist", "keeper"), PASSWORD, "test")

    class ReadOnly(Store):
        def _connect(self):
            db = sqlite3.connect(
                f"file:{self.path}?mode=ro",
                uri=True,
                isolation_level=None,
                check_same_thread=False,
                factory=database.Connection,
            )
            db.parsed, db.row_factory = self._parsed, sqlite3.Row
            return db

        def _migrate(self, older):
            pass

    client = signed_in(charted, TestClient(build(charted), raise_server_exceptions=False), "all")
    frozen = TestClient(build(ReadOnly(charted.path)), raise_server_exceptions=False, cookies=client.cookies)
    frozen.headers.update(client.headers)
    said = problem(frozen.post("/api/charts/1/comments", json={"text": "now"}), 503)
    assert "may not write" in said["detail"]
    assert (
        frozen.post("/api/techniques", json={"room": "room-1", "projection": "hand-pa", "thickness_cm": 3}).status_code
        == 200
    )
    assert frozen.get("/api/ready").status_code == 503


def test_a_damaged_file_is_told_by_start_check_and_answer(demo_file, tmp_path, capsys):
    whole = bytearray(demo_file.read_bytes())
    (tmp_path / "oakbeam.db").write_bytes(b"no database at all" * 1000)
    assert cli.main(["--data", str(tmp_path), "check"]) == 2
    assert cli.main(["--data", str(tmp_path), "serve"]) == 2
    assert "\n" not in capsys.readouterr().err.strip().split("\n")[-1]
    # Pages in the middle are gone: what lies elsewhere is answered, what lies there is said to be damaged.
    for page in range(40, len(whole) // 4096 - 1, 3):
        whole[page * 4096 : page * 4096 + 2048] = b"\xff" * 2048
    (tmp_path / "oakbeam.db").write_bytes(whole)
    assert cli.main(["--data", str(tmp_path), "check"]) == 2
    with suppress(sqlite3.DatabaseError):
        store = Store(tmp_path / "oakbeam.db")
        client = TestClient(build(store), raise_server_exceptions=False)
        for path in ("charts/1", "charts?room=room-1", "rooms", "start", "charted"):
            answer = client.get(f"/api/{path}")
            if answer.status_code != 200:
                assert "restore the last backup" in problem(answer, 503)["detail"]
        store.close()


def test_a_lock_that_is_held_long_holds_changes_only(served):
    _, address, data = served
    client = Client(address, "joren")
    other = sqlite3.connect(data / "oakbeam.db", isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    until = time.monotonic() + proofs(0, 30)
    try:
        while True:
            status, found = refused(client)
            assert (status, found["title"]) == (503, "Busy")
            assert client.send("POST", "/api/techniques", ASK)["technique"]["mas"] > 0
            if time.monotonic() >= until:
                break
    finally:
        other.execute("ROLLBACK")
        other.close()
    assert refused(client)[0] == 201


def test_without_descriptors_new_callers_wait_and_are_served_again(served):
    server, address, _ = served
    client = Client(address, "joren")
    host, port = address.removeprefix("http://").split(":")
    soft, hard = resource.prlimit(server.pid, resource.RLIMIT_NOFILE)
    resource.prlimit(server.pid, resource.RLIMIT_NOFILE, (48, hard))
    crowd = []
    try:
        for _ in range(80):
            with suppress(OSError):
                crowd.append(socket.create_connection((host, int(port)), timeout=5))
        assert len(crowd) > 48
    finally:
        for one in crowd:
            one.close()
        resource.prlimit(server.pid, resource.RLIMIT_NOFILE, (soft, hard))
    for _ in range(40):
        with suppress(OSError):
            assert client.send("POST", "/api/techniques", ASK)["technique"]["mas"] > 0
            break
        time.sleep(0.5)
    assert refused(client)[0] == 201
    assert server.is_alive()


def test_a_clock_that_is_put_back_ends_sessions_and_holds_nobody_out(charted, client, monkeypatch):
    signed_in(charted, client, "ilse", "physicist")

    def at(**shift: float) -> None:
        class Clock(datetime):
            @classmethod
            def now(cls, tz=None):
                return datetime.now(UTC) + timedelta(**shift)

        for module in (database, people):
            monkeypatch.setattr(module, "datetime", Clock)

    at(days=1)
    signed_in(charted, client, "ilse", "physicist")
    for _ in range(60):
        client.post("/api/session", json={"person": "ilse", "password": "a guess"})
    assert client.post("/api/session", json={"person": "ilse", "password": PASSWORD}).status_code == 429
    at(days=0)
    assert client.get("/api/session").json()["person"] is None
    # However long the clock was ahead, nobody waits longer than anybody does after so many wrong passwords.
    answer = client.post("/api/session", json={"person": "ilse", "password": PASSWORD})
    assert answer.status_code == 429 and int(answer.headers["retry-after"]) <= people.MOST_WAIT_S
    people.unlock(charted, "ilse", "test")
    signed_in(charted, client, "ilse", "physicist")
    assert client.put("/api/constancy-tests/output", json={"limit": 2, "months": 6}).status_code == 200
    check_whole(charted.path).close()


def test_clients_that_never_finish_do_not_keep_others_out(served, monkeypatch):
    _, address, _ = served
    host, port = address.removeprefix("http://").split(":")
    many, began = proofs(60, 1000), b"POST /api/techniques HTTP/1.1\r\nHost: x\r\nX-Slow: "
    crowd = []
    for i in range(many):
        one = socket.create_connection((host, int(port)), timeout=30)
        one.sendall(began if i % 2 else b"")
        crowd.append(one)
    client = Client(address, "joren")
    assert client.send("POST", "/api/techniques", ASK)["technique"]["mas"] > 0
    assert refused(client)[0] == 201
    # Each is put out after a while, whether it said a little or nothing.
    deadline = time.monotonic() + slow_clients.MOST_HEAD_S + 30
    for one in crowd:
        one.settimeout(max(0.1, deadline - time.monotonic()))
        with suppress(ConnectionResetError):
            assert one.recv(10) == b""
        one.close()


def test_a_body_that_stops_is_refused_and_one_that_is_slow_is_taken(charted, monkeypatch):
    app = build(charted)
    body = json.dumps({"room": "room-1", "projection": "hand-pa", "thickness_cm": 3}).encode()

    async def asked(pause_s: float | None) -> list[dict]:
        parts = [body[:10], body[10:20], body[20:]]
        sent: list[dict] = []

        async def receive():
            if len(parts) < 3:
                # None: nothing more ever comes.
                await (asyncio.Event().wait() if pause_s is None else asyncio.sleep(pause_s))
            return {"type": "http.request", "body": parts.pop(0), "more_body": bool(parts)}

        async def send(message):
            sent.append(message)

        scope = {
            "type": "http",
            "method": "POST",
            "path": "/api/techniques",
            "query_string": b"",
            "headers": [(b"content-type", b"application/json")],
            "http_version": "1.1",
            "client": ("127.0.0.1", 1),
        }
        await app(scope, receive, send)
        return sent

    assert asyncio.run(asked(0.05))[0]["status"] == 200
    monkeypatch.setattr(bodies, "MOST_PAUSE_S", 0.05)
    slow = asyncio.run(asked(None))
    assert slow[0]["status"] == 408
    assert json.loads(slow[1]["body"])["title"] == "Too slow"


def test_keep_alive_goes_on_between_requests(served):
    _, address, _ = served
    host, port = address.removeprefix("http://").split(":")
    with closing(http.client.HTTPConnection(host, int(port), timeout=30)) as line:
        for _ in range(5):
            line.request("GET", "/api/health")
            assert line.getresponse().read()
            time.sleep(0.2)
