"""Fills an empty database with the invented clinic."""

from __future__ import annotations

from datetime import datetime

from oakbeam.sim import clinic, shifts
from oakbeam.store import Store, charts, exposures, rooms

DEMO_EXPOSURES = 150
DEMO_SEED = 20260


def seed(store: Store, until: datetime) -> bool:
    """Add the clinic's room, approved chart and log; False, with nothing changed, where the database already has a room."""
    if rooms.all_rooms(store):
        return False
    rooms.save(store, clinic.room_1(), clinic.APPROVER)
    room = rooms.get(store, "room-1")
    draft = charts.add_draft(store, room.id, clinic.CHART_NAME, clinic.AUTHOR, clinic.chart_lines(room))
    chart = charts.approve(store, draft.id, clinic.APPROVER)
    exposures.add_many(store, shifts.simulate(room, chart, DEMO_EXPOSURES, until, DEMO_SEED), "simulation")
    return True
