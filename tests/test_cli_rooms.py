"""`oakbeam room`, and the demo in a folder of its own."""

from __future__ import annotations

import json

from oakbeam import cli
from oakbeam.demo import clinic
from oakbeam.store import Store, rooms


def test_a_room_from_a_template_goes_to_a_file_and_into_another(run, tmp_path):
    assert run("room", "list")[1].split("\n")[0] == "room-1\tRoom 1"
    assert "fixed-dr\tFixed digital room" in run("room", "templates")[1]
    assert run("room", "add", "Theatre", "--template", "portable") == (0, "theatre\n")
    code, written = run("room", "export", "theatre")
    assert code == 0 and json.loads(written)["typical_output"]
    (tmp_path / "room.json").write_text(written)
    assert run("room", "add", "Theatre 2", "--file", str(tmp_path / "room.json")) == (0, "theatre-2\n")
    again = json.loads(run("room", "export", "theatre-2")[1])
    assert {**again, "id": "theatre", "name": "Theatre"} == json.loads(written)
    book = tmp_path / "room.xlsx"
    assert run("room", "export", "theatre", "--xlsx", str(book)) == (0, "")
    assert run("room", "add", "Theatre 3", "--file", str(book)) == (0, "theatre-3\n")
    third = json.loads(run("room", "export", "theatre-3")[1])
    assert {**third, "id": "theatre", "name": "Theatre"} == json.loads(written)
    (tmp_path / "bad.json").write_text('{"name": "x"}')
    assert run("room", "add", "X", "--file", str(tmp_path / "bad.json"))[0] != 0
    assert run("room", "add", "X", "--file", str(tmp_path / "none.json"))[0] != 0
    assert run("room", "add", "Theatre", "--like", "room-1")[0] != 0


def test_the_demo_never_goes_into_the_data_folder(tmp_path, monkeypatch):
    mine = tmp_path / "data"
    mine.mkdir()
    Store(mine / "oakbeam.db", True).close()
    served = []

    def serve(given):
        served.append(given.data)
        return 0

    monkeypatch.setattr(cli, "_serve", serve)
    assert cli.main(["--data", str(mine), "demo"]) == 0
    assert served == [tmp_path / "data-demo"]
    own, demo = Store(mine / "oakbeam.db"), Store(tmp_path / "data-demo" / "oakbeam.db")
    assert rooms.all_rooms(own) == []
    assert [room.id for room in rooms.all_rooms(demo)] == [room.id for room in clinic.rooms()]
    own.close()
    demo.close()
