"""Who may do what: every operation for every role, and what guards a session."""

from __future__ import annotations

import re
from concurrent.futures import ThreadPoolExecutor

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from tests.conftest import DESCRIBED, PASSWORD, signed_in

from oakbeam.api import access
from oakbeam.api.access import COOKIE, TOKEN_HEADER, NoRule
from oakbeam.api.app import build
from oakbeam.api.resource import resource
from oakbeam.api.rules import RULES
from oakbeam.core.errors import Refusal
from oakbeam.store import Conflict, people
from oakbeam.store.database import now
from oakbeam.store.people import ROLES

DOCUMENT = {f"{method.upper()} {path}" for path, operations in DESCRIBED["paths"].items() for method in operations}
KEEPS = {
    "POST /api/charts": {"keeper", "physicist"},
    "POST /api/charts/{chart_id}/approve": {"physicist"},
    "PUT /api/rooms/{room_id}": {"physicist"},
    "POST /api/exposures": {"technologist", "keeper", "physicist"},
    "POST /api/people": {"admin"},
    "PUT /api/agreement": {"admin"},
    "POST /api/charts/{chart_id}/changes": {"keeper", "physicist"},
}


UNDESCRIBED = {"HEAD /api/health", "GET /api/openapi.json"}
"""Not in the description, as are the addresses that have no operation."""


def test_a_route_without_a_rule_a_rule_without_a_route_or_a_route_of_another_kind_and_nothing_starts(monkeypatch):
    described = {one for one in RULES if one not in UNDESCRIBED and not one.endswith(("/api", "{rest:path}"))}
    assert described == DOCUMENT
    with pytest.raises(NoRule, match="POST /api/forgotten"):
        resource("people").post("/forgotten")(lambda: None)
    for routes, rules in (
        ([*build(None).routes, APIRoute("/api/plain", lambda: None)], RULES),
        (build(None).routes, {**RULES, "GET /api/gone": "anyone"}),
        (build(None).routes[1:], RULES),
    ):
        monkeypatch.setattr(access, "RULES", rules)
        with pytest.raises(NoRule):
            access.all_ruled(routes)


def test_the_rules_that_matter_most_say_what_they_should():
    """Spelled out once more, so that a slip in the table is seen; and nothing that keeps something is open to anyone."""
    for operation, roles in KEEPS.items():
        assert RULES[operation] == roles
    computes = r"POST /api/(techniques|what-if|ways|beam|run-sheets|read-outs|judgements|index-scales|session(/by-proxy)?|"
    computes += r"rooms/\{room_id\}/line-preview|practice/(usual|light-field|exposures|looks)|"
    computes += r"practice/drills/\{drill_id\}/answers|setup)$"  # setup: by a code that only the server's owner can read
    for operation, rule in RULES.items():
        if operation in DOCUMENT and not operation.startswith("GET") and rule == "anyone":
            assert re.match(computes, operation), operation


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
        if rule in ("anyone", "session"):
            assert status not in (401, 403), (role, status)
        elif role is None:
            assert status == 401
        elif rule in ("signed_in", "records") or role in rule:
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
        rows = [(now(), f"name-{i}", "testclient") for i in range(people.ADDRESS_ATTEMPTS)]
        db.executemany("INSERT INTO sign_in (at, person, address, passed) VALUES (?, ?, ?, 0)", rows)
    assert visitor.post("/api/session", json={"person": "fresh", "password": "no"}).status_code == 429


def test_a_guesser_in_the_house_holds_nobody_up_who_is_known_there(charted, visitor):
    """Behind one address sits a whole hospital: invented names tried from it must not keep its people out."""
    people.add(charted, "ann", "Ann", ["technologist"], PASSWORD, "test")
    signed_in(charted, visitor, "ann")
    tried = [visitor.post("/api/session", json={"person": f"invented-{i}", "password": "no"}).status_code for i in range(40)]
    assert tried[-1] == 429 and tried.count(401) <= people.ADDRESS_ATTEMPTS
    assert visitor.post("/api/session", json={"person": "ann", "password": PASSWORD}).status_code == 200
    # Their own wrong passwords still count.
    wrong = [visitor.post("/api/session", json={"person": "ann", "password": "no"}).status_code for _ in range(7)]
    assert wrong == [401] * 5 + [429] * 2


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
    with pytest.raises(Conflict, match="another admin"):
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


def test_records_are_open_only_where_the_department_opened_them(charted, visitor):
    reads = [operation for operation, rule in RULES.items() if rule == "records"]
    assert {"GET /api/exposures", "GET /api/charts/{chart_id}/comments", "GET /api/clearances"} <= set(reads)
    assert {call(visitor, one).status_code for one in reads} == {401}
    people.agree(charted, people.Agreement(open_records=True), "test")
    assert 401 not in {call(visitor, one).status_code for one in reads}


def test_signing_out_wants_the_sessions_token_and_nobody_may_always(charted, visitor):
    assert visitor.delete("/api/session").status_code == 200
    signed_in(charted, visitor, "ann", "technologist")
    assert visitor.delete("/api/session", headers={TOKEN_HEADER: "guessed"}).status_code == 403
    assert visitor.get("/api/session").json()["person"]["id"] == "ann"
    assert visitor.delete("/api/session").json()["person"] is None


def test_a_generated_password_is_changed_before_anything_is_kept(charted, visitor):
    people.add(charted, "ann", "Ann", ["admin"], PASSWORD, "test")
    generated = people.reset(charted, "ann", "test")
    came = visitor.post("/api/session", json={"person": "ann", "password": generated}).json()
    assert came["must_change"]
    visitor.headers[TOKEN_HEADER] = came["token"]
    assert visitor.get("/api/people").json()["title"] == "Set your own password"
    own = {"old": generated, "new": "quite another one"}
    assert visitor.put("/api/session/password", json=own).status_code == 204
    again = visitor.post("/api/session", json={"person": "ann", "password": own["new"]}).json()
    visitor.headers[TOKEN_HEADER] = again["token"]
    assert not again["must_change"]
    assert visitor.get("/api/people").status_code == 200


@pytest.mark.parametrize(
    ("password", "easy"),
    [
        ("password123", True), ("Passw0rd!!!", True), ("1234567890", True), ("qwertyuiop", True), ("aaaaabbbbb", True),
        ("letmeinletmein", True), ("annabella1984", True), ("radiology2026", True), ("a long enough one", False),
        ("oak and beam", False), ("9f-Tall-grass", False), ("correct bucky rain", False),
    ],
)  # fmt: skip
def test_the_passwords_that_are_tried_first_are_refused(charted, password, easy):
    def add():
        people.add(charted, "annabella", "Annabella B", ["technologist"], password, "test")

    if easy:
        with pytest.raises(Refusal, match="Take a few words"):
            add()
    else:
        add()


def test_guesses_at_the_same_moment_do_not_slip_past_the_count(charted):
    people.add(charted, "ann", "Ann", ["technologist"], PASSWORD, "test")
    answers = []

    def guess(i):
        try:
            people.sign_in(charted, "ann", f"guess {i}", "there")
        except Refusal as refusal:
            answers.append(type(refusal))

    with ThreadPoolExecutor(20) as pool:
        list(pool.map(guess, range(20)))
    assert answers.count(people.WrongPassword) == people.FREE_ATTEMPTS
    assert answers.count(people.TooManyAttempts) == 20 - people.FREE_ATTEMPTS


def test_a_name_that_others_locked_still_gets_in_from_its_own_console(charted):
    people.add(charted, "ann", "Ann", ["technologist"], PASSWORD, "test")
    people.sign_in(charted, "ann", PASSWORD, "console 1")
    for i in range(people.FREE_ATTEMPTS):
        with pytest.raises(people.WrongPassword):
            people.sign_in(charted, "ann", "no", f"elsewhere {i}")
    with pytest.raises(people.TooManyAttempts):
        people.sign_in(charted, "ann", PASSWORD, "elsewhere 99")
    people.sign_in(charted, "ann", PASSWORD, "console 1")
    people.unlock(charted, "ann", "test")
    people.sign_in(charted, "ann", PASSWORD, "elsewhere 99")


def test_a_demos_accounts_are_offered_on_its_own_machine_only(demo_store):
    def offered(host, **headers):
        return TestClient(build(demo_store), client=(host, 1)).get("/api/session", headers=headers).json()["offered"]

    assert offered("127.0.0.1")
    assert offered("::1")
    assert offered("10.1.2.3") == []
    assert offered("127.0.0.1", **{"x-forwarded-for": "10.1.2.3"}) == []


def test_only_the_names_it_is_called_by_are_answered(charted):
    web = TestClient(build(charted, hosts=("oakbeam.example",)))
    assert web.get("/api/health", headers={"host": "oakbeam.example"}).status_code == 200
    assert web.get("/api/health", headers={"host": "evil.example"}).status_code == 400
