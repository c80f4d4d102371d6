"""A console whose number falls as the exposure rises: the same image gives the same DI, whichever number is typed."""

from __future__ import annotations

import pytest
from tests.api.test_api import problem
from tests.conftest import ROOM, signed_in

ASKED = {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 21, "patient": {"age_band": "adult"}}
RESULT = {"room": "room-1", "projection": "lspine-ap", "receptor": "panel-43", "kvp": 80, "mas": 40}


@pytest.fixture
def scaled(charted, client):
    """The room whose digital receptors show the sensitivity, and a client that may do all."""
    signed_in(charted, client, "ilse", "physicist", "technologist", "keeper")
    room = client.get("/api/rooms/room-1").json()
    for one in room["receptors"]:
        if one["kind"] != "film_screen":
            one["index_scale"] = {"name": "Sensitivity", "form": "inverse", "constant": 1000}
    answer = client.put("/api/rooms/room-1", json=room)
    assert answer.status_code == 200, answer.text
    return client


def test_an_image_is_judged_recorded_and_listed_by_the_number_on_the_console(scaled):
    shown = scaled.post("/api/judgements", json=RESULT | {"shown_index": 200}).json()
    by_ei = scaled.post("/api/judgements", json=RESULT | {"ei": 500}).json()
    assert shown == by_ei and shown["ei"] == pytest.approx(500)
    assert (
        "Index 20000? The target is"
        in scaled.post("/api/judgements", json=RESULT | {"shown_index": 20_000}).json()["asks"][0]
    )

    expected = scaled.post("/api/techniques", json=ASKED).json()["forecast"]
    assert expected["shown_index"]["target"] == pytest.approx(1e5 / expected["target_ei"])
    out = scaled.post("/api/read-outs", json=ASKED).json()
    assert out["shown_index"] == pytest.approx(1e5 / out["ei"], rel=1e-3)
    made = {"technique": ASKED, "kvp": 80, "mas": 40, "shown_index": 320, "outcome": "accepted"}
    kept = scaled.post("/api/exposures", json=made).json()["exposure"]
    assert (kept["shown_index"], kept["ei"]) == (320, pytest.approx(312.5))
    assert scaled.get("/api/exposures").json()[0]["shown_index"] == 320


def test_a_line_and_a_calibration_take_the_number_on_the_console(scaled):
    line = {"projection": "knee-ap", "receptor": "panel-24", "support": "tabletop", "grid_ratio": 0, "sid_cm": 110}
    base = {"line": line, "thickness_cm": 12, "kvp": 66, "mas": 5}
    tables = [
        scaled.post("/api/rooms/room-1/line-preview", json=base | index).json()["base_mas"]
        for index in ({"shown_index": 200}, {"ei": 500})
    ]
    assert tables[0] == pytest.approx(tables[1])
    reading = {"receptor": "panel-43", "kerma_ugy": 2.5}
    fits = [
        scaled.post("/api/rooms/room-1/calibration/fit", json={"indices": [reading | index]}).json()["indices"]
        for index in ({"shown_index": 500}, {"ei": 200})
    ]
    assert fits[0] == fits[1] and fits[0][0]["ei_scale"] == pytest.approx(0.8)


@pytest.mark.parametrize(
    ("index", "field", "says"),
    [
        ({"shown_index": 200, "ei": 500}, "shown_index", "not both"),
        ({"shown_index": 0}, "shown_index", "are possible"),
        ({}, "ei", "judged by its exposure index"),
    ],
)
def test_an_index_that_cannot_be_is_refused(scaled, index, field, says):
    refused = problem(scaled.post("/api/judgements", json=RESULT | index), 422)
    assert refused["field"] == field and says in refused["detail"]


def test_scales_from_constants_and_readings(client):
    asked = {
        "name": "L",
        "form": "logarithmic",
        "readings": [{"kerma_ugy": k, "shown": s} for k, s in ((1, 1600), (10, 2600))],
    }
    found = client.post("/api/index-scales", json=asked).json()
    assert found["scale"] == {"name": "L", "form": "logarithmic", "constant": pytest.approx(1600), "per_decade": 1000}
    assert [one["shown"] for one in found["shown"]] == pytest.approx([1697.9, 1997.9, 2297.9], abs=0.1)
    both = problem(client.post("/api/index-scales", json=asked | {"constant": 5}), 422)
    assert "Constant or readings" in both["title"]


def test_a_deviation_index_typed_for_an_index_is_asked_about(charted, client):
    signed_in(charted, client, "joren", "keeper")
    shots = [
        {"projection": name, "receptor": "panel-43", "support": support, "grid_ratio": grid, "sid_cm": sid}
        | {"thickness_cm": cm, "kvp": kvp, "mas": mas, "shown_index": 260}
        for name, support, grid, sid, cm, kvp, mas in (
            ("lspine-ap", "table_bucky", 10, 110, 21, 80, 40),
            ("knee-ap", "tabletop", 0, 110, 12, 66, 5),
            ("chest-pa", "upright_bucky", 10, 180, 22, 120, 2),
        )
    ]
    shots[1]["shown_index"] = 1.2
    built = client.post("/api/rooms/room-1/build", json={"exposures": shots, "projections": ["knee-ap"]})
    assert built.status_code == 200, built.text
    (asked,) = [one for one in built.json()["suspects"] if one["exposure"] == 1]
    target = ROOM.receptor("panel-43").target_for("lower_limb")
    assert asked["index_of_di"] == pytest.approx(target * 10**0.12, abs=0.5)
    shots[1]["shown_index"] = -1.2
    refused = problem(client.post("/api/rooms/room-1/build", json={"exposures": shots, "projections": ["knee-ap"]}), 422)
    assert "exposure 2" in refused["title"] and f"{target * 10**-0.12:.0f}" in refused["detail"]
