"""The audit's chain: whatever is changed, taken out, put in or cut off by hand is found."""

from __future__ import annotations

import sqlite3

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from oakbeam.core.errors import OutOfRange
from oakbeam.store import Store, audit_chain, backups, database
from oakbeam.store import settings as kept_settings
from oakbeam.store.audit_chain import chain_fault


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
    for name in ("audit_is_kept", "audit_never_changes"):
        db.execute(f"DROP TRIGGER IF EXISTS {name}")
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


def test_rows_from_before_the_chain_are_taken_in_by_it(audited):
    by_hand(audited, "UPDATE audit SET link = NULL")
    assert chain_fault(audited.db) is None
    kept_settings.save(audited, "after", 1, "mara")
    assert chain_fault(audited.db) is None
    by_hand(audited, "UPDATE audit SET actor = 'eve' WHERE id = 2")
    assert "is not as it was written" in chain_fault(audited.db)


@given(st.lists(st.tuples(*[st.text(max_size=8)] * 5), min_size=2, max_size=6))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=25)
def test_no_two_rows_share_a_link(rows):
    links = [audit_chain._link("", *row) for row in dict.fromkeys(rows)]
    assert len(set(links)) == len(links) or any("\x1f" in text for row in rows for text in row)


def test_backups_are_dated_whole_and_only_the_newest_stay(audited, tmp_path, monkeypatch):
    folder = tmp_path / "backups"
    made = [backups.rotate(audited, folder, 3).made for _ in range(5)]
    assert sorted(folder.iterdir()) == made[-3:]
    database.restore(made[-1], tmp_path / "back" / "oakbeam.db")
    back = Store(tmp_path / "back" / "oakbeam.db", False)
    assert kept_settings.read(back, "key 7") == {"n": 7} and chain_fault(back.db) is None
    back.close()
    with pytest.raises(OutOfRange):
        backups.rotate(audited, folder, 0)
    # One that is not whole takes no older one's place.
    monkeypatch.setattr(Store, "backup", lambda self, target: target.write_bytes(b"torn"))
    with pytest.raises(database.Conflict):
        backups.rotate(audited, folder, 1)
    assert sorted(folder.iterdir()) == made[-3:]
