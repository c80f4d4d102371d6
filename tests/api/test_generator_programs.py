"""Programs of the generator: listed from the approved chart, ticked, and held against it when it changes."""

from __future__ import annotations

import csv
import io

import pytest
from tests.api.test_api import problem
from tests.api.test_chart_workbench import line_in, send
from tests.conftest import approved, signed_in


def rows(client):
    return client.get("/api/rooms/room-1/programs").json()


def tick(client, done, *some):
    asked = [{"line_key": row["program"]["line_key"], "size": row["program"]["size"]} for row in some]
    return client.post("/api/rooms/room-1/programs", json={"done": done, "programs": asked})


def test_programs_are_typed_from_a_list_ticked_and_named_when_the_chart_changes(charted, client):
    found = rows(client)
    assert len(found) == 12 and {row["state"] for row in found} == {"to enter"}
    spine = [row for row in found if row["program"]["projection"] == "lspine-ap"]
    assert [row["program"]["size"] for row in spine] == ["small", "average", "large"]
    # 40 mAs at 21 cm, doubling every 4.5: the average of 21.5 cm gets 43.2, on the station 40.
    stored = spine[1]["program"]["stored"]
    assert (stored["kvp"], stored["mas"], stored["exposure_control"]) == (80, 40, "manual")
    assert stored["ma"] * stored["time_ms"] / 1000 == pytest.approx(40, rel=0.02)

    assert problem(tick(client, "checked", spine[0]), 409)["title"] == "Not entered so"
    entered = tick(client, "entered", *spine).json()
    assert [row["state"] for row in entered].count("entered") == 3
    checked = [row for row in tick(client, "checked", spine[1]).json() if row["state"] == "checked"]
    assert [(row["checked_by"], row["entered_by"]) for row in checked] == [("all", "all")]

    draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    line = draft["lines"][0]
    send(client, draft, {"line": line["id"], "to": line_in(line, law={"mas": 50}, exposure_control="aec")})
    signed_in(charted, client, "all")
    approved(charted, draft["id"])
    changed = [row for row in rows(client) if row["state"] == "changed"]
    assert len(changed) == 3
    assert "control manual, now aec" in changed[1]["differs"] and "chambers none, now C" in changed[1]["differs"]
    assert changed[1]["program"]["stored"]["mas"] >= 1.5 * 50  # under AEC the back-up stands at the generator
    again = tick(client, "entered", changed[1]).json()
    assert [row["state"] for row in again].count("changed") == 2
    table = list(csv.DictReader(io.StringIO(client.get("/api/rooms/room-1/programs/csv").text)))
    assert (table[1]["view"], table[1]["size"], table[1]["state"]) == ("AP (or PA)", "average", "entered")
    assert "control manual, now aec" in table[0]["differs"]


@pytest.mark.parametrize(
    ("asked", "status"),
    [
        ({"done": "entered", "programs": [{"line_key": 99, "size": "small"}]}, 404),
        ({"done": "entered", "programs": [{"line_key": 1, "size": "small"}, {"line_key": 1, "size": "small"}]}, 422),
        ({"done": "thrown", "programs": [{"line_key": 1, "size": "small"}]}, 422),
        ({"done": "entered", "programs": []}, 422),
    ],
)
def test_what_is_no_program_is_refused(client, asked, status):
    assert problem(client.post("/api/rooms/room-1/programs", json=asked), status)
