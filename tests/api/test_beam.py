"""The physics model and the rooms over the API, and the same from the command line."""

from __future__ import annotations

import io
import json
import sys

import pytest
from tests.api.test_api import ASK, problem

from oakbeam import cli

CASE = {"id": "a", "kvp": 80, "thickness_cm": 20, "sid_cm": 100, "field_cm": [35, 43]}
GRID = {"ratio": 12, "lines_per_cm": 40, "lead_mm": 0.04, "interspace": "aluminium", "cover_mm_al": 0.3}
FIGURES = {
    "id", "k100_ugy", "hvl_mm_al", "ssd_cm", "incident_air_kerma_ugy", "backscatter_factor", "kap_mgycm2",
    "primary_kerma_ugy", "spr_energy", "spr_kerma", "spr_receptor", "grid_tp", "grid_ts", "bucky_factor",
    "bucky_factor_receptor", "contrast_improvement", "receptor_kerma_ugy", "rqa5_equivalent_kerma_ugy", "exposure_index",
}  # fmt: skip


def test_the_agreed_shape_of_a_beam_and_the_order_of_the_list(client):
    cases = [CASE, {**CASE, "id": 2, "grid": GRID, "receptor": "cr", "bone_mm": 10}, {**CASE, "id": None}]
    found = client.post("/api/beam", json=cases).json()
    assert [one["id"] for one in found] == ["a", 2, None]
    assert all(set(one) == FIGURES for one in found)
    assert client.post("/api/beam", json=[]).json() == []


def test_mas_and_output_scale_the_kerma_and_nothing_else(client):
    one, three = client.post("/api/beam", json=[CASE, {**CASE, "mas": 2.0, "output_scale": 1.5}]).json()
    for name in ("k100_ugy", "incident_air_kerma_ugy", "kap_mgycm2", "receptor_kerma_ugy", "exposure_index"):
        assert three[name] == pytest.approx(3 * one[name], rel=1e-12)
    assert three["spr_kerma"] == pytest.approx(one["spr_kerma"], rel=1e-12)
    assert one["incident_air_kerma_ugy"] == pytest.approx(one["k100_ugy"] * (100 / 80) ** 2, rel=1e-12)


@pytest.mark.parametrize(
    ("change", "low", "high"),
    [({"kvp": 39}, 40, 150), ({"thickness_cm": 46}, 0.5, 45), ({"field_cm": [44, 10]}, 1, 43), ({"sid_cm": 30}, 40, 400)],
)
def test_a_case_outside_the_range_is_refused_by_name_with_the_range(client, change, low, high):
    refused = problem(client.post("/api/beam", json=[CASE, {**CASE, "id": "second", **change}]))
    assert (refused["allowed"]["min"], refused["allowed"]["max"]) == (low, high)
    assert "Case second" in refused["detail"]
    inside = {**CASE, "sid_cm": 40, "thickness_cm": 30}
    assert problem(client.post("/api/beam", json=[inside]))["allowed"]["min"] == 45
    assert problem(client.post("/api/beam", json={"kvp": 80}))["title"]


def test_the_command_line_gives_what_the_api_gives(client, capsys, monkeypatch, tmp_path):
    def run(text: str) -> tuple[int, str]:
        monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(text.encode())))
        return cli.main(["--data", str(tmp_path), "beam"]), capsys.readouterr().out

    code, out = run(json.dumps([CASE]))
    assert (code, json.loads(out)) == (0, client.post("/api/beam", json=[CASE]).json())
    code, out = run(json.dumps([{**CASE, "kvp": 200}]))
    assert (code, json.loads(out)["allowed"]["max"]) == (2, 150)
    assert run("[1")[0] == 2


def test_what_if_answers_and_the_technique_takes_the_school(client):
    found = client.post("/api/what-if", json=ASK).json()
    assert found["detail"] == "2 mm of bone"
    assert sum(one["current"] for one in found["choices"]) == 1
    assert any(one["front"] for one in found["choices"])
    asked = {**ASK, "setup": {"grid_ratio": 0}}
    by_rules, by_model = (
        client.post("/api/techniques", json={**asked, "school": school}).json() for school in ("rules", "model")
    )
    assert by_rules["steps"][-2]["other_factor"] == pytest.approx(by_model["steps"][-2]["factor"])
    assert problem(client.post("/api/what-if", json={**ASK, "thickness_cm": 44}))["allowed"]


def test_a_room_is_changed_by_one_person_at_a_time_and_only_whole(client):
    room = client.get("/api/rooms/room-1").json()
    changed = client.put(
        "/api/rooms/room-1", json={**room, "school": "model", "tube": {**room["tube"], "anode_angle_deg": 10}}
    )
    assert (changed.json()["school"], changed.json()["revision"]) == ("model", room["revision"] + 1)
    assert "read it again" in problem(client.put("/api/rooms/room-1", json=room), 409)["detail"]
    fresh = client.get("/api/rooms/room-1").json()
    assert problem(client.put("/api/rooms/room-1", json={**fresh, "receptors": fresh["receptors"][2:]}))["title"] == (
        "A chart line needs it"
    )
    assert problem(client.put("/api/rooms/room-1", json={**fresh, "outputs": fresh["outputs"][:1]}))["field"] == "outputs"
    assert problem(client.put("/api/rooms/room-1", json={**fresh, "id": "room-9"}))["allowed"] == ["room-1"]
    assert problem(client.put("/api/rooms/cellar", json=fresh), 404)
    assert client.get("/api/rooms/room-1/history").json()[0]["detail"]["changed"] == ["tube", "school"]
    # The Desk follows at once.
    asked = {**ASK, "setup": {"sid_cm": 115}}
    assert client.post("/api/techniques", json=asked).json()["steps"][2]["school"] == "model"


def test_a_grid_out_of_line_loses_primary_alone(client):
    case = {"kvp": 80, "thickness_cm": 20, "sid_cm": 100, "field_cm": [30, 30], "grid": {"ratio": 8}}
    straight, off = client.post("/api/beam", json=[case, {**case, "grid_offset_cm": 2.5}]).json()
    assert off["grid_tp"] == pytest.approx(straight["grid_tp"] * 0.8)
    assert off["grid_ts"] == straight["grid_ts"]
    assert problem(client.post("/api/beam", json=[{**case, "grid_tilt_deg": 40}]))["allowed"]["max"] == 30


def test_a_new_room_starts_like_another(client):
    made = client.post("/api/rooms", json={"name": "Theatre C-arm", "like": "room-1"})
    assert (made.status_code, made.json()["id"]) == (201, "theatre-c-arm")
    assert problem(client.post("/api/rooms", json={"name": "Theatre C-arm", "like": "room-1"}))["field"] == "name"
    assert problem(client.post("/api/rooms", json={"name": "x", "like": "cellar"}), 404)


def test_readings_are_fitted_shown_and_only_then_accepted(client):
    before = client.get("/api/rooms/room-1").json()
    outputs = [
        {"kvp": kvp, "ma": 200, "mas": 20, "distance_cm": 100, "kerma_ugy": kerma}
        for kvp, kerma in ((60, 600), (80, 1100), (100, 1750), (120, 2500))
    ]
    asked = {"outputs": outputs, "indices": [{"receptor": "panel-43", "kerma_ugy": 2.5, "ei": 275}]}
    found = client.post("/api/rooms/room-1/calibration/fit", json=asked).json()
    assert len(found["outputs"]) == 4
    assert found["indices"][0]["ei_scale"] == pytest.approx(1.1)
    assert {effect["projection"] for effect in found["effects"]} == {"lspine-ap", "knee-ap", "chest-pa", "hand-pa"}
    assert client.get("/api/rooms/room-1").json() == before
    dose = client.post("/api/techniques", json=ASK).json()["forecast"]["incident_air_kerma_mgy"]
    accepted = client.post("/api/rooms/room-1/calibration", json={**asked, "revision": before["revision"]}).json()
    assert accepted["calibration"]["output_points"] == 4
    after = client.post("/api/techniques", json=ASK).json()
    assert after["forecast"]["incident_air_kerma_mgy"] == pytest.approx(dose * 55 / 48, rel=1e-4)
    assert after["exact_mas"] == pytest.approx(40 * 2 ** (3 / 4.5))
    assert problem(client.post("/api/rooms/room-1/calibration", json={**asked, "revision": before["revision"]}), 409)
    readings = client.get("/api/rooms/room-1/history").json()[0]["detail"]["readings"]
    assert readings["outputs"] == outputs
    assert problem(client.post("/api/rooms/room-1/calibration/fit", json={}))["field"] == "outputs"
