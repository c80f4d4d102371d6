"""Rooms: each one's equipment is kept as one JSON document, since it is read and changed as a whole."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Mapping
from dataclasses import replace

from pydantic import TypeAdapter

from oakbeam.core.charts.calibration_effect import LineEffect
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.store import calibrations
from oakbeam.store.database import Conflict, Connection, NotFound, Store, audit

_ROOM = TypeAdapter(Room)


def all_rooms(store: Store) -> list[Room]:
    """Every room, in the order they were added."""
    return [_read(row) for row in store.db.execute("SELECT id, equipment, revision FROM room ORDER BY rowid")]


def summaries(store: Store) -> list[sqlite3.Row]:
    """id, name and typical_output of every room, in the order they were added; no equipment is read."""
    return store.db.execute(
        "SELECT id, json_extract(equipment, '$.name') AS name,"
        " coalesce(json_extract(equipment, '$.typical_output'), 0) AS typical_output FROM room ORDER BY rowid"
    ).fetchall()


def get(store: Store, room_id: str) -> Room:
    """The room of that id; NotFound otherwise."""

    def read() -> Room:
        row = store.db.execute("SELECT id, equipment, revision FROM room WHERE id = ?", (room_id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no room '{room_id[:60]}'.")
        return store.db.parse(("room", room_id, row["revision"]), lambda: _read(row))

    return store.remembered(("room", room_id), read)


def save(store: Store, room: Room, actor: str, why: Mapping[str, object] | None = None, expected: int | None = None) -> Room:
    """Add a room, or change it and raise its revision; the room as it now is.

    why goes into the audit row. expected: the revision that the change was made from; Conflict where it is no longer that.
    """
    with store.change() as db:
        return _save(db, room, actor, why, expected)


def calibrate(
    store: Store,
    room: Room,
    actor: str,
    readings: Mapping[str, object],
    found: Mapping[str, object],
    expected: int | None,
    effects: Iterable[tuple[ChartLine, LineEffect]],
) -> Room:
    """Save a room with its accepted calibration, readings and what they said in the audit row, and what that moved of its
    lines."""
    assert room.calibration is not None
    with store.change() as db:
        saved = _save(db, room, actor, {"readings": readings, "found": found}, expected)
        calibrations.record(db, room.id, room.calibration.at, actor, effects)
        return saved


def _save(db: Connection, room: Room, actor: str, why: Mapping[str, object] | None, expected: int | None) -> Room:
    now = db.execute("SELECT revision FROM room WHERE id = ?", (room.id,)).fetchone()
    if expected is not None and now is not None and now["revision"] != expected:
        raise Conflict(
            "Changed meanwhile",
            f"The room is at revision {now['revision']}, not {expected}: read it again.",
        )
    row = db.execute(
        "INSERT INTO room (id, name, equipment) VALUES (:id, :name, :equipment) ON CONFLICT (id) DO UPDATE SET"
        " name = :name, equipment = :equipment, revision = revision + 1 RETURNING revision",
        {"id": room.id, "name": room.name, "equipment": _ROOM.dump_json(room).decode()},
    ).fetchone()
    detail = {"name": room.name, "revision": row["revision"], **(why or {})}
    audit(db, actor, "room.save", f"room:{room.id}", detail)
    return replace(room, revision=row["revision"])


def _read(row: sqlite3.Row) -> Room:
    # What an earlier version kept and this one has no more is left alone.
    return replace(_ROOM.validate_json(row["equipment"], extra="ignore"), revision=row["revision"])
