"""Requests of the worklist, by study key: which views of each were accepted, and which are closed."""

from __future__ import annotations

from collections.abc import Iterable

from oakbeam.store.database import Store, audit, now


def accepted(store: Store, study_keys: Iterable[str]) -> dict[str, frozenset[str]]:
    """The projections of which an image was accepted, by study key; those that were not taken back. A key with no exposure
    at all is not in it."""
    wanted = [key for key in study_keys if key]
    marks = ", ".join("?" * len(wanted))
    rows = store.db.execute(
        f"SELECT study_key, projection, outcome FROM exposure WHERE study_key IN ({marks}) AND undone_at IS NULL", wanted
    )
    found: dict[str, set[str]] = {}
    for row in rows:
        of_one = found.setdefault(row["study_key"], set())
        if row["outcome"] == "accepted":
            of_one.add(row["projection"])
    return {key: frozenset(views) for key, views in found.items()}


def closed(store: Store) -> frozenset[str]:
    """The requests of which nothing more is to be taken."""
    return frozenset(row["study_key"] for row in store.db.execute("SELECT study_key FROM closed_request"))


def close(store: Store, study_key: str, actor: str) -> None:
    """Nothing more is to be taken of a request; said twice, the first time counts."""
    with store.change() as db:
        added = db.execute(
            "INSERT OR IGNORE INTO closed_request (study_key, at, by) VALUES (?, ?, ?)", (study_key, now(), actor)
        )
        if added.rowcount:
            audit(db, actor, "request.close", f"request:{study_key}", {})
