"""The command line gives what the API gives, and exit code 2 with problem details for a refusal."""

from __future__ import annotations

import json
from pathlib import Path

from oakbeam import cli
from oakbeam.demo import clinic
from oakbeam.store import Store, local, people, rooms


def test_an_empty_database_is_seeded_once(tmp_path, capsys):
    for said in ("Demo clinic added.", "The demo clinic is there already; nothing was added."):
        assert cli.main(["--data", str(tmp_path), "seed"]) == 0
        assert capsys.readouterr().out.strip() == said


def test_technique_and_refusals(run):
    ask = {"room": "room-1", "projection": "chest-pa", "thickness_cm": 22}
    code, out = run("technique", given=ask)
    assert code == 0
    assert json.loads(out)["technique"]["kvp"] == 117
    for wrong in ({**ask, "thickness_cm": 44}, {**ask, "room": "x"}, {**ask, "colour": 1}, "{", ""):
        code, out = run("technique", given=wrong)
        assert code == 2
        assert {"title", "detail", "status"} <= set(json.loads(out))


def test_catalogue_search_and_run_sheet(run):
    assert len(json.loads(run("projection")[1])) == 132
    assert json.loads(run("projection", "skull-ap-axial")[1])["angles"][0]["deg"] == -30
    assert run("projection", "nose")[0] == 2
    assert json.loads(run("search", "lumber", "spine")[1])[0]["id"] == "lumbar-spine"
    sheet = json.loads(run("run-sheet", given={"room": "room-1", "exam": "chest", "measured": {"chest-pa": 24}})[1])
    assert [step["technique"]["thickness"]["cm"] for step in sheet["steps"]] == [24, 33]  # 24 x 31 / 22.5, to the half
    assert run("run-sheet", given={"room": "room-1"})[0] == 2
    own = [{"kind": "projection", "id": "chest-pa", "body": {"time_ceiling_ms": 15}}]
    assert json.loads(run("catalogue-local", "--read", given=own)[1]) == {"kept": 1}
    (kept,) = json.loads(run("catalogue-local")[1])
    assert {key: kept[key] for key in own[0]} == own[0]
    assert json.loads(run("projection", "chest-pa")[1])["time_ceiling_ms"] == 15
    assert run("catalogue-local", "--read", given=[{**own[0], "body": {"time_ceiling_ms": "long"}}])[0] == 2


def test_judge_export_import_backup(run, tmp_path):
    asked = {"room": "room-1", "projection": "chest-pa", "receptor": "panel-43", "kvp": 117, "mas": 2, "ei": 500}
    assert json.loads(run("judge", given=asked)[1])["evaluation"]["level"] == "excessive"
    _, text = run("chart-export", "1")
    _, document = run("chart-export", "1", "--format", "json")
    assert json.loads(document)["format"] == "oakbeam-chart"
    code, out = run("chart-import", "room-1", "--format", "json", given=document)
    assert (code, json.loads(out)["version"]) == (0, 2)
    assert run("chart-import", "room-1", given=text)[0] == 2  # the draft is still open
    assert run("chart-export", str(json.loads(out)["id"]))[1] == text
    assert run("chart-import", "room-1", "--format", "json", given="{")[0] == 2
    assert run("chart-export", "99")[0] == 2
    assert run("backup", str(tmp_path / "copy.db"))[0] == 0
    assert run("backup", str(tmp_path / "copy.db"))[0] == 2
    assert run("seed")[1].startswith("The demo clinic is there already")


def test_the_described_api_is_the_one_the_front_end_was_made_for(capsys):
    """web/openapi.json is what the client's types are generated from; `make types` renews it."""
    assert cli.main(["openapi"]) == 0
    kept = Path(__file__).parents[1] / "web" / "openapi.json"
    assert capsys.readouterr().out == kept.read_text(encoding="utf-8")


def test_the_demo_never_goes_into_a_department_of_its_own(tmp_path, capsys):
    own = Store(tmp_path / "oakbeam.db")
    rooms.save(own, clinic.room_1(), "physicist")
    assert cli.main(["--data", str(tmp_path), "seed"]) == 2
    assert "of its own" in json.loads(capsys.readouterr().out)["detail"]
    assert people.everybody(own) == []
    assert local.offered_accounts(own) is None


def test_a_mistake_on_the_command_line_is_one_clear_line(run, tmp_path, capsys):
    for command in (
        ("chart", "print", "1", str(tmp_path / "nowhere" / "wall.pdf")),
        ("chart", "convert", "1", str(tmp_path / "nowhere" / "chart.csv")),
        ("backup", str(tmp_path / "nowhere" / "copy.db")),
        ("restore", str(tmp_path / "nothing.db")),
        ("person", "reset", "nobody"),
    ):
        code = cli.main(["--data", str(tmp_path), *command])
        said = capsys.readouterr()
        assert code == 2
        assert len(said.err.strip().splitlines()) == 1
        assert {"title", "detail"} <= set(json.loads(said.out))


def test_backup_restore_and_check(run, tmp_path):
    assert run("backup", str(tmp_path / "copy.db"))[0] == 0
    assert run("chart", "adapt", "2", "room-1", "--save", "After")[0] == 0
    assert run("restore", str(tmp_path / "copy.db"))[0] == 2
    assert run("restore", str(tmp_path / "copy.db"), "--replace")[0] == 0
    code, said = run("check")
    assert code == 0 and said.startswith("The database is whole, and its audit and exposures as they were written.\n")
    assert run("chart-export", "5")[0] == 2  # what came after the backup is gone
    assert (tmp_path / "oakbeam.before").is_file()


def test_accounts_from_the_servers_own_shell(run):
    generated = json.loads(run("person", "reset", "joren")[1])["password"]
    assert len(generated) >= 16
    assert json.loads(run("person", "disable", "joren")[1])["active"] is False
    person = json.loads(run("person", "enable", "joren")[1])
    assert (person["active"], person["must_change"]) == (True, True)
    assert run("person", "unlock", "joren")[0] == 0
    assert run("person", "disable", "noor")[0] == 2  # the last administrator stays


def test_another_offices_chart_from_the_command_line(run, tmp_path):
    chart, answers = tmp_path / "ward.csv", tmp_path / "answers.json"
    chart.write_text("Exam;cm;kVp;mAs\nHand PA;3;55;1,6\nSacrum;21;80;25\n", encoding="cp1252")
    code, out = run("chart", "import", str(chart), "--room", "room-1", "--save", "Ward")
    found = json.loads(out)
    assert (code, [one["id"] for one in found["questions"]]) == (1, ["projection:sacrum"])
    answers.write_text(json.dumps({"projection:sacrum": "leave out"}))
    arguments = ("chart", "import", str(chart), "--room", "room-1", "--answers", str(answers), "--save", "Ward")
    assert run(*arguments, "--preview")[0] == 0
    assert run(*arguments)[0] == 0
    assert len(json.loads(run("chart", "level", "5")[1])) == 1
    answers.write_text("[]")
    assert run(*arguments)[0] == 2
    assert run("chart", "import", str(tmp_path / "none.csv"), "--room", "room-1")[0] == 2
