"""Objects that were read: which exposure each belongs to, what waits and for what, and what the department said of machines
and views. Nothing here identifies anybody: keys are one-way, words are of the field."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Literal

from oakbeam.core.log.facts import ImageFacts
from oakbeam.store.database import Connection, NotFound, Store, audit, now

WaitsFor = Literal["room", "view", "same"]


def salt(store: Store) -> str:
    """What this department's one-way keys are made with."""
    row = store.db.execute("SELECT body FROM setting WHERE key = 'image-salt'").fetchone()
    return str(json.loads(row["body"]))


def exposure_of(db: Connection, key: str) -> int | None:
    """The exposure that an object belongs to; 0 where it was read and waits; None where it was never read."""
    row = db.execute("SELECT exposure FROM image WHERE key = ?", (key,)).fetchone()
    return None if row is None else row["exposure"] or 0


def keep(db: Connection, facts: ImageFacts, exposure: int | None, waits_for: WaitsFor | None) -> None:
    """Within a change: an object was read; what it says is kept while it waits."""
    body = json.dumps(asdict(facts)) if waits_for else None
    db.execute(
        "INSERT INTO image (key, read_at, device, view, event, exposure, waits_for, facts) VALUES (?, ?, ?, ?, ?, ?, ?, ?)"
        " ON CONFLICT (key) DO UPDATE SET exposure = excluded.exposure, waits_for = excluded.waits_for,"
        " facts = excluded.facts",
        (facts.key, now(), facts.device, facts.view, facts.event_key, exposure, waits_for, body),
    )


def of_event(db: Connection, event_key: str) -> list[ImageFacts]:
    """What the objects of an irradiation event say that still wait."""
    rows = db.execute("SELECT facts FROM image WHERE event = ? AND waits_for IS NOT NULL", (event_key,))
    return [facts_from(row["facts"]) for row in rows]


def reject_later(db: Connection, key: str, reason: str) -> None:
    """Within a change: an object that did not come yet was rejected."""
    db.execute("INSERT OR IGNORE INTO image_rejected (key, reason) VALUES (?, ?)", (key, reason))


def rejected(db: Connection, key: str) -> str | None:
    """Why an object was rejected, by a note that came before it; None where there was none."""
    row = db.execute("SELECT reason FROM image_rejected WHERE key = ?", (key,)).fetchone()
    return row["reason"] if row else None


def of_exposure(store: Store, exposure: int) -> int:
    """How many objects told of an exposure."""
    return int(store.db.execute("SELECT count(*) FROM image WHERE exposure = ?", (exposure,)).fetchone()[0])


def was_read(db: Connection, file: str) -> bool:
    """Whether a file, by the one-way key of its path, size and time, was read before."""
    return db.execute("SELECT 1 FROM image_file WHERE key = ?", (file,)).fetchone() is not None


def file_was_read(db: Connection, file: str) -> None:
    """Within a change: remember that a file was read."""
    db.execute("INSERT OR IGNORE INTO image_file (key) VALUES (?)", (file,))


def machines(store: Store) -> dict[str, str]:
    """The room of each machine that the department named one for."""
    return {row["device"]: row["room"] for row in store.db.execute("SELECT device, room FROM image_room")}


def views(store: Store) -> dict[str, str]:
    """The projection of each view in words that the department named one for."""
    return {row["view"]: row["projection"] for row in store.db.execute("SELECT view, projection FROM image_view")}


def name_machine(db: Connection, device: str, room: str, actor: str) -> None:
    """Within a change: a machine stands in a room."""
    db.execute(
        "INSERT INTO image_room (device, room, at, by) VALUES (:device, :room, :at, :by)"
        " ON CONFLICT (device) DO UPDATE SET room = :room, at = :at, by = :by",
        {"device": device, "room": room, "at": now(), "by": actor},
    )
    audit(db, actor, "image.room", f"room:{room}", {"machine": device})


def name_view(db: Connection, view: str, projection: str, actor: str) -> None:
    """Within a change: these words name a projection."""
    db.execute(
        "INSERT INTO image_view (view, projection, at, by) VALUES (:view, :projection, :at, :by)"
        " ON CONFLICT (view) DO UPDATE SET projection = :projection, at = :at, by = :by",
        {"view": view, "projection": projection, "at": now(), "by": actor},
    )
    audit(db, actor, "image.view", f"view:{view}", {"projection": projection})


@dataclass(frozen=True, slots=True)
class Heap:
    """Objects that wait for the same answer, of a machine or of words: how many, from when to when, and between which kVp
    and mAs. key: one of them; of those that wait for "same" each is a heap of its own."""

    waits_for: WaitsFor
    device: str
    view: str
    objects: int
    first_at: str
    last_at: str
    kvp: tuple[float, float]
    mas: tuple[float, float]
    key: str


HEAPS = 200


def heaps(store: Store) -> list[Heap]:
    """What waits, the largest heap first."""
    rows = store.db.execute(
        "SELECT waits_for, iif(waits_for = 'view', '', device) AS device, iif(waits_for = 'room', '', view) AS view,"
        " iif(waits_for = 'same', key, '') AS own, count(*) AS n,"
        " min(facts ->> 'taken_at') AS first_at, max(facts ->> 'taken_at') AS last_at,"
        " min(facts ->> 'kvp') AS low_kvp, max(facts ->> 'kvp') AS high_kvp,"
        " min(facts ->> 'mas') AS low_mas, max(facts ->> 'mas') AS high_mas, min(key) AS key"
        " FROM image WHERE waits_for IS NOT NULL GROUP BY 1, 2, 3, 4 ORDER BY n DESC, first_at LIMIT ?",
        (HEAPS,),
    )
    return [
        Heap(
            row["waits_for"],
            row["device"],
            row["view"],
            row["n"],
            row["first_at"],
            row["last_at"],
            (row["low_kvp"], row["high_kvp"]),
            (row["low_mas"], row["high_mas"]),
            row["key"],
        )
        for row in rows
    ]


def waiting(store: Store) -> int:
    """How many objects wait."""
    return int(store.db.execute("SELECT count(*) FROM image WHERE waits_for IS NOT NULL").fetchone()[0])


def of_heap(store: Store, waits_for: WaitsFor, device: str = "", view: str = "", limit: int = 500) -> list[ImageFacts]:
    """What the objects of a heap say, oldest read first."""
    rows = store.db.execute(
        "SELECT facts FROM image WHERE waits_for = :for AND (:device = '' OR device = :device) AND (:any OR view = :view)"
        " ORDER BY read_at, key LIMIT :limit",
        {"for": waits_for, "device": device, "any": waits_for != "view", "view": view, "limit": limit},
    )
    return [facts_from(row["facts"]) for row in rows]


def waiting_one(store: Store, key: str) -> ImageFacts:
    """What an object that waits says; NotFound for any other."""
    row = store.db.execute("SELECT facts FROM image WHERE key = ? AND waits_for IS NOT NULL", (key,)).fetchone()
    if row is None:
        raise NotFound("No object of that key waits.")
    return facts_from(row["facts"])


def set_aside(db: Connection, keys: Iterable[str], actor: str, why: str) -> int:
    """Within a change: objects that are none of this department's log; they wait no longer, and read again stay so."""
    marks = list(keys)
    for key in marks:
        db.execute("UPDATE image SET waits_for = NULL, facts = NULL WHERE key = ? AND waits_for IS NOT NULL", (key,))
    audit(db, actor, "image.aside", "log:images", {"objects": len(marks), "why": why})
    return len(marks)


MOST_REFUSED = 1000
"""Rows of the journal of what was refused; older ones go."""


@dataclass(frozen=True, slots=True)
class RefusedObject:
    """What the listener refused: from which caller (the title it gave) and address, why, and how many times in a row."""

    at: str
    caller: str
    address: str
    why: str
    n: int


def refuse(store: Store, caller: str, address: str, why: str) -> None:
    """Write down that something was refused; the same again is counted in the row that is there."""
    said = {"at": now(), "caller": caller, "address": address[:60], "why": why}
    with store.change() as db:
        again = db.execute(
            "UPDATE refused_object SET n = n + 1, at = :at WHERE id = (SELECT max(id) FROM refused_object)"
            " AND caller = :caller AND address = :address AND why = :why",
            said,
        )
        if again.rowcount:
            return
        db.execute("INSERT INTO refused_object (at, caller, address, why) VALUES (:at, :caller, :address, :why)", said)
        db.execute("DELETE FROM refused_object WHERE id <= (SELECT max(id) FROM refused_object) - ?", (MOST_REFUSED,))


def refused(store: Store, limit: int = 100) -> list[RefusedObject]:
    """What the listener refused, newest first."""
    rows = store.db.execute("SELECT at, caller, address, why, n FROM refused_object ORDER BY id DESC LIMIT ?", (limit,))
    return [RefusedObject(**dict(row)) for row in rows]


def facts_from(text: str) -> ImageFacts:
    """What was kept of an object that waits."""
    body = json.loads(text)
    return ImageFacts(**{**body, "odd": tuple(body["odd"])})
