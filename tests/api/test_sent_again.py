"""The same record sent again is the same row: a lost answer, a double press, a reload, many at once."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest
from tests.api.test_api import ASK, problem
from tests.conftest import approved, signed_in

from oakbeam.store import exposures, tally

BODY = {"technique": ASK, "kvp": 80, "mas": 40, "ei": 300, "outcome": "accepted", "note": "one"}


def send(client, key, code=201, **more):
    answer = client.post("/api/exposures", json={**BODY, **more}, headers={"Idempotency-Key": key})
    assert answer.status_code == code, answer.text
    return answer.json()


def test_one_key_is_one_row_with_one_answer(client, charted):
    first = send(client, "k-1")
    assert send(client, "k-1") == first and first["judgement"]["evaluation"]["di"]
    assert send(client, "k-2")["exposure"]["id"] != first["exposure"]["id"]
    assert client.post("/api/exposures", json=BODY).json()["exposure"]["id"] not in (1, 2)
    # A lost answer after which another version was approved: it was recorded, and that is the answer.
    draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    approved(charted, draft["id"])
    assert send(client, "k-1") == first
    assert send(client, "k-new")["exposure"]["chart"] == draft["id"]
    days = tally.days(charted, "room-1", "lspine-ap", "2000-01-01", "2100-01-01")
    assert sum(day.made for day in days) == len(exposures.find(charted)) == 4


def test_the_same_key_for_something_else_is_told_and_after_taking_back_it_is_free(client):
    first = send(client, "k")
    said = problem(client.post("/api/exposures", json={**BODY, "mas": 50}, headers={"Idempotency-Key": "k"}), 409)
    assert "recorded as 80 kVp and 40 mAs" in said["detail"]
    client.post(f"/api/exposures/{first['exposure']['id']}/undo")
    again = send(client, "k", mas=50)
    assert again["exposure"]["mas"] == 50 and again["exposure"]["id"] != first["exposure"]["id"]
    assert send(client, "k", mas=50) == again


def test_another_persons_key_is_another_record(client, charted):
    mine = send(client, "k")
    signed_in(charted, client, "bo", "technologist")
    assert send(client, "k")["exposure"]["recorded_by"] == "bo" and mine["exposure"]["recorded_by"] == "all"


@pytest.mark.parametrize("key", ["", "x" * 101, "a b", "ü"])
def test_a_key_that_is_none_is_refused(client, key):
    answer = client.post("/api/exposures", json=BODY, headers=[("Idempotency-Key", key.encode())])
    assert answer.status_code == 422 and client.get("/api/exposures").json() == []


def test_many_at_the_same_moment_are_one_row(client, charted):
    with ThreadPoolExecutor(8) as pool:
        answers = list(pool.map(lambda number: send(client, f"k-{number % 3}")["exposure"]["id"], range(24)))
    assert len(set(answers)) == 3 == len(exposures.find(charted))


def test_a_record_is_one_transaction(client, charted, monkeypatch):
    """Whatever fails on the way, neither a row nor a sum nor the key is left behind."""
    for broken in ("oakbeam.store.exposures.tally.count", "oakbeam.store.exposures.keep_key"):
        with monkeypatch.context() as patch:
            patch.setattr(broken, lambda *_, **__: 1 / 0)
            assert client.post("/api/exposures", json=BODY, headers={"Idempotency-Key": "k"}).status_code == 500
        assert charted.db.execute("SELECT count(*) FROM exposure").fetchone()[0] == 0
        assert charted.db.execute("SELECT count(*) FROM exposure_key").fetchone()[0] == 0
    assert send(client, "k")["exposure"]["note"] == "one"
