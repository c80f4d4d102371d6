"""The edges of the API: bodies, addresses, a database that is busy or broken, faults of our own. Never a bare 500."""

from __future__ import annotations

import json
import sqlite3
import threading

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import ASK, problem
from tests.conftest import signed_in

from oakbeam.api.app import SECURITY_HEADERS, build
from oakbeam.api.rules import BODIES, RULES, USUAL_BODY
from oakbeam.core.image_review import FINDINGS
from oakbeam.store import database, exposures


def asgi(app, method, path, headers, chunks):
    """Call the application as a server does, its body in chunks; the status and how many chunks it took."""
    import asyncio

    taken, sent = 0, []

    async def receive():
        nonlocal taken
        taken += 1
        more = taken < len(chunks)
        return {"type": "http.request", "body": chunks[taken - 1], "more_body": more}

    async def send(message):
        sent.append(message)

    scope = {"type": "http", "method": method, "path": path, "raw_path": path.encode(), "query_string": b"",
             "headers": headers, "http_version": "1.1", "scheme": "http", "server": ("testserver", 80),
             "client": ("testclient", 1), "root_path": "", "asgi": {"version": "3.0"}}  # fmt: skip
    asyncio.run(app(scope, receive, send))
    return sent[0]["status"], taken


def test_who_may_call_is_decided_before_a_byte_of_the_body_is_read(charted):
    app = build(charted)
    large = [b"x" * 1_000_000] * 48
    assert asgi(app, "POST", "/api/charts/import/preview", [(b"content-length", b"48000000")], large) == (401, 0)
    assert asgi(app, "POST", "/api/people", [], large) == (401, 0)


@pytest.mark.parametrize("said", [True, False])
def test_a_body_over_its_operations_limit_is_refused_where_it_passes_it(charted, said):
    app = build(charted)
    chunks = [b" " * 16_384] * 40
    headers = [(b"content-length", str(40 * 16_384).encode())] if said else []
    for path in ("/api/techniques", "/api/what-if"):
        status, taken = asgi(app, "POST", path, headers, chunks)
        assert status == 413
        assert taken <= (0 if said else USUAL_BODY // 16_384 + 1)


def test_every_limit_is_of_an_operation():
    assert set(BODIES) <= set(RULES)


def test_addresses_that_no_file_system_takes_are_refused(tmp_path, charted):
    (tmp_path / "index.html").write_text("<p>page</p>")
    web = TestClient(build(charted, tmp_path), raise_server_exceptions=False)
    for path in ("/%00", "/desk%00.js", "/" + "a" * 5000, "/assets/" + "b/" * 400, "/api/%00"):
        assert problem(web.get(path), 400)
    assert web.get("/" + "n" * 300).status_code == 200  # a view that is not there is the page's to say
    head = web.head("/api/health")
    assert (head.status_code, head.content) == (200, b"")


def test_a_nul_in_a_text_is_refused_wherever_it_stands(client):
    for method, path, body in (
        ("POST", "/api/charts", {"room": "room-1", "name": "a\0b"}),
        ("PUT", "/api/checks", {"checks": ["look\0"]}),
        ("POST", "/api/charts/1/comments", {"text": "x" * 500 + "\0"}),
    ):
        assert problem(client.request(method, path, content=json.dumps(body)))["title"] == "Not a text"


def test_what_is_not_foreseen_is_a_problem_with_the_security_headers_and_tells_nothing(client, monkeypatch):
    def broken(*_, **__):
        raise ZeroDivisionError("secret detail")

    monkeypatch.setattr(exposures, "find", broken)
    answer = client.get("/api/exposures")
    assert answer.status_code == 500
    assert answer.headers["content-type"] == "application/problem+json"
    assert SECURITY_HEADERS.items() <= dict(answer.headers).items() or answer.headers["x-content-type-options"] == "nosniff"
    assert "secret" not in answer.text
    monkeypatch.setattr("oakbeam.api.technique_path.technique", broken)
    assert client.post("/api/techniques", json=ASK).json()["title"] == "Fault in Oakbeam"


def test_while_another_process_writes_changes_wait_shortly_and_reads_go_on(charted, client, monkeypatch):
    monkeypatch.setattr(database, "MOST_WAIT_S", 0.2)
    other = sqlite3.connect(charted.path, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    other.execute("UPDATE room SET name = name")
    try:
        fresh = TestClient(build(charted), raise_server_exceptions=False, cookies=client.cookies, headers=client.headers)
        done = []

        def ask():
            # A thread of its own, so that its connection has the short patience.
            held = fresh.post("/api/charts/1/comments", json={"text": "now"})
            done.append((held.status_code, held.headers.get("retry-after"), fresh.get("/api/people").status_code))
            done.append(fresh.post("/api/techniques", json=ASK).status_code)

        worker = threading.Thread(target=ask)
        worker.start()
        worker.join()
    finally:
        other.execute("ROLLBACK")
        other.close()
    assert done == [(503, "1", 200), 200]
    assert client.post("/api/charts/1/comments", json={"text": "now"}).status_code == 201


def test_reading_writes_nothing_and_being_there_is_kept_with_the_next_change(charted, visitor):
    signed_in(charted, visitor, "ann", "technologist", "admin")
    before = charted.db.execute("PRAGMA data_version").fetchone()[0], charted.db.total_changes
    for path in ("/api/people", "/api/exposures", "/api/start", "/api/session"):
        assert visitor.get(path).status_code == 200
    assert (charted.db.execute("PRAGMA data_version").fetchone()[0], charted.db.total_changes) == before
    seen = charted.db.execute("SELECT seen_at FROM session").fetchone()[0]
    assert visitor.post("/api/charts/1/comments", json={"text": "here"}).status_code == 201
    assert charted.db.execute("SELECT seen_at FROM session").fetchone()[0] > seen


def test_each_finding_of_the_image_critique_may_be_named_with_all_others(client):
    ask = {"room": "room-1", "projection": "lspine-ap", "receptor": "panel-43", "kvp": 80, "mas": 40, "ei": 300}
    assert client.post("/api/judgements", json={**ask, "findings": sorted(FINDINGS)}).status_code == 200
    body = {"technique": ASK, "kvp": 80, "mas": 40, "ei": 300, "outcome": "accepted", "findings": sorted(FINDINGS)}
    assert client.post("/api/exposures", json=body).status_code == 201
