"""Constancy tests of a room: what there is to do, what a sheet says, what was done, and what is due."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date
from typing import Annotated

from fastapi.responses import Response
from pydantic import BaseModel, Field

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.resource import resource
from oakbeam.api.types import Key, Number, RequestBody, Text
from oakbeam.catalogue.constancy import constancy_tests
from oakbeam.core.equipment.constancy import MOST_ROWS, ConstancyTest, Outcome, SheetColumn, Tolerance, outcome
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.demo import instrument
from oakbeam.formats import rows_csv
from oakbeam.store import Store, constancy, local, reviews, rooms
from oakbeam.store.constancy import Done, Due

router = resource("rooms")


class ConstancyTestOut(BaseModel):
    """A test with the tolerance that holds here, and the one that ships."""

    id: str
    name: str
    group: str
    how: str
    columns: list[SheetColumn]
    rows: int
    unit: str
    of_receptor: bool
    source: str
    shipped_limit: float
    shipped_months: int
    tolerance: Tolerance


class ToleranceIn(RequestBody):
    """What the department allows, and how often it is done. limit and months None: as shipped again."""

    limit: Number | None = None
    months: int | None = None


class SheetIn(RequestBody):
    """An entry sheet; receptor: whose, for a test of receptors."""

    test: Key
    receptor: Key | None = None
    rows: Annotated[list[dict[Key, Number]], Field(max_length=MOST_ROWS)]


class DoneIn(SheetIn):
    """A test to keep as done."""

    done_on: date
    note: Text = ""


class RoomConstancy(BaseModel):
    """How each test stands in a room, and what was done, newest first. simulated: instruments of the demo can be read."""

    due: list[Due]
    done: list[Done]
    simulated: bool


class DueTest(BaseModel):
    """A test that a room waits for; receptor: whose, for a test of receptors."""

    test: str
    name: str
    receptor: str | None


class RoomDue(BaseModel):
    """What a room waits for. calibration_due_on: ISO 8601, empty where nobody set a day. overdue and failed: the tests, one
    for each receptor."""

    room: str
    calibration_due_on: str
    calibration_overdue: bool
    overdue: list[DueTest]
    failed: list[DueTest]


def due_in(store: Store, room: Room) -> RoomDue:
    """What a room waits for today."""
    standing, tests = constancy.due(store, room), constancy_tests()

    def named(one: Due) -> DueTest:
        return DueTest(test=one.test, name=tests[one.test].name, receptor=one.receptor)

    day = room.calibration.due_on if room.calibration else ""
    return RoomDue(
        room=room.id,
        calibration_due_on=day,
        calibration_overdue=bool(day) and day < reviews.today().isoformat(),
        overdue=[named(one) for one in standing if one.overdue],
        failed=[named(one) for one in standing if one.last and not one.last.passed],
    )


def _out(store: Store, test: ConstancyTest) -> ConstancyTestOut:
    plain = {name: getattr(test, name) for name in ("id", "name", "group", "how", "rows", "unit", "of_receptor", "source")}
    return ConstancyTestOut(
        **plain,
        columns=list(test.columns),
        shipped_limit=test.limit,
        shipped_months=test.months,
        tolerance=constancy.tolerance(store, test),
    )


def _judged(store: Store, room: Room, asked: SheetIn) -> tuple[ConstancyTest, Outcome]:
    test = constancy.test_of(asked.test)
    if test.of_receptor != (asked.receptor is not None):
        says = "names its receptor" if test.of_receptor else "is of no receptor"
        raise Refusal("Receptor", f"{test.name} {says}.", None, "receptor")
    if asked.receptor is not None:
        room.receptor(asked.receptor)
    return test, outcome(test, asked.rows, constancy.tolerance(store, test).limit)


@router.get("/constancy-tests")
def list_tests(store: StoreHere) -> list[ConstancyTestOut]:
    """The constancy tests, with the department's tolerances."""
    return [_out(store, one) for one in constancy_tests().values()]


@router.put("/constancy-tests/{test_id}")
def put_tolerance(store: StoreHere, who: Actor, test_id: str, asked: ToleranceIn) -> ConstancyTestOut:
    """Set what the department allows of a test, and how often it is done; local rules go before both."""
    test = constancy.test_of(test_id)
    if (asked.limit is None) != (asked.months is None):
        raise Refusal(
            "Both or neither", "Give the tolerance and the months, or neither for the shipped ones.", None, "limit"
        )
    wanted = None if asked.limit is None or asked.months is None else Tolerance(asked.limit, asked.months, True)
    constancy.set_tolerance(store, test, wanted, who)
    return _out(store, test)


@router.get("/rooms-due")
def list_due(store: StoreHere) -> list[RoomDue]:
    """What is overdue in each room, and what failed when it was last done."""
    return [due_in(store, room) for room in rooms.all_rooms(store)]


@router.get("/rooms/{room_id}/constancy")
def get_constancy(store: StoreHere, room_id: str) -> RoomConstancy:
    """How each constancy test stands in a room, and what was done."""
    room = rooms.get(store, room_id)
    return RoomConstancy(
        due=constancy.due(store, room),
        done=constancy.of_room(store, room.id),
        simulated=local.offered_accounts(store) is not None,
    )


@router.post("/rooms/{room_id}/constancy/outcome")
def post_outcome(store: StoreHere, room_id: str, asked: SheetIn) -> Outcome:
    """What an entry sheet says. Nothing is kept."""
    return _judged(store, rooms.get(store, room_id), asked)[1]


@router.post("/rooms/{room_id}/constancy", status_code=201)
def post_done(store: StoreHere, who: Actor, room_id: str, asked: DoneIn) -> Done:
    """Keep a test as done, with its sheet. What failed is kept too."""
    room = rooms.get(store, room_id)
    test, found = _judged(store, room, asked)
    return constancy.keep(store, room, test, asked.receptor, asked.done_on, asked.rows, found, asked.note, who)


@router.get("/rooms/{room_id}/constancy/{test_id}/simulated")
def get_simulated(store: StoreHere, room_id: str, test_id: str) -> list[dict[str, float]]:
    """A sheet as simulated instruments would read it: only in the demo, a stand-in for real ones."""
    if local.offered_accounts(store) is None:
        raise Refusal("Only in the demo", "Readings of a real room come from real instruments.", None, "test_id")
    done = constancy.of_room(store, room_id)
    return instrument.sheet(rooms.get(store, room_id), constancy.test_of(test_id), len(done))


@router.get("/rooms/{room_id}/constancy/csv", response_class=Response)
def constancy_csv(store: StoreHere, room_id: str) -> Response:
    """Every test done in a room, as CSV."""
    columns = ("test", "receptor", "done_on", "value", "unit", "most", "passed", "kept_by", "kept_at", "note", "sheet")
    found = constancy.of_room(store, rooms.get(store, room_id).id)
    rows = ({**asdict(one), "sheet": str(list(one.sheet))} for one in found)
    return as_file(rows_csv.write(columns, rows), "text/csv; charset=utf-8", f"constancy-{room_id}.csv")
