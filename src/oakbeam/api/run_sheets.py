"""The run sheet: the steps of an exam with technique and changes; clearances and the worklist."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import Field, StringConstraints

from oakbeam.api import problems
from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.technique_request import FactsRequest, PatientRequest, SetupRequest, TechniqueRequest, room_of
from oakbeam.api.techniques import TechniqueResponse, technique
from oakbeam.api.types import Key, RequestBody, Text, ThicknessCm
from oakbeam.core.errors import Refusal, one_of
from oakbeam.core.exam.changes import Placed, changes
from oakbeam.core.exam.order import ExamStep
from oakbeam.demo import waiting as stand_in
from oakbeam.store import Store, exposures, local

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["technique"])

MOST_STEPS = 30


class RunSheetRequest(RequestBody):
    """An exam, or the projections in the order they will be done, for one patient in one room.

    measured: thickness by projection, as far as it was read; the rest is carried over or estimated, as for one technique.
    """

    room: Key
    exam: Key | None = None
    projections: Annotated[list[Key], Field(max_length=MOST_STEPS, default_factory=list)]
    patient: PatientRequest | None = None
    facts: FactsRequest | None = None
    measured: Annotated[dict[Key, ThicknessCm], Field(max_length=MOST_STEPS, default_factory=dict)]
    setups: Annotated[dict[Key, SetupRequest], Field(max_length=MOST_STEPS, default_factory=dict)]


@dataclass(frozen=True, slots=True)
class SheetStep:
    """One step. technique is None, with why in refused, where there is none yet; changes: since the last view."""

    step: ExamStep
    projection: str | None
    technique: TechniqueResponse | None
    refused: str | None
    changes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class RunSheet:
    """The steps in working order, the reason for the order, and the pre-exposure checks of the department."""

    exam: str | None
    why: str
    steps: tuple[SheetStep, ...]
    checks: tuple[str, ...]


class ClearanceIn(RequestBody):
    """Who decided a clearance: cleared, or not applicable here and why. decided_by is the person who decided, by role or
    name."""

    room: Key
    exam: Key
    clearance: Annotated[str, Field(min_length=1, max_length=200)]
    decision: local.Decision
    decided_by: Annotated[str, StringConstraints(min_length=1, max_length=80, strip_whitespace=True)]
    why: Text = ""
    study_key: Annotated[str, Field(max_length=60)] = ""


Waiting = stand_in.Waiting


def run_sheet(store: Store, asked: RunSheetRequest) -> RunSheet:
    """The run sheet of a request. Refusal for an unknown room, exam or projection."""
    known = local.catalogue_of(store)
    room_of(store, asked.room)
    if (asked.exam is None) == (not asked.projections):
        raise Refusal("Exam or projections", "Give an exam, or the projections in working order.", None, "exam")
    exam = known.exam(asked.exam) if asked.exam else None
    steps = exam.steps if exam else tuple(ExamStep((known.projection(key).id,)) for key in asked.projections)
    found: list[SheetStep] = []
    before: Placed | None = None
    for step in steps:
        key = step.projections[0] if step.projections else None
        if key is None:
            found.append(SheetStep(step, None, None, None, ()))
            continue
        technique, refused = _technique(store, asked, key)
        changed: tuple[str, ...] = ()
        if technique:
            here = Placed(
                known.projections[key],
                technique.technique.support,
                technique.technique.sid_cm,
                technique.figures.tube_angle_deg,
                technique.thickness.cm,
                technique.figures.gap_cm,
            )
            changed = changes(before, here) if before else ()
            before = here
        found.append(SheetStep(step, key, technique, refused, changed))
    return RunSheet(asked.exam, exam.why if exam else "", tuple(found), local.checks(store))


def _technique(store: Store, asked: RunSheetRequest, key: str) -> tuple[TechniqueResponse | None, str | None]:
    request = TechniqueRequest(
        room=asked.room,
        projection=key,
        thickness_cm=asked.measured.get(key),
        measured=asked.measured,
        patient=asked.patient,
        facts=asked.facts,
        setup=asked.setups.get(key),
    )
    try:
        return technique(store, request), None
    except Refusal as refusal:
        return None, refusal.detail


def record_clearance(store: Store, asked: ClearanceIn, actor: str) -> local.ClearanceRecord:
    """Keep who decided a clearance. Not applicable needs a reason."""
    room = room_of(store, asked.room)
    exam = local.catalogue_of(store).exam(asked.exam)
    one_of("clearance", asked.clearance, [step.clearance for step in exam.steps if step.clearance])
    if asked.decision == "not_applicable" and not asked.why:
        raise Refusal("Reason needed", "Say who decided that the clearance does not apply, and why.", None, "why")
    record = local.ClearanceRecord(
        room.id, asked.exam, asked.clearance, asked.decision, asked.decided_by, asked.why, asked.study_key
    )
    return local.record_clearance(store, record, actor)


def waiting(store: Store) -> list[Waiting]:
    """The simulated worklist, without what has been taken."""
    known, taken = local.catalogue_of(store), exposures.study_keys(store)
    return [one for one in stand_in.waiting() if one.exam in known.exams and one.study_key not in taken]


@router.post("/run-sheets", tags=["technique"])
def post_run_sheet(store: StoreHere, asked: RunSheetRequest) -> RunSheet:
    """An exam's steps in working order, each with its technique and with what changes on the way to it."""
    return run_sheet(store, asked)


@router.post("/clearances", status_code=201, tags=["technique"])
def post_clearance(store: StoreHere, who: Actor, asked: ClearanceIn) -> local.ClearanceRecord:
    """Keep who cleared a clearance of an exam and when. Nothing is decided here."""
    return record_clearance(store, asked, who)


@router.get("/clearances", tags=["technique"])
def list_clearances(
    store: StoreHere, study_key: Annotated[str | None, Query(max_length=60)] = None
) -> list[local.ClearanceRecord]:
    """Clearance records, newest first."""
    return local.clearance_records(store, study_key)


@router.get("/waiting", tags=["technique"])
def get_waiting(store: StoreHere) -> list[Waiting]:
    """The requests that wait, from the simulated worklist; nobody is identified."""
    return waiting(store)
