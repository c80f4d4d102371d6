"""A version in use: what changed is read once by each, who has not is listed, and a review comes due and is said."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from tests.api.test_api import problem
from tests.api.test_chart_workbench import line_in, send
from tests.conftest import approved, signed_in

from oakbeam.store import reviews

ASKED = {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 21}


@pytest.fixture
def second(charted, client):
    """Version 2, in use: the spine's mAs is another, the knee's line is gone."""
    signed_in(charted, client, "keeper", "keeper")
    draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    spine, knee = draft["lines"][:2]
    send(client, draft, {"line": spine["id"], "to": line_in(spine, law={"mas": 50})}, {"line": knee["id"]})
    approved(charted, draft["id"])
    return draft["id"]


def asked_of(charted, client, person, *roles):
    signed_in(charted, client, person, *roles)
    return client.get("/api/rooms/room-1/chart-news").json()


def test_what_changed_is_read_once_by_each_and_who_has_not_is_listed(charted, client, second):
    first = asked_of(charted, client, "tamsin", "technologist")
    assert (first["version"], first["since_version"], first["asked"]) == (2, 1, True)
    assert [(one["change"], one["what"]) for one in first["changes"]] == [
        ("changed", ["40 to 50 mAs"]),
        ("removed", []),
    ]
    assert client.post(f"/api/charts/{second}/read").status_code == 204
    assert client.post(f"/api/charts/{second}/read").status_code == 204
    again = asked_of(charted, client, "tamsin")
    assert (again["version"], again["asked"], again["changes"]) == (2, False, [])
    assert asked_of(charted, client, "pim", "technologist")["asked"]
    assert not asked_of(charted, client, "noor", "admin")["asked"]
    signed_in(charted, client, "keeper")
    readers = client.get(f"/api/charts/{second}/readers").json()
    assert [(one["person"], bool(one["read_at"])) for one in readers][-1] == ("tamsin", True)
    assert ("pim", False) in [(one["person"], bool(one["read_at"])) for one in readers]
    assert problem(client.post("/api/charts/1/read"), 409)["title"] == "Not in use"
    # Whoever missed a version is told what changed since the one that they read.
    third = client.post("/api/charts", json={"room": "room-1", "from_chart": second}).json()
    send(client, third, {"line": third["lines"][-1]["id"], "to": line_in(third["lines"][-1], law={"mas": 2})})
    approved(charted, third["id"])
    assert len(asked_of(charted, client, "tamsin")["changes"]) == 1
    assert asked_of(charted, client, "tamsin")["since_version"] == 2


def test_a_review_is_due_in_a_year_and_overdue_is_said_with_each_technique(charted, client, monkeypatch):
    today = date.today()
    assert client.get("/api/charts/1").json()["review_by"] >= (today + timedelta(days=364)).isoformat()

    def said():
        return [one["text"] for one in client.post("/api/techniques", json=ASKED).json()["cautions"]]

    assert not [text for text in said() if "looked at again" in text]
    monkeypatch.setattr(reviews, "today", lambda: today + timedelta(days=400))
    assert [text for text in said() if "version 1 was to be looked at again by" in text]
    due = (today + timedelta(days=500)).isoformat()
    reviewed = client.post("/api/charts/1/reviews", json={"review_by": due, "note": "ten images, all on target"}).json()
    assert (reviewed["review_by"], reviewed["revision"]) == (due, 1)
    assert not [text for text in said() if "looked at again" in text]
    for day in (today + timedelta(days=399), today + timedelta(days=400 + 6 * 366)):
        refused = problem(client.post("/api/charts/1/reviews", json={"review_by": day.isoformat()}))
        assert refused["title"] == "Not a day to come"
    problem(client.post("/api/charts/1/reviews", json={"review_by": "soon"}))
    actions = [row["action"] for row in client.get("/api/charts/1/history").json()]
    assert actions.count("chart.review") == 1


def test_a_target_index_is_chosen_from_accepted_images_and_changed_in_a_draft(client):
    made = {"technique": ASKED, "kvp": 80, "mas": 40, "outcome": "accepted"}
    for i in range(30):
        answer = client.post("/api/exposures", json={**made, "ei": 180 + 4 * i, "findings": ["noisy"] if i < 6 else []})
        assert answer.status_code == 201
    (found,) = client.get("/api/charts/1/target-choices").json()
    assert (found["projection"], found["target_ei"], found["images"], found["noisy"]) == ("lspine-ap", 250, 30, 6)
    lowest = found["choices"][0]
    assert lowest["ei"] < 215 and lowest["dose_change_percent"] < -10 and lowest["noisy"] == 6
    asked = {"projection": "lspine-ap", "receptor": "panel-43", "target_ei": 200}
    assert problem(client.post("/api/charts/1/target", json=asked), 409)["title"] == "Not a draft"
    draft = client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()
    line = client.post(f"/api/charts/{draft['id']}/target", json=asked).json()["chart"]["lines"][0]
    assert (line["target_ei"], line["law"]["mas"]) == (200, pytest.approx(32))
    for wrong in ({"projection": "knee-ap"}, {"receptor": "nothing"}, {"target_ei": 9}):
        problem(client.post(f"/api/charts/{draft['id']}/target", json={**asked, **wrong}))


def test_a_device_keeps_what_the_paper_would_say(charted, client):
    found = client.get("/api/rooms/room-1/bedside").json()
    assert (found["room_name"], found["version"], found["approver"]) == ("Room 1", 1, "physicist")
    assert len(found["lines"]) == len(client.get("/api/charts/1").json()["lines"])
    spine = next(one for one in found["lines"] if one["exam"] == "Lumbar spine")
    at = {one["thickness_cm"]: (one["kvp"], one["mas"]) for one in spine["settings"]}
    asked = {**ASKED, "thickness_cm": max(cm for cm in at if cm <= 24)}
    technique = client.post("/api/techniques", json=asked).json()["technique"]
    assert at[asked["thickness_cm"]] == (technique["kvp"], technique["mas"])
    signed_in(charted, client, "keeper", "keeper")
    client.post("/api/rooms", json={"name": "Bare", "like": "room-1"})
    assert problem(client.get("/api/rooms/bare/bedside"), 404)
