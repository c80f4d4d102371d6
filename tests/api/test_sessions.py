"""One's sessions at several consoles: seen, and ended from one of them."""

from __future__ import annotations

from fastapi.testclient import TestClient
from tests.conftest import signed_in

from oakbeam.api.app import build


def test_the_sessions_of_a_person_are_seen_and_the_others_ended(charted):
    with TestClient(build(charted)) as here, TestClient(build(charted)) as there, TestClient(build(charted)) as other:
        signed_in(charted, there, "ilse", "physicist")
        signed_in(charted, other, "otto", "physicist")
        signed_in(charted, here, "ilse", "physicist")
        found = here.get("/api/session/all").json()
        assert [one["this"] for one in found] == [True, False]
        assert found[0]["began_at"] >= found[1]["began_at"]
        assert here.delete("/api/session/others").status_code == 204
        assert [one["this"] for one in here.get("/api/session/all").json()] == [True]
        assert there.get("/api/session").json()["person"] is None
        assert other.get("/api/session").json()["person"]["id"] == "otto"
        assert there.get("/api/session/all").status_code == 401
