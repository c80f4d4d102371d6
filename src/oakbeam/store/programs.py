"""What was typed into the rooms' generators, by whom, and who checked it there."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass

from oakbeam.core.charts.programs import Program, Stored
from oakbeam.store.database import Conflict, Store, audit, now


@dataclass(frozen=True, slots=True)
class Entered:
    """A program as it stands in the generator: the values entered, and who entered and checked them."""

    stored: Stored
    entered_at: str
    entered_by: str
    checked_at: str | None
    checked_by: str | None


def of_room(store: Store, room_id: str) -> dict[tuple[int, str], Entered]:
    """What was entered, by line key and size."""
    rows = store.db.execute("SELECT * FROM generator_program WHERE room = ?", (room_id,))
    return {
        (row["line_key"], row["size"]): Entered(
            Stored(**json.loads(row["stored"])),
            row["entered_at"],
            row["entered_by"],
            row["checked_at"],
            row["checked_by"],
        )
        for row in rows
    }


def enter(store: Store, room_id: str, programs: Iterable[Program], actor: str) -> None:
    """Keep that programs were typed into the generator as the chart says them; whoever checked older values did not check
    these."""
    with store.change() as db:
        for one in programs:
            values = {"room": room_id, "key": one.line_key, "size": one.size, "stored": json.dumps(asdict(one.stored))}
            db.execute(
                "INSERT INTO generator_program (room, line_key, size, stored, entered_at, entered_by)"
                " VALUES (:room, :key, :size, :stored, :at, :by) ON CONFLICT (room, line_key, size) DO UPDATE SET"
                " stored = :stored, entered_at = :at, entered_by = :by, checked_at = NULL, checked_by = NULL",
                {**values, "at": now(), "by": actor},
            )
            detail = {"line": one.line_key, "size": one.size, "stored": asdict(one.stored)}
            audit(db, actor, "program.enter", f"room:{room_id}", detail)


def check(store: Store, room_id: str, programs: Iterable[Program], actor: str) -> None:
    """Keep that programs were read back at the generator. Conflict where one was not entered as the chart says it now."""
    held = of_room(store, room_id)
    with store.change() as db:
        for one in programs:
            entered = held.get((one.line_key, one.size))
            if entered is None or entered.stored != one.stored:
                raise Conflict(
                    "Not entered so", f"A program of {one.projection} was not entered as the chart says it: enter it."
                )
            db.execute(
                "UPDATE generator_program SET checked_at = ?, checked_by = ? WHERE room = ? AND line_key = ? AND size = ?",
                (now(), actor, room_id, one.line_key, one.size),
            )
            audit(db, actor, "program.check", f"room:{room_id}", {"line": one.line_key, "size": one.size})
