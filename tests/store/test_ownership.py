"""Who serves a database, which file it is, and which commands bring an older one up."""

from __future__ import annotations

import shutil
import sqlite3
import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import ASK, problem
from tests.conftest import signed_in

from oakbeam import cli
from oakbeam.api.app import build
from oakbeam.store import Conflict, FileMoved, Store, comments, database, settings
from oakbeam.store.ownership import Owned, Owner

RECORD = {"technique": ASK, "kvp": 80, "mas": 40, "ei": 300, "outcome": "accepted"}


def replaced(path):
    shutil.copy(path, path.with_suffix(".copy"))
    path.with_suffix(".copy").replace(path)


def moved_folder(path):
    path.parent.rename(path.parent.with_name("elsewhere"))
    path.parent.mkdir()
    shutil.copy(path.parent.with_name("elsewhere") / path.name, path)


SPOILT = {
    "replaced": replaced,
    "moved": lambda path: path.rename(path.with_name("moved.db")),
    "deleted": lambda path: path.unlink(),
    "its folder moved, another in its place": moved_folder,
    "its log deleted": lambda path: path.with_name(f"{path.name}-wal").unlink(),
    "its log replaced": lambda path: replaced(path.with_name(f"{path.name}-wal")),
    "a link to another": lambda path: (path.rename(path.with_name("a.db")), path.symlink_to(__file__)),
}


@pytest.mark.parametrize("how", SPOILT)
def test_nothing_is_acknowledged_into_a_file_that_is_not_in_its_place(tmp_path, room_file, how):
    folder = tmp_path / "data"
    folder.mkdir()
    store = Store(shutil.copy(room_file, folder / "oakbeam.db"))
    try:
        settings.save(store, "before", 1, "test")
        SPOILT[how](store.path)
        with pytest.raises(FileMoved, match="Restart the server"):
            settings.save(store, "after", 1, "test")
        assert "Restart the server" in (store.write_fault() or "")
        # Nor are numbers of it shown for long.
        store._looked -= 2 * database.LOOKED_AGAIN_S
        with pytest.raises(FileMoved):
            store.remembered("x", lambda: 1)
        assert settings.read(store, "after") is None
    finally:
        store.close()


def test_a_store_that_is_closed_and_used_again_is_no_file_that_was_moved(tmp_path, room_file):
    store = Store(shutil.copy(room_file, tmp_path / "oakbeam.db"))

    def use(number):
        together.wait()
        if number % 2:
            store.remembered(number, lambda: number)
        assert store.write_fault() is None
        settings.save(store, f"of {number}", number, "test")

    try:
        for _ in range(40):  # the last connection to close takes the log away; the next makes another
            store.close()
            store._looked -= 2 * database.LOOKED_AGAIN_S
            together = threading.Barrier(6)
            with ThreadPoolExecutor(6) as threads:
                list(threads.map(use, range(6)))
    finally:
        store.close()


def test_a_file_replaced_between_the_look_and_the_commit_is_no_201(charted):
    client = signed_in(charted, TestClient(build(charted), raise_server_exceptions=False), "ann", "technologist")
    look = charted._place.fault
    seen = iter((None, "was replaced"))
    charted._place.fault = lambda: next(seen, "was replaced")
    answer = client.post("/api/exposures", json=RECORD)
    assert problem(answer, 503)["title"] == "The database is not where it was" and answer.headers["retry-after"]
    assert client.get("/api/ready").status_code == 503
    charted._place.fault = look
    assert client.post("/api/exposures", json=RECORD).status_code == 201


def test_while_a_server_owns_the_folder_nobody_else_serves_restores_or_migrates(charted, tmp_path, capsys):
    data, backup = charted.path.parent, tmp_path / "copy.db"
    charted.backup(backup)
    with Owner(charted.path):
        for command in (["serve"], ["seed"], ["migrate"], ["restore", str(backup), "--replace"]):
            assert cli.main(["--data", str(data), *command]) == 2
            assert "In use by a server" in capsys.readouterr().err
        with pytest.raises(Owned, match=r"by process \d+ on "):
            Owner(charted.path)
        # What only reads, or writes a change of its own beside the server, goes on.
        assert cli.main(["--data", str(data), "check"]) == 0
        assert cli.main(["--data", str(data), "backup", str(tmp_path / "b"), "--keep", "2"]) == 0
    charted.close()
    assert cli.main(["--data", str(data), "restore", str(backup), "--replace"]) == 0


def test_a_restore_waits_for_no_listener_and_loses_nothing_of_what_it_took(charted, tmp_path):
    """A process that is no server (a listener, a command) holds no lock: what it was told is kept is in `.before`, and after
    the restore it is told that nothing is."""
    backup, kept, refused = tmp_path / "copy.db", [], []
    charted.backup(backup)
    stop = threading.Event()

    def write():
        number = 0
        while not stop.is_set():
            number += 1
            try:
                comments.add(charted, 1, None, f"number {number}", "ann")
                kept.append(f"number {number}")
            except (FileMoved, database.Busy, sqlite3.Error):
                refused.append(number)
            stop.wait(0.001)

    writer = threading.Thread(target=write)
    writer.start()
    while len(kept) < 20:
        pass
    database.restore(backup, charted.path, replace_existing=True)
    while not refused:
        pass
    stop.set()
    writer.join()
    before = sqlite3.connect(charted.path.with_suffix(".before"))
    there = {row[0] for row in before.execute("SELECT text FROM comment")}
    assert set(kept) <= there
    restored = Store(charted.path)
    assert restored.db.execute("SELECT count(*) FROM comment").fetchone()[0] == 0
    restored.close()


def older(path, monkeypatch, by=1):
    """A database as an earlier version left it."""
    scripts = database._scripts()
    with monkeypatch.context() as earlier:
        earlier.setattr(database, "_scripts", lambda: scripts[:-by])
        Store(path).close()
    return len(scripts) - by, len(scripts)


def step_of(path):
    db = sqlite3.connect(path)
    try:
        return db.execute("PRAGMA user_version").fetchone()[0]
    finally:
        db.close()


def test_only_a_server_and_migrate_bring_a_database_up_after_a_backup(tmp_path, monkeypatch, capsys):
    path = tmp_path / "oakbeam.db"
    was, now = older(path, monkeypatch)
    data = ["--data", str(tmp_path)]
    for command in (["check"], ["backup", str(tmp_path / "kept"), "--keep", "3"]):
        assert cli.main([*data, *command]) == 0
        assert step_of(path) == was
    assert f"at step {was}" in capsys.readouterr().out
    for command in (["log", "import", str(tmp_path)], ["person", "list"], ["dicom", "--allow", "X"], ["room", "list"]):
        assert cli.main([*data, *command]) == 2
        assert "oakbeam migrate" in capsys.readouterr().err and step_of(path) == was
    assert cli.main([*data, "migrate"]) == 0
    assert step_of(path) == now
    (kept,) = tmp_path.glob(f"oakbeam.step-{was}.*.db")
    assert step_of(kept) == was
    assert cli.main([*data, "migrate"]) == 0 and len(list(tmp_path.glob("oakbeam.step-*"))) == 1


def test_the_way_back_of_the_handbook_leads_back(tmp_path, monkeypatch, capsys):
    """An older version on a newer database refuses; it works on the backup that the newer one made as it started."""
    data = tmp_path / "data"
    data.mkdir()
    was, _ = older(data / "oakbeam.db", monkeypatch)
    Store(data / "oakbeam.db").close()  # the newer version has started
    (kept,) = data.glob(f"oakbeam.step-{was}.*.db")
    scripts = database._scripts()
    with monkeypatch.context() as earlier:
        earlier.setattr(database, "_scripts", lambda: scripts[:was])
        with pytest.raises(Conflict, match=f"knows {was}"):
            Store(data / "oakbeam.db")
        assert cli.main(["--data", str(data), "restore", str(kept), "--replace"]) == 0
        database.verify(data / "oakbeam.db")
        settings.save(Store(data / "oakbeam.db"), "works", 1, "test")
