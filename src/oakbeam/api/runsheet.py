"""The run sheet: an exam's steps, each with its technique, and what changes on the way from one to the next."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from oakbeam.api import operations
from oakbeam.api import schemas as s
from oakbeam.api.asked import room_of
from oakbeam.core.exam import ExamStep, Placed, changes
from oakbeam.core.refusal import Refusal
from oakbeam.sim import waiting as stand_in
from oakbeam.store import Store, exposures, local

MOST_STEPS = 30


class RunSheetRequest(s.Request):
    """An exam, or the projections in the order they will be done, for one patient in one room.

    measured: thickness by projection, as far as it was read; the rest is carried over or estimated, as for one technique.
    """

    room: s.Key
    exam: s.Key | None = None
    projections: Annotated[list[s.Key], Field(max_length=MOST_STEPS, default_factory=list)]
    patient: s.PatientRequest | None = None
    facts: s.FactsRequest | None = None
    measured: Annotated[dict[s.Key, s.Thickness], Field(max_length=MOST_STEPS, default_factory=dict)]
    setups: Annotated[dict[s.Key, s.SetupRequest], Field(max_length=MOST_STEPS, default_factory=dict)]


@dataclass(frozen=True, slots=True)
class SheetStep:
    """One step. technique is None, with why in refused, where there is none yet; changes: what the hands must change."""

    step: ExamStep
    projection: str | None
    technique: s.TechniqueResponse | None
    refused: str | None
    changes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class RunSheet:
    """The steps in working order, the reason for the order, and the pre-exposure checks of the department."""

    exam: str | None
    why: str
    steps: tuple[SheetStep, ...]
    checks: tuple[str, ...]


class GateIn(s.Request):
    """Who decided a gate: cleared, or not applicable here and why. decided_by is the person who decided, by role or name."""

    room: s.Key
    exam: s.Key
    gate: Annotated[str, Field(min_length=1, max_length=200)]
    decision: local.Decision
    decided_by: Annotated[str, s.StringConstraints(min_length=1, max_length=80, strip_whitespace=True)]
    why: s.Text = ""
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


def _technique(store: Store, asked: RunSheetRequest, key: str) -> tuple[s.TechniqueResponse | None, str | None]:
    request = s.TechniqueRequest(
        room=asked.room,
        projection=key,
        thickness_cm=asked.measured.get(key),
        measured=asked.measured,
        patient=asked.patient,
        facts=asked.facts,
        setup=asked.setups.get(key),
    )
    try:
        return operations.technique(store, request), None
    except Refusal as refusal:
        return None, refusal.detail


def record_gate(store: Store, asked: GateIn, actor: str) -> local.GateRecord:
    """Keep who decided a gate. Not applicable needs a reason."""
    room = room_of(store, asked.room)
    if asked.decision == "not_applicable" and not asked.why:
        raise Refusal("Reason needed", "Say who decided that the gate does not apply, and why.", None, "why")
    record = local.GateRecord(room.id, asked.exam, asked.gate, asked.decision, asked.decided_by, asked.why, asked.study_key)
    return local.record_gate(store, record, actor)


def waiting(store: Store) -> list[Waiting]:
    """The simulated worklist, without what has been taken."""
    known, taken = local.catalogue_of(store), exposures.study_keys(store)
    return [one for one in stand_in.waiting() if one.exam in known.exams and one.study_key not in taken]
