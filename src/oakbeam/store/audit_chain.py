"""The audit rows as a chain: each row's link is a hash of the row and of the link before, so that a change by hand is found.

The first linked row takes in all rows that were there before it. What is cut off at the end is found by the number that
SQLite remembers of the last row.
"""

from __future__ import annotations

import hashlib
import sqlite3

_ROW = "at, actor, action, subject, detail"


def next_link(db: sqlite3.Connection, at: str, actor: str, action: str, subject: str, detail: str) -> str:
    """The link of the row that is to be added now, inside its transaction."""
    last = db.execute("SELECT link, id FROM audit ORDER BY id DESC LIMIT 1").fetchone()
    before = "" if last is None else last[0] or _of_rows_before(db, last[1] + 1)
    return _link(before, at, actor, action, subject, detail)


def chain_fault(db: sqlite3.Connection) -> str | None:
    """What is wrong with the chain, in a sentence; None where every row is as it was written and none is missing."""
    before: str | None = None
    for row in db.execute(f"SELECT id, link, {_ROW} FROM audit ORDER BY id"):
        number, link, *rest = row
        if link is None:
            if before is not None:
                return f"Audit row {number} has no link, though rows before it have."
            continue
        if before is None:
            before = _of_rows_before(db, number)
        if link != _link(before, *rest):
            return f"Audit row {number} is not as it was written, or a row before it is gone."
        before = link
    last = db.execute("SELECT max(id) FROM audit").fetchone()[0]
    remembered = db.execute("SELECT seq FROM sqlite_sequence WHERE name = 'audit'").fetchone()
    if remembered is not None and remembered[0] != (last or 0):
        return f"The audit ends at row {last or 0}; the last one written was {remembered[0]}."
    return None


def _of_rows_before(db: sqlite3.Connection, number: int) -> str:
    """What the first linked row takes in: all rows before it; "" where there are none."""
    digest, any_there = hashlib.sha256(), False
    for row in db.execute(f"SELECT id, {_ROW} FROM audit WHERE id < ? ORDER BY id", (number,)):
        digest.update("\x1f".join(map(str, row)).encode() + b"\x1e")
        any_there = True
    return digest.hexdigest() if any_there else ""


def _link(before: str, *row: str) -> str:
    return hashlib.sha256("\x1f".join((before, *row)).encode()).hexdigest()
