"""What the log holds as evidence: images with a reliable index, series by series; tuned lines; notes of alerts;
incidents."""

from __future__ import annotations

import json
from bisect import bisect_left
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from oakbeam.core.log.images import SeenImage
from oakbeam.store import calibrations
from oakbeam.store.database import Conflict, Connection, NotFound, Store, audit, now

MOST_IMAGES = 10_000
"""Of a room, the newest: more say nothing new of a chart in use."""


_COLUMNS = [name for name in SeenImage._fields if name != "day"]


def images(store: Store, room_id: str, projection: str | None = None) -> list[SeenImage]:
    """The newest images of a room with a reliable index, oldest first."""

    def read() -> list[SeenImage]:
        of = "room = ? AND projection = ?" if projection else "room = ?"
        rows = store.db.execute(
            f"SELECT {', '.join(_COLUMNS)} FROM exposure WHERE {of} AND undone_at IS NULL AND reliable = 1"
            " AND di IS NOT NULL AND support IS NOT NULL AND receptor IS NOT NULL AND grid_ratio IS NOT NULL"
            " AND sid_cm IS NOT NULL ORDER BY taken_at DESC, id DESC LIMIT ?",
            (room_id, *([projection] if projection else []), MOST_IMAGES),
        ).fetchall()
        found = []
        for row in reversed(rows):
            values = dict(row)
            values["di"] += calibrations.moved_since(store, room_id, row["line_key"], row["taken_at"])
            found.append(SeenImage(day=day_of(row["taken_at"]), **values))
        return found

    return store.remembered(("evidence", room_id, projection), read)


def kept_alerts(store: Store, room_id: str, mark: str, work_out: Callable[[], str]) -> str:
    """What was found to have moved in a room, as text; worked out anew where it was found from something else than `mark`
    says. It is written down with the next change of anything."""

    def read() -> str:
        row = store.db.execute("SELECT mark, alerts FROM kept_alerts WHERE room = ?", (room_id,)).fetchone()
        if row and row["mark"] == mark:
            return str(row["alerts"])
        found = work_out()
        store.with_next_change(
            ("alerts", room_id),
            "INSERT INTO kept_alerts (room, mark, alerts) VALUES (?, ?, ?)"
            " ON CONFLICT DO UPDATE SET mark = excluded.mark, alerts = excluded.alerts",
            (room_id, mark, found),
        )
        return found

    return store.db.parse(("alerts", room_id, mark), read)


def day_of(at: str) -> float:
    """A moment (ISO 8601) in days since 1970."""
    return datetime.fromisoformat(at).timestamp() / 86_400


def keep_tuning(db: Connection, chart: int, actor: str, evidence: Mapping[int, Mapping[str, Any]]) -> None:
    """Within a change: the evidence that lines of a draft were tuned by, by key."""
    db.executemany(
        "INSERT INTO tuning (chart, line_key, at, by, evidence) VALUES (?, ?, ?, ?, ?)"
        " ON CONFLICT (chart, line_key) DO UPDATE SET at = excluded.at, by = excluded.by, evidence = excluded.evidence",
        [(chart, key, now(), actor, json.dumps(said)) for key, said in evidence.items()],
    )


@dataclass(frozen=True, slots=True)
class Tuned:
    """A line that was tuned: in which version of its chart, when that was approved, by whom, and by what evidence."""

    chart: int
    version: int
    status: str
    approved_at: str
    line_key: int
    at: str
    by: str
    evidence: dict[str, Any]


def tuned(store: Store, room_id: str) -> list[Tuned]:
    """The lines of a room that were ever tuned, the newest version first."""
    rows = store.db.execute(
        "SELECT chart.id AS chart, version, status, approved_at, line_key, tuning.at, tuning.by, evidence FROM tuning"
        " JOIN chart ON chart.id = tuning.chart WHERE room = ? ORDER BY version DESC, line_key",
        (room_id,),
    )
    return [Tuned(**{**dict(row), "evidence": json.loads(row["evidence"])}) for row in rows]


@dataclass(frozen=True, slots=True)
class AlertNote:
    """What somebody said of an alert."""

    at: str
    by: str
    note: str


def alert_notes(store: Store, room_id: str) -> dict[str, AlertNote]:
    """The newest note of each alert of a room, by the alert's key."""
    rows = store.db.execute("SELECT key, at, by, note FROM alert_note WHERE room = ? ORDER BY id", (room_id,))
    return {row["key"]: AlertNote(row["at"], row["by"], row["note"]) for row in rows}


def note_alert(store: Store, room_id: str, key: str, actor: str, note: str) -> None:
    """Say something of an alert: it is known, and no longer open."""
    with store.change() as db:
        db.execute(
            "INSERT INTO alert_note (room, key, at, by, note) VALUES (?, ?, ?, ?, ?)", (room_id, key, now(), actor, note)
        )
        audit(db, actor, "log.alert", f"room:{room_id}", {"alert": key, "note": note})


@dataclass(frozen=True, slots=True)
class Baseline:
    """The period of a series, both days in it, that somebody accepted as how it should be."""

    since: date
    until: date
    at: str
    by: str

    def within(self, days: Sequence[float]) -> tuple[int, int]:
        """The first of some moments (days since 1970, in order) that lies in it, and the one after the last."""
        begins, ends = (float((day - date(1970, 1, 1)).days) for day in (self.since, self.until))
        return bisect_left(days, begins), bisect_left(days, ends + 1)


def baselines(store: Store, room_id: str) -> dict[str, Baseline]:
    """The accepted periods of a room's series, by series."""
    rows = store.db.execute("SELECT series, since, until, at, by FROM baseline WHERE room = ?", (room_id,))
    return {
        row["series"]: Baseline(date.fromisoformat(row["since"]), date.fromisoformat(row["until"]), row["at"], row["by"])
        for row in rows
    }


def accept_baseline(store: Store, room_id: str, series: str, period: tuple[date, date] | None, actor: str) -> None:
    """Accept a period of a series as how it should be; None takes that back."""
    with store.change() as db:
        db.execute("DELETE FROM baseline WHERE room = ? AND series = ?", (room_id, series))
        said: dict[str, Any] = {"series": series}
        if period:
            since, until = (day.isoformat() for day in period)
            said |= {"since": since, "until": until}
            db.execute("INSERT INTO baseline VALUES (?, ?, ?, ?, ?, ?)", (room_id, series, since, until, now(), actor))
        audit(db, actor, "baseline.accept" if period else "baseline.withdraw", f"room:{room_id}", said)


@dataclass(frozen=True, slots=True)
class Incident:
    """An exposure far too high: what happened and who was told, as written; outcome: what it was closed with."""

    exposure: int
    at: str
    by: str
    happened: str
    told: str
    closed_at: str | None
    closed_by: str | None
    outcome: str


def incident(store: Store, exposure: int) -> Incident | None:
    """The incident note of an exposure; None where there is none."""
    row = store.db.execute("SELECT * FROM incident WHERE exposure = ?", (exposure,)).fetchone()
    return Incident(**dict(row)) if row else None


def noted(store: Store, exposures: list[int]) -> dict[int, Incident]:
    """The incident notes of some exposures, by exposure."""
    marks = ", ".join("?" * len(exposures))
    rows = store.db.execute(f"SELECT * FROM incident WHERE exposure IN ({marks})", exposures)
    return {row["exposure"]: Incident(**dict(row)) for row in rows}


def note_incident(store: Store, exposure: int, actor: str, happened: str, told: str) -> None:
    """Write down what happened; once. Conflict where it was written already."""
    with store.change() as db:
        if db.execute("SELECT 1 FROM incident WHERE exposure = ?", (exposure,)).fetchone():
            raise Conflict("Written already", f"Exposure {exposure} has its incident note.")
        db.execute(
            "INSERT INTO incident (exposure, at, by, happened, told) VALUES (?, ?, ?, ?, ?)",
            (exposure, now(), actor, happened, told),
        )
        audit(db, actor, "incident.note", f"exposure:{exposure}", {"happened": happened, "told": told})


def close_incident(store: Store, exposure: int, actor: str, outcome: str) -> None:
    """Close an incident. NotFound where there is none, Conflict where it is closed."""
    found = incident(store, exposure)
    if found is None:
        raise NotFound(f"Exposure {exposure} has no incident note.")
    if found.closed_at:
        raise Conflict("Closed already", f"The incident of exposure {exposure} was closed by {found.closed_by}.")
    with store.change() as db:
        db.execute(
            "UPDATE incident SET closed_at = ?, closed_by = ?, outcome = ? WHERE exposure = ?",
            (now(), actor, outcome, exposure),
        )
        audit(db, actor, "incident.close", f"exposure:{exposure}", {"outcome": outcome})
