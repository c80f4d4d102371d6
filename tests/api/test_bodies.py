"""What a body may hold is read from the API's own description: a field that nothing knows is refused in every one."""

from __future__ import annotations

import pytest
from tests.api.test_api import problem
from tests.conftest import DESCRIBED

from oakbeam.api.setup import get_setup
from oakbeam.demo import clinic
from oakbeam.store import people


def within(part, schemas, seen):
    """Every named object that a body's description leads to."""
    if isinstance(part, dict):
        name = str(part.get("$ref", "")).rpartition("/")[2]
        if name and name not in seen:
            seen[name] = schemas[name]
            within(schemas[name], schemas, seen)
        for one in part.values():
            within(one, schemas, seen)
    elif isinstance(part, list):
        for one in part:
            within(one, schemas, seen)
    return seen


def test_no_body_and_nothing_within_one_takes_a_field_that_it_does_not_know():
    schemas, bodies, open_ = DESCRIBED["components"]["schemas"], 0, []
    for path, operations in DESCRIBED["paths"].items():
        for method, one in operations.items():
            if body := one.get("requestBody"):
                bodies += 1
                for name, found in within(body, schemas, {}).items():
                    if "properties" in found and found.get("additionalProperties") is not False:
                        open_.append((method, path, name))
    assert bodies > 70
    assert open_ == []


@pytest.mark.parametrize("path", ["/api/agreement", "/api/department"])
def test_what_is_not_said_stays_and_what_is_not_known_is_refused(client, path):
    said = {"idle_minutes": 7, "open_records": True} if "agree" in path else {"name": "North", "length_unit": "in"}
    assert client.put(path, json=said).status_code == 200
    before = client.get("/api/agreement").json(), get_setup(client.app.state.store).department
    said = problem(client.put(path, json={"nope": 1}))
    assert said["detail"] == "Nope is not known here."
    assert client.put(path, json={}).status_code == 200
    assert (client.get("/api/agreement").json(), get_setup(client.app.state.store).department) == before
    assert before[0]["idle_minutes"] == (7 if "agree" in path else people.Agreement().idle_minutes)


def test_a_room_with_a_misspelt_field_is_refused_at_any_depth_and_a_kept_one_is_read(client, charted):
    whole = client.get("/api/rooms/room-1").json()
    for spoil in (
        lambda room: room.update(nope=1),
        lambda room: room["generator"].update(max_kpv=1),
        lambda room: room["supports"][0].update(grid_x=None),
        lambda room: room["receptors"][0].update(index_scales=[]),
    ):
        room = client.get("/api/rooms/room-1").json()
        spoil(room)
        assert "not known" in problem(client.put("/api/rooms/room-1", json=room))["detail"]
    assert client.get("/api/rooms/room-1").json() == whole
    # What an earlier version kept and this one has no more does not keep a room from being read.
    gone = "UPDATE room SET equipment = json_set(equipment, '$.gone', 1), revision = revision + 1 WHERE id = 'room-1'"
    with charted.change() as db:
        db.execute(gone)
    assert client.get("/api/rooms/room-1").json()["name"] == clinic.room_1().name
