"""The workbench over HTTP: several changes at once, undo, two editors, families, and what is computed of a chart."""

from __future__ import annotations

import base64

import pytest
from tests.api.test_api import problem


@pytest.fixture
def draft(client):
    return client.post("/api/charts", json={"room": "room-1", "from_chart": 1}).json()


def line_in(line, **change):
    """A line as it is sent back."""
    kept = {key: value for key, value in line.items() if key not in ("id", "revision")}
    law = {key: value for key, value in kept["law"].items() if value is not None}
    return {**kept, "law": {**law, **change.pop("law", {})}, **change}


def send(client, draft, *changes, **more):
    return client.post(f"/api/charts/{draft['id']}/changes", json={"changes": changes, **more})


def said(lines):
    """What lines say, without the database's own marks."""
    return [{key: value for key, value in line.items() if key not in ("id", "revision")} for line in lines]


def test_changes_are_made_together_and_undone_together(client, draft):
    spine, _, chest, hand = draft["lines"]
    changes = (
        {"line": spine["id"], "revision": 1, "to": line_in(spine, law={"mas": 50})},
        {"line": chest["id"], "revision": 1},
        {"to": line_in(hand, note="a twin", key=None), "position": 1},
    )
    done = send(client, draft, *changes, why="louder").json()
    assert [line["projection"] for line in done["chart"]["lines"]] == ["lspine-ap", "hand-pa", "knee-ap", "hand-pa"]
    assert len({line["key"] for line in done["chart"]["lines"]}) == 4
    history = client.get(f"/api/charts/{draft['id']}/history").json()
    assert {row["detail"].get("why") for row in history[:3]} == {"louder"}
    undo = [{**change, "to": change["to"] and line_in(change["to"])} for change in done["undo"]]
    back = send(client, draft, *undo).json()
    assert said(back["chart"]["lines"]) == said(draft["lines"])
    redo = [{**change, "to": change["to"] and line_in(change["to"])} for change in back["undo"]]
    again = send(client, draft, *redo).json()
    assert said(again["chart"]["lines"]) == said(done["chart"]["lines"])


def test_one_wrong_change_and_nothing_is_kept(client, draft):
    spine, knee = draft["lines"][:2]
    answer = send(
        client,
        draft,
        {"line": spine["id"], "to": line_in(spine, law={"mas": 50})},
        {"line": knee["id"], "to": line_in(knee, sid_cm=30)},
    )
    assert answer.status_code == 422
    for bad in ([{}], [], [{"line": 10**6}]):
        assert client.post(f"/api/charts/{draft['id']}/changes", json={"changes": bad}).status_code in (404, 422)
    assert client.get(f"/api/charts/{draft['id']}").json()["lines"] == draft["lines"]


def test_the_second_of_two_editors_loses_nothing(client, draft):
    spine, knee = draft["lines"][:2]
    first = {"line": spine["id"], "revision": spine["revision"], "to": line_in(spine, law={"mas": 50})}
    second = {"line": spine["id"], "revision": spine["revision"], "to": line_in(spine, law={"kvp": 84})}
    other = {"line": knee["id"], "revision": knee["revision"], "to": line_in(knee, law={"mas": 6})}
    assert send(client, draft, first).status_code == 200
    refused = send(client, draft, second, other)
    assert refused.status_code == 409
    conflict = refused.json()["conflicts"][0]
    assert (conflict["line"], conflict["now"]["law"]["mas"]) == (spine["id"], 50)
    # Another line is no conflict; the same one, made from what it is now, is none either.
    assert send(client, draft, other).status_code == 200
    merged = {**second, "revision": conflict["now"]["revision"], "to": line_in(conflict["now"], law={"kvp": 84})}
    law = send(client, draft, merged).json()["chart"]["lines"][0]["law"]
    assert (law["kvp"], law["mas"]) == (84, 50)
    client.delete(f"/api/charts/{draft['id']}/lines/{knee['id']}")
    gone = send(client, draft, {**other, "revision": 2})
    assert [(one["line"], one.get("now")) for one in gone.json()["conflicts"]] == [(knee["id"], None)]


def test_one_edit_moves_the_family_through_the_api(client, draft):
    knee = draft["lines"][1]
    link = {"to": knee["key"], "kvp_added": -2, "mas_factor": 0.8}
    lateral = line_in(knee, projection="knee-lateral", key=None, link=link)
    made = send(client, draft, {"to": lateral}).json()["chart"]["lines"][-1]
    assert (made["law"]["kvp"], made["law"]["mas"]) == (64, 4)
    done = send(client, draft, {"line": knee["id"], "to": line_in(knee, law={"mas": 10})}).json()
    assert done["chart"]["lines"][-1]["law"]["mas"] == 8
    assert made["id"] in done["touched"]
    undo = [{**change, "to": line_in(change["to"])} for change in done["undo"]]
    assert send(client, draft, *undo).json()["chart"]["lines"][-1]["law"]["mas"] == 4
    assert send(client, draft, {"line": knee["id"]}).json()["title"] == "No line to follow"
    circle = line_in(knee, link={"to": made["key"]})
    assert send(client, draft, {"line": knee["id"], "to": circle}).json()["title"] == "Lines follow each other"
    # The next version keeps the family.
    client.post(f"/api/charts/{draft['id']}/propose")
    client.post(f"/api/charts/{draft['id']}/approve")
    after = client.post("/api/charts", json={"room": "room-1", "from_chart": draft["id"]}).json()
    before = client.get(f"/api/charts/{draft['id']}").json()
    assert [line["key"] for line in after["lines"]] == [line["key"] for line in before["lines"]]
    assert after["lines"][-1]["link"]["to"] == knee["key"]


def test_many_lines_at_once_hold_the_exposure_or_do_not(client, draft):
    lines = [line["id"] for line in draft["lines"]]
    path = f"/api/charts/{draft['id']}/adjust"
    more = client.post(path, json={"lines": lines, "mas_percent": 10}).json()
    for line, proposal in zip(draft["lines"], more, strict=True):
        before, after = line["law"], proposal["line"]["law"]
        pairs = zip(before["bands"], after["bands"], strict=True) if before["name"] == "banded" else [(before, after)]
        assert all(b["mas"] == pytest.approx(1.1 * a["mas"]) and b["kvp"] == a["kvp"] for a, b in pairs)
    held = client.post(path, json={"lines": lines[:1], "kvp_added": 8}).json()[0]["line"]
    assert held["law"]["kvp"] == 88
    assert 20 < held["law"]["mas"] < 32
    loose = client.post(path, json={"lines": lines[:1], "kvp_added": 8, "hold": False}).json()[0]["line"]
    assert loose["law"]["mas"] == 40
    bare = client.post(path, json={"lines": lines[:1], "grid_ratio": 0}).json()[0]["line"]
    assert bare["law"]["mas"] < 14
    far = client.post(path, json={"lines": lines[:1], "sid_cm": 120, "on_stations": True}).json()[0]["line"]
    assert far["law"]["mas"] == 50
    assert client.post(path, json={"lines": lines, "school": "aec"}).json()[1]["refusal"]
    assert client.post(path, json={"lines": lines[:1]}).json()[0]["refusal"].startswith("Say what to change")
    assert client.get(f"/api/charts/{draft['id']}").json()["lines"] == draft["lines"]


def test_expected_index_chart_check_systems_and_compare_of_a_chart(client, draft):
    base = f"/api/charts/{draft['id']}"
    strips = client.get(f"{base}/level").json()
    assert [strip["line"] for strip in strips] == [line["id"] for line in draft["lines"]]
    assert all(len(strip["places_cm"]) == 40 for strip in strips)
    proposals = client.post(f"{base}/level", json={}).json()
    assert {one["id"] for one in proposals} <= {strip["line"] for strip in strips if not strip["level"]}
    changes = [{"line": one["id"], "revision": one["revision"], "to": line_in(one["line"])} for one in proposals]
    assert proposals
    send(client, draft, *changes)
    after = {strip["line"]: strip for strip in client.get(f"{base}/level").json()}
    for one in proposals:
        assert abs(after[one["id"]]["worst_di"]) == pytest.approx(abs(one["worst_after_di"]))
    spine = client.get(base).json()["lines"][0]
    send(client, draft, {"line": spine["id"], "to": line_in(spine, sid_cm=150)})
    findings = client.get(f"{base}/lint").json()
    assert [one["lines"] for one in findings if one["rule"] == "grid_focus"] == [[spine["id"]]]
    assert {"rule", "severity", "lines", "what", "why", "fix", "proposal"} <= set(findings[0])
    views = client.get(f"{base}/lines/{draft['lines'][0]['id']}/systems").json()
    assert len(views) == 6
    compared = client.get(f"/api/charts/1/compare/{draft['id']}").json()
    assert [one["change"] for one in compared].count("changed") == len(proposals)


def test_what_the_keeper_ticks_as_used_decides_what_to_expose_next(client):
    exposure = {
        "projection": "lspine-ap", "receptor": "panel-43", "support": "table_bucky", "grid_ratio": 12, "sid_cm": 107,
        "thickness_cm": 21, "kvp": 80, "mas": 40, "ei": 270,
    }  # fmt: skip
    asked = {"exposures": [exposure], "projections": ["lspine-ap", "hand-pa", "chest-pa", "knee-ap"], "school": "fixed_kvp"}
    address, build = "/api/rooms/room-1/used-projections", "/api/rooms/room-1/build"
    assert client.get(address).json() == {"projections": []}

    def first():
        return client.post(build, json=asked).json()["suggestions"][0]["line"]["projection"]

    for ticked in ("hand-pa", "chest-pa"):
        assert client.put(address, json={"projections": [ticked, ticked]}).json() == {"projections": [ticked]}
        assert first() == ticked
    # What is asked for goes before the ticks.
    weighed = client.post(build, json={**asked, "used": {"knee-ap": 5}}).json()
    assert weighed["suggestions"][0]["line"]["projection"] == "knee-ap"
    assert "no projection 'nose'" in problem(client.put(address, json={"projections": ["nose"]}))["detail"]
    assert problem(client.put("/api/rooms/nowhere/used-projections", json={"projections": []}), 404)
    assert client.get(address).json() == {"projections": ["chest-pa"]}


def test_build_and_adapt_end_in_a_draft(client, charted):
    exposure = {
        "projection": "lspine-ap", "receptor": "panel-43", "support": "table_bucky", "grid_ratio": 12, "sid_cm": 107,
        "thickness_cm": 21, "kvp": 80, "mas": 40, "ei": 270,
    }  # fmt: skip
    asked = {"exposures": [exposure], "projections": ["lspine-ap", "lspine-lateral", "hand-pa"], "school": "fixed_kvp"}
    built = client.post("/api/rooms/room-1/build", json=asked).json()
    assert len(built["readings"]) == 1
    assert built["drafts"][0]["spread_di"] > 0
    lines = [line_in(draft["line"]) for draft in built["drafts"]]
    made = client.post("/api/charts", json={"room": "room-1", "name": "Drafted", "lines": lines})
    assert made.status_code == 201
    assert said(made.json()["lines"])[0]["law"] == lines[0]["law"]
    wrong = client.post("/api/rooms/room-1/build", json={**asked, "exposures": [{**exposure, "receptor": "film-24"}]})
    assert wrong.json()["field"] == "exposures.0.receptor"
    assert client.post("/api/rooms/room-1/adapt", json={"chart": 1}).json()["title"] == "The same room"
    client.post("/api/rooms", json={"name": "Room 9", "like": "room-1"})
    carried = client.post("/api/rooms/room-9/adapt", json={"chart": 1}).json()
    assert [one["factor"] for one in carried] == pytest.approx([1] * 4, rel=0.25)
    lines = [line_in(one["line"]) for one in carried]
    assert client.post("/api/charts", json={"room": "room-9", "lines": lines}).status_code == 201


def test_lines_made_elsewhere_show_what_they_add_and_change_before_they_go_in(client, draft):
    spine, knee = draft["lines"][:2]
    kept = [line_in(knee), line_in(spine, law={"mas": 50}, key=None), line_in(knee, projection="knee-lateral", key=None)]
    found = client.post(f"/api/charts/{draft['id']}/difference", json={"lines": kept}).json()
    assert [one["change"] for one in found] == ["same", "changed", "added"]
    assert found[1]["before"]["id"] == spine["id"]
    assert any("mAs" in what or "50" in what for what in found[1]["what"])
    changes = [{"line": found[1]["before"]["id"], "to": line_in(found[1]["after"])}, {"to": line_in(found[2]["after"])}]
    lines = send(client, draft, *changes).json()["chart"]["lines"]
    assert [line["projection"] for line in lines] == [*(line["projection"] for line in draft["lines"]), "knee-lateral"]
    assert problem(client.post(f"/api/charts/{draft['id']}/difference", json={"lines": []}))


def test_a_file_is_asked_about_and_the_departments_own_words_are_remembered(client):
    text = "Exam,cm,kVp,mAs,Grid,Bucky\nSacrum,21,80,25,12:1,Bay 2\nHand PA,3,55,1.6,none,tabletop\n"
    asked = {"room": "room-1", "file": base64.b64encode(text.encode("utf-16")).decode()}
    found = client.post("/api/charts/import/preview", json=asked).json()
    assert {one["id"] for one in found["questions"]} == {"projection:sacrum", "support:bay 2"}
    assert ([line["projection"] for line in found["lines"]], found["ready"]) == (["hand-pa"], False)
    answers = {"projection:sacrum": "sacrum-ap-axial", "support:bay 2": "table_bucky", "far:hand-pa 3": "take"}
    answered = client.post("/api/charts/import/preview", json={**asked, "answers": answers}).json()
    assert (len(answered["lines"]), answered["ready"]) == (2, True)
    kept = client.put("/api/charts/import/answers", json=answers).json()
    assert kept == {key: answers[key] for key in ("projection:sacrum", "support:bay 2")}
    assert client.get("/api/charts/import/answers").json() == kept
    assert client.post("/api/charts/import/preview", json=asked).json()["ready"]
    # The next file adds its own: what is known of others is not lost.
    more = client.post("/api/charts/import/answers", json={"receptor:plate": "panel-24"}).json()
    assert more == kept | {"receptor:plate": "panel-24"}
    for bad in ({}, {"csv": "a", "file": "b"}, {"file": "no base64!"}, {"xlsx": base64.b64encode(b"a,b").decode()}):
        assert problem(client.post("/api/charts/import/preview", json={"room": "room-1", **bad}))


def test_what_cannot_be_used_is_mended_or_given_a_reason_before_it_is_proposed(client, draft):
    spine = draft["lines"][0]
    send(client, draft, {"line": spine["id"], "to": line_in(spine, law={"mas": 450})})
    path = f"/api/charts/{draft['id']}/propose"
    refused = problem(client.post(path))
    assert (refused["allowed"], refused["field"]) == (["tube_limit"], "reasons")
    assert "Cannot be set in this room (1)" in refused["detail"]
    assert problem(client.post(path, json={"reasons": {"tube_limit": ""}}))
    reasons = {"tube_limit": "for the largest only, at the wall stand"}
    assert client.post(path, json={"reasons": reasons}).json()["status"] == "proposed"
    assert client.get(f"/api/charts/{draft['id']}/history").json()[0]["detail"]["reasons"] == reasons
