"""Fills an empty database with the invented clinic."""

from __future__ import annotations

from datetime import datetime, timedelta

from oakbeam.core.equipment.constancy import outcome
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.demo import clinic, instrument, shifts
from oakbeam.store import Store, charts, constancy, department, exposures, local, people, rooms

DEMO_EXPOSURES = {"room-1": 150, "room-2": 90, "portable": 40}
DEMO_SEED = 20260


def seed(store: Store, until: datetime) -> bool:
    """Add the clinic's rooms, approved charts and logs; False, with nothing changed, where the clinic is there already.

    Raises Refusal for a database of somebody's own: the demo's accounts have a published password.
    """
    if local.offered_accounts(store):
        return False
    if rooms.all_rooms(store) or people.everybody(store):
        raise Refusal("Not the demo's", "This data folder holds a department of its own; the demo wants an empty folder.")
    for person_id, name, roles in clinic.PEOPLE:
        people.add(store, person_id, name, roles, clinic.PASSWORD, "seed")
    people.agree(store, people.Agreement(open_records=True), "seed")
    department.save(store, department.Department(clinic.NAME), "seed")
    local.offer_accounts(store, clinic.PASSWORD, [person_id for person_id, *_ in clinic.PEOPLE])
    for place, room in enumerate(clinic.rooms()):
        rooms.save(store, room, clinic.APPROVER)
        plan = clinic.CHARTS[room.id]
        draft = charts.add_draft(store, room.id, plan.name, clinic.AUTHOR, clinic.chart_lines(room), note=plan.lacks)
        charts.propose(store, draft.id, clinic.AUTHOR)
        chart = charts.approve(store, draft.id, clinic.APPROVER, another=True)
        made = shifts.simulate(room, chart, DEMO_EXPOSURES[room.id], until, DEMO_SEED + place)
        exposures.add_many(store, made, "simulation")
        _constancy(store, room, until)
    return True


FAILED_IN = "room-1"
DONE_BEFORE_DAYS = {"output": 40, "kvp": 41, "timer": 41, "hvl": 400, "index": 90, "light-field": 38, "distance": 38}
"""How long before today the physicist of the demo did each test: one is overdue where one failed; others were never done."""


def _constancy(store: Store, room: Room, until: datetime) -> None:
    """Constancy as it stands in real rooms: most in order, one overdue and one that failed in one room, some never done."""
    for one in constancy.due(store, room):
        if one.test not in DONE_BEFORE_DAYS:
            continue
        before = DONE_BEFORE_DAYS[one.test] if room.id == FAILED_IN else min(DONE_BEFORE_DAYS[one.test], 200)
        test, day = constancy.test_of(one.test), (until - timedelta(days=before)).date()
        sheet = instrument.sheet(room, test, DEMO_SEED)
        if one.test == "light-field" and room.id == FAILED_IN:
            sheet[1] = {**sheet[1], "off_cm": 2.6}
        found = outcome(test, sheet, test.limit)
        constancy.keep(store, room, test, one.receptor, day, sheet, found, "", clinic.APPROVER)
