"""Catalogue, run sheets, clearances and the department's own over the API; what cannot be altered; what is refused."""

from __future__ import annotations

import re
import sqlite3

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import problem

from oakbeam import catalogue
from oakbeam.api.app import build
from oakbeam.core.patient.not_suited import of_an_adults_trunk
from oakbeam.store import local


@pytest.fixture(scope="module")
def demo(request) -> TestClient:
    return TestClient(build(request.getfixturevalue("demo_store")), raise_server_exceptions=False)


def test_every_projection_has_its_page_and_the_list_is_enough_for_the_desk(demo):
    listed = demo.get("/api/projections").json()
    assert len(listed) == 132
    for one in listed:
        page = demo.get(f"/api/projections/{one['id']}").json()
        assert {key: page[key] for key in one} == one
        assert page["look_for"]
        assert page["faults"]
        assert page["exams"]
    assert problem(demo.get("/api/projections/nose"), 404)
    assert demo.get("/api/search", params={"q": "towne"}).json()[0]["id"] == "skull-ap-axial"
    assert demo.get("/api/search", params={"q": "%_' DROP qqzz"}).json() == []
    assert problem(demo.get("/api/search", params={"q": "x" * 101}))


def test_a_run_sheet_carries_the_measurement_and_says_what_to_change(demo):
    asked = {"room": "room-1", "exam": "si-joints", "patient": {"sex": "female"}, "measured": {"sij-oblique": 22}}
    axial, first, second = demo.post("/api/run-sheets", json={**asked, "side": "left"}).json()["steps"]
    assert axial["technique"]["angle"]["advice"]["deg"] == 35
    assert axial["technique"]["thickness"]["source"] == "estimated"
    assert first["technique"]["thickness"]["cm"] == second["technique"]["thickness"]["cm"] == 22
    assert first["technique"]["technique"] == second["technique"]["technique"]
    said = [one["said"] for one in first["changes"]]
    assert "Marker of the side that is up." in said
    assert "Take the angle off (it was 35° cephalad)." in said
    assert any(re.fullmatch(r"Re-align the receptor, about \d+ cm toward the feet\.", one) for one in said)
    assert [one["said"] for one in second["changes"]] == ["Other side: marker R."]
    own = {"room": "portable", "views": [{"projection": "hand-pa"}, {"projection": "lspine-oblique"}]}
    own = demo.post("/api/run-sheets", json=own).json()
    assert own["steps"][0]["technique"]
    assert "no line for Lumbar spine AP oblique" in own["steps"][1]["refused"]
    assert problem(demo.post("/api/run-sheets", json={"room": "room-1"}))["field"] == "exam"
    assert problem(demo.post("/api/run-sheets", json={"room": "room-1", "exam": "toothache"}))["allowed"]
    assert problem(demo.post("/api/run-sheets", json={"room": "cellar", "exam": "hand"}))["field"] == "room"


ADULTS_TRUNK = [one for one in catalogue.shipped().projections.values() if of_an_adults_trunk(one)]


@pytest.mark.parametrize("age", ["newborn", "1y", "5y", "10y", "15y"])
def test_a_child_on_an_adults_view_of_the_trunk_has_no_number_but_the_way_on(demo, age):
    """A newborn none at all, an older child none that was not measured; limbs stay as they are."""
    assert len(ADULTS_TRUNK) > 60 and {one.region for one in ADULTS_TRUNK} >= {"chest", "abdomen", "pelvis", "shoulder"}
    for view in ADULTS_TRUNK:
        asked = {"room": "room-1", "projection": view.id, "patient": {"age_band": age}}
        for more in ({}, {"patient": {"age_band": age, "weight_kg": 30, "height_cm": 130}}):
            answer = demo.post("/api/techniques", json={**asked, **more})
            assert problem(answer)["title"] == "An adult's view", view.id
        said = answer.json()["detail"]
        assert ("easure it" in said) is (age != "newborn") and any(way in said for way in ("ake ", "protocol", "easure"))
    measured = demo.post("/api/techniques", json={**asked, "projection": "abdomen-supine", "thickness_cm": 17})
    assert problem(measured)["title"] == "An adult's view" if age == "newborn" else "technique" in measured.json()
    for limb in ("knee-ap", "elbow-ap", "hand-pa"):
        assert "technique" in demo.post("/api/techniques", json={**asked, "projection": limb}).json()


def test_a_set_for_the_newborn_gives_no_adults_number_whoever_forgot_the_age(demo):
    for room in ("room-1", "portable"):
        for patient in (None, {}, {"age_band": "newborn"}):
            asked = {"room": room, "exam": "newborn-abdomen", **({} if patient is None else {"patient": patient})}
            supine, decubitus = demo.post("/api/run-sheets", json=asked).json()["steps"]
            assert supine["technique"] is decubitus["technique"] is None
            assert "for a newborn who was not measured" in supine["refused"] and "Measure it" in supine["refused"]
            sheet = demo.post("/api/run-sheets", json={**asked, "measured": {"peds-abdomen-supine": 9}}).json()
            supine, decubitus = sheet["steps"]
            assert supine["technique"]["technique"]["kvp"] <= 75 and supine["technique"]["technique"]["mas"] <= 1.6
            assert decubitus["technique"] is None
    assert next(one for one in demo.get("/api/exams").json() if one["id"] == "newborn-abdomen")["age_band"] == "newborn"


@pytest.mark.parametrize("room", ["room-1", "room-2", "portable"])
def test_nothing_turns_a_patient_who_stays_as_brought(demo, room):
    sets = [one for one in demo.get("/api/exams").json() if any(step["as_brought"] for step in one["steps"])]
    assert {"skull-trauma", "spine-trauma", "shoulder-trauma", "humerus-trauma", "hip-trauma"} <= {one["id"] for one in sets}
    for exam in sets:
        sheet = demo.post("/api/run-sheets", json={"room": room, "exam": exam["id"]}).json()
        for step in sheet["steps"]:
            if step["projection"] and step["step"]["as_brought"] and step["technique"]:
                assert step["technique"]["figures"]["posture"] == "supine", (exam["id"], step["projection"])
    # By the step: after the neck was cleared the patient may be turned. And the same for a view asked alone.
    skull = demo.post("/api/run-sheets", json={"room": "room-1", "exam": "skull-trauma"}).json()["steps"]
    assert skull[0]["technique"] is None and "turn a patient" in skull[0]["refused"] and skull[-1]["technique"]
    alone = {"room": "room-1", "projection": "skull-lateral", "thickness_cm": 15}
    assert "technique" in demo.post("/api/techniques", json=alone).json()
    assert problem(demo.post("/api/techniques", json={**alone, "as_brought": True}))["title"] == "Stays as brought"


def test_without_calipers_an_estimate_is_one_and_says_so(demo):
    asked = {"room": "room-1", "projection": "lspine-ap", "patient": {"weight_kg": 110, "height_cm": 170}}
    found = demo.post("/api/techniques", json=asked).json()
    sure = demo.post("/api/techniques", json={**asked, "thickness_cm": found["thickness"]["cm"]}).json()
    assert (found["thickness"]["source"], sure["thickness"]["source"]) == ("estimated", "measured")
    assert found["technique"] == sure["technique"]
    assert found["forecast"]["di_high"] > sure["forecast"]["di_high"]
    net = demo.post("/api/techniques", json={**asked, "thickness_cm": 24, "mat_cm": 2.5}).json()
    assert net["thickness"]["cm"] == 21.5
    odd = problem(demo.post("/api/techniques", json={**asked, "projection": "abdomen-supine", "thickness_cm": 6}))
    assert odd["field"] == "thickness_cm"
    assert problem(demo.post("/api/techniques", json={**asked, "facts": {"pelvis_cm": -3}, "projection": "knee-ap"}))[
        "allowed"
    ]


def test_a_tilted_tube_may_be_taped_by_its_height(demo):
    asked = {"room": "room-1", "projection": "sacrum-ap-axial", "thickness_cm": 20}
    by_height = demo.post("/api/techniques", json={**asked, "setup": {"tube_height_cm": 96.6}}).json()
    assert by_height["technique"]["sid_cm"] == pytest.approx(100, abs=0.05)
    assert by_height["figures"]["tube_angle_deg"] == 15
    both = {**asked, "setup": {"tube_height_cm": 96.6, "sid_cm": 100}}
    assert problem(demo.post("/api/techniques", json=both))["field"] == "sid_cm"


CLEARANCE = "Images reviewed and clearance recorded before anything else is moved"


def test_a_clearance_records_who_and_when_decides_nothing_and_never_changes(client, charted):
    clearance = {"room": "room-1", "exam": "spine-trauma", "clearance": CLEARANCE, "decided_by": "physician on call"}
    made = client.post("/api/clearances", json={**clearance, "decision": "cleared", "study_key": "S-1"})
    assert made.status_code == 201
    assert client.get("/api/clearances", params={"study_key": "S-1"}).json() == [made.json()]
    assert problem(client.post("/api/clearances", json={**clearance, "decision": "not_applicable"}))["field"] == "why"
    assert (
        client.post("/api/clearances", json={**clearance, "decision": "not_applicable", "why": "lead physician"}).status_code
        == 201
    )
    assert problem(client.post("/api/clearances", json={**clearance, "decision": "cleared", "decided_by": " "}))
    for invented in ({"clearance": "All is well"}, {"exam": "no-such-exam"}):
        said = problem(client.post("/api/clearances", json={**clearance, **invented, "decision": "cleared"}))
        assert said["field"] == next(iter(invented))
    for change in ("UPDATE clearance SET decided_by = 'x'", "DELETE FROM clearance"):
        with pytest.raises(sqlite3.IntegrityError, match="never"):
            charted.db.execute(change)


def test_the_departments_own_lies_over_the_shipped_and_is_taken_back(client):
    ask = {"room": "room-1", "projection": "knee-ap", "thickness_cm": 12, "facts": {"pelvis_cm": 30}}
    assert client.post("/api/techniques", json=ask).json()["angle"]["advice"]["deg"] == 5
    address = "/api/catalogue/local/projection/knee-ap"
    skin = {"quantity": "incident_air_kerma", "value": 0.3, "source": "our own, 2026"}
    body = {
        "angle_school": "straight",
        "dose_levels": [skin, {"quantity": "kerma_area_product", "value": 40, "kg": [15, 30]}],
    }
    assert client.put(address, json={"body": body}).json()["revision"] == 1
    after = client.post("/api/techniques", json=ask).json()
    assert (after["angle"]["advice"]["deg"], after["angle"]["school"]) == (0, "straight")
    assert [(one["value"], one["source"]) for one in after["forecast"]["levels"]] == [(0.3, "our own, 2026")]
    levels = [one for one in client.get("/api/dose-levels").json() if one["projection"] == "knee-ap"]
    assert [(one["level"]["value"], one["level"]["unit"], one["local"]) for one in levels] == [
        (0.3, "mGy", True),
        (40, "mGy·cm²", True),
    ]
    for wrong, said in (
        ({"quantity": "kerma", "value": 1}, "quantity of a dose level must be one of"),
        ({**skin, "value": -1}, "must be above 0"),
        ({**skin, "kg": [30, 15]}, "two weights that rise"),
        ({**skin, "unit": "mGy"}, "a dose level has no unit"),
        ({"value": 1}, "quantity"),
        ("much", "dose level"),
    ):
        assert said in problem(client.put(address, json={"body": {"dose_levels": [wrong]}}))["detail"]
    assert problem(client.put(address, json={"body": {"dose_levels": 4}}))
    assert client.get("/api/projections/knee-ap").json()["local"]
    assert problem(client.put(address, json={"body": body, "revision": 9}), 409)
    assert "colour" in problem(client.put(address, json={"body": {"colour": 1}}))["detail"]
    assert problem(client.put("/api/catalogue/local/projection/Bad Id", json={"body": {}}))
    # A projection of its own, an exam with it, and neither can be pulled from under the other.
    jaw = {"like": "skull-lateral", "name": "Oblique", "exam": "Jaw", "faults": []}
    assert client.put("/api/catalogue/local/projection/jaw-oblique", json={"body": jaw}).status_code == 200
    taken = problem(client.put("/api/catalogue/local/projection/knee-ap", json={"body": jaw}))
    assert "already" in taken["detail"] and client.get("/api/projections/knee-ap").json()["exam"] == "Knee"
    # The body of the view it is like answers for it, without a word of its own.
    line = {"projection": "jaw-oblique", "receptor": "panel-24", "support": "detector", "grid_ratio": 0, "sid_cm": 100}
    drawn = client.post("/api/rooms/room-1/line-preview", json={"line": line, "thickness_cm": 14, "kvp": 70, "mas": 8})
    assert 0 < max(abs(row["drift_di"]) for row in drawn.json()["rows"]) < 4
    exam = {"name": "Jaw", "why": "One view.", "steps": [{"p": "jaw-oblique"}]}
    assert client.put("/api/catalogue/local/exam/jaw", json={"body": exam}).status_code == 200
    assert any(one["id"] == "jaw" for one in client.get("/api/exams").json())
    assert client.get("/api/search", params={"q": "jaw"}).json()[0]["id"] == "jaw"
    assert "no projection 'jaw-oblique'" in problem(client.delete("/api/catalogue/local/projection/jaw-oblique"))["detail"]
    assert client.delete(address).status_code == 204
    assert problem(client.delete(address))["allowed"] == ["jaw-oblique"]
    assert client.post("/api/techniques", json=ask).json()["angle"]["advice"]["deg"] == 5
    assert len(client.get("/api/catalogue/local").json()) == 2


def test_checks_are_the_departments_and_the_demos_worklist_forgets_what_was_done(client, charted):
    assert client.get("/api/choices").json()["checks"] == list(local.DEFAULT_CHECKS)
    assert client.put("/api/checks", json={"checks": ["Right patient"]}).json() == {"checks": ["Right patient"]}
    assert client.get("/api/choices").json()["checks"] == ["Right patient"]
    assert problem(client.put("/api/checks", json={"checks": [""]}))
    # Invented requests are the demo's alone.
    assert client.get("/api/waiting").json() == []
    local.offer_accounts(charted, "x", [])
    before = [one["study_key"] for one in client.get("/api/waiting").json()]
    technique = {"room": "room-1", "projection": "hand-pa", "thickness_cm": 3}
    asked = {"technique": technique, "kvp": 57, "mas": 1.6, "ei": 400, "outcome": "accepted", "study_key": "S-1047"}
    assert client.post("/api/exposures", json=asked).status_code == 201
    after = {one["study_key"]: one["due"] for one in client.get("/api/waiting").json()}
    assert set(before) == set(after) and after["S-1047"] == ["hand-oblique", "hand-lateral"]
    assert client.post("/api/waiting/S-1047/close").status_code == 204
    assert set(before) - {one["study_key"] for one in client.get("/api/waiting").json()} == {"S-1047"}
    shown = client.post("/api/read-outs", json=technique).json()
    assert shown["simulated"]
    assert 100 < shown["ei"] < 1600
