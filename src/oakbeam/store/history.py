"""The audit rows, as history."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from oakbeam.store.database import Store


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
    rows = store.db.execute("SELECT * FROM audit WHERE subject = ? ORDER BY id DESC LIMIT ?", (subject, limit))
    return [Change(**{**dict(row), "detail": json.loads(row["detail"])}) for row in rows]
