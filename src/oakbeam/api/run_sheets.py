"""The run sheet: the steps of an exam with technique and changes; clearances and the worklist."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import Query
from pydantic import Field, StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.technique_request import AngleAdvice, FactsRequest, PatientRequest, SetupRequest, TechniqueRequest, room_of
from oakbeam.api.techniques import TechniqueResponse, technique
from oakbeam.api.types import Key, RequestBody, Text, ThicknessCm
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal, one_of
from oakbeam.core.exam.changes import Placed, ViewChange, changes
from oakbeam.core.exam.order import ExamStep, side_of
from oakbeam.core.projection import Digit, Projection, Side
from oakbeam.store import Store, local

router = resource("technique")

MOST_STEPS = 30


class SheetView(RequestBody):
    """One view as it is done: what was measured for it, what differs from the chart, which side, which methods."""

    projection: Key
    thickness_cm: ThicknessCm | None = None
    setup: SetupRequest | None = None
    side: Side = ""
    angle_school: Key | None = None
    turn_school: Key | None = None
    digit: Digit = ""
    as_brought: bool = False


class RunSheetRequest(RequestBody):
    """An exam, or views in the order in which they are done, for one patient in one room.

    side, digit: the ones the request names. measured: thickness by projection, as far as it was read; the rest is carried
    over or estimated, as for one technique.
    """

    room: Key
    exam: Key | None = None
    views: Annotated[list[SheetView], Field(max_length=MOST_STEPS, default_factory=list)]
    side: Side = ""
    digit: Digit = ""
    patient: PatientRequest | None = None
    facts: FactsRequest | None = None
    measured: Annotated[dict[Key, ThicknessCm], Field(max_length=MOST_STEPS, default_factory=dict)]


@dataclass(frozen=True, slots=True)
class SheetStep:
    """One step. technique is None, with why in refused, where there is none yet. placed: where everything stands for the
    view; changes: what the hands change since the last view that has a technique."""

    step: ExamStep
    projection: str | None
    technique: TechniqueResponse | None
    refused: str | None
    placed: Placed | None
    changes: tuple[ViewChange, ...]


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


def run_sheet(store: Store, asked: RunSheetRequest) -> RunSheet:
    """The run sheet of a request. Refusal for an unknown room, exam or projection."""
    known = local.catalogue_of(store)
    room = room_of(store, asked.room)
    if (asked.exam is None) == (not asked.views):
        raise Refusal("Exam or views", "Give an exam, or the views in working order.", None, "exam")
    exam = known.exam(asked.exam) if asked.exam else None
    if exam and exam.age_band and not (asked.patient and asked.patient.age_band):
        # A set that is for one age is for that age where nobody says another.
        person = (asked.patient or PatientRequest(conditions=[])).model_copy(update={"age_band": exam.age_band})
        asked = asked.model_copy(update={"patient": person})
    steps = exam.steps if exam else tuple(ExamStep((known.projection(view.projection).id,)) for view in asked.views)
    found: list[SheetStep] = []
    before: Placed | None = None
    for at, step in enumerate(steps):
        if not step.projections:
            found.append(SheetStep(step, None, None, None, None, ()))
            continue
        view = _view(step, room, asked) if exam else asked.views[at]
        technique, refused = _technique(store, asked, view)
        placed = _placed(room, known.projections[view.projection], view, technique) if technique else None
        changed = changes(before, placed) if before and placed else ()
        before = placed or before
        found.append(SheetStep(step, view.projection, technique, refused, placed, changed))
    return RunSheet(asked.exam, exam.why if exam else "", tuple(found), local.checks(store))


def _view(step: ExamStep, room: Room, asked: RunSheetRequest) -> SheetView:
    """A step as its exam takes it, on the exam's support where the room has that."""
    there = step.support in {one.id for one in room.supports}
    setup = SetupRequest(support=step.support) if there else None
    return SheetView(
        projection=step.projections[0],
        side=side_of(step, asked.side),
        setup=setup,
        digit=asked.digit,
        as_brought=step.as_brought,
    )


def _technique(store: Store, asked: RunSheetRequest, view: SheetView) -> tuple[TechniqueResponse | None, str | None]:
    own = asked.measured.get(view.projection) if view.thickness_cm is None else view.thickness_cm
    request = TechniqueRequest(
        room=asked.room,
        projection=view.projection,
        thickness_cm=own,
        measured=asked.measured,
        patient=asked.patient,
        facts=asked.facts,
        setup=view.setup,
        angle_school=view.angle_school,
        turn_school=view.turn_school,
        digit=view.digit,
        as_brought=view.as_brought,
    )
    try:
        return technique(store, request), None
    except Refusal as refusal:
        return None, refusal.detail


def _placed(room: Room, projection: Projection, view: SheetView, found: TechniqueResponse) -> Placed:
    """Where everything stands for a view with its technique."""
    now, figures, digit = found.technique, found.figures, projection.digit(view.digit)
    return Placed(
        support=now.support,
        posture=figures.posture,
        beam=figures.beam,
        turned=(digit.turned if digit else "") or _turned(found.turn),
        side=view.side,
        marker=projection.marker,
        receptor=room.receptor(now.receptor).name,
        lengthwise=projection.lengthwise,
        diagonal=view.setup.diagonal if view.setup else False,
        tube_angle_deg=figures.tube_angle_deg,
        lands_cm=figures.receptor_shift_cm,
        sid_cm=now.sid_cm,
        grid_ratio=now.grid_ratio,
        filter=now.filter,
        exposure_control=now.exposure_control,
        chambers="" if now.aec_cells in (None, "none") else now.aec_cells,
        path=f"{projection.direction}: {projection.measure}",
        arm=projection.region == "upper_limb",
    )


def _turned(turn: AngleAdvice | None) -> str:
    """The turn of the patient or the part in words; by a rule, with what it comes to here."""
    way = next((one for one in turn.schools if one.school == turn.school), None) if turn else None
    if turn is None or way is None:
        return ""
    return way.name if way.rule == "fixed" else f"{turn.advice.deg:.0f}° ({way.name})"


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
