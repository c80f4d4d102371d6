"""Constancy tests as they were done in each room, the department's tolerances, and what is due."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from oakbeam.catalogue.constancy import constancy_tests
from oakbeam.core.equipment.constancy import ConstancyTest, Outcome, Row, Tolerance
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal, unknown, within
from oakbeam.store import settings
from oakbeam.store.database import Store, audit, now
from oakbeam.store.reviews import today

TOLERANCES = "tolerances"
LIMIT_RANGE, MONTHS_RANGE = (0.0, 100.0), (1, 60)
DAYS_A_MONTH = 30.4375


@dataclass(frozen=True, slots=True)
class Done:
    """A test as it was done: the sheet, its figure and the tolerance that held then."""

    id: int
    test: str
    receptor: str | None
    done_on: str
    kept_at: str
    kept_by: str
    sheet: tuple[Mapping[str, float], ...]
    value: float
    unit: str
    most: float
    passed: bool
    note: str


@dataclass(frozen=True, slots=True)
class Due:
    """How a test stands in a room. receptor: None where it is not of one; last: None where it was never done; due_on: the
    day it is next due; overdue: that was before today; never done is not overdue, it is missing."""

    test: str
    receptor: str | None
    last: Done | None
    due_on: str | None
    overdue: bool


def test_of(test_id: str) -> ConstancyTest:
    """The test of that id; Refusal with the list otherwise."""
    if (found := constancy_tests().get(test_id)) is None:
        raise unknown("test", test_id, list(constancy_tests()))
    return found


def tolerance(store: Store, test: ConstancyTest) -> Tolerance:
    """What the department allows of a test; as shipped where it said nothing."""
    own = (settings.read(store, TOLERANCES) or {}).get(test.id)
    return Tolerance(own["limit"], own["months"], True) if own else Tolerance(test.limit, test.months)


def set_tolerance(store: Store, test: ConstancyTest, wanted: Tolerance | None, actor: str) -> Tolerance:
    """Set what the department allows; None takes the shipped one again."""
    kept = dict(settings.read(store, TOLERANCES) or {})
    if wanted is None:
        kept.pop(test.id, None)
    else:
        within("limit", wanted.limit, *LIMIT_RANGE, test.unit)
        within("months", wanted.months, *MONTHS_RANGE, "months")
        kept[test.id] = {"limit": wanted.limit, "months": wanted.months}
    settings.save(store, TOLERANCES, kept, actor)
    return tolerance(store, test)


def keep(
    store: Store,
    room: Room,
    test: ConstancyTest,
    receptor: str | None,
    done_on: date,
    sheet: Sequence[Row],
    found: Outcome,
    note: str,
    actor: str,
) -> Done:
    """Keep a test as done. It is never altered: done again, it stands beside."""
    if done_on > today():
        raise Refusal("A day to come", "A test is kept on the day it was done, or later.", None, "done_on")
    with store.change() as db:
        row = db.execute(
            "INSERT INTO constancy (room, test, receptor, done_on, kept_at, kept_by, sheet, value, unit, most, passed, note)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) RETURNING *",
            (
                *(room.id, test.id, receptor, done_on.isoformat(), now(), actor),
                *(json.dumps([dict(one) for one in sheet]), found.value, found.unit, found.limit, int(found.passed), note),
            ),
        ).fetchone()
        detail = {"test": test.name, "receptor": receptor, "value": found.value, "passed": found.passed}
        audit(db, actor, "constancy.keep", f"room:{room.id}", detail)
    return _done(row)


def of_room(store: Store, room_id: str) -> list[Done]:
    """Every test done in a room, newest first."""
    rows = store.db.execute("SELECT * FROM constancy WHERE room = ? ORDER BY done_on DESC, id DESC", (room_id,))
    return [_done(row) for row in rows]


def due(store: Store, room: Room) -> list[Due]:
    """How each test stands in a room that can have it: in the order of the day, for each receptor where it is of one."""
    newest: dict[tuple[str, str | None], Done] = {}
    for one in of_room(store, room.id):
        newest.setdefault((one.test, one.receptor), one)
    found = []
    for test in constancy_tests().values():
        if test.group == "AEC" and room.aec is None:
            continue
        if test.group == "Grid" and not any(one.grid for one in room.supports) and not room.loose_grids:
            continue
        digital = [one.id for one in room.receptors if one.digital]
        for receptor in digital if test.of_receptor else [None]:
            last = newest.get((test.id, receptor))
            day = _next(last, tolerance(store, test).months) if last else None
            found.append(Due(test.id, receptor, last, day.isoformat() if day else None, bool(day and day < today())))
    return found


def _next(last: Done, months: int) -> date:
    return date.fromisoformat(last.done_on) + timedelta(days=round(DAYS_A_MONTH * months))


def _done(row: sqlite3.Row) -> Done:
    kept = {name: value for name, value in dict(row).items() if name not in ("room", "sheet", "passed")}
    return Done(**kept, sheet=tuple(json.loads(row["sheet"])), passed=bool(row["passed"]))
