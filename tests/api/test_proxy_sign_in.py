"""Signing in by a proxy that knows who is there: believed from the proxy alone, off where no header is named."""

from __future__ import annotations

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import problem
from tests.conftest import PASSWORD, signed_in

from oakbeam import cli
from oakbeam.api.access import TOKEN_HEADER
from oakbeam.api.app import build
from oakbeam.store import people

PROXY, HEADER, HERE = "10.0.0.5", "X-Person", {"X-Person": "ilse"}


def caller(store, address=PROXY, header=HEADER):
    app = build(store, proxies=["10.0.0.0/29"], person_header=header)
    return TestClient(app, client=(address, 50_000), raise_server_exceptions=False)


@pytest.fixture
def known(charted):
    people.add(charted, "ilse", "Ilse", ("physicist",), PASSWORD, "test")
    return charted


def test_whom_the_proxy_names_signs_in_and_works_under_that_name(known):
    client = caller(known)
    assert client.get("/api/session", headers=HERE).json()["by_proxy"] == "Ilse"
    session = client.post("/api/session/by-proxy", headers={**HERE, "X-Forwarded-For": "172.16.3.9"}).json()
    assert session["person"]["id"] == "ilse"
    carried = {**HERE, TOKEN_HEADER: session["token"]}
    made = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}, headers=carried)
    assert (made.status_code, made.json()["author"]) == (201, "ilse")
    row = known.db.execute("SELECT person, address, passed FROM sign_in ORDER BY id DESC").fetchone()
    assert tuple(row) == ("ilse", "172.16.3.9", 1)


def test_a_session_is_bound_to_whom_the_proxy_names(known):
    """Another name ends it: nothing is kept under the person who was there before."""
    people.add(known, "bo", "Bo", ("physicist",), PASSWORD, "test")
    for sent in ({"X-Person": "bo"}, {"X-Person": "nobody-here"}, {}, [("X-Person", "ilse"), ("x-person", "bo")]):
        client = caller(known)
        token = client.post("/api/session/by-proxy", headers=HERE).json()["token"]
        assert client.get("/api/session", headers=HERE).json()["person"]["id"] == "ilse"
        more = [*(sent.items() if isinstance(sent, dict) else sent), (TOKEN_HEADER, token)]
        problem(client.put("/api/department", json={"name": "Theirs"}, headers=more), 401)
        # Ended, and not only for this request.
        assert client.get("/api/session", headers=HERE).json()["person"] is None
    client = signed_in(known, caller(known), "bo", "physicist")
    for sent, status in (({}, 200), (HERE | {"X-Person": "bo"}, 200), ({"X-Person": "kiosk"}, 200), (HERE, 401)):
        assert client.put("/api/department", json={"name": "Ours"}, headers=sent).status_code == status
    # A stolen cookie past the proxy is worth nothing.
    inside = caller(known)
    inside.post("/api/session/by-proxy", headers=HERE)
    past = caller(known, "10.0.0.77")
    past.cookies = inside.cookies
    assert past.get("/api/session", headers=HERE).json()["person"] is None


@pytest.mark.parametrize(
    ("address", "header", "sent"),
    [
        ("10.0.0.9", HEADER, HERE),  # not the proxy
        ("10.0.0.9", HEADER, {**HERE, "X-Forwarded-For": PROXY}),  # nor by saying so
        (PROXY, "", HERE),  # the department named no header
        (PROXY, HEADER, {}),
        (PROXY, HEADER, {"X-Person": "nobody"}),
        (PROXY, HEADER, {"X-Person": ""}),
        (PROXY, HEADER, [("X-Person", "ilse"), ("x-person", "all")]),  # one of them was added on the way
    ],
)
def test_nobody_else_is_believed(known, address, header, sent):
    client = caller(known, address, header)
    assert client.get("/api/session", headers=sent).json()["by_proxy"] is None
    problem(client.post("/api/session/by-proxy", headers=sent))
    assert client.get("/api/session").json()["person"] is None


def test_who_may_not_sign_in_may_not_so_either_and_a_generated_password_ends(known):
    signed_in(known, caller(known), "boss", "admin")
    people.change(known, "ilse", "test", "Ilse", ("physicist",), active=False)
    problem(caller(known).post("/api/session/by-proxy", headers=HERE))
    people.change(known, "ilse", "test", "Ilse", ("physicist",), active=True)
    made = people.reset(known, "ilse", "boss")
    session = caller(known).post("/api/session/by-proxy", headers=HERE).json()
    assert not session["must_change"]
    problem(caller(known).post("/api/session", json={"person": "ilse", "password": made}), 401)


def test_a_header_without_named_proxies_is_refused_before_anything_is_served(tmp_path, capsys):
    for more in ([], ["--trusted-proxies", "*"]):
        assert cli.main(["--data", str(tmp_path), "serve", "--new", "--person-header", HEADER, *more]) == 2
        assert "--trusted-proxies" in capsys.readouterr().err
    assert list(tmp_path.iterdir()) == []
    assert cli.main(["--data", str(tmp_path), "serve", "--person-header", "no header:", "--trusted-proxies", PROXY]) == 2
