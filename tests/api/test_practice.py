"""The simulated room over the network: what it gives and refuses, and that it touches no log; drills and class tests."""

from __future__ import annotations

import base64
import csv
import io
import json
import subprocess

import numpy as np
import pydicom
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from tests.conftest import signed_in

from oakbeam import catalogue, cli
from oakbeam.core.practice.drills.register import DRILLS

KNEE = {"projection": "knee-ap", "thickness_cm": 12.0, "seed": 3}
SMALL = {"case": KNEE, "console": {"kvp": 66, "mas": 4, "sid_cm": 100}, "size": 96}


def test_an_exposure_gives_an_image_an_index_and_a_dose_the_same_for_the_same_seeds(client):
    found = client.post("/api/practice/exposures", json=SMALL).json()
    picture = found["picture"]
    levels = np.frombuffer(base64.b64decode(picture["levels"]), "<u2").reshape(picture["rows"], picture["columns"])
    assert max(levels.shape) == 96 and picture["light"] < picture["dark"] and levels.std() > 1000
    assert found["ei"] > 100 and found["incident_air_kerma_mgy"] > 0.1 and found["recognised"]
    assert client.post("/api/practice/exposures", json=SMALL).json() == found
    other = client.post("/api/practice/exposures", json={**SMALL, "noise": 9}).json()
    assert other["picture"]["levels"] != picture["levels"] and other["ei"] == pytest.approx(found["ei"], rel=0.01)
    film = client.post(
        "/api/practice/exposures", json={**SMALL, "console": {**SMALL["console"], "receptor": "film_screen"}}
    ).json()
    assert film["ei"] is None and film["di"] is None


def test_a_usual_technique_is_on_target_and_what_cannot_be_is_refused_in_words(client):
    usual = client.post("/api/practice/usual", json=KNEE).json()
    taken = client.post("/api/practice/exposures", json={"case": KNEE, "console": usual, "size": 96}).json()
    assert abs(taken["di"]) < 1
    lists = client.get("/api/practice/lists").json()
    assert "chest-pa" in lists["projections"] and lists["conditions"]["prosthesis"]
    for change, says in (
        ({"case": {**KNEE, "projection": "long-leg-knees"}}, "not computed yet"),
        ({"case": {**KNEE, "projection": "no-such"}}, "no-such"),
        ({"case": {**KNEE, "condition": "gout"}}, "condition"),
        ({"console": {**SMALL["console"], "kvp": 400}}, "kVp"),
        ({"console": {**SMALL["console"], "chambers": ["X"]}}, "chambers"),
        ({"size": 5000}, "512"),
        ({"wrong": {"artefacts": ["hat"]}}, "artefacts"),
        ({"wrong": {"off_cm": [1]}}, "off_cm"),
    ):
        answer = client.post("/api/practice/exposures", json={**SMALL, **change})
        assert answer.status_code in (404, 422) and says.lower() in answer.text.lower(), (change, answer.text)


def test_a_drill_is_told_without_its_answer_and_judged_with_it(client):
    nobody = TestClient(client.app, raise_server_exceptions=False)
    for drill in DRILLS:
        task = client.get(f"/api/practice/drills/{drill}", params={"seed": 5}).json()
        question = DRILLS[drill].question(5, catalogue.shipped().projections)
        assert "right" not in json.dumps([list(one) for one in task["asked"]]) and task["given"] == question.given
        assert task["has_image"] == bool(question.before)
        assert client.get(f"/api/practice/drills/{drill}/hint", params={"seed": 5}).json() == question.hint
    for drill in ("mat", "least-dose"):
        model = DRILLS[drill].question(5, catalogue.shipped().projections).model_answer()
        judged = nobody.post(f"/api/practice/drills/{drill}/answers", json={"seed": 5, "answer": model}).json()
        assert judged["credit"] == 1 and judged["model_answer"] == model and not judged["kept"]
        assert (judged["image"] is not None) == (drill == "least-dose")


def test_what_a_drill_refuses(client):
    assert client.get("/api/practice/drills/no-such?seed=1").status_code == 404
    assert client.get("/api/practice/drills/mat").status_code == 422
    assert client.get("/api/practice/drills/mat/image?seed=1").status_code == 404
    assert client.get("/api/practice/next?track=cooking").json()["allowed"][0] == "measure"
    empty = client.post("/api/practice/drills/mat/answers", json={"seed": 1, "answer": {}})
    assert empty.status_code == 422 and "missing" in empty.json()["detail"]
    assert client.post("/api/practice/drills/mat/answers", json={"seed": 1, "answer": {"cm": [1]}}).status_code == 422


@pytest.fixture
def people_here(charted, client):
    """An instructor and two trainees, each at a console."""

    def at_a_console(name, *roles):
        return signed_in(charted, TestClient(client.app, raise_server_exceptions=False), name, *roles)

    return at_a_console("teacher", "keeper"), at_a_console("ada", "trainee"), at_a_console("ben", "trainee")


def answer_right(who, drill, seed, **more):
    question = DRILLS[drill].question(seed, catalogue.shipped().projections)
    return who.post(f"/api/practice/drills/{drill}/answers", json={"seed": seed, "answer": question.model_answer(), **more})


def test_what_a_trainee_missed_comes_again_and_is_theirs_alone(people_here, charted):
    _, ada, ben = people_here
    missed = {"seed": 1, "answer": {"cm": 99}}
    assert ada.post("/api/practice/drills/mat/answers", json=missed).json()["kept"]
    for seed, drill in enumerate(("jaw", "inches", "ray")):
        answer_right(ada, drill, seed)
    assert ada.get("/api/practice/next", params={"track": "measure"}).json()["drill"] == "mat"
    standing = {one["id"]: one for one in ada.get("/api/practice/drills").json()}
    assert (standing["mat"]["mean"], standing["mat"]["due_in"], standing["jaw"]["mean"]) == (0, 0, 1)
    assert all(one["mean"] is None for one in ben.get("/api/practice/drills").json())
    # The log, and what is learned from it, know nothing of practice.
    assert charted.db.execute("SELECT count(*) FROM exposure").fetchone()[0] == 0


def test_a_critique_is_judged_by_its_cause_and_counted_by_what_it_was_taken_for(people_here):
    _, ada, _ = people_here
    task = ada.get("/api/practice/drills/judge-exposure", params={"seed": 2}).json()
    assert task["has_image"]
    image = ada.get("/api/practice/drills/judge-exposure/image", params={"seed": 2}).json()
    assert image["ei"] > 0
    right = DRILLS["judge-exposure"].question(2, catalogue.shipped().projections).model_answer()
    wrong = next(one for one in task["asked"][0]["options"] if one != right["fault"])
    judged = ada.post(
        "/api/practice/drills/judge-exposure/answers", json={"seed": 2, "answer": {**right, "fault": wrong}}
    ).json()
    assert judged["credit"] == pytest.approx(2 / 3)
    names = task["asked"][0]["options"]
    assert ada.get("/api/practice/confusions").json() == {names[right["fault"]]: {names[wrong]: 1}}


def test_it_grows_harder_for_who_is_right_and_a_pack_is_as_hard_as_is_asked(people_here):
    _, ada, _ = people_here
    assert ada.get("/api/practice/next", params={"track": "measure"}).json()["level"] == 1
    for seed in range(4):
        answer_right(ada, "mat", seed)
    assert {one["id"]: one["level"] for one in ada.get("/api/practice/drills").json()}["mat"] == 3
    task = ada.get("/api/practice/next", params={"track": "arithmetic", "level": 3}).json()
    assert (task["level"], task["level_name"]) == (3, "harder")
    model = DRILLS[task["drill"]].question(task["seed"], catalogue.shipped().projections, 3).model_answer()
    given = {"seed": task["seed"], "answer": model, "level": 3}
    assert ada.post(f"/api/practice/drills/{task['drill']}/answers", json=given).json()["credit"] == 1
    of_pack = ada.get("/api/practice/pack", params={"level": 1}).json()
    assert len(of_pack) == 8 and {one["level"] for one in of_pack} == {1}
    images = [
        ada.get("/api/practice/drills/judge-any/image", params={"seed": of_pack[0]["seed"], "level": n}).json()
        for n in (1, 1)
    ]
    assert images[0]["picture"]["levels"] == images[1]["picture"]["levels"]
    assert ada.get("/api/practice/pack", params={"level": 4}).status_code == 422


def test_the_light_field_is_told_on_the_skin_and_moves_with_the_shutters(client):
    case = {"projection": "knee-ap", "thickness_cm": 12.5}
    console = client.post("/api/practice/usual", json=case).json()
    seen = client.post("/api/practice/light-field", json={"case": case, "console": console}).json()
    assert seen["on_skin_cm"][0] == pytest.approx(seen["at_receptor_cm"][0] * seen["ssd_cm"] / console["sid_cm"], rel=0.01)
    assert set(seen["cells"]) == {"L", "C", "R"} and seen["picture"]["rows"] > 100
    aside = {"case": case, "console": console, "wrong": {"shutters_off_cm": [4, 0]}}
    moved = client.post("/api/practice/light-field", json=aside).json()
    assert moved["field"][0][0] > seen["field"][0][0] + 0.05
    nowhere = {"case": {**case, "projection": "long-leg-hips"}, "console": console}
    assert client.post("/api/practice/light-field", json=nowhere).status_code in (404, 422)


def test_a_class_test_is_the_same_for_all_done_once_and_seen_by_who_may(people_here, client):
    teacher, ada, ben = people_here
    nobody = TestClient(client.app, raise_server_exceptions=False)
    assert nobody.get("/api/practice/classes").status_code == 401
    assert ada.post("/api/practice/classes", json={"name": "Mine", "drills": ["mat"]}).status_code == 403
    assert teacher.post("/api/practice/classes", json={"name": "x", "drills": ["no-such"]}).status_code == 404
    test = teacher.post("/api/practice/classes", json={"name": "Week 1", "drills": ["mat", "square-law"]}).json()
    items = [(one["drill"], one["seed"]) for one in test["items"]]
    assert [one["drill"] for one in ben.get("/api/practice/classes").json()[0]["items"]] == ["mat", "square-law"]
    for drill, seed in items:
        assert answer_right(ada, drill, seed, in_class=test["id"]).status_code == 200
    assert answer_right(ada, *items[0], in_class=test["id"]).status_code == 409
    assert answer_right(ada, "mat", 12345, in_class=test["id"]).status_code == 404
    assert answer_right(nobody, *items[0], in_class=test["id"]).status_code == 422
    wrong = {"seed": items[0][1], "answer": {"cm": 99}, "in_class": test["id"]}
    ben.post("/api/practice/drills/mat/answers", json=wrong)
    (for_teacher,) = teacher.get("/api/practice/classes").json()
    assert [(one["person"], one["answered"], one["mean"]) for one in for_teacher["results"]] == [
        ("ada", 2, 1.0),
        ("ben", 1, 0.0),
    ]
    assert for_teacher["by_drill"] == {"mat": 0.5, "square-law": 1.0}
    (for_ben,) = ben.get("/api/practice/classes").json()
    assert [one["person"] for one in for_ben["results"]] == ["ben"] and for_ben["by_drill"] == {}
    assert [one["credit"] for one in for_ben["items"]] == [0, None]
    assert ben.get(f"/api/practice/classes/{test['id']}/csv").status_code == 403
    rows = list(csv.DictReader(io.StringIO(teacher.get(f"/api/practice/classes/{test['id']}/csv").text)))
    assert [(one["person"], one["credit"]) for one in rows] == [("ada", "1.00"), ("ada", "1.00"), ("ben", "0.00")]


def test_from_a_shell_the_same_arguments_are_the_same_bytes_and_the_dicom_is_valid(tmp_path, capsys):
    asked = [
        "practice",
        "image",
        "--projection",
        "knee-ap",
        "--thickness",
        "12",
        "--kvp",
        "66",
        "--size",
        "96",
        "--seed",
        "7",
    ]
    for name, mas in (("a.png", "4"), ("b.png", "4"), ("c.png", "8")):
        assert cli.main([*asked, "--mas", mas, "--out", str(tmp_path / name), "--json"]) == 0
    told = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    a, b, c = ((tmp_path / f"{name}.png").read_bytes() for name in "abc")
    assert a == b != c and told[2]["ei"] == pytest.approx(2 * told[0]["ei"], rel=0.01)
    assert set(told[0]) == {"ei", "di", "incident_air_kerma_mgy"}
    signal = [np.asarray(Image.open(io.BytesIO(one))).astype(float) for one in (a, c)]
    # Proportional to the signal: twice the mAs is twice the counts, where nothing is clipped.
    unclipped = (signal[1] < 60_000) & (signal[0] > 100)
    assert np.median(signal[1][unclipped] / signal[0][unclipped]) == pytest.approx(2, rel=0.01)
    assert cli.main([*asked, "--mas", "4", "--grid-ratio", "8", "--out", str(tmp_path / "d.dcm")]) == 0
    made = pydicom.dcmread(tmp_path / "d.dcm")
    assert (made.KVP, made.ExposureInuAs, made.pixel_array.shape[0]) == (66, 4000, 96)
    checked = subprocess.run(["/usr/bin/dciodvfy", str(tmp_path / "d.dcm")], capture_output=True, text=True, check=False)
    assert "DXImageForPresentation" in checked.stderr + checked.stdout and "Error" not in checked.stderr + checked.stdout
    lateral = [*asked[:3], "knee-lateral", *asked[4:], "--mas", "4", "--side", "right", "--out", str(tmp_path / "g.dcm")]
    assert cli.main(lateral) == 0
    made = pydicom.dcmread(tmp_path / "g.dcm")
    assert (made.ImageLaterality, list(made.PatientOrientation)) == ("R", ["P", "F"])
    for wrong in (["--out", "x.jpg"], ["--out", str(tmp_path / "e.png"), "--size", "9999"]):
        assert cli.main([*asked, "--mas", "4", *wrong]) == 2
    assert cli.main([*asked[:3], "no-such", *asked[4:], "--mas", "4", "--out", str(tmp_path / "f.png")]) == 2
