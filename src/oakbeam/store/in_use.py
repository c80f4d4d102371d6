"""An approved chart version in use: when it is to be looked at again, and who has read what changed with it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from oakbeam.core.charts.line import Chart
from oakbeam.store import charts, people
from oakbeam.store.database import Conflict, Store, audit, now
from oakbeam.store.reviews import set_review


@dataclass(frozen=True, slots=True)
class Reader:
    """Somebody who works with the charts, and when they said that they have read a version; None where they have not."""

    person: str
    name: str
    read_at: str | None


def review(store: Store, chart_id: int, actor: str, due: date | None, note: str) -> Chart:
    """Look at an approved version again: it stands as it is until a day. Conflict for any other version."""
    chart = charts.get(store, chart_id)
    if chart.status != "approved":
        raise Conflict("Not in use", f"Version {chart.version} is {chart.status}; the version in use is reviewed.")
    with store.change() as db:
        set_review(db, chart_id, actor, due, note)
        audit(db, actor, "chart.review", f"chart:{chart_id}", {"version": chart.version, "note": note})
    return charts.get(store, chart_id)


def read(store: Store, chart_id: int, person: str) -> None:
    """Keep that somebody has read what changed with an approved version; said twice, the first time counts."""
    chart = charts.get(store, chart_id)
    if chart.status != "approved":
        raise Conflict("Not in use", f"Version {chart.version} is {chart.status}; the version in use is read.")
    with store.change() as db:
        added = db.execute(
            "INSERT OR IGNORE INTO chart_read (chart, person, at) VALUES (?, ?, ?)", (chart_id, person, now())
        )
        if added.rowcount:
            audit(db, person, "chart.read", f"chart:{chart_id}", {"version": chart.version})


def readers(store: Store, chart_id: int) -> list[Reader]:
    """Everybody who records exposures, those first who have not read a version."""
    charts.get(store, chart_id)
    rows = store.db.execute("SELECT person, at FROM chart_read WHERE chart = ?", (chart_id,))
    at = {row["person"]: row["at"] for row in rows}
    found = [
        Reader(one.id, one.name, at.get(one.id))
        for one in people.everybody(store)
        if one.active and "technologist" in one.roles
    ]
    return sorted(found, key=lambda one: (one.read_at is not None, one.name))


def last_read(store: Store, chart: Chart, person: str) -> Chart | None:
    """The newest version before this one that somebody read; else the version before it; None for a room's first."""
    row = store.db.execute(
        "SELECT chart.id FROM chart LEFT JOIN chart_read ON chart_read.chart = chart.id AND person = ?"
        " WHERE room = ? AND version < ? AND status = 'superseded' ORDER BY person IS NULL, version DESC LIMIT 1",
        (person, chart.room, chart.version),
    ).fetchone()
    return charts.get(store, row["id"]) if row else None


def has_read(store: Store, chart_id: int, person: str) -> bool:
    """Whether somebody said that they have read a version, or approved it themselves."""
    row = store.db.execute(
        "SELECT 1 FROM chart_read WHERE chart = ? AND person = ? UNION SELECT 1 FROM chart WHERE id = ? AND approver = ?",
        (chart_id, person, chart_id, person),
    ).fetchone()
    return row is not None
