"""The database file: connections, who may read it, backup and restore, folders that are not there."""

from __future__ import annotations

import gc
import os
import shutil
import sqlite3
import stat
import threading
from pathlib import Path

import pytest

from oakbeam.store import Conflict, NoDatabase, Store, charts, database, people, rooms


def test_a_connection_ends_with_its_thread(charted):
    def open_files() -> int:
        return sum(1 for one in Path("/proc/self/fd").iterdir() if str(charted.path) in os.path.realpath(one))

    rooms.all_rooms(charted)
    before = open_files(), charted.connections
    for _ in range(30):
        workers = [threading.Thread(target=rooms.all_rooms, args=(charted,)) for _ in range(8)]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join()
    gc.collect()
    assert charted.connections == before[1]
    # SQLite itself keeps a few unused handles for the next who asks; before, each of the 240 threads left one or two behind.
    assert open_files() <= before[0] + 16
    assert len(rooms.all_rooms(charted)) == 1


def test_a_missing_folder_is_no_empty_department(tmp_path):
    for path in (tmp_path / "nowhere" / "oakbeam.db", tmp_path / "oakbeam.db"):
        with pytest.raises(NoDatabase):
            Store(path, new=False)
        assert not path.exists()


def test_the_file_its_log_and_its_backup_are_their_owners_alone(tmp_path):
    old = os.umask(0)
    try:
        store = Store(tmp_path / "oakbeam.db")
        people.add(store, "ann", "Ann", ["admin"], "a long enough one", "test")
        store.backup(tmp_path / "copy.db")
        modes = {one.name: stat.S_IMODE(one.stat().st_mode) for one in tmp_path.iterdir()}
        store.close()
    finally:
        os.umask(old)
    assert {"oakbeam.db", "oakbeam.db-wal", "copy.db"} <= set(modes)
    assert set(modes.values()) == {0o600}


def test_a_backup_is_restored_once_it_is_seen_to_be_whole(charted, tmp_path):
    backup, target = tmp_path / "copy.db", tmp_path / "new" / "oakbeam.db"
    charted.backup(backup)
    database.restore(backup, target)
    assert charts.newest_approved(Store(target, new=False), "room-1").version == 1
    with pytest.raises(Conflict, match="--replace"):
        database.restore(backup, target)
    damaged = tmp_path / "damaged.db"
    content = bytearray(backup.read_bytes())
    content[4096 * 3 : 4096 * 6] = b"\xff" * (4096 * 3)
    damaged.write_bytes(content)
    (tmp_path / "note.db").write_text("no database")
    sqlite3.connect(tmp_path / "other.db").execute("CREATE TABLE x (y)").connection.close()
    newer = sqlite3.connect(shutil.copy(backup, tmp_path / "newer.db"))
    newer.execute("PRAGMA user_version = 99")
    newer.commit()
    newer.close()
    for name in ("damaged", "note", "other", "newer"):
        with pytest.raises(Conflict):
            database.restore(tmp_path / f"{name}.db", target, replace_existing=True)
    assert charts.newest_approved(Store(target, new=False), "room-1").version == 1
    database.restore(backup, target, replace_existing=True)
    assert charts.newest_approved(Store(target, new=False), "room-1").version == 1
    assert target.with_suffix(".before").is_file()


def test_whoever_changed_a_line_may_not_approve_the_version(charted):
    draft = charts.next_draft(charted, 1, "keeper")
    line = draft.lines[0]
    charts.change_lines(charted, draft.id, [charts.LineChange(line.id, line)], "physicist")
    charts.propose(charted, draft.id, "keeper")
    with pytest.raises(Conflict, match="physicist changed lines"):
        charts.approve(charted, draft.id, "physicist", another=True)
    with pytest.raises(Conflict, match="keeper made or proposed"):
        charts.approve(charted, draft.id, "keeper", another=True)
    assert charts.approve(charted, draft.id, "lead", another=True).status == "approved"
