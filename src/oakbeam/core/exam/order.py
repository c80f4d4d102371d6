"""Exams as ordered sets: what is done in which order, and what changes on the way from one projection to the next."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.projection import Side, SupportId

StepSide = Literal["", "asked", "other", "right", "left", "both"]


@dataclass(frozen=True, slots=True)
class ExamStep:
    """One step: a projection (or one of several methods), a clearance, or a wait.

    projections: one, or the methods to choose from, the first being the usual one; empty for a clearance and a wait.
    clearance: what somebody must have cleared; who and when are recorded, nothing is decided here. asks: the same as a
    question of two or three words, for the run sheet. wait_min: minutes by a timer that runs while other work goes on; note
    says for what. when: the condition of a step that is not always taken. side: the one asked for, the other, a fixed one or
    both at once; empty where the exam's side is the step's too. support: where the exam takes it, in rooms that have it,
    so that nobody lies down and stands up again. as_brought: the patient stays on the back as brought, and nothing turns
    them for it.
    """

    projections: tuple[str, ...] = ()
    clearance: str | None = None
    wait_min: float | None = None
    when: str = ""
    note: str = ""
    asks: str = ""
    side: StepSide = ""
    support: SupportId | None = None
    as_brought: bool = False


@dataclass(frozen=True, slots=True)
class Exam:
    """An ordered set of steps, with the reason for the order."""

    id: str
    name: str
    steps: tuple[ExamStep, ...]
    why: str
    also: tuple[str, ...] = ()
    """Other names and shorthand: only to be searched by."""
    age_band: AgeBand | None = None
    """Whom the set is for, where it is for one age alone."""

    @property
    def projections(self) -> tuple[str, ...]:
        """The usual projection of each step that has one, in order."""
        return tuple(step.projections[0] for step in self.steps if step.projections)


def still_due(exam: Exam, accepted: Collection[str]) -> tuple[str, ...]:
    """The usual projection of each step of an exam that is always taken and of which no image was accepted, by any of its
    methods."""
    always = [step.projections for step in exam.steps if step.projections and not step.when]
    return tuple(methods[0] for methods in always if not set(methods) & set(accepted))


OTHER_SIDE: Mapping[Side, Side] = {"right": "left", "left": "right"}


def side_of(step: ExamStep, asked: Side) -> Side:
    """The side that a step examines, for an exam of a side; empty where nobody said one."""
    if step.side in ("right", "left", "both"):
        return step.side
    return OTHER_SIDE.get(asked, asked) if step.side == "other" else asked


def angle_words(deg: float) -> str:
    """A tube angle in words: "15° cephalad", "10° caudal", "0°"."""
    return "0°" if deg == 0 else f"{abs(deg):g}° {'cephalad' if deg > 0 else 'caudal'}"
