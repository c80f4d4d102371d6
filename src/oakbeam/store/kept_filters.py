"""Filters of the log that a person keeps under a name."""

from __future__ import annotations

from dataclasses import dataclass

from oakbeam.store.database import Conflict, NotFound, Store

MOST = 30
"""Filters that a person keeps."""


@dataclass(frozen=True, slots=True)
class KeptFilter:
    """A filter: its name, and the words of the address that it stands for."""

    name: str
    address: str


def of_person(store: Store, person: str) -> list[KeptFilter]:
    """What a person keeps, by name."""
    rows = store.db.execute("SELECT name, address FROM kept_filter WHERE person = ? ORDER BY name", (person,))
    return [KeptFilter(**dict(row)) for row in rows]


def keep(store: Store, person: str, one: KeptFilter) -> None:
    """Keep a filter, in place of one of the same name. Conflict where a person keeps too many."""
    with store.change() as db:
        others = "SELECT count(*) FROM kept_filter WHERE person = ? AND name <> ?"
        if db.execute(others, (person, one.name)).fetchone()[0] >= MOST:
            raise Conflict("Too many filters", f"{MOST} filters are kept for you. Take one away first.")
        db.execute("INSERT OR REPLACE INTO kept_filter VALUES (?, ?, ?)", (person, one.name, one.address))


def drop(store: Store, person: str, name: str) -> None:
    """Keep a filter no longer. NotFound where there is none."""
    with store.change() as db:
        if not db.execute("DELETE FROM kept_filter WHERE person = ? AND name = ?", (person, name)).rowcount:
            raise NotFound(f"You keep no filter called {name}.")
