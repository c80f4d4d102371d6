"""Every operation asked by a generator of our own: bodies of the right shape with one thing wrong in them, and addresses and
queries of the same kind. Whatever comes of it is no fault of ours: no 5xx but a 503 that says why."""

from __future__ import annotations

import json
import random
import shutil
from pathlib import Path
from urllib.parse import quote

import pytest
from fastapi.testclient import TestClient
from tests.conftest import DESCRIBED, proofs, signed_in

from oakbeam.api.app import build
from oakbeam.store import Store, people

APPLICATION = build(None)
SCHEMAS = DESCRIBED["components"]["schemas"]
TEXTS: tuple[str, ...] = ("", " ", "x" * 300, "\ud800", "a\u202eb", "'; DROP TABLE exposure; --", "%00", "../../etc")
TEXTS += ("<b>", "=1+1", "ı", "NaN", "-0", "room-1")
NUMBERS = (0, -1, 1, 0.1, 1e308, -1e308, 2**63 - 1, 2**63, 2**200, 5e-324, 21.5, 1e-9, True)
OTHERS = (None, [], {}, [[]], {"a": {"b": []}}, [None] * 30, "2026-02-30", "9999-12-31", "0001-01-01")
KNOWN = {
    "room_id": ("room-1", "room-2", "portable"),
    "room": ("room-1", "portable"),
    "chart_id": ("1", "2", "3"),
    "chart": (1, 2),
    "projection": ("chest-pa", "hand-pa", "lspine-ap"),
    "projection_id": ("chest-pa", "knee-ap"),
    "line_id": ("1", "2", "40"),
    "exposure_id": ("1", "2", "3000"),
    "person_id": ("ilse", "pim"),
    "kind": ("projection", "exam"),
    "exam": ("hand", "chest"),
    "drill_id": ("square-law", "judge-exposure"),
    "other_id": ("1", "2"),
    "test_id": ("light-field",),
    "receptor": ("panel-43",),
    "support": ("table_bucky", "tabletop"),
    "kvp": (80, 57),
    "mas": (4, 20),
    "thickness_cm": (21, 3),
    "ei": (250,),
}
"""What there is in the demo, so that most requests get past the first refusal."""
SLOW = ("/api/practice/exposures", "/api/practice/looks", "/api/practice/drills/{drill_id}/image", "/api/log/report/pdf")
"""Half a second each: fewer of them."""
NEVER = ("POST /api/session", "DELETE /api/session", "POST /api/session/by-proxy", "DELETE /api/session/others",
         "PUT /api/session/password", "PUT /api/people/{person_id}", "POST /api/setup")  # fmt: skip
"""They would end the session of who asks; their own tests ask them."""


class Maker:
    """Values by a schema, and one of them spoilt."""

    def __init__(self, seed: str) -> None:
        self.chance = random.Random(seed)

    def hostile(self):
        return self.chance.choice(self.chance.choice((TEXTS, NUMBERS, OTHERS)))

    def of(self, schema, name="", depth=0):
        chance = self.chance
        if name in KNOWN and chance.random() < 0.9:
            return chance.choice(KNOWN[name])
        if "$ref" in schema:
            return self.of(SCHEMAS[schema["$ref"].rpartition("/")[2]], name, depth)
        for several in ("anyOf", "oneOf", "allOf"):
            if several in schema:
                return self.of(chance.choice(schema[several]), name, depth)
        if "enum" in schema or "const" in schema:
            return chance.choice(schema.get("enum") or [schema["const"]])
        kind = schema.get("type")
        if kind == "object":
            wanted, required = schema.get("properties", {}), schema.get("required", ())
            if not wanted:
                return {"hand-pa": 3} if chance.random() < 0.5 else {}
            taken = {key for key in wanted if key in required or (depth < 3 and chance.random() < 0.4)}
            return {key: self.of(wanted[key], key, depth + 1) for key in taken}
        if kind == "array":
            least = schema.get("minItems", 0)
            count = max(least, chance.randrange(0, 3)) if depth < 4 else least
            items = schema.get("items") or {}
            return [self.of(items, name.rstrip("s"), depth + 1) for _ in range(count)]
        if kind in ("number", "integer"):
            low, high = schema.get("minimum", 0), schema.get("maximum", 100)
            found = chance.uniform(float(low), min(float(high), 1e6))
            return int(found) if kind == "integer" else round(found, 2)
        return {"boolean": chance.random() < 0.5, "null": None}.get(kind, chance.choice(("word", "2026-10-01", "room-1")))

    def spoilt(self, value):
        """The value with one thing in it replaced."""
        if isinstance(value, (dict, list)) and value and self.chance.random() < 0.85:
            keys = list(value) if isinstance(value, dict) else list(range(len(value)))
            at = self.chance.choice(keys)
            copy = value.copy()
            copy[at] = self.spoilt(value[at])
            return copy
        return self.hostile()


@pytest.fixture(scope="module")
def asked(tmp_path_factory, demo_file):
    store = Store(Path(shutil.copy(demo_file, tmp_path_factory.mktemp("fuzz"))))
    people.agree(store, people.Agreement(another_approves=False, idle_minutes=240), "test")
    client = TestClient(build(store), raise_server_exceptions=False)
    roles = ("technologist", "keeper", "physicist", "admin")
    yield store, signed_in(store, client, "everybody", *roles)
    store.close()


OPERATIONS = [
    (method.upper(), path, one)
    for path, operations in DESCRIBED["paths"].items()
    for method, one in operations.items()
    if f"{method.upper()} {path}" not in NEVER
]


@pytest.mark.parametrize(("method", "path", "one"), OPERATIONS, ids=[f"{m} {p}" for m, p, _ in OPERATIONS])
def test_no_request_is_a_fault_of_ours(asked, method, path, one):
    store, client = asked
    if client.get("/api/session").json()["person"] is None:  # something it did ended the session
        people.change(store, "everybody", "test", "All", ("technologist", "keeper", "physicist", "admin"), True)
        signed_in(store, client, "everybody")
    rounds = proofs(1, 12) if path in SLOW else proofs(4, 150)
    for number in range(rounds):
        make = Maker(f"{method} {path} {number}")
        address, query = path, {}
        for named in one.get("parameters", ()):
            value = make.of(named["schema"], named["name"])
            if make.chance.random() < 0.3:
                value = make.hostile()
            text = str(value).encode("utf-8", "surrogatepass")
            if named["in"] == "path":
                address = address.replace(f"{{{named['name']}}}", quote(text, safe="") or "1")
            elif named["in"] == "query" and make.chance.random() < 0.6:
                query[named["name"]] = text.decode("utf-8", "replace")
        content = None
        if body := one.get("requestBody"):
            schema = next(iter(body["content"].values()))["schema"]
            value = make.of(schema)
            content = json.dumps(make.spoilt(value) if make.chance.random() < 0.8 else value)
        answer = client.request(method, address, params=query, content=content)
        assert answer.status_code < 500 or answer.status_code == 503, (address, query, content, answer.text[:300])
        if answer.status_code >= 400:
            assert answer.headers["content-type"].startswith("application/problem+json") or path == "/api/ready"
            assert answer.json()["title"] != "Fault in Oakbeam"


def test_no_number_of_an_address_is_too_large_for_the_record():
    """SQLite holds 64 bits: a larger number is refused where it is read, not where it is looked for."""
    unbound = [
        (method, path, named["name"])
        for method, path, one in OPERATIONS
        for named in one.get("parameters", ())
        for kind in named["schema"].get("anyOf", [named["schema"]])
        if kind.get("type") == "integer" and kind.get("maximum", 2**64) > 2**63
    ]
    assert not unbound
