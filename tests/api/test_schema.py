"""Thousands of generated requests against the API's own description: no 5xx, and every answer as described."""

from __future__ import annotations

import atexit
import tempfile
from pathlib import Path

import schemathesis
from fastapi import FastAPI
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error
from schemathesis.config import SchemathesisConfig
from schemathesis.specs.openapi.checks import content_type_conformance, response_schema_conformance, status_code_conformance
from tests.conftest import NOW, proofs

from oakbeam.api.access import TOKEN_HEADER, Here, here
from oakbeam.api.app import build
from oakbeam.demo import seed
from oakbeam.store import Store
from oakbeam.store.people import Person, Session

TOKEN = "the token of the session"


def demo_application() -> FastAPI:
    """The demo clinic in a folder of its own; made at import, since the cases are drawn from its description."""
    folder = tempfile.TemporaryDirectory(prefix="oakbeam-schema-")
    atexit.register(folder.cleanup)
    store = Store(Path(folder.name) / "oakbeam.db")
    seed.seed(store, NOW)
    app = build(store)
    # Whoever asks may do everything, so that the cases reach what lies behind the rules.
    everybody = Person("all", "All", ("technologist", "keeper", "physicist", "admin"))
    app.dependency_overrides[here] = lambda: Here(Session(everybody, TOKEN, "", 15))
    return app


# The edges of every field one by one are thousands of cases: they are for `make evidence`.
EDGES = SchemathesisConfig.from_dict({"phases": {"coverage": {"enabled": bool(proofs(0, 1))}}})
schema = schemathesis.openapi.from_asgi("/api/openapi.json", demo_application(), config=EDGES)


@schema.parametrize()
@settings(max_examples=proofs(6, 60), deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_no_server_error_and_answers_as_described(case):
    case.call_and_validate(
        headers={TOKEN_HEADER: TOKEN},
        timeout=120,
        checks=[not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance],
    )
