"""Recorded exposures: added, joined with what their image says, undone; what somebody recorded is never altered."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, fields, replace
from datetime import datetime, timedelta
from typing import Any, Literal

from oakbeam.catalogue import Catalogue
from oakbeam.core.anatomy.body import AgeBand, Sex
from oakbeam.core.charts.line import ChartLine, Trust, find_line
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.log.repeats import MINUTES_APART
from oakbeam.core.patient.thickness import ThicknessFrom
from oakbeam.core.projection import Digit, Projection, Side, SupportId
from oakbeam.core.technique.forecast import Seen
from oakbeam.core.technique.logged import LoggedImage, seen_of
from oakbeam.core.technique.trust import trust_of, trust_words
from oakbeam.store import calibrations, charts, tally
from oakbeam.store.audit_chain import digests_of
from oakbeam.store.database import Conflict, Connection, NotFound, Store, audit, now

Outcome = Literal["accepted", "rejected"]
RecordOrigin = Literal["desk", "image", "both", "file"]
"""Who says so: somebody at the Desk, images and dose reports, both of them, or a table that was imported."""
SEEN_MOST = 60
INDICES_MOST = 5000


@dataclass(frozen=True, slots=True)
class Exposure:
    """One exposure as it was really made, what was suggested, and what came back. No patient identity.

    None: not known, as of an exposure that only its image told of. reported_kerma_mgy and reported_kap_mgycm2: what the
    machine said; the others were worked out. sources: where a field comes from, where that is not who recorded it.
    rejects_known: whether it would say so had the image been rejected. recorded_as: the role of who recorded it.
    """

    room: str
    chart: int | None
    chart_version: int | None
    projection: str
    thickness_cm: float
    suggested_kvp: float | None
    suggested_mas: float | None
    kvp: float
    mas: float
    sid_cm: float | None
    support: SupportId | None
    grid_ratio: int | None
    receptor: str | None
    exposure_control: ExposureControl
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
    age_band: AgeBand | None = None
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
    far_over: bool = False
    """Whether it wants an incident note (see `core.log.incidents`)."""
    shown_index: float | None = None
    """What the console showed where its receptor has a scale of its own; ei is worked out of it."""
    line_key: int | None = None
    event_key: str | None = None
    sex: Sex | None = None
    weight_kg: float | None = None
    height_cm: float | None = None
    thickness_spread_cm: float | None = None
    reported_kerma_mgy: float | None = None
    reported_kap_mgycm2: float | None = None
    rejects_known: bool = True
    origin: RecordOrigin = "desk"
    sources: Mapping[str, str] = field(default_factory=dict)
    recorded_by: str | None = None
    recorded_as: str = ""
    taken_at: str = ""
    id: int = 0


def count(store: Store) -> int:
    """How many exposures were ever recorded."""
    return int(store.db.execute("SELECT coalesce(max(id), 0) AS n FROM exposure").fetchone()["n"])


def recorded_of(store: Store, study_keys: Iterable[str]) -> frozenset[str]:
    """Those of some study keys that have a recorded exposure."""
    wanted = [key for key in study_keys if key]
    marks = ", ".join("?" * len(wanted))
    rows = store.db.execute(
        f"SELECT DISTINCT study_key FROM exposure WHERE study_key IN ({marks}) AND study_key <> '' AND undone_at IS NULL",
        wanted,
    )
    return frozenset(row["study_key"] for row in rows)


def get(store: Store, exposure_id: int) -> Exposure:
    """One exposure that was not undone; NotFound otherwise."""
    row = store.db.execute("SELECT * FROM exposure WHERE id = ? AND undone_at IS NULL", (exposure_id,)).fetchone()
    if row is None:
        raise NotFound(f"There is no exposure {exposure_id}, or it was taken back.")
    return _from(row)


def of_event(db: Connection, event_key: str) -> Exposure | None:
    """The exposure of an irradiation event, by its one-way key."""
    row = db.execute("SELECT * FROM exposure WHERE event_key = ? AND undone_at IS NULL", (event_key,)).fetchone()
    return _from(row) if row else None


def of_object(db: Connection, key: str) -> Exposure | None:
    """The exposure that an object told of, by the object's one-way key; None where it was taken back, or there is none."""
    row = db.execute(
        "SELECT exposure.* FROM exposure JOIN image ON image.exposure = exposure.id"
        " WHERE image.key = ? AND undone_at IS NULL",
        (key,),
    ).fetchone()
    return _from(row) if row else None


def between(
    db: Connection, room: str, projection: str, since: str, until: str, event_key: str | None = None
) -> list[Exposure]:
    """A room's exposures of a projection between two moments (ISO 8601), oldest first; with an event named, without those
    of others."""
    rows = db.execute(
        "SELECT * FROM exposure WHERE room = ? AND projection = ? AND taken_at BETWEEN ? AND ? AND undone_at IS NULL"
        " AND (?5 IS NULL OR event_key IS NULL OR event_key = ?5) ORDER BY taken_at, id",
        (room, projection, since, until, event_key),
    )
    return [_from(row) for row in rows]


KEYS_KEPT_DAYS = 30


@dataclass(frozen=True, slots=True)
class Sent:
    """A record as it was sent: the key that whoever sent it gave it, and the digest of what it says."""

    person: str
    key: str
    digest: str


def of_key(db: Connection, sent: Sent) -> Exposure | None:
    """The row that a record sent before under this key became; None where there is none, or it was taken back. Conflict
    where the record sent before said something else."""
    row = db.execute(
        "SELECT exposure.*, digest FROM exposure_key JOIN exposure ON exposure.id = exposure_key.exposure"
        " WHERE person = ? AND key = ? AND undone_at IS NULL",
        (sent.person, sent.key),
    ).fetchone()
    if row is None:
        return None
    values = dict(row)
    if values.pop("digest") != sent.digest:
        raise Conflict(
            "Recorded already",
            f"This exposure was recorded as {row['kvp']:g} kVp and {row['mas']:g} mAs, {row['outcome']}; what you send now"
            " differs. Take that record back first.",
        )
    return _from(values)


def keep_key(db: Connection, sent: Sent, exposure_id: int) -> None:
    """Within a change: remember which row a record became."""
    db.execute(
        "INSERT INTO exposure_key (person, key, digest, exposure, at) VALUES (?, ?, ?, ?, ?) ON CONFLICT (person, key)"
        " DO UPDATE SET digest = excluded.digest, exposure = excluded.exposure, at = excluded.at",
        (sent.person, sent.key, sent.digest, exposure_id, now()),
    )
    oldest = (datetime.fromisoformat(now()) - timedelta(days=KEYS_KEPT_DAYS)).isoformat(timespec="milliseconds")
    db.execute("DELETE FROM exposure_key WHERE at < ?", (oldest,))


def add(store: Store, exposure: Exposure, actor: str) -> Exposure:
    """Record an exposure; taken_at is now unless given."""
    return add_many(store, [exposure], actor)[0]


def add_many(store: Store, exposures: list[Exposure], actor: str | None) -> list[Exposure]:
    """Record several exposures in one transaction; actor None: each by whom it names."""
    with store.change() as db:
        return record(db, exposures, actor)


def record(db: Connection, exposures: list[Exposure], actor: str | None) -> list[Exposure]:
    """Within a change: record several exposures, audited and counted."""
    recorded = [insert(db, exposure, actor or exposure.recorded_by) for exposure in exposures]
    digests = digests_of(db, [one.id for one in recorded])
    for one in recorded:
        said = {str(one.id): digests[str(one.id)]}
        detail = {"projection": one.projection, "outcome": one.outcome, "digests": said}
        audit(db, one.recorded_by or "", "exposure.record", f"exposure:{one.id}", detail)
    tally.count(db, [one.id for one in recorded])
    return recorded


def insert(db: Connection, exposure: Exposure, actor: str | None) -> Exposure:
    """Within a change: a row for an exposure, neither audited nor counted yet."""
    taken_at = exposure.taken_at or now()
    whole = replace(exposure, taken_at=taken_at, recorded_by=actor)
    return replace(whole, id=db.execute(_INSERT, _row(whole)).fetchone()["id"])


def join(db: Connection, was: Exposure, whole: Exposure, actor: str, counted: bool = True) -> None:
    """Within a change: an exposure with what another witness adds (see `core.log.joining`), in its own row.

    SQLite itself holds that nothing somebody recorded is altered. counted: it is in the sums already.
    """
    old, new = _row(was), _row(whole)
    changed = {name: new[name] for name in new if new[name] != old[name]}
    if not changed:
        return
    if counted:
        tally.count(db, [was.id], -1)
    names = ", ".join(f"{name} = :{name}" for name in changed)
    db.execute(f"UPDATE exposure SET {names} WHERE id = :id", {**changed, "id": was.id})
    if counted:
        tally.count(db, [was.id])
    detail = {
        "added": sorted(changed),
        "before": {name: old[name] for name in changed if old[name] not in (None, "", "{}")},
        "digests": digests_of(db, [was.id]),
    }
    audit(db, actor, "exposure.join", f"exposure:{was.id}", detail)


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
        tally.count(db, [exposure_id], -1)
        db.execute("UPDATE exposure SET undone_at = ? WHERE id = ?", (now(), exposure_id))
        detail = {"projection": row["projection"], "why": why, "digests": digests_of(db, [exposure_id])}
        audit(db, actor, "exposure.undo", f"exposure:{exposure_id}", detail)
        return _from(row)


class NotYours(Refusal):
    """A record that somebody else made."""

    def __init__(self, by: str | None) -> None:
        who = f"{by} recorded it" if by else "It is not known who recorded it"
        super().__init__(
            "Not your record", f"{who}: a chart keeper or physicist takes it back in the Log, with a reason.", None, "id"
        )


def far_over(store: Store, room: str, since: str, until: str, limit: int) -> list[Exposure]:
    """The exposures of a period, ISO days both counted in, that want an incident note, newest first; room "" for all."""
    of_room = "room = :room AND " if room else ""
    rows = store.db.execute(
        f"SELECT * FROM exposure WHERE far_over = 1 AND {of_room}taken_at >= :since AND taken_at < :until"
        " AND undone_at IS NULL ORDER BY taken_at DESC, id DESC LIMIT :limit",
        {"room": room, "since": since, "until": f"{until}~", "limit": limit},
    )
    return [_from(row) for row in rows]


# The plus signs leave no way but by the exam, of which there are few exposures however many the log holds.
_LATER_TRY = f"""
one.study_key = later.study_key AND one.study_key <> '' AND later.study_key <> ''
AND +one.projection = +later.projection AND one.side = later.side AND one.digit = later.digit AND +one.room = +later.room
AND one.undone_at IS NULL AND later.undone_at IS NULL AND one.outcome = 'rejected'
AND (+later.taken_at, +later.id) > (+one.taken_at, +one.id)
AND julianday(later.taken_at) - julianday(one.taken_at) <= {MINUTES_APART / 1440}
"""


def rejected(store: Store, room: str, since: str, until: str, limit: int) -> list[tuple[sqlite3.Row, sqlite3.Row | None]]:
    """The rejected exposures of a period, ISO days both counted in, newest first, each with the next try of its view in its
    exam, None where none is tied to it; room "" for all. Of each what its cost is said from: _OF_TRY."""
    of_room = "one.room = :room AND " if room else ""
    rows = store.db.execute(
        "SELECT one.id, (SELECT later.id FROM exposure AS later"
        f" WHERE {_LATER_TRY} ORDER BY later.taken_at, later.id LIMIT 1)"
        f" FROM exposure AS one WHERE one.outcome = 'rejected' AND {of_room}one.taken_at >= :since AND one.taken_at < :until"
        " AND one.undone_at IS NULL ORDER BY one.taken_at DESC, one.id DESC LIMIT :limit",
        {"room": room, "since": since, "until": f"{until}~", "limit": limit},
    ).fetchall()
    ids = json.dumps([one for pair in rows for one in pair if one])
    wanted = ", ".join(_OF_TRY)
    found = store.db.execute(f"SELECT id, {wanted} FROM exposure WHERE id IN (SELECT value FROM json_each(?))", (ids,))
    by_id = {row["id"]: row for row in found}
    return [(by_id[one], by_id.get(then)) for one, then in rows]


_OF_TRY = (
    *("mas", "di", "reliable", "exposure_control", "kvp", "sid_cm", "support", "grid_ratio", "receptor", "filter"),
    *("target_ei", "reject_reason", "findings"),
    f"{tally.KAP} AS kap",
)


def tried(store: Store, exposure_id: int) -> tuple[int | None, int | None]:
    """The rejected exposure that this one repeats, and the one that repeats this; None for none."""
    pairs = f"FROM exposure AS one JOIN exposure AS later ON {_LATER_TRY}"
    before = store.db.execute(
        f"SELECT one.id {pairs} WHERE later.id = ? ORDER BY one.taken_at DESC, one.id DESC LIMIT 1", (exposure_id,)
    ).fetchone()
    after = store.db.execute(
        f"SELECT later.id {pairs} WHERE one.id = ? ORDER BY later.taken_at, later.id LIMIT 1", (exposure_id,)
    ).fetchone()
    return before and before[0], after and after[0]


@dataclass(frozen=True, slots=True)
class LogFilter:
    """Which exposures are wanted; None or empty: any. since and until: ISO days, both counted in. projections: any of these.
    thickness: how it is known. di_from and di_to: between them."""

    room: str | None = None
    projection: str | None = None
    projections: tuple[str, ...] = ()
    outcome: Outcome | None = None
    id: int | None = None
    reason: str | None = None
    recorded_by: str | None = None
    recorded_as: str | None = None
    side: Side | None = None
    since: str | None = None
    until: str | None = None
    thickness: ThicknessFrom | None = None
    origin: RecordOrigin | None = None
    study_key: str | None = None
    chart: int | None = None
    line_key: int | None = None
    di_from: float | None = None
    di_to: float | None = None

    def where(self) -> tuple[str, dict[str, object]]:
        """As SQL over table exposure, with its values."""
        said = {one.name: getattr(self, one.name) for one in fields(self) if getattr(self, one.name) not in (None, ())}
        parts, values = ["undone_at IS NULL"], dict(said)
        parts += [_CONDITIONS.get(name, f"{_COLUMNS.get(name, name)} = :{name}") for name in said]
        if self.projections:
            values.pop("projections")
            marks = ", ".join(f":view{i}" for i in range(len(self.projections)))
            parts[1 + list(said).index("projections")] = f"projection IN ({marks})"
            values |= {f"view{i}": one for i, one in enumerate(self.projections)}
        if self.origin and self.origin != "desk":
            parts.append("origin <> 'desk'")
        if self.outcome == "rejected":
            parts.append("outcome = 'rejected'")
        if self.until:
            values["until"] = f"{self.until}~"
        return " AND ".join(parts), values


_COLUMNS = {"reason": "reject_reason", "thickness": "thickness_from"}
_CONDITIONS = {
    "since": "taken_at >= :since",
    # "~" is after whatever follows a day in a time.
    "until": "taken_at < :until",
    "di_from": "di >= :di_from",
    "di_to": "di <= :di_to",
    # With what an index was made for, so that it is taken.
    "study_key": "study_key = :study_key AND study_key <> ''",
    "reason": "reject_reason = :reason AND outcome = 'rejected'",
}
EVERYTHING = LogFilter()


def find(store: Store, wanted: LogFilter = EVERYTHING, before_id: int | None = None, limit: int = 100) -> list[Exposure]:
    """Recorded exposures that were not undone, newest first. before_id continues below a row that was already seen."""
    where, values = wanted.where()
    if before_id is not None:
        where += " AND (taken_at, id) < (SELECT taken_at, id FROM exposure WHERE id = :before)"
    rows = store.db.execute(
        f"SELECT * FROM exposure WHERE {where} ORDER BY taken_at DESC, id DESC LIMIT :limit",
        {**values, "before": before_id, "limit": limit},
    )
    return [_from(row) for row in rows]


def every(store: Store, wanted: LogFilter = EVERYTHING) -> Iterator[Exposure]:
    """All of them, newest first, read page by page: however many there are, few are held."""
    page = find(store, wanted, None, PAGE)
    while page:
        yield from page
        page = find(store, wanted, page[-1].id, PAGE) if len(page) == PAGE else []


PAGE = 1000


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
    """Of a room's newest accepted images with a reliable index, by projection and receptor: (index, noise was noted)."""
    found: dict[tuple[str, str], list[tuple[float, bool]]] = {}
    rows = store.db.execute(
        "SELECT projection, receptor, ei, findings FROM exposure"
        " WHERE room = ? AND undone_at IS NULL AND outcome = 'accepted' AND reliable = 1 AND ei IS NOT NULL"
        " ORDER BY taken_at DESC, id DESC LIMIT ?",
        (room_id, INDICES_MOST),
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


_FLAGS = ("reliable", "rejects_known", "far_over")


def _row(exposure: Exposure) -> dict[str, object]:
    row = {name: getattr(exposure, name) for name in _NAMES}
    row["findings"], row["sources"] = json.dumps(exposure.findings), json.dumps(dict(exposure.sources), sort_keys=True)
    for name in _FLAGS:
        row[name] = int(getattr(exposure, name))
    return row


_NAMES = [one.name for one in fields(Exposure) if one.name != "id"]
_INSERT = f"INSERT INTO exposure ({', '.join(_NAMES)}) VALUES ({', '.join(f':{name}' for name in _NAMES)}) RETURNING id"


def _from(row: sqlite3.Row | Mapping[str, Any]) -> Exposure:
    values = {key: row[key] for key in row.keys() if key != "undone_at"}  # noqa: SIM118 - a Row iterates over values
    values["findings"], values["sources"] = tuple(json.loads(row["findings"])), json.loads(row["sources"])
    values |= {name: bool(row[name]) for name in _FLAGS}
    return Exposure(**values)
