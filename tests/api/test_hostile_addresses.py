"""Every route, every role, every spelling of its address that is not its own: nobody gets further than by the plain one."""

from __future__ import annotations

import asyncio
import json
import re
from collections import Counter
from urllib.parse import unquote_to_bytes

import pytest
from fastapi.testclient import TestClient
from tests.conftest import proofs, signed_in

from oakbeam.api import observing
from oakbeam.api.access import COOKIE, TOKEN_HEADER
from oakbeam.api.app import build
from oakbeam.api.rules import RULES
from oakbeam.store import Store
from oakbeam.store.people import ROLES

ODD = {
    "newline": lambda p: f"{p}%0A",
    "newline as it is": lambda p: f"{p}\n",
    "return": lambda p: f"{p}%0D",
    "both": lambda p: f"{p}%0d%0a",
    "tab": lambda p: f"{p}%09",
    "NUL": lambda p: f"{p}%00",
    "DEL": lambda p: f"{p}%7f",
    "next line": lambda p: f"{p}%C2%85",
    "line separator": lambda p: f"{p}%E2%80%A8",
    "not seen": lambda p: f"{p}%E2%80%8B",
    "no UTF-8": lambda p: f"{p}%ff",
    "slash escaped": lambda p: p.replace("/api/", "/api%2F", 1),
    "slash escaped at the end": lambda p: f"{p}%2f",
    "backslash": lambda p: p.replace("/api/", "/api%5C", 1),
    "backslash as it is": lambda p: p.replace("/api/", "/api\\", 1),
    "doubled": lambda p: p.replace("/api/", "/api//", 1),
    "doubled before": lambda p: f"/{p}",
    "doubled at the end": lambda p: f"{p}//",
    "dot": lambda p: p.replace("/api/", "/api/./", 1),
    "dots": lambda p: f"/api/rooms/..{p[4:]}",
    "dots before": lambda p: f"/x/..{p}",
    "dots escaped": lambda p: f"/x/%2e%2e{p}",
    "dots half escaped": lambda p: f"/api/.%2e{p}",
    "dot at the end": lambda p: f"{p}/.",
    "upper case": lambda p: f"/API{p[4:]}",
    "one of them upper": lambda p: f"/aPi{p[4:]}",
    "letter escaped": lambda p: f"/%61pi{p[4:]}",
    "last letter escaped": lambda p: f"{p[:-1]}%{ord(p[-1]):02X}",
    "full width": lambda p: f"/%EF%BD%81pi{p[4:]}",
    "parameter": lambda p: f"/api;x=1{p[4:]}",
    "space": lambda p: f"/api%20{p[4:]}",
    "long": lambda p: f"{p}/{'a' * 600}",
    "newline before": lambda p: f"%0A{p}",
    "twice escaped": lambda p: f"{p}%250A%0A",
}
"""Refused before anything is looked for, whoever asks."""
NEAR = {
    "slash at the end": lambda p: f"{p}/",
    "more below": lambda p: f"{p}/x",
    "parameter at the end": lambda p: f"{p};a=b",
    "dot json": lambda p: f"{p}.json",
    "space at the end": lambda p: f"{p}%20",
    "question": lambda p: f"{p}%3F",
    "hash": lambda p: f"{p}%23",
    "percent": lambda p: f"{p}%25",
    "escaped newline twice": lambda p: f"{p}%250A",
    "other case below": lambda p: f"/api{p[4:].upper()}",
    "soft letter": lambda p: f"{p}%C3%9F",
    "below": lambda p: f"/x{p}",
}
"""Other addresses: another operation's, or nobody's."""
METHODS = ("get", "Post", "PROPFIND", "TRACE", "CONNECT", "X", "HEAD", "OPTIONS")
OPERATIONS = sorted(one for one in RULES if "{rest" not in one and one.split()[1] != "/api")


@pytest.fixture(scope="module")
def callers(tmp_path_factory):
    """The application, and the headers of one person of each role and of nobody."""
    store = Store(tmp_path_factory.mktemp("hostile") / "oakbeam.db")
    app, headers = build(store), {None: []}
    for role in ROLES:
        client = signed_in(store, TestClient(app), role, role)
        cookie = f"{COOKIE}={client.cookies[COOKIE]}"
        headers[role] = [
            (b"cookie", cookie.encode()),
            (TOKEN_HEADER.lower().encode(), client.headers[TOKEN_HEADER].encode()),
        ]
    yield app, headers
    store.close()


async def ask(app, method, as_sent, headers):
    """What a server hands on for an address as it was sent; (status, the body's beginning, the scope after it)."""
    status, answered = 0, b""

    async def receive():
        return {"type": "http.request", "body": b"{}", "more_body": False}

    async def send(message):
        nonlocal status, answered
        status, answered = message.get("status", status), (answered + message.get("body", b""))[:2000]

    raw = as_sent.encode()
    scope = {"type": "http", "method": method, "path": unquote_to_bytes(raw).decode("utf-8", "replace"), "raw_path": raw,
             "query_string": b"", "headers": [(b"content-type", b"application/json"), *headers], "http_version": "1.1",
             "scheme": "http", "server": ("testserver", 80), "client": ("10.0.0.1", 1), "root_path": "",
             "asgi": {"version": "3.0"}}  # fmt: skip
    await app(scope, receive, send)
    return status, answered, scope


def plain(operation):
    method, path = operation.split(" ", 1)
    return method, re.sub(r"\{(\w+)\}", lambda found: "projection" if found[1] == "kind" else "1", path)


def allowed(rule, role):
    return rule in ("anyone", "session") or (role is not None and (rule in ("signed_in", "records") or role in rule))


def test_nobody_gets_further_by_another_spelling_than_by_the_plain_one(callers):
    app, people = callers
    seen, let_in = Counter(), []

    async def every_one():
        for number, operation in enumerate(OPERATIONS):
            method, path = plain(operation)
            # In part: nobody, and one role by turns.
            turn = ROLES[number % len(ROLES)]
            for role, headers in proofs([(one, people[one]) for one in (None, turn)], list(people.items())):
                for name, spell in {**ODD, **NEAR}.items():
                    status, answered, scope = await ask(app, method, spell(path), headers)
                    seen["odd" if name in ODD else "near"] += 1
                    if name in ODD:
                        right = status == 400 and scope["operation"] == "odd address" and json.loads(answered)["title"]
                    else:  # what answers is what has the rule
                        found = scope.get("operation")
                        right = status in (401, 403, 404, 405) or (found in RULES and allowed(RULES[found], role))
                    if not right:
                        let_in.append((operation, role, name, status))
                for other in METHODS:
                    status, _, scope = await ask(app, other, path, headers)
                    seen["method"] += 1
                    if status not in (400, 404, 405) and f"{other} {path}" != "HEAD /api/health":
                        let_in.append((operation, role, other, status))

    asyncio.run(every_one())
    assert not let_in, let_in[:20]
    asking = proofs(2, len(people))
    assert seen["odd"] == len(OPERATIONS) * asking * len(ODD)
    print(f"{len(OPERATIONS)} operations, {asking} callers, {len(ODD)} + {len(NEAR)} spellings, {dict(seen)}")


def test_a_newline_makes_no_administrator_and_an_odd_address_is_logged_as_refused(callers, monkeypatch):
    app, people = callers
    said = []
    monkeypatch.setattr(observing._LOG, "info", lambda line: said.append(json.loads(line)))
    loud = build(app.state.store, log="slow")
    before = app.state.store.db.execute("SELECT count(*) FROM person").fetchone()[0]
    for address, headers, status in (
        ("/api/people%0A", [], 400), ("/api/people%0A", people["trainee"][:1], 400), ("/api/people", people["trainee"], 403),
        ("/api/people", [], 401),
    ):  # fmt: skip
        assert asyncio.run(ask(loud, "POST", address, headers))[0] == status
    assert app.state.store.db.execute("SELECT count(*) FROM person").fetchone()[0] == before
    assert [(one["operation"], one["refused"], one["person"]) for one in said] == [
        ("odd address", "Not an address of this application", None),
        ("odd address", "Not an address of this application", None),
        ("POST /api/people", "Not your role", "trainee"),
        ("POST /api/people", "Sign in first", None),
    ]
