"""Fills an empty database with the invented clinic."""

from __future__ import annotations

from datetime import datetime

from oakbeam.core.errors import Refusal
from oakbeam.demo import clinic, shifts
from oakbeam.store import Store, charts, exposures, local, people, rooms

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
    local.offer_accounts(store, clinic.PASSWORD, [person_id for person_id, *_ in clinic.PEOPLE])
    for place, room in enumerate(clinic.rooms()):
        rooms.save(store, room, clinic.APPROVER)
        plan = clinic.CHARTS[room.id]
        draft = charts.add_draft(store, room.id, plan.name, clinic.AUTHOR, clinic.chart_lines(room), note=plan.lacks)
        charts.propose(store, draft.id, clinic.AUTHOR)
        chart = charts.approve(store, draft.id, clinic.APPROVER, another=True)
        made = shifts.simulate(room, chart, DEMO_EXPOSURES[room.id], until, DEMO_SEED + place)
        exposures.add_many(store, made, "simulation")
    return True
