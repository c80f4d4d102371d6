"""What belongs to the department: its own projections and exams over the shipped ones, settings, and clearance records."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any, Literal

from oakbeam.catalogue import Catalogue, CatalogueError, shipped
from oakbeam.core.errors import Refusal
from oakbeam.store import settings
from oakbeam.store.database import Conflict, Store, audit, now

Kind = Literal["projection", "exam"]
Decision = Literal["cleared", "not_applicable"]
MOST_LOCAL_ENTRIES = 400
MOST_IMPORT_ANSWERS = 2000
DEFAULT_CHECKS = (
    "Right patient: two identifiers against the request",
    "Right examination and side",
    "Pregnancy asked where it applies",
    "Removable objects off",
    "Side marker in the field",
    "Shielding by local policy",
)
"""The pre-exposure checks where the department has not set its own."""


@dataclass(frozen=True, slots=True)
class LocalEntry:
    """A department's change: only the fields that differ from the shipped entry (or from the one named by `like`)."""

    kind: Kind
    id: str
    body: Mapping[str, Any]
    revision: int
    changed_at: str
    changed_by: str


@dataclass(frozen=True, slots=True)
class ClearanceRecord:
    """Who decided a clearance, when, and what; the application records it and decides nothing. No patient identity."""

    room: str
    exam: str
    clearance: str
    decision: Decision
    decided_by: str
    why: str = ""
    study_key: str = ""
    at: str = ""
    id: int = 0


def catalogue_of(store: Store) -> Catalogue:
    """The shipped catalogue with the department's entries laid over it."""
    return store.remembered(
        "catalogue", lambda: _laid_over(tuple((e.kind, e.id, json.dumps(e.body)) for e in entries(store)))
    )


@lru_cache(maxsize=8)
def _laid_over(rows: tuple[tuple[Kind, str, str], ...]) -> Catalogue:
    """Kept by content: most changes of a database are not changes of its catalogue."""
    if not rows:
        return shipped()
    of_kind = {kind: {key: json.loads(body) for k, key, body in rows if k == kind} for kind in ("projection", "exam")}
    return shipped().with_local(of_kind["projection"], of_kind["exam"])


def entries(store: Store) -> list[LocalEntry]:
    """The department's entries, by kind and id."""
    rows = store.db.execute("SELECT * FROM local_entry ORDER BY kind DESC, id")
    return [LocalEntry(**{**dict(row), "body": json.loads(row["body"])}) for row in rows]


def save_entry(
    store: Store, kind: Kind, entry_id: str, body: Mapping[str, Any], actor: str, expected: int | None = None
) -> LocalEntry:
    """Add or change an entry; Refusal where the catalogue would not hold with it, Conflict where `expected` is stale."""
    with store.change() as db:
        _put(db, kind, entry_id, body, actor, expected)
        _must_hold(store)
    return next(entry for entry in entries(store) if (entry.kind, entry.id) == (kind, entry_id))


def change_projections(store: Store, changes: Mapping[str, Mapping[str, Any]], actor: str) -> None:
    """Lay fields over many projections at once, beside what the department has of them; all of it, or nothing."""
    own = {entry.id: entry.body for entry in entries(store) if entry.kind == "projection"}
    with store.change() as db:
        for projection, fields in changes.items():
            _put(db, "projection", projection, {**own.get(projection, {}), **fields}, actor, None)
        _must_hold(store)


def _put(
    db: sqlite3.Connection, kind: Kind, entry_id: str, body: Mapping[str, Any], actor: str, expected: int | None
) -> None:
    row = db.execute("SELECT revision FROM local_entry WHERE kind = ? AND id = ?", (kind, entry_id)).fetchone()
    if row is not None and expected is not None and row["revision"] != expected:
        raise Conflict("Changed meanwhile", f"The entry is at revision {row['revision']}, not {expected}: read it again.")
    if "like" in body and entry_id in shipped().projections:
        raise Refusal("Name in use", f"There is a {kind} '{entry_id}' already: give this one another name.", None, "id")
    count = db.execute("SELECT count(*) AS n FROM local_entry").fetchone()["n"]
    if row is None and count >= MOST_LOCAL_ENTRIES:
        raise Refusal("Too many entries", f"A department has at most {MOST_LOCAL_ENTRIES} entries of its own.", None, "id")
    db.execute(
        "INSERT INTO local_entry (kind, id, body, changed_at, changed_by) VALUES (:kind, :id, :body, :at, :by)"
        " ON CONFLICT (kind, id) DO UPDATE"
        " SET body = :body, changed_at = :at, changed_by = :by, revision = revision + 1",
        {"kind": kind, "id": entry_id, "body": json.dumps(body, ensure_ascii=False), "at": now(), "by": actor},
    )
    audit(db, actor, "catalogue.save", f"{kind}:{entry_id}", {"body": dict(body)})


def remove_entry(store: Store, kind: Kind, entry_id: str, actor: str) -> None:
    """Take an entry away: the shipped one rules again. Refusal where something still needs it."""
    with store.change() as db:
        gone = db.execute("DELETE FROM local_entry WHERE kind = ? AND id = ?", (kind, entry_id)).rowcount
        if not gone:
            known = [entry.id for entry in entries(store) if entry.kind == kind]
            raise Refusal("Nothing of your own", f"The department has no {kind} '{entry_id[:60]}' of its own.", known, "id")
        if kind == "projection" and entry_id not in shipped().projections:
            used = db.execute("SELECT count(*) AS n FROM chart_line WHERE projection = ?", (entry_id,)).fetchone()["n"]
            if used:
                raise Refusal("In use", f"{used} chart lines are for '{entry_id}'; it has to stay.", None, "id")
        audit(db, actor, "catalogue.remove", f"{kind}:{entry_id}", {})
        _must_hold(store)


def _must_hold(store: Store) -> None:
    rows = tuple((e.kind, e.id, json.dumps(e.body)) for e in entries(store))
    try:
        _laid_over(rows)
    except CatalogueError as wrong:
        raise Refusal("The catalogue would not hold", f"{wrong}.", None, "body") from None


def checks(store: Store) -> tuple[str, ...]:
    """The department's pre-exposure checks, in order."""
    kept = settings.read(store, "checks")
    return DEFAULT_CHECKS if kept is None else tuple(kept)


def set_checks(store: Store, texts: tuple[str, ...], actor: str) -> tuple[str, ...]:
    """Set the pre-exposure checks."""
    settings.save(store, "checks", list(texts), actor)
    return texts


def ticked(store: Store, room_id: str) -> tuple[str, ...]:
    """The projections that a keeper ticked as used in a room; none where nobody did."""
    return tuple(settings.read(store, f"used:{room_id}") or ())


def tick(store: Store, room_id: str, projections: tuple[str, ...], actor: str) -> tuple[str, ...]:
    """Set the projections that a room uses; none at all takes the ticks away."""
    settings.save(store, f"used:{room_id}", list(projections), actor)
    return projections


def import_answers(store: Store) -> dict[str, str]:
    """What the department answered of its own words in files of charts, by the question's id."""
    return dict(settings.read(store, "import answers") or {})


def remember_import_answers(store: Store, answers: Mapping[str, str], actor: str) -> dict[str, str]:
    """Keep answers for the next file, in place of those kept. Refusal where they are too many."""
    if len(answers) > MOST_IMPORT_ANSWERS:
        raise Refusal(
            "Too many answers", f"At most {MOST_IMPORT_ANSWERS} answers are remembered: forget some.", None, "answers"
        )
    settings.save(store, "import answers", dict(answers), actor)
    return dict(answers)


def offer_accounts(store: Store, password: str, ids: list[str]) -> None:
    """Mark a database as a demo whose sign-in page offers these accounts."""
    settings.save(store, "offered", {"password": password, "people": ids}, "seed")


def offered_accounts(store: Store) -> tuple[str, list[str]] | None:
    """(password, ids) of the accounts that a demo offers; None elsewhere."""
    kept = settings.read(store, "offered")
    return kept and (kept["password"], kept["people"])


def record_clearance(store: Store, record: ClearanceRecord, actor: str) -> ClearanceRecord:
    """Keep who decided a clearance and when. Nothing is judged and nothing can be altered afterwards."""
    given = {**asdict(record), "at": now()}
    with store.change() as db:
        row = db.execute(
            "INSERT INTO clearance (at, room, exam, clearance, decision, decided_by, why, study_key)"
            " VALUES (:at, :room, :exam, :clearance, :decision, :decided_by, :why, :study_key) RETURNING id",
            given,
        ).fetchone()
        audit(
            db,
            actor,
            "clearance.record",
            f"clearance:{row['id']}",
            {"clearance": record.clearance, "decision": record.decision},
        )
    return ClearanceRecord(**{**given, "id": row["id"]})


def clearance_records(store: Store, study_key: str | None = None, limit: int = 200) -> list[ClearanceRecord]:
    """The clearance records, newest first; of one study key where given."""
    rows = store.db.execute(
        "SELECT * FROM clearance WHERE :key IS NULL OR study_key = :key ORDER BY id DESC LIMIT :limit",
        {"key": study_key, "limit": limit},
    )
    return [ClearanceRecord(**dict(row)) for row in rows]
