"""The audit's chain: whatever is changed, taken out, put in or cut off by hand is found."""

from __future__ import annotations

import sqlite3
import stat
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.conftest import ROOM

from oakbeam import cli
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.store import Store, audit_chain, backups, database, exposures, rooms
from oakbeam.store import settings as kept_settings
from oakbeam.store.audit_chain import chain_fault
from oakbeam.store.exposures import Exposure

EXPOSURE = Exposure(
    *("room-1", 1, 1, "lspine-ap", 24, 80, 63, 80, 63, 107, "table_bucky", 12, "panel-43", "manual", "accepted")
)


@pytest.fixture
def audited(tmp_path):
    store = Store(tmp_path / "oakbeam.db")
    for at in range(8):
        kept_settings.save(store, f"key {at}", {"n": at}, "mara")
    yield store
    store.close()


def by_hand(store, *statements):
    """What somebody with the file does: the triggers are no hindrance."""
    db = sqlite3.connect(store.path)
    for (name,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
        db.execute(f"DROP TRIGGER {name}")
    for statement in statements:
        db.execute(statement)
    db.commit()
    db.close()


def test_an_untouched_audit_is_whole_and_goes_on_over_a_restart(audited):
    assert chain_fault(audited.db) is None
    again = Store(audited.path)
    kept_settings.save(again, "more", 1, "otto")
    assert chain_fault(again.db) is None
    again.close()


@pytest.mark.parametrize(
    ("done", "says"),
    [
        ("UPDATE audit SET actor = 'eve' WHERE id = 3", "row 3"),
        ("UPDATE audit SET detail = '{}' WHERE id = 5", "row 5"),
        ("DELETE FROM audit WHERE id = 4", "row 5"),
        ("DELETE FROM audit WHERE id >= 7", "ends at row 6"),
        ("UPDATE audit SET link = NULL WHERE id = 6", "row 6 has no link"),
        ("INSERT INTO audit (at, actor, action, subject) VALUES ('2026', 'eve', 'x', 'y')", "no link"),
    ],
)
def test_a_change_by_hand_is_found(audited, done, says):
    by_hand(audited, done)
    assert says in chain_fault(audited.db)


def test_rows_from_before_the_chain_are_taken_in_by_it(tmp_path, monkeypatch):
    path, scripts = tmp_path / "old.db", database._scripts()
    with monkeypatch.context() as earlier:
        earlier.setattr(database, "_scripts", lambda: scripts[:19])
        old = Store(path)
        for number in range(3):  # as the version without links wrote them
            with old.change() as db:
                db.execute("INSERT INTO audit (at, actor, action, subject) VALUES ('2020', 'ann', 'x', ?)", (str(number),))
        old.close()
    store = Store(path)
    assert chain_fault(store.db) is None
    kept_settings.save(store, "after", 1, "mara")
    assert chain_fault(store.db) is None
    by_hand(store, "UPDATE audit SET actor = 'eve' WHERE id = 2")
    assert "is not as it was written" in chain_fault(store.db)
    store.close()


@pytest.mark.parametrize("which", ["1", "id > 4", "id = 1", "id IN (SELECT max(id) FROM audit)"])
def test_links_that_are_taken_out_are_missed_even_once_the_chain_goes_on(audited, which):
    by_hand(audited, f"UPDATE audit SET link = NULL WHERE {which}")
    assert "has no link" in chain_fault(audited.db)
    kept_settings.save(audited, "after", 1, "mara")
    assert chain_fault(audited.db) is not None


@pytest.fixture
def recorded(charted):
    for note in ("one", "two", "three"):
        exposures.add(charted, replace(EXPOSURE, note=note), "ann")
    exposures.undo(charted, 2, "ann")
    assert chain_fault(charted.db) is None
    return charted


@pytest.mark.parametrize(
    ("done", "says"),
    [
        ("UPDATE exposure SET mas = 41 WHERE id = 3", "Exposure 3 is not as it was recorded."),
        ("UPDATE exposure SET undone_at = NULL WHERE id = 2", "Exposure 2 is not as it was recorded."),
        ("UPDATE exposure SET far_over = 1 WHERE id = 1", "Exposure 1 is not as it was recorded."),
        ("DELETE FROM exposure WHERE id = 1", "Exposure 1 is gone."),
        ("DELETE FROM audit WHERE action = 'audit.linked'", "says where its links begin is gone"),
    ],
)
def test_an_exposure_that_is_altered_by_hand_is_told(recorded, done, says):
    by_hand(recorded, done)
    assert says in chain_fault(recorded.db)


def test_an_exposure_put_in_by_hand_and_one_from_before_the_digests_are_told_too(tmp_path, monkeypatch):
    path, scripts = tmp_path / "old.db", database._scripts()
    with monkeypatch.context() as earlier:
        earlier.setattr(database, "_scripts", lambda: scripts[:28])
        old = Store(path)
        rooms.save(old, ROOM, "test")
        with old.change() as db:
            exposures.insert(db, replace(EXPOSURE, chart=None, chart_version=None), "ann")
        old.close()
    store = Store(path)
    assert chain_fault(store.db) is None
    exposures.add(store, replace(EXPOSURE, chart=None, chart_version=None), "ann")
    assert chain_fault(store.db) is None
    by_hand(store, "UPDATE exposure SET kvp = 70 WHERE id = 1")
    assert "Exposure 1 is not as" in chain_fault(store.db)
    by_hand(store, "UPDATE exposure SET kvp = 80 WHERE id = 1", "UPDATE exposure_before SET digest = 'a0'")
    assert "before they were in the chain" in chain_fault(store.db)
    store.close()
    other = Store(tmp_path / "other.db")
    rooms.save(other, ROOM, "test")
    with other.change() as db:
        exposures.insert(db, replace(EXPOSURE, chart=None, chart_version=None), "eve")
    assert chain_fault(other.db) == "Exposure 1 stands in no audit row."
    other.close()


def test_a_head_kept_elsewhere_tells_a_chain_that_was_written_anew(recorded, tmp_path, capsys):
    data = ["--data", str(recorded.path.parent)]
    key, kept = tmp_path / "head.key", tmp_path / "head.json"
    assert cli.main([*data, "audit-head", "--key", str(key)]) == 0
    kept.write_text(capsys.readouterr().out)
    look = [*data, "check", "--head", str(kept), "--key", str(key)]
    assert cli.main(look) == 0 and stat.S_IMODE(key.stat().st_mode) == 0o600
    kept_settings.save(recorded, "more", 1, "mara")
    assert cli.main(look) == 0  # the chain went on
    # The owner of the file writes the whole chain anew, with everything in it right.
    by_hand(recorded, "UPDATE audit SET actor = 'eve' WHERE id = 2")
    db, before = sqlite3.connect(recorded.path), ""
    for number, *row in db.execute("SELECT id, at, actor, action, subject, detail FROM audit ORDER BY id").fetchall():
        before = audit_chain._link(before, *row)
        db.execute("UPDATE audit SET link = ? WHERE id = ?", (before, number))
    db.commit()
    db.close()
    assert cli.main([*data, "check"]) == 0
    assert cli.main(look) == 1 and "written anew" in capsys.readouterr().err
    kept.write_text(kept.read_text().replace('"row": ', '"row": 1'))
    assert cli.main(look) == 1 and "not signed with this key" in capsys.readouterr().err
    assert cli.main(look[:-2]) == 2


@given(st.lists(st.tuples(*[st.text(max_size=8)] * 5), min_size=2, max_size=6))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=25)
def test_no_two_rows_share_a_link(rows):
    links = [audit_chain._link("", *row) for row in dict.fromkeys(rows)]
    assert len(set(links)) == len(links) or any("\x1f" in text for row in rows for text in row)


def test_backups_are_dated_whole_and_only_the_newest_stay(audited, tmp_path, monkeypatch):
    folder = tmp_path / "backups"
    made = [backups.rotate(audited, folder, 3).made for _ in range(5)]
    assert sorted(folder.iterdir()) == made[-3:]
    assert backups.last(audited).made_at and backups.last(audited).copied_at is None
    # A copy in a second folder, looked at there; a disk that is not mounted is told.
    with pytest.raises(Refusal, match="mounted"):
        backups.copy(audited, made[-1], tmp_path / "second", 2)
    (tmp_path / "second").mkdir()
    assert backups.copy(audited, made[-1], tmp_path / "second", 2).made.read_bytes() == made[-1].read_bytes()
    assert backups.last(audited).copied_at
    database.restore(made[-1], tmp_path / "back" / "oakbeam.db")
    back = Store(tmp_path / "back" / "oakbeam.db", False)
    assert kept_settings.read(back, "key 7") == {"n": 7} and chain_fault(back.db) is None
    back.close()
    with pytest.raises(OutOfRange):
        backups.rotate(audited, folder, 0)
    # One that is damaged counts for nothing, and the newest made always stays: a clock once ahead does no harm.
    made[-2].write_bytes(b"torn")
    ahead = folder / "oakbeam-20991231T000000.000000Z.db"
    audited.backup(ahead)
    done = backups.rotate(audited, folder, 3)
    assert (done.damaged, done.removed) == ((made[-2],), (ahead,)) and done.made.is_file()
    audited.backup(ahead)
    done = backups.rotate(audited, folder, 1)
    assert sorted(folder.iterdir()) == [done.made] and ahead in done.removed
    made = [backups.rotate(audited, folder, 3).made for _ in range(3)]
    # One that is not whole takes no older one's place.
    monkeypatch.setattr(Store, "backup", lambda self, target: target.write_bytes(b"torn"))
    with pytest.raises(database.Conflict):
        backups.rotate(audited, folder, 1)
    assert sorted(folder.iterdir()) == made[-3:]
