"""One's sessions at several consoles: seen, and ended from one of them."""

from __future__ import annotations

from fastapi.testclient import TestClient
from tests.conftest import PASSWORD, signed_in

from oakbeam.api.app import build
from oakbeam.store import Store, people


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


def test_two_servers_on_one_folder_know_of_each_other_at_once(charted):
    """Two processes as far as the database is concerned: nothing is shared but the file."""
    other_store = Store(charted.path)
    with TestClient(build(charted)) as here, TestClient(build(other_store)) as there:
        signed_in(charted, here, "ilse", "physicist")
        people.agree(charted, people.Agreement(another_approves=False), "test")
        there.cookies, there.headers = here.cookies, here.headers
        assert there.get("/api/session").json()["person"]["id"] == "ilse"
        # A version approved at one is what the other's Desk answers from, which had answered from the one before.
        ask = {"room": "room-1", "projection": "hand-pa", "thickness_cm": 3}
        assert there.post("/api/techniques", json=ask).json()["chart"]["version"] == 1
        draft = here.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
        line = next(one for one in draft["lines"] if one["projection"] == "hand-pa")
        says = ("projection", "receptor", "support", "grid_ratio", "sid_cm", "range_cm")
        to = {**{name: line[name] for name in says}, "law": {**line["law"], "mas": 2.5}}
        changes = {"changes": [{"line": line["id"], "to": to}]}
        assert here.post(f"/api/charts/{draft['id']}/changes", json=changes).status_code == 200
        assert there.post(f"/api/charts/{draft['id']}/propose", json={"reasons": {"dose_level": "tried"}}).status_code == 200
        assert here.post(f"/api/charts/{draft['id']}/approve").status_code == 200
        found = there.post("/api/techniques", json=ask).json()
        assert (found["chart"]["version"], found["exact_mas"]) == (2, 2.5)
        # Wrong passwords count together, and who is signed out at one is signed out at the other.
        for client in (here, there) * 3:
            client.post("/api/session", json={"person": "otto", "password": "a guess"})
        assert {one.post("/api/session", json={"person": "otto", "password": "b"}).status_code for one in (here, there)} == {
            429
        }
        people.add(charted, "boss", "Boss", ("admin",), PASSWORD, "test")
        people.change(charted, "ilse", "test", "Ilse", ("physicist", "keeper"), active=True)
        assert there.get("/api/session").json()["person"] is None
    other_store.close()
