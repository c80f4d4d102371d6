"""Exams as ordered sets: what is done in which order, and what changes on the way from one projection to the next."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from oakbeam.core import geometry
from oakbeam.core.projection import Beam, Posture, Projection
from oakbeam.core.room import SUPPORT_NAMES, SupportId

POSTURES: Mapping[Posture, str] = {
    "supine": "on the back",
    "prone": "face down",
    "side_lying": "on the side",
    "seated": "seated beside the table",
    "sitting": "sitting on the stretcher",
    "standing": "standing",
    "kneeling": "kneeling",
}


@dataclass(frozen=True, slots=True)
class ExamStep:
    """One step: a projection (or one of several methods), a gate, or a wait.

    projections: one, or the methods to choose from, the first being the usual one; empty for a gate and a wait. gate: what
    somebody must have cleared; who and when are recorded, nothing is decided here. wait_min: minutes by a timer that runs
    while other work goes on; note says for what. when: the condition of a step that is not always taken.
    """

    projections: tuple[str, ...] = ()
    gate: str | None = None
    wait_min: float | None = None
    when: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class Exam:
    """An ordered set of steps, with the reason for the order."""

    id: str
    name: str
    steps: tuple[ExamStep, ...]
    why: str

    @property
    def projections(self) -> tuple[str, ...]:
        """The usual projection of each step that has one, in order."""
        return tuple(step.projections[0] for step in self.steps if step.projections)


@dataclass(frozen=True, slots=True)
class Placed:
    """Where the equipment stands for one projection: what the next one starts from."""

    projection: Projection
    support: SupportId
    sid_cm: float
    tube_angle_deg: float
    thickness_cm: float
    gap_cm: float


def stance(projection: Projection, support: SupportId) -> tuple[Posture, Beam]:
    """Posture and beam on a support: who would stand lies on the table, who would lie stands at the upright Bucky."""
    if support in ("tabletop", "table_bucky") and projection.posture == "standing":
        return "supine", "vertical"
    if (
        support == "upright_bucky"
        and projection.posture in ("supine", "prone", "side_lying")
        and projection.beam == "vertical"
    ):
        return "standing", "horizontal"
    return projection.posture, projection.beam


def changes(before: Placed, after: Placed) -> tuple[str, ...]:
    """What the hands must change between two projections of an exam, in the order of the work; empty where nothing does.

    The receptor's shift is that of the ray's landing: (thickness + gap) tan θ from the skin, back to nought as well.
    """
    said = []
    if before.support != after.support:
        names = f"{SUPPORT_NAMES[before.support]} to {SUPPORT_NAMES[after.support]}"
        said.append(f"Receptor: {names}; the AEC chambers and the grid change with it.")
    (posture, beam), (to_posture, to_beam) = (
        stance(before.projection, before.support),
        stance(after.projection, after.support),
    )
    if beam != to_beam:
        said.append(f"Beam {to_beam}.")
    if posture != to_posture:
        said.append(f"Patient: {POSTURES[to_posture]}.")
    if not math.isclose(before.tube_angle_deg, after.tube_angle_deg):
        said.append(_angle_words(before, after))
    if not math.isclose(before.sid_cm, after.sid_cm):
        said.append(
            f"SID {before.sid_cm:g} to {after.sid_cm:g} cm: mAs ×{(after.sid_cm / before.sid_cm) ** 2:.2f} for the same kVp."
        )
    if before.projection.lengthwise != after.projection.lengthwise:
        said.append(f"Receptor {'lengthwise' if after.projection.lengthwise else 'crosswise'}.")
    if after.projection.direction != before.projection.direction or after.projection.measure != before.projection.measure:
        said.append("Measure again.")
    return tuple(said)


def _angle_words(before: Placed, after: Placed) -> str:
    def landing(placed: Placed) -> float:
        return geometry.receptor_shift_cm(placed.thickness_cm + placed.gap_cm, placed.tube_angle_deg)

    moved = abs(landing(after) - landing(before))
    what = "Take the angle off" if after.tube_angle_deg == 0 else f"Tube to {angle_words(after.tube_angle_deg)}"
    return f"{what}; re-align the receptor{f', about {moved:.0f} cm' if moved >= 0.5 else ''}."


def angle_words(deg: float) -> str:
    """A tube angle in words: "15° cephalad", "10° caudal", "0°"."""
    return "0°" if deg == 0 else f"{abs(deg):g}° {'cephalad' if deg > 0 else 'caudal'}"
