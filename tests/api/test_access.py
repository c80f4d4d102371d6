"""Who may do what: every operation for every role, and what guards a session."""

from __future__ import annotations

import re

import pytest
from fastapi.testclient import TestClient
from tests.conftest import PASSWORD, signed_in

from oakbeam.api.access import COOKIE, RULES, TOKEN_HEADER
from oakbeam.api.app import build
from oakbeam.store import people
from oakbeam.store.people import ROLES

DOCUMENT = {
    f"{method.upper()} {path}"
    for path, operations in build(None).openapi()["paths"].items()  # type: ignore[arg-type]
    for method in operations
}
KEEPS = {
    "POST /api/charts": {"keeper", "physicist"},
    "POST /api/charts/{chart_id}/approve": {"physicist"},
    "PUT /api/rooms/{room_id}": {"physicist"},
    "POST /api/exposures": {"technologist", "keeper", "physicist"},
    "POST /api/people": {"admin"},
    "PUT /api/agreement": {"admin"},
    "POST /api/charts/{chart_id}/changes": {"keeper", "physicist"},
}


def test_every_operation_has_its_rule_and_no_rule_is_left_over():
    assert set(RULES) == DOCUMENT


def test_the_rules_that_matter_most_say_what_they_should():
    """Spelled out once more, so that a slip in the table is seen; and nothing that keeps something is open to anyone."""
    for operation, roles in KEEPS.items():
        assert RULES[operation] == roles
    computes = r"POST /api/(techniques|what-if|beam|run-sheets|read-outs|judgements|session|rooms/\{room_id\}/line-preview)$"
    for operation, rule in RULES.items():
        if not operation.startswith("GET") and rule == "anyone":
            assert re.match(computes, operation) or operation == "DELETE /api/session", operation


@pytest.fixture(scope="module")
def everyone(tmp_path_factory):
    """A client for each role, and one for nobody, on one database that no allowed call gets far in."""
    from oakbeam.store import Store

    store = Store(tmp_path_factory.mktemp("access") / "oakbeam.db")
    app = build(store)
    clients = {role: signed_in(store, TestClient(app, raise_server_exceptions=False), role, role) for role in ROLES}
    yield {**clients, None: TestClient(app, raise_server_exceptions=False)}
    store.close()


def call(client, operation, **headers):
    method, path = operation.split(" ", 1)
    address = re.sub(r"\{(\w+)\}", lambda found: "projection" if found[1] == "kind" else "1", path)
    # An empty body is refused after the rule and before anything is done.
    return client.request(method, address, headers=headers, **({} if method == "GET" else {"json": {}}))


@pytest.mark.parametrize("operation", sorted(DOCUMENT - {"DELETE /api/session"}))
def test_each_role_meets_the_rule(everyone, operation):
    rule = RULES[operation]
    for role, client in everyone.items():
        status = call(client, operation).status_code
        if rule == "anyone":
            assert status not in (401, 403), (role, status)
        elif role is None:
            assert status == 401
        elif rule == "signed_in" or role in rule:
            assert status not in (401, 403), (role, status)
        else:
            assert status == 403, (role, status)


def test_a_change_without_the_sessions_token_or_from_another_site_is_refused(client):
    heading = {"name": "x"}
    for headers, status in (
        ({TOKEN_HEADER: ""}, 403),
        ({TOKEN_HEADER: "guessed"}, 403),
        ({"sec-fetch-site": "cross-site"}, 403),
        ({}, 409),  # approved: the rule let it through
    ):
        assert client.put("/api/charts/1", json=heading, headers=headers).status_code == status
    away = client.post(
        "/api/session", json={"person": "all", "password": PASSWORD}, headers={"sec-fetch-site": "cross-site"}
    )
    assert away.status_code == 403


def test_the_cookie_is_out_of_reach_of_scripts_and_other_sites(charted, visitor):
    people.add(charted, "ann", "Ann", ["technologist"], PASSWORD, "test")
    answer = visitor.post("/api/session", json={"person": "ann", "password": PASSWORD})
    flags = answer.headers["set-cookie"].lower()
    assert "httponly" in flags
    assert "samesite=strict" in flags
    assert "path=/" in flags
    assert PASSWORD not in answer.text
    secure = TestClient(visitor.app, base_url="https://testserver")
    assert (
        "secure" in secure.post("/api/session", json={"person": "ann", "password": PASSWORD}).headers["set-cookie"].lower()
    )
    stored = charted.db.execute("SELECT token_hash FROM session").fetchall()
    assert all(row[0] != visitor.cookies[COOKIE] for row in stored)


def test_a_planted_session_is_not_taken_over_and_signing_out_ends_it(charted, visitor):
    people.add(charted, "ann", "Ann", ["technologist"], PASSWORD, "test")
    visitor.cookies.set(COOKIE, "planted-by-somebody")
    assert visitor.get("/api/session").json()["person"] is None
    visitor.cookies.clear()
    signed_in(charted, visitor, "ann")
    first = visitor.cookies[COOKIE]
    assert first != "planted-by-somebody"
    signed_in(charted, visitor, "ann")
    second = visitor.cookies[COOKIE]
    assert second != first
    for token, name in ((first, None), (second, "ann")):
        person = TestClient(visitor.app, cookies={COOKIE: token}).get("/api/session").json()["person"]
        assert (person and person["id"]) == name
    visitor.delete("/api/session")
    assert TestClient(visitor.app, cookies={COOKIE: second}).get("/api/session").json()["person"] is None


def test_wrong_passwords_wait_longer_each_time_and_tell_nothing(charted, visitor, monkeypatch):
    people.add(charted, "ann", "Ann", ["technologist"], PASSWORD, "test")
    wrong = [visitor.post("/api/session", json={"person": name, "password": "no"}) for name in ("ann", "nobody")]
    assert wrong[0].status_code == wrong[1].status_code == 401
    assert wrong[0].json() == wrong[1].json()
    for _ in range(people.FREE_ATTEMPTS - 1):
        visitor.post("/api/session", json={"person": "ann", "password": "no"})
    held = visitor.post("/api/session", json={"person": "ann", "password": PASSWORD})
    assert held.status_code == 429
    first = int(held.headers["retry-after"])
    assert 0 < first <= people.FIRST_WAIT_S + 1
    # Another name is not held up, and the wait over, the right password passes and clears the count.
    assert visitor.post("/api/session", json={"person": "nobody", "password": "no"}).status_code == 401
    monkeypatch.setattr(people, "_seconds_since", lambda _: people.FIRST_WAIT_S + 1)
    assert visitor.post("/api/session", json={"person": "ann", "password": "no"}).status_code == 401
    assert visitor.post("/api/session", json={"person": "ann", "password": PASSWORD}).json()["allowed"]["min"] > first / 2
    monkeypatch.setattr(people, "_seconds_since", lambda _: 4 * people.FIRST_WAIT_S)
    assert visitor.post("/api/session", json={"person": "ann", "password": PASSWORD}).status_code == 200
    monkeypatch.undo()
    assert visitor.post("/api/session", json={"person": "ann", "password": "no"}).status_code == 401


def test_one_address_that_tries_many_names_is_held_too(charted, visitor):
    with charted.change() as db:
        rows = [(people.now(), f"name-{i}", "testclient") for i in range(people.ADDRESS_ATTEMPTS)]
        db.executemany("INSERT INTO sign_in (at, person, address, passed) VALUES (?, ?, ?, 0)", rows)
    assert visitor.post("/api/session", json={"person": "fresh", "password": "no"}).status_code == 429


def test_a_console_left_alone_signs_out_and_a_change_of_roles_ends_sessions(charted, visitor, monkeypatch):
    people.add(charted, "ann", "Ann", ["technologist", "admin"], PASSWORD, "test")
    people.add(charted, "bea", "Bea", ["admin"], PASSWORD, "test")
    signed_in(charted, visitor, "ann")
    assert visitor.get("/api/people").status_code == 200
    people.change(charted, "ann", "bea", "Ann", ["technologist"], True)
    assert visitor.get("/api/session").json()["person"] is None
    signed_in(charted, visitor, "ann")
    minutes = people.agreement(charted).idle_minutes
    with charted.change() as db:
        db.execute("UPDATE session SET seen_at = ?", (people._ago(minutes=minutes + 1),))
    charted.last_asked.clear()
    assert visitor.get("/api/session").json()["person"] is None
    signed_in(charted, visitor, "ann")
    with charted.change() as db:
        db.execute("UPDATE session SET created_at = ?", (people._ago(hours=people.SESSION_HOURS + 1),))
    assert visitor.get("/api/session").json()["person"] is None
    with pytest.raises(people.Conflict, match="another admin"):
        people.change(charted, "bea", "bea", "Bea", ["technologist"], True)


def test_ones_own_password(charted, visitor):
    people.add(charted, "ann", "Ann", ["technologist", "admin"], PASSWORD, "test")
    signed_in(charted, visitor, "ann")
    for old, new, status in (("wrong", "something new", 401), (PASSWORD, "short", 422), (PASSWORD, "something new", 204)):
        assert visitor.put("/api/session/password", json={"old": old, "new": new}).status_code == status
    assert visitor.get("/api/session").json()["person"] is None
    assert visitor.post("/api/session", json={"person": "ann", "password": "something new"}).status_code == 200


def test_another_person_approves(charted, visitor):
    people.add(charted, "both", "Both", ["keeper", "physicist"], PASSWORD, "test")
    people.add(charted, "phys", "Phys", ["physicist"], PASSWORD, "test")
    signed_in(charted, visitor, "both")
    draft = visitor.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    path = f"/api/charts/{draft['id']}"
    assert visitor.post(f"{path}/approve").json()["detail"].endswith("proposed before it is approved.")
    assert visitor.post(f"{path}/propose").json()["proposed_by"] == "both"
    assert visitor.delete(f"{path}/lines/{draft['lines'][0]['id']}").status_code == 409
    assert visitor.post(f"{path}/approve").json()["title"] == "Another person approves"
    signed_in(charted, visitor, "phys")
    assert visitor.post(f"{path}/return", json={"why": "elbow too dark"}).json()["status"] == "draft"
    said = visitor.post(f"{path}/comments", json={"text": "see the elbow", "line_key": draft["lines"][1]["key"]}).json()
    assert visitor.post(f"{path}/comments", json={"text": "x", "line_key": 999}).status_code == 404
    assert visitor.post(f"/api/comments/{said['id']}/resolve").json()["resolved_by"] == "phys"
    visitor.post(f"{path}/propose")
    assert visitor.post(f"{path}/approve").json()["title"] == "Another person approves"  # who proposed it
    visitor.post(f"{path}/return", json={"why": "again"})
    signed_in(charted, visitor, "both")
    visitor.post(f"{path}/propose")
    signed_in(charted, visitor, "phys")
    done = visitor.post(f"{path}/approve").json()
    assert (done["status"], done["approver"]) == ("approved", "phys")
    actions = [row["action"] for row in visitor.get(f"{path}/history").json()]
    assert actions.count("chart.return_to_author") == 2
    assert {"comment.add", "comment.resolve", "chart.approve"} <= set(actions)
