"""Thousands of generated requests against the API's own description: no 5xx, and every answer as described."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from itertools import cycle
from pathlib import Path

import pytest
import schemathesis
from fastapi import FastAPI
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error
from schemathesis.config import SchemathesisConfig
from schemathesis.specs.openapi.checks import content_type_conformance, response_schema_conformance, status_code_conformance
from tests.conftest import DESCRIBED, PASSWORD, proofs

from oakbeam.api.access import COOKIE, TOKEN_HEADER
from oakbeam.api.app import build
from oakbeam.store import Store, people
from oakbeam.store.people import Role

EVERYTHING: tuple[Role, ...] = ("technologist", "keeper", "physicist", "admin")
TRAINEE: Role = "trainee"
PEOPLE: dict[str, tuple[Role, ...]] = {"all": EVERYTHING, **{str(one): (one,) for one in (*EVERYTHING, TRAINEE)}}
TURNS = cycle(("all", "all", "all", *EVERYTHING, "trainee", None))
"""Who asks, by turns: mostly somebody who may do everything, so that the cases reach what lies behind the rules."""


class Callers:
    """People of every role, signed in; again where a case took their session, their roles or their leave away."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.tokens: dict[str, str] = {}
        for person, roles in PEOPLE.items():
            people.add(store, f"caller-{person}", person, roles, PASSWORD, "test")

    def headers(self, who: str | None) -> dict[str, str]:
        """What a request of theirs carries; nothing for nobody."""
        if who is None:
            return {}
        person, roles = f"caller-{who}", PEOPLE[who]
        session = people.session_of(self.store, self.tokens.get(who, ""))
        if session is None or session.person.roles != roles or session.person.must_change:
            people.change(self.store, person, "test", who, roles, active=True, password=PASSWORD)
            self.tokens[who], session = people.sign_in(self.store, person, PASSWORD, "")
        return {"cookie": f"{COOKIE}={self.tokens[who]}", TOKEN_HEADER: session.csrf}


@pytest.fixture(scope="module")
def application(tmp_path_factory, demo_file) -> Iterator[tuple[FastAPI, Callers]]:
    """The demo clinic, and who asks."""
    store = Store(Path(shutil.copy(demo_file, tmp_path_factory.mktemp("schema"))))
    yield build(store), Callers(store)
    store.close()


# The edges of every field one by one are thousands of cases: they are for `make evidence`.
EDGES = SchemathesisConfig.from_dict({"phases": {"coverage": {"enabled": bool(proofs(0, 1))}}})
schema = schemathesis.openapi.from_dict(DESCRIBED, config=EDGES)


@schema.parametrize()
@settings(max_examples=proofs(3, 60), deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_no_server_error_and_answers_as_described(case, application):
    app, callers = application
    case.call_and_validate(
        app=app,
        headers=callers.headers(next(TURNS)),
        timeout=120,
        checks=[not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance],
    )


@pytest.mark.parametrize("who", [*PEOPLE, None])
def test_the_callers_are_who_they_say_and_get_past_the_rules(who, application):
    app, callers = application
    client = TestClient(app)
    for _ in range(2):
        person = client.get("/api/session", headers=callers.headers(who)).json()["person"]
        assert set(person["roles"]) == set(PEOPLE[who]) if who else person is None
        # Refused for its body, and not for who asks; for who asks where that is the rule.
        fit = client.post("/api/rooms/room-1/calibration/fit", json={"outputs": 1}, headers=callers.headers(who)).status_code
        assert fit == (401 if who is None else 422 if "physicist" in PEOPLE[who] else 403)
        client.delete("/api/session", headers=callers.headers(who))
