"""From accepted readings to a corrected chart: lines marked, forecasts moved, one draft, approved by who calibrated."""

from __future__ import annotations

import base64
import io
import re

import pypdfium2 as pdfium
import pytest
from openpyxl import load_workbook
from tests.api.test_api import problem
from tests.conftest import ROOM, signed_in

from oakbeam.store import people
from oakbeam.store.database import audit

ASKED = {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 21, "patient": {"age_band": "adult"}}


def readings(output, **more):
    """A tube that now gives `output` times what the room says."""
    return {
        "outputs": [
            {"kvp": kvp, "ma": 200, "mas": 20, "kerma_ugy": 20 * output * ROOM.output_ugy_per_mas(kvp)}
            for kvp in (60, 80, 100, 120)
        ],
        **more,
    }


def calibrate(client, output, **more):
    answer = client.post("/api/rooms/room-1/calibration", json=readings(output, **more))
    assert answer.status_code == 200, answer.text
    return answer.json()


def said_of(client):
    answer = client.post("/api/techniques", json=ASKED).json()
    cautions = [one for one in answer["cautions"] if one["cites"] == "off since a calibration"]
    return answer["forecast"]["di"], [one["text"] for one in cautions], answer["technique"]["mas"]


def recorded(client, mas, ei):
    made = {"technique": ASKED, "kvp": 80, "mas": mas, "ei": ei, "outcome": "accepted", "findings": []}
    return client.post("/api/exposures", json=made)


def test_a_room_keeps_what_was_read_and_what_its_equipment_was(charted, client):
    signed_in(charted, client, "ilse", "physicist")
    days = {"instrument": "Chamber 2", "read_on": "2026-11-20", "due_on": "2027-11-20"}
    room = calibrate(client, 1.02, **days)
    assert {name: room["calibration"][name] for name in days} == days
    assert problem(client.post("/api/rooms/room-1/calibration", json=readings(1, read_on="2026-11-20", due_on="2026-11-20")))
    lines = client.get("/api/rooms/room-1/readings/csv").text.splitlines()
    assert lines[0].startswith("accepted_at,accepted_by,instrument") and len(lines) == 5
    assert ",Chamber 2,2026-11-20,2027-11-20,output,60.0,200.0,20.0,100" in lines[1]
    wrong = client.post("/api/rooms/room-1/calibration/fit", json=readings(0.001)).json()["slips"]
    assert [one["all"] for one in wrong] == [True] and "mGy" in wrong[0]["says"]

    tube = {**room["tube"], "filtration_mm_al": 3.6}
    changed = client.put("/api/rooms/room-1", json={**room, "tube": tube}).json()
    detail = client.get("/api/rooms/room-1/history").json()[0]["detail"]
    assert (detail["before"], detail["after"]) == ({"tube": room["tube"]}, {"tube": tube})
    back = client.put("/api/rooms/room-1", json={**changed, **detail["before"]}).json()
    assert back["tube"] == room["tube"] and back["calibration"] == room["calibration"]


def text_of(answer):
    assert answer.status_code == 200 and answer.headers["content-type"] == "application/pdf"
    return "\n".join(page.get_textpage().get_text_range() for page in pdfium.PdfDocument(answer.content))


def test_the_report_says_what_was_read_and_found_by_whom_and_which_audit_row_it_is(charted, client):
    signed_in(charted, client, "ilse", "physicist")
    read = {"hvls": [{"kvp": 80, "hvl_mm_al": 2.9}], "indices": [{"receptor": "panel-43", "kerma_ugy": 2.5, "ei": 260}]}
    calibrate(client, 0.8, instrument="Chamber <2>", due_on="2027-11-20", **read)
    row = client.get("/api/rooms/room-1/history").json()[0]
    text = text_of(client.get(f"/api/rooms/room-1/calibrations/{row['id']}/pdf"))
    link = charted.db.execute("SELECT link FROM audit WHERE id = ?", (row["id"],)).fetchone()[0]
    for said in ("Calibration of Room 1", "Chamber <2>", "20 Nov 2027", "by Ilse", f"audit row {row['id']}, link {link}"):
        assert said in text
    output = 0.8 * ROOM.output_ugy_per_mas(80)
    for said in (f"{output:.4g}", "2.9", "Fixed panel", "×1.04", "−20.0 %", "Lumbar spine AP"):
        assert said in text, said
    # The furthest moved stands first.
    shown = [float(one) for one in re.findall(r"DI [+−]([\d.]+)", text)]
    assert shown == sorted(shown, reverse=True) and shown[0] > 0.5
    for missing in (row["id"] + 1, 1):
        problem(client.get(f"/api/rooms/room-1/calibrations/{missing}/pdf"), 404)
    # A row from before the findings were kept says so, and names no figure that it does not hold.
    old = {"readings": {"outputs": [], "hvls": [], "indices": []}, "revision": 2}
    with charted.change() as db:
        audit(db, "gone", "room.save", "room:room-1", old)
    last = client.get("/api/rooms/room-1/history").json()[0]["id"]
    assert "was not kept at that time" in text_of(client.get(f"/api/rooms/room-1/calibrations/{last}/pdf"))


def test_a_room_goes_out_as_a_workbook_and_comes_in_as_another(charted, client):
    signed_in(charted, client, "ilse", "physicist")
    book = client.get("/api/rooms/room-1/xlsx").content
    asked = {"xlsx": base64.b64encode(book).decode(), "name": "Theatre"}
    made = client.post("/api/rooms/import/xlsx", json=asked).json()
    room = client.get("/api/rooms/room-1").json()
    own = {"id": "theatre", "name": "Theatre", "school": "model", "calibration": None, "revision": made["revision"]}
    assert made == {**room, **own}
    assert problem(client.post("/api/rooms/import/xlsx", json=asked))["title"] == "Name in use"
    for wrong in ("no base64!", base64.b64encode(b"no workbook").decode()):
        problem(client.post("/api/rooms/import/xlsx", json={"xlsx": wrong}))
    broken = load_workbook(io.BytesIO(book))
    broken["Room"].append(["tube.filtration_mm_al", "plenty"])
    out = io.BytesIO()
    broken.save(out)
    said = problem(client.post("/api/rooms/import/xlsx", json={"xlsx": base64.b64encode(out.getvalue()).decode()}))
    assert "tube.filtration_mm_al" in said["detail"]


def test_lines_are_marked_corrected_in_one_draft_and_approved_by_who_calibrated(charted, client):
    people.agree(charted, people.Agreement(another_approves=True), "test")
    signed_in(charted, client, "physicist", "physicist")
    calibrate(client, 1.0)  # a room whose output is known, as the papers say: nothing is off by it
    before, nothing, _ = said_of(client)
    assert nothing == []
    calibrate(client, 0.70)

    off = client.get("/api/charts/1/since-calibration").json()
    assert len(off) == 4 and all(one["di_change"] == pytest.approx(-1.55, abs=0.03) for one in off)
    assert all(one["kerma_change_percent"] == pytest.approx(-30, abs=1) for one in off)
    after, (caution,), mas = said_of(client)
    assert after - before == pytest.approx(-1.55, abs=0.05) and mas == 40  # the chart is the authority; what it gives moved
    assert "−1.5 DI" in caution or "−1.6 DI" in caution
    assert "57 mAs" in caution
    lint = {one["rule"] for one in client.get("/api/charts/1/lint").json()}
    assert "since_calibration" in lint

    draft = client.post("/api/rooms/room-1/corrected-draft").json()
    assert (draft["author"], draft["status"]) == ("calibration", "draft")
    assert draft["lines"][0]["law"]["mas"] == pytest.approx(40 / 0.7, rel=0.01)
    history = client.get(f"/api/charts/{draft['id']}/history").json()
    assert any("asked for by physicist" in row["detail"].get("why", "") for row in history)
    assert client.get(f"/api/charts/{draft['id']}/since-calibration").json() == []
    signed_in(charted, client, "keeper", "keeper")
    proposed = client.post(f"/api/charts/{draft['id']}/propose", json={"reasons": {"dose_level": "as before"}})
    assert proposed.status_code == 200, proposed.text
    signed_in(charted, client, "physicist", "physicist")
    assert client.post(f"/api/charts/{draft['id']}/approve").json()["status"] == "approved"
    now, nothing, mas = said_of(client)
    assert nothing == [] and mas == 63 and now == pytest.approx(before, abs=0.7)  # the station next to 57
    assert problem(client.post("/api/rooms/room-1/corrected-draft"))["title"] == "Nothing to correct"


def test_a_correction_goes_into_the_open_draft_and_waits_for_a_proposed_one(client):
    draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    calibrate(client, 1.5)
    into = client.post("/api/rooms/room-1/corrected-draft").json()
    assert (into["id"], into["author"]) == (draft["id"], "all")
    assert into["lines"][0]["law"]["mas"] == pytest.approx(40 / 1.5, rel=0.01)
    # What was put right is set for the room of today; a second calibration counts from there.
    calibrate(client, 0.75)
    (first, *_) = client.get(f"/api/charts/{draft['id']}/since-calibration").json()
    assert first["di_change"] == pytest.approx(-3.01, abs=0.05)  # 1.5 to 0.75
    client.post(f"/api/charts/{draft['id']}/propose", json={"reasons": {"since_calibration": "tried"}})
    assert problem(client.post("/api/rooms/room-1/corrected-draft"), 409)["title"] == "Waits for approval"


def test_of_a_room_that_is_as_it_was_only_lines_of_the_model_are_off(client):
    calibrate(client, 0.70, room_as_it_was=True)
    assert client.get("/api/charts/1/since-calibration").json() == []
    assert said_of(client)[1] == []


def test_images_of_before_a_calibration_say_what_the_line_gives_now(client):
    calibrate(client, 1.0)
    for _ in range(12):
        assert recorded(client, 40, 250).status_code == 201
    proven, _, _ = said_of(client)
    calibrate(client, 0.70)
    moved, _, _ = said_of(client)
    assert moved - proven == pytest.approx(-1.55, abs=0.05)
    trust = client.get("/api/charts/1/trust").json()
    assert trust[0]["trust"] == "supported" and "−1.5 DI" in trust[0]["said"]
    for _ in range(40):
        recorded(client, 40, 175)  # what the room gives today
    settled, _, _ = said_of(client)
    assert settled == pytest.approx(moved, abs=0.2)  # the more images, the less the line's own word counts
