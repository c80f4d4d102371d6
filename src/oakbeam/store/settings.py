"""What the department set, one JSON value a key."""

from __future__ import annotations

import json
from typing import Any

from oakbeam.store.database import Store, audit


def read(store: Store, key: str) -> Any:
    """The value of a key; None where nothing was set."""
    row = store.db.execute("SELECT body FROM setting WHERE key = ?", (key,)).fetchone()
    return None if row is None else json.loads(row["body"])


def save(store: Store, key: str, value: Any, actor: str) -> None:
    """Set a key, with its audit row."""
    with store.change() as db:
        db.execute(
            "INSERT INTO setting (key, body) VALUES (:key, :body)"
            " ON CONFLICT (key) DO UPDATE SET body = :body, revision = revision + 1",
            {"key": key, "body": json.dumps(value, ensure_ascii=False)},
        )
        audit(db, actor, "setting.save", f"setting:{key}", {key: value})
