"""From an empty server to the first technique: the code, who begins, what is missing, rooms from templates and files."""

from __future__ import annotations

import math
import random
from dataclasses import replace

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import problem
from tests.conftest import ROOM, signed_in

from oakbeam import catalogue
from oakbeam.api.access import TOKEN_HEADER
from oakbeam.api.app import build
from oakbeam.core.chart_making.from_model import drafted_lines
from oakbeam.core.equipment import calibration
from oakbeam.core.equipment.generator import renard_r10, renard_r20
from oakbeam.core.equipment.templates import room_templates
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.patient.patient import Patient
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup
from oakbeam.store import Store, people

BEGINS = {"id": "mara", "name": "Mara Quill", "roles": ["admin", "keeper", "physicist"], "password": "violet ladder nine"}


@pytest.fixture
def empty(tmp_path):
    store = Store(tmp_path / "oakbeam.db")
    yield store
    store.close()


@pytest.fixture
def fresh(empty):
    with TestClient(build(empty)) as client:
        yield client


def missing(client):
    found = client.get("/api/setup").json()
    return [one["name"] for one in found["steps"] if one["needed"] and not one["done"]]


def test_the_short_way_from_nothing_to_a_recorded_exposure(empty, fresh):
    code = people.new_setup_code(empty)
    assert fresh.get("/api/setup").json()["open"]
    assert missing(fresh) == ["administrator", "people", "room", "chart", "approval"]
    begun = fresh.post("/api/setup", json={**BEGINS, "code": f" {code.upper().replace('-', ' ')} "})
    assert begun.status_code == 201, begun.text
    fresh.headers[TOKEN_HEADER] = begun.json()["token"]
    assert "second person" in fresh.get("/api/setup").json()["steps"][2]["says"]
    department = {"name": "Lindenmoor Clinic", "length_unit": "in", "system": "fixed_kvp"}
    assert fresh.put("/api/department", json=department).json() == department
    assert fresh.get("/api/start").json()["department"] == department and not fresh.get("/api/start").json()["demo"]
    other = {"id": "otto", "name": "Otto", "roles": ["physicist"], "password": "copper sunday rain", "active": True}
    assert fresh.post("/api/people", json=other).status_code == 201
    assert fresh.post("/api/rooms", json={"name": "Room A", "template": "portable"}).json()["id"] == "room-a"
    draft = fresh.post("/api/rooms/room-a/draft-from-model", json={"name": "First", "system": "fixed_kvp"}).json()
    assert {line["law"]["name"] for line in draft["lines"]} == {"fixed_kvp"} and len(draft["lines"]) > 100
    stands = {"tube_limit": "The largest are sent to another room."}
    assert fresh.post(f"/api/charts/{draft['id']}/propose", json={"reasons": stands}).status_code == 200
    assert problem(fresh.post(f"/api/charts/{draft['id']}/approve"), 409)
    handed = fresh.post("/api/session", json={"person": "otto", "password": other["password"]})
    fresh.headers[TOKEN_HEADER] = handed.json()["token"]
    assert fresh.post(f"/api/charts/{draft['id']}/approve").status_code == 200
    assert missing(fresh) == [] and fresh.get("/api/setup").json()["ready"]
    line = draft["lines"][0]
    asked = {"room": "room-a", "projection": line["projection"], "thickness_cm": line["law"]["thickness_cm"]}
    found = fresh.post("/api/techniques", json=asked).json()
    assert found["forecast"]["dose_estimated"] and found["trust"] == "model"
    made = {"technique": asked, "kvp": found["technique"]["kvp"], "mas": found["technique"]["mas"], "outcome": "accepted"}
    assert fresh.post("/api/exposures", json={**made, "ei": 300}).status_code == 201
    assert all(one["done"] for one in fresh.get("/api/setup").json()["steps"] if one["name"] != "readings")


def test_only_the_code_begins_and_only_once(empty, fresh):
    code = people.new_setup_code(empty)
    again = people.new_setup_code(empty)
    assert len({code, again}) == 2
    asked = {**BEGINS, "code": again}
    for wrong in (code, "", again[:-1]):
        refused = fresh.post("/api/setup", json={**asked, "code": wrong or "x"})
        assert problem(refused, 403)["field"] == "code"
    assert problem(fresh.post("/api/setup", json={**asked, "roles": ["keeper"]}))["field"] == "roles"
    assert problem(fresh.post("/api/setup", json={**asked, "password": "password12"}))["field"] == "password"
    assert people.nobody_yet(empty)
    assert fresh.post("/api/setup", json=asked).status_code == 201
    assert people.new_setup_code(empty) is None
    assert problem(fresh.post("/api/setup", json={**asked, "id": "eve"}), 403)
    assert [one.id for one in people.everybody(empty)] == ["mara"]


def test_guessing_the_code_has_to_wait(empty, fresh):
    people.new_setup_code(empty)
    answers = [fresh.post("/api/setup", json={**BEGINS, "code": f"guess {i}"}).status_code for i in range(8)]
    assert answers[:5] == [403] * 5 and answers[-1] == 429


@pytest.mark.parametrize("name", room_templates())
def test_every_template_is_a_room_that_a_chart_can_be_drafted_for(name):
    template = room_templates()[name]
    room = check_room(replace(template.room, id="x", name=template.name))
    wanted = map(catalogue.projection, ("hand-pa", "knee-ap", "chest-pa", "lspine-ap"))
    lines = list(drafted_lines(wanted, room))
    assert lines
    for line in lines:
        projection = catalogue.projection(line.projection)
        found = derive(line, room, projection, Patient(line.thickness_cm), Setup())
        assert found.forecast.dose_estimated and abs(found.forecast.di) < 0.7
    assert 40 <= room.output_ugy_per_mas(80) <= 50


def test_the_band_of_a_room_that_nobody_read_holds_what_such_rooms_do():
    """Rooms drawn from what is usual, not from the template: their images lie in the band as often as it says."""
    room = replace(room_templates()["fixed-dr"].room, id="x", name="X")
    (line,) = drafted_lines([catalogue.projection("hand-pa")], room)
    found = derive(line, room, catalogue.projection("hand-pa"), Patient(line.thickness_cm), Setup()).forecast
    draw = random.Random(7)
    off = [
        10 * math.log10(draw.uniform(30, 70) / 45) + draw.gauss(0, 0.5) + draw.gauss(0, 0.35)  # tube, receptor, patient
        for _ in range(2000)
    ]
    share = sum(found.di_low - found.di <= one <= found.di_high - found.di for one in off) / len(off)
    assert 0.75 <= share <= 0.93
    read = replace(room, typical_output=False)
    known = derive(line, read, catalogue.projection("hand-pa"), Patient(line.thickness_cm), Setup()).forecast
    assert known.di_high - known.di_low < found.di_high - found.di_low


def test_stations_are_preferred_numbers():
    # ISO 3, R'20.
    twenty = (1, 1.1, 1.25, 1.4, 1.6, 1.8, 2, 2.2, 2.5, 2.8, 3.2, 3.6, 4, 4.5, 5, 5.6, 6.3, 7.1, 8, 9, 10)
    assert renard_r20(1, 10) == twenty
    assert set(renard_r10(0.5, 400)) < set(renard_r20(0.5, 400))


def test_an_output_that_was_read_is_no_estimate_any_more():
    room = replace(room_templates()["fixed-dr"].room, id="x", name="X")
    read = [calibration.OutputReading(kvp, 200, 20, 100, 20 * 40 * (kvp / 80) ** 2) for kvp in (60, 80, 100)]
    assert not calibration.fit(room, read).room.typical_output
    hvl = calibration.fit(room, [], [calibration.HvlReading(80, 3.1)]).room
    assert hvl.typical_output


def test_a_room_goes_to_a_file_and_comes_back_without_its_calibration(charted, client):
    signed_in(charted, client, "ilse", "physicist")
    written = client.get("/api/rooms/room-1").json()
    back = client.post("/api/rooms/import", json={**written, "name": "Room 9"}).json()
    apart = ("id", "name", "revision", "school", "calibration")
    assert {k: v for k, v in back.items() if k not in apart} == {k: v for k, v in written.items() if k not in apart}
    assert (back["id"], back["calibration"]) == ("room-9", None)
    assert problem(client.post("/api/rooms/import", json=written))["field"] == "name"
    assert problem(client.post("/api/rooms/import", json={**written, "name": "Z", "outputs": []}))
    assert problem(client.post("/api/rooms", json={"name": "Q", "like": "room-1", "template": "plain"}))["field"] == "like"
    assert "fixed-dr" in problem(client.post("/api/rooms", json={"name": "Q", "template": "nope"}))["allowed"]
    assert ROOM.name == written["name"]


def test_a_copied_rooms_output_counts_as_not_measured(client, charted):
    was = client.get("/api/rooms/room-1").json()
    assert was["typical_output"] is False
    panels = [{**one, "ei_scale": 1.2} for one in was["receptors"]]
    assert client.put("/api/rooms/room-1", json={**was, "receptors": panels}).status_code == 200
    made = client.post("/api/rooms", json={"name": "Room 9", "like": "room-1"}).json()
    assert made["typical_output"] is True and made["calibration"] is None and made["outputs"] == was["outputs"]
    assert {one["ei_scale"] for one in made["receptors"]} == {1.0}
    assert client.get("/api/rooms/room-1").json()["typical_output"] is False
