"""Recorded exposures: added, undone, never altered."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from typing import Literal

from oakbeam.catalogue import Catalogue
from oakbeam.core.charts.line import ChartLine, Trust, find_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.thickness import ThicknessFrom
from oakbeam.core.projection import Digit, Projection, Side
from oakbeam.core.technique.forecast import Seen
from oakbeam.core.technique.logged import LoggedImage, seen_of
from oakbeam.core.technique.trust import trust_of, trust_words
from oakbeam.store import calibrations, charts
from oakbeam.store.database import Conflict, NotFound, Store, audit, now

Outcome = Literal["accepted", "rejected"]
SEEN_MOST = 60


@dataclass(frozen=True, slots=True)
class Exposure:
    """One exposure as it was really made, what was suggested, and what came back. No patient identity."""

    room: str
    chart: int
    chart_version: int
    projection: str
    thickness_cm: float
    suggested_kvp: float
    suggested_mas: float
    kvp: float
    mas: float
    sid_cm: float
    support: str
    grid_ratio: int
    receptor: str
    exposure_control: str
    outcome: Outcome
    ei: float | None = None
    target_ei: float | None = None
    optical_density: float | None = None
    di: float | None = None
    incident_air_kerma_mgy: float | None = None
    kap_mgycm2: float | None = None
    reject_reason: str | None = None
    findings: tuple[str, ...] = ()
    reliable: bool = True
    age_band: str | None = None
    study_key: str = ""
    note: str = ""
    filter: str | None = None
    side: Side = ""
    digit: Digit = ""
    thickness_from: ThicknessFrom = "measured"
    attempt: int = 1
    """Which try of the view this was in its exam: 1 for the first."""
    held_by: str = ""
    """Who held the patient, by role; never a patient's name."""
    shown_index: float | None = None
    """What the console showed where its receptor has a scale of its own; ei is worked out of it."""
    recorded_by: str | None = None
    taken_at: str = ""
    id: int = 0


def count(store: Store) -> int:
    """How many exposures were ever recorded."""
    return int(store.db.execute("SELECT coalesce(max(id), 0) AS n FROM exposure").fetchone()["n"])


def counts(store: Store, room_id: str) -> dict[str, float]:
    """How many exposures of each projection the room's log holds."""
    rows = store.db.execute(
        "SELECT projection, count(*) AS n FROM exposure WHERE room = ? AND undone_at IS NULL GROUP BY projection", (room_id,)
    )
    return {row["projection"]: float(row["n"]) for row in rows}


def study_keys(store: Store) -> frozenset[str]:
    """The study keys that have a recorded exposure."""
    rows = store.db.execute("SELECT DISTINCT study_key FROM exposure WHERE study_key <> '' AND undone_at IS NULL")
    return frozenset(row["study_key"] for row in rows)


def add(store: Store, exposure: Exposure, actor: str) -> Exposure:
    """Record an exposure; taken_at is now unless given."""
    return add_many(store, [exposure], actor)[0]


def add_many(store: Store, exposures: list[Exposure], actor: str) -> list[Exposure]:
    """Record several exposures in one transaction."""
    recorded = []
    with store.change() as db:
        for exposure in exposures:
            row = asdict(exposure)
            del row["id"]
            row["taken_at"] = exposure.taken_at or now()
            row["recorded_by"] = actor
            row["findings"] = json.dumps(exposure.findings)
            row["reliable"] = int(exposure.reliable)
            names = ", ".join(row)
            marks = ", ".join(f":{name}" for name in row)
            new = db.execute(f"INSERT INTO exposure ({names}) VALUES ({marks}) RETURNING id", row).fetchone()
            detail = {"projection": exposure.projection, "outcome": exposure.outcome}
            audit(db, actor, "exposure.record", f"exposure:{new['id']}", detail)
            recorded.append(replace(exposure, id=new["id"], taken_at=row["taken_at"], recorded_by=actor))
    return recorded


def undo(store: Store, exposure_id: int, actor: str, why: str = "", may_others: bool = False) -> Exposure:
    """Take a record back. The row stays, marked. Everybody takes back their own; another's only who may, with a reason."""
    with store.change() as db:
        row = db.execute("SELECT * FROM exposure WHERE id = ?", (exposure_id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no exposure {exposure_id}.")
        if row["undone_at"] is not None:
            raise Conflict("Already undone", f"Exposure {exposure_id} was undone before.")
        if row["recorded_by"] != actor:
            if not may_others:
                raise NotYours(row["recorded_by"])
            if not why.strip():
                raise Refusal("Reason needed", "To take back what somebody else recorded, say why.", None, "why")
        db.execute("UPDATE exposure SET undone_at = ? WHERE id = ?", (now(), exposure_id))
        audit(db, actor, "exposure.undo", f"exposure:{exposure_id}", {"projection": row["projection"], "why": why})
        return _from(row)


class NotYours(Refusal):
    """A record that somebody else made."""

    def __init__(self, by: str | None) -> None:
        who = f"{by} recorded it" if by else "It is not known who recorded it"
        super().__init__(
            "Not your record", f"{who}: a chart keeper or physicist takes it back in the Log, with a reason.", None, "id"
        )


def find(
    store: Store,
    room: str | None = None,
    projection: str | None = None,
    outcome: str | None = None,
    before_id: int | None = None,
    limit: int = 100,
    recorded_by: str | None = None,
) -> list[Exposure]:
    """Recorded exposures that were not undone, newest first. before_id continues below a row that was already seen."""
    rows = store.db.execute(
        "SELECT * FROM exposure WHERE undone_at IS NULL"
        " AND (:room IS NULL OR room = :room)"
        " AND (:projection IS NULL OR projection = :projection)"
        " AND (:outcome IS NULL OR outcome = :outcome)"
        " AND (:by IS NULL OR recorded_by = :by)"
        " AND (:before IS NULL OR (taken_at, id) < (SELECT taken_at, id FROM exposure WHERE id = :before))"
        " ORDER BY taken_at DESC, id DESC LIMIT :limit",
        {"room": room, "projection": projection, "outcome": outcome, "before": before_id, "limit": limit, "by": recorded_by},
    )
    return [_from(row) for row in rows]


def seen(store: Store, room: Room, projection: Projection, line: ChartLine) -> Seen:
    """What the newest SEEN_MOST accepted, reliable exposures under a line's own conditions say of it (see `logged`)."""
    key = (room.id, line.projection, line.support, line.grid_ratio, line.receptor)

    def read() -> Seen:
        rows = store.db.execute(
            "SELECT taken_at, thickness_cm, di, mas, suggested_mas, target_ei, chart FROM exposure"
            " WHERE undone_at IS NULL AND outcome = 'accepted' AND reliable = 1"
            " AND di IS NOT NULL AND kvp = suggested_kvp AND room = ? AND projection = ? AND support = ? AND grid_ratio = ?"
            " AND receptor = ? AND filter IS ? ORDER BY taken_at DESC, id DESC LIMIT ?",
            (*key, line.filter, SEEN_MOST),
        ).fetchall()
        images = []
        for row in rows:
            then = _line_then(store, row["chart"], line, projection, row["thickness_cm"])
            # An image of the room before a calibration says what the same line would give in the room as it is now.
            since = calibrations.moved_since(store, room.id, then.key, row["taken_at"]) if then else 0.0
            given = (row["di"] + since, row["mas"], row["suggested_mas"], row["target_ei"])
            images.append(LoggedImage(row["thickness_cm"], *given, then))
        moved = calibrations.moved(store, room.id, line)
        return replace(seen_of(images, line, room, projection), moved_di=moved.di_change if moved else 0.0)

    return store.remembered(("seen", room.revision, line.id, line.revision, *key), read)


def accepted_indices(store: Store, room_id: str) -> dict[tuple[str, str], list[tuple[float, bool]]]:
    """Of a room's accepted images with a reliable index: (index, whether noise was noted), by projection and receptor."""
    found: dict[tuple[str, str], list[tuple[float, bool]]] = {}
    rows = store.db.execute(
        "SELECT projection, receptor, ei, findings FROM exposure"
        " WHERE room = ? AND undone_at IS NULL AND outcome = 'accepted' AND reliable = 1 AND ei IS NOT NULL",
        (room_id,),
    )
    for row in rows:
        noisy = "noisy" in json.loads(row["findings"])
        found.setdefault((row["projection"], row["receptor"]), []).append((row["ei"], noisy))
    return found


def trusts(store: Store, room: Room, known: Catalogue, lines: Iterable[ChartLine]) -> dict[int, tuple[Trust, str]]:
    """How far each kept line of a room can be trusted, and that in words, by its id (see `trust_of`)."""
    found = {}
    for line in lines:
        if line.id is not None:
            images = seen(store, room, known.projection(line.projection), line)
            found[line.id] = trust_of(line, images), trust_words(line, images)
    return found


def _line_then(
    store: Store, chart_id: int, line: ChartLine, projection: Projection, thickness_cm: float
) -> ChartLine | None:
    """The line of a chart version under the same conditions that held a thickness; None where it has none such."""
    try:
        then = find_line(
            charts.get(store, chart_id).lines, projection, thickness_cm, line.support, line.receptor, line.grid_ratio
        )
    except (NotFound, Refusal):
        return None
    alike = all(getattr(then, one) == getattr(line, one) for one in ("support", "receptor", "grid_ratio", "filter"))
    return then if alike else None


def _from(row: sqlite3.Row) -> Exposure:
    values = {key: row[key] for key in row.keys() if key != "undone_at"}  # noqa: SIM118 - a Row iterates over values
    return Exposure(**{**values, "findings": tuple(json.loads(row["findings"])), "reliable": bool(row["reliable"])})
