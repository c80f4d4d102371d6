"""The audit rows, as history."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from typing import Any

from oakbeam.store.database import Store

COLUMNS = "id, at, actor, action, subject, detail"


@dataclass(frozen=True, slots=True)
class Change:
    """Who did what to what, when."""

    id: int
    at: str
    actor: str
    action: str
    subject: str
    detail: dict[str, Any]


def of(store: Store, subject: str, limit: int = 200) -> list[Change]:
    """The changes of a subject ("chart:3", "room:x", "exposure:9"), newest first."""
    rows = store.db.execute(f"SELECT {COLUMNS} FROM audit WHERE subject = ? ORDER BY id DESC LIMIT ?", (subject, limit))
    return [_change(row) for row in rows]


def link_of(store: Store, row: int) -> str:
    """The link of an audit row in the chain; "" for one from before rows were linked."""
    found = store.db.execute("SELECT link FROM audit WHERE id = ?", (row,)).fetchone()
    return (found and found["link"]) or ""


def everything(store: Store, before: int | None, limit: int, actor: str = "", action: str = "") -> list[Change]:
    """Every change, newest first, from the one before `before` on; of one actor, of actions that begin so, where given."""
    rows = store.db.execute(
        f"SELECT {COLUMNS} FROM audit WHERE (:before IS NULL OR id < :before) AND (:actor = '' OR actor = :actor)"
        " AND substr(action, 1, length(:action)) = :action ORDER BY id DESC LIMIT :limit",
        {"before": before, "limit": limit, "actor": actor, "action": action},
    )
    return [_change(row) for row in rows]


@dataclass(frozen=True, slots=True)
class Attempt:
    """An attempt to sign in: who was named, from where, and whether it passed."""

    at: str
    person: str
    address: str
    passed: bool


def sign_ins(store: Store, limit: int) -> list[Attempt]:
    """The attempts to sign in that are kept, newest first."""
    rows = store.db.execute("SELECT at, person, address, passed FROM sign_in ORDER BY id DESC LIMIT ?", (limit,))
    return [Attempt(row["at"], row["person"], row["address"], bool(row["passed"])) for row in rows]


def _change(row: sqlite3.Row) -> Change:
    return Change(**{**dict(row), "detail": json.loads(row["detail"])})
