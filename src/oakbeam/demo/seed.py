"""Fills an empty database with the invented clinic."""

from __future__ import annotations

from datetime import datetime, timedelta

from oakbeam import catalogue
from oakbeam.core.charts.line import Chart
from oakbeam.core.equipment.constancy import outcome
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.log.images import line_images
from oakbeam.core.log.said import as_evidence, tuning_said
from oakbeam.core.log.tuning import learn, retuned
from oakbeam.demo import clinic, instrument, shifts, story
from oakbeam.store import Store, charts, constancy, department, evidence, exposures, local, people, rooms
from oakbeam.store.charts import LineChange
from oakbeam.store.database import in_the_past

DEMO_EXPOSURES = {"room-1": 1500, "room-2": 900, "portable": 400}
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
        first = _approved(store, _first_draft(store, room, until), until - timedelta(days=story.DAYS + 5))
        count, seed_of_room = DEMO_EXPOSURES[room.id], DEMO_SEED + place
        if room.id == TUNED_IN:
            before = round(count * (1 - story.VERSION_2 / story.DAYS))
            made = shifts.simulate(room, first, before, until, seed_of_room, (story.DAYS, story.VERSION_2 + 1))
            exposures.add_many(store, made, None)
            second = _approved(store, _tuned_draft(store, room, first, until), until - timedelta(days=story.VERSION_2))
            made = shifts.simulate(room, second, count - before, until, seed_of_room + 100, (story.VERSION_2 - 1, 1))
        else:
            made = shifts.simulate(room, first, count, until, seed_of_room)
        exposures.add_many(store, made, None)
        _constancy(store, room, until)
    return True


TUNED_IN = "room-2"


def _first_draft(store: Store, room: Room, until: datetime) -> Chart:
    plan = clinic.CHARTS[room.id]
    with in_the_past(until - timedelta(days=story.DAYS + 6)):
        return charts.add_draft(store, room.id, plan.name, clinic.AUTHOR, clinic.chart_lines(room), note=plan.lacks)


def _tuned_draft(store: Store, room: Room, chart: Chart, until: datetime) -> Chart:
    """What the images of the first version said of the lumbar AP, put into a second one as the Log does it."""
    seen = evidence.images(store, room.id)
    told = [line_images(seen, line, room, catalogue.projection(line.projection)) for line in chart.lines]
    learned = learn([one for one in told if one])
    tuning = next(one for one in learned.lines if one.line.projection == "lspine-ap")
    line = retuned(tuning, room, catalogue.projection("lspine-ap"))
    said = tuning_said(tuning, line)
    with in_the_past(until - timedelta(days=story.VERSION_2 + 1)):
        draft = charts.next_draft(store, chart.id, clinic.AUTHOR)
        of_draft = next(one for one in draft.lines if one.key == line.key)
        change = LineChange(of_draft.id, line, of_draft.revision)
        charts.change_lines(store, draft.id, [change], clinic.AUTHOR, why=f"Tuned: {said}")
        with store.change() as db:
            evidence.keep_tuning(db, draft.id, clinic.AUTHOR, {line.key or 0: as_evidence(tuning, said)})
    return draft


def _approved(store: Store, draft: Chart, moment: datetime) -> Chart:
    """A draft approved as of a moment."""
    with in_the_past(moment):
        charts.propose(store, draft.id, clinic.AUTHOR)
        return charts.approve(store, draft.id, clinic.APPROVER, another=True)


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
