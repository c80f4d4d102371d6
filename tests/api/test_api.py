"""The API over HTTP: the agreed shapes, refusals as problem details, the whole path of a line and an exposure."""

from __future__ import annotations

import csv
import io
import json

import pytest
from fastapi.testclient import TestClient
from tests.conftest import LINES, approved, signed_in
from tests.core.technique.test_derive import HAND_COMPUTED

from oakbeam.api.app import build
from oakbeam.store import Store, charts

ASK = {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 24}
BASE = {
    "line": {"projection": "knee-lateral", "receptor": "panel-24", "support": "tabletop", "grid_ratio": 0, "sid_cm": 100},
    "thickness_cm": 11,
    "kvp": 65,
    "mas": 5,
}


def problem(answer, status=422) -> dict:
    assert answer.status_code == status, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["title"]
    assert answer.json()["detail"]
    return answer.json()


@pytest.mark.parametrize("case", HAND_COMPUTED, ids=lambda case: f"{case['line']} {case['mas_arithmetic']}")
def test_hand_computed_techniques_through_the_api(client, case):
    if case["grid_table"] == "by_kvp":
        draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
        client.put(f"/api/charts/{draft['id']}", json={"name": "by kVp", "grid_table": "by_kvp"})
        client.post(f"/api/charts/{draft['id']}/propose")
        client.post(f"/api/charts/{draft['id']}/approve")
    answer = client.post(
        "/api/techniques",
        json={
            "room": "room-1",
            "projection": LINES[case["line"]].projection,
            "thickness_cm": float(case["thickness_cm"]),
            "setup": json.loads(case["setup"] or "{}"),
            "patient": json.loads(case["patient"] or "{}"),
        },
    ).json()
    assert answer["exact_mas"] == pytest.approx(float(case["exact_mas"]), rel=1e-8)
    assert answer["technique"]["kvp"] == float(case["station_kvp"])
    assert answer["technique"]["mas"] == float(case["station_mas"])


def test_the_agreed_shape_of_a_technique(client):
    answer = client.post("/api/techniques", json=ASK).json()
    assert {"kvp", "mas", "ma", "time_ms", "focal_spot", "sid_cm", "grid_ratio", "exposure_control"} <= set(
        answer["technique"]
    )
    assert set(answer["steps"][0]) >= {
        "name", "factor", "kvp_before", "mas_before", "kvp_after", "mas_after", "school", "why",
    }  # fmt: skip
    assert {"ei", "di", "incident_air_kerma_mgy", "kap_mgycm2", "time_ms"} <= set(answer["forecast"])
    assert {"id", "version"} <= set(answer["chart"])
    assert all({"level", "text"} <= set(caution) for caution in answer["cautions"])


def test_the_agreed_lists(client):
    assert client.get("/api/health").json()["status"] == "ok"
    assert [room["id"] for room in client.get("/api/rooms").json()] == ["room-1"]
    assert client.get("/api/rooms/room-1").json()["name"] == "Room 1"
    projection = client.get("/api/projections").json()[0]
    assert set(projection["thickness_cm"]) == {"small", "average", "large"}
    (chart,) = client.get("/api/charts", params={"room": "room-1"}).json()
    assert (chart["room"], chart["status"], chart["version"]) == ("room-1", "approved", 1)
    for line in chart["lines"]:
        assert {"projection", "range_cm", "sid_cm", "support", "grid_ratio"} <= set(line)
        low, high = line["range_cm"]
        assert low < high
    assert client.get("/api/charts", params={"room": "elsewhere"}).json() == []
    assert client.get("/api/exams").json()[0]["projections"]
    assert "R06" in client.get("/api/choices").json()["reject_reasons"]


@pytest.mark.parametrize(
    ("change", "status", "said"),
    [
        ({"thickness_cm": 12.9}, 422, "13 to 36 cm"),
        ({"thickness_cm": 500}, 422, "Thickness must be 45 at most."),
        ({"thickness_cm": "thick"}, 422, "Thickness must be a number."),
        ({"room": "cellar"}, 422, "no room"),
        ({"projection": "nose"}, 422, "no projection"),
        ({"projection": "elbow-ap"}, 422, "no line for Elbow AP"),
        ({"chart": 99}, 422, "no chart 99"),
        ({"chart": 2**63}, 422, "Chart must be"),
        ({"setup": {"sid": 100}}, 422, "Sid is not known here."),
        ({"setup": {"kvp": 200}}, 422, "150"),
        ({"setup": {"grid_ratio": 7}}, 422, "Grid ratio must be one of"),
        ({"patient": {"conditions": ["sneezing"]}}, 422, "no condition"),
        ({"patient": {"cast": "ascites"}}, 422, "no cast"),
        ({"school": "guess"}, 422, "Method must be one of"),
    ],
)
def test_refusals_say_what_is_allowed(client, change, status, said):
    assert said in problem(client.post("/api/techniques", json={**ASK, **change}), status)["detail"]


def test_a_range_refusal_carries_the_range(client):
    answer = problem(client.post("/api/techniques", json={**ASK, "thickness_cm": 12}))
    assert answer["allowed"] == {"min": 13, "max": 36, "unit": "cm"}
    assert answer["field"] == "thickness_cm"


def test_bodies_that_are_no_requests(client):
    for body in (b"", b"{", b"[]", b"null", b'"\xff"', b'{"room": "\\ud800"}', b"[" * 5000, b'{"thickness_cm": 1e999}'):
        problem(client.post("/api/techniques", content=body, headers={"content-type": "application/json"}))
        problem(client.post("/api/charts", content=body, headers={"content-type": "application/json"}))
    problem(client.get("/api/charts/0"))
    problem(client.get("/api/charts/99"), 404)
    problem(client.get("/api/nothing"), 404)
    problem(client.put("/api/rooms"), 404)


def test_from_an_accepted_exposure_to_an_approved_line(client):
    preview = client.post("/api/rooms/room-1/line-preview", json={**BASE, "ei": 800}).json()
    assert preview["base_mas"] == pytest.approx(2.5)
    assert preview["base_di"] == pytest.approx(3.0103, abs=1e-4)
    assert preview["line"]["law"]["mas"] == pytest.approx(2.5)
    assert preview["rows"][0]["thickness_cm"] == preview["line"]["range_cm"][0]
    draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    problem(client.post("/api/charts", json={"room": "room-1"}), 409)
    line = client.post(f"/api/charts/{draft['id']}/lines/from-exposure", json=BASE).json()
    ask = {**ASK, "projection": "knee-lateral", "thickness_cm": 11}
    problem(client.post("/api/techniques", json=ask))  # the Desk does not see a draft
    assert client.post("/api/techniques", json={**ask, "chart": draft["id"]}).json()["exact_mas"] == pytest.approx(
        5, rel=1e-9
    )
    changed = {**BASE["line"], "law": {"name": "variable_kvp", "thickness_cm": 11, "kvp": 66, "mas": 6.3}}
    client.put(f"/api/charts/{draft['id']}/lines/{line['id']}", json=changed)
    assert client.post(f"/api/charts/{draft['id']}/propose").json()["status"] == "proposed"
    assert client.post(f"/api/charts/{draft['id']}/approve").json()["status"] == "approved"
    problem(client.put(f"/api/charts/{draft['id']}/lines/{line['id']}", json=changed), 409)
    assert client.post("/api/techniques", json=ask).json()["exact_kvp"] == 66
    actions = [row["action"] for row in client.get(f"/api/charts/{draft['id']}/history").json()]
    assert actions == ["chart.approve", "chart.propose", "line.change", "line.add", "chart.draft"]


def test_import_export_round_trip_and_a_refused_file(client):
    text = client.get("/api/charts/1/csv").text
    bad = problem(client.post("/api/charts/import", json={"room": "room-1", "csv": text.replace(",40,", ",4000,")}))
    assert (bad["faults"][0]["row"], bad["faults"][0]["column"]) == (2, "mas")
    imported = client.post("/api/charts/import", json={"room": "room-1", "csv": text}).json()
    original = client.get("/api/charts/1").json()
    strip = [{**line, "id": None} for line in imported["lines"]]
    assert strip == [{**line, "id": None} for line in original["lines"]]
    assert client.get(f"/api/charts/{imported['id']}/csv").text == text
    assert client.get("/api/charts/1/json").json()["chart"]["lines"] == original["lines"]
    assert len(client.get("/api/charts/1/tables").json()) == len(original["lines"])
    assert client.delete(f"/api/charts/{imported['id']}").status_code == 204


def test_record_judge_undo_and_export(client):
    record = {
        "technique": ASK,
        "kvp": 80,
        "mas": 80,
        "ei": 560,
        "outcome": "rejected",
        "reject_reason": "R04",
        "findings": ["clipped"],
    }
    done = client.post("/api/exposures", json=record).json()
    assert (done["exposure"]["suggested_mas"], done["exposure"]["mas"]) == (63, 80)
    assert done["judgement"]["evaluation"]["repeat"] == "only_if_clipped"
    assert done["judgement"]["corrected"]["mas"] == 32  # 80 x 250/560 = 35.7
    suggested = client.post("/api/techniques", json=ASK).json()["forecast"]["incident_air_kerma_mgy"]
    assert done["exposure"]["incident_air_kerma_mgy"] == pytest.approx(suggested * 80 / 63)
    rows = list(csv.DictReader(io.StringIO(client.get("/api/exposures/csv").text)))
    assert (rows[0]["reject_reason"], rows[0]["findings"], rows[0]["optical_density"]) == ("R04", "clipped", "")
    trend = client.get("/api/exposures/trend").json()
    assert (trend["count"], trend["rejected"], trend["median_di"]) == (1, 1, pytest.approx(3.5025, abs=1e-3))
    assert client.post(f"/api/exposures/{done['exposure']['id']}/undo").status_code == 200
    problem(client.post(f"/api/exposures/{done['exposure']['id']}/undo"), 409)
    assert client.get("/api/exposures").json() == []
    assert client.get("/api/exposures/trend").json()["reject_rate"] is None


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"outcome": "rejected"}, "needs a reason"),
        ({"reject_reason": "R01"}, "needs a reason"),
        ({"outcome": "rejected", "reject_reason": "R99"}, "not known"),
        ({"optical_density": 1.2}, "judged by its exposure index"),
        ({"study_key": "Smith, J."}, "Study key may hold only"),
        ({"mas": 5000}, "mAs must be 2000 at most."),
    ],
)
def test_a_record_that_cannot_be_is_refused(client, change, said):
    record = {"technique": ASK, "kvp": 80, "mas": 63, "ei": 250, "outcome": "accepted", **change}
    assert said in problem(client.post("/api/exposures", json=record))["detail"]
    assert client.get("/api/exposures").json() == []


def test_an_exposure_is_recorded_against_the_version_in_use_and_no_other(client, charted):
    draft = charts.add_draft(charted, "room-1", "Next", "keeper", charts.get(charted, 1).lines).id
    for status in ("draft", "proposed"):
        assert charts.get(charted, draft).status == status
        body = {"technique": {**ASK, "chart": draft}, "kvp": 80, "mas": 40, "ei": 300, "outcome": "accepted"}
        assert problem(client.post("/api/exposures", json=body))["title"] == "Not approved"
        charts.propose(charted, draft, "keeper") if status == "draft" else None
    assert client.get("/api/exposures").json() == []
    # Images and imported tables find the version of their day by itself: one that was in use then.
    assert charts.in_use_at(charted, "room-1", "9999") == 1


def test_what_was_seen_by_a_chart_that_was_superseded_meanwhile_is_not_recorded(client, charted):
    record = {"technique": {**ASK, "chart": 1}, "kvp": 80, "mas": 63, "ei": 250, "outcome": "accepted"}
    assert client.post("/api/exposures", json=record).status_code == 201
    draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    approved(charted, draft["id"])
    refused = problem(client.post("/api/exposures", json=record), 409)
    assert "Version 1 was on screen; another version was approved meanwhile" in refused["detail"]
    record["technique"]["chart"] = draft["id"]
    assert client.post("/api/exposures", json=record).status_code == 201


@pytest.mark.parametrize(
    ("ei", "mas", "asks"),
    [
        (250, 63, []),
        (29, 63, ["Index 29? The target is 250"]),
        (1501, 63, ["Index 1501? The target is 250"]),
        (1500, 252, []),
        (250, 253, ["253 mAs? 63 was suggested"]),
        (250, 15, ["15 mAs? 63 was suggested"]),
    ],
)
def test_what_can_hardly_be_is_asked_back(client, ei, mas, asks):
    asked = {"room": "room-1", "projection": "lspine-ap", "receptor": "panel-43", "kvp": 80, "mas": mas, "ei": ei}
    found = client.post("/api/judgements", json={**asked, "suggested_mas": 63}).json()["asks"]
    assert len(found) == len(asks)
    assert all(one.startswith(said) for one, said in zip(found, asks, strict=True))


def test_another_persons_record_is_taken_back_by_who_may_with_a_reason(client, charted):
    record = {"technique": ASK, "kvp": 80, "mas": 63, "outcome": "accepted"}
    made = client.post("/api/exposures", json=record).json()["exposure"]
    assert [one["id"] for one in client.get(f"/api/exposures?recorded_by={made['recorded_by']}").json()] == [made["id"]]
    address = f"/api/exposures/{made['id']}/undo"
    signed_in(charted, client, "tess", "technologist")
    assert "recorded it" in problem(client.post(address, json={"why": "mine"}))["detail"]
    signed_in(charted, client, "petra", "physicist")
    assert "say why" in problem(client.post(address))["detail"]
    assert client.post(address, json={"why": "wrong room"}).status_code == 200


def test_film_is_judged_by_its_density(client):
    ask = {"room": "room-1", "projection": "lspine-ap", "receptor": "film-24", "kvp": 80, "mas": 40}
    answer = client.post("/api/judgements", json={**ask, "optical_density": 2.0}).json()
    assert answer["evaluation"]["di"] == pytest.approx(3.077, abs=1e-3)
    assert answer["target_ei"] is None
    problem(client.post("/api/judgements", json={**ask, "ei": 300}))
    problem(client.post("/api/judgements", json={**ask, "optical_density": 4}))


def test_the_front_end_is_served_and_nothing_outside_it(tmp_path):
    folder = tmp_path / "dist"
    (folder / "assets").mkdir(parents=True)
    (folder / "index.html").write_text("<p>page</p>")
    (folder / "assets" / "a.js").write_text("1")
    (tmp_path / "secret.txt").write_text("secret")
    web = TestClient(build(Store(tmp_path / "oakbeam.db"), folder))
    assert web.get("/desk").text == web.get("/").text == "<p>page</p>"
    assert "immutable" in web.get("/assets/a.js").headers["cache-control"]
    assert web.get("/assets/missing.js").status_code == 404
    for path in ("/../secret.txt", "/%2e%2e/secret.txt", "/assets/..%2f..%2fsecret.txt"):
        assert "secret" not in web.get(path).text.replace("secret.txt", "")
    assert "default-src 'self'" in web.get("/desk").headers["content-security-policy"]


def test_a_line_becomes_trusted_by_the_images_that_are_recorded(client):
    """Ten on target prove it; an image of an estimated thickness, with another filter or of metal says nothing of it."""
    chart = client.get("/api/charts?room=room-1").json()[0]
    line = next(one["id"] for one in chart["lines"] if one["projection"] == ASK["projection"])

    def trust() -> dict:
        (found,) = (one for one in client.get(f"/api/charts/{chart['id']}/trust").json() if one["line"] == line)
        return found

    def record(**asked) -> None:
        suggested = client.post("/api/techniques", json=asked).json()
        now = suggested["technique"]
        body = {"technique": asked, "kvp": now["kvp"], "mas": now["mas"], "ei": suggested["forecast"]["target_ei"]}
        assert client.post("/api/exposures", json={**body, "outcome": "accepted"}).status_code in (200, 201)

    assert (trust()["trust"], trust()["said"][:17]) == ("model", "Typed or imported")
    record(**{name: value for name, value in ASK.items() if name not in ("thickness_cm", "setup")})
    record(**{**ASK, "setup": {"filter": "cu-02"}})
    record(**{**ASK, "setup": {}, "patient": {"hardware": "plate"}})
    assert trust()["trust"] == "model"
    record(**{**ASK, "setup": {}})
    assert trust()["trust"] == "supported"
    for _ in range(9):
        record(**{**ASK, "setup": {}})
    assert trust()["trust"] == "proven"
    assert client.post("/api/techniques", json={**ASK, "setup": {}}).json()["trust"] == "proven"
