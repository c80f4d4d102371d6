"""What changes from one view of an exam to the next."""

from __future__ import annotations

import math
from dataclasses import dataclass

from oakbeam.core.exam.order import angle_words
from oakbeam.core.patient.posture import POSTURES, stance
from oakbeam.core.physics import geometry
from oakbeam.core.projection import SUPPORT_NAMES, Projection, SupportId


@dataclass(frozen=True, slots=True)
class Placed:
    """Where the equipment stands for one projection: what the next one starts from."""

    projection: Projection
    support: SupportId
    sid_cm: float
    tube_angle_deg: float
    thickness_cm: float
    gap_cm: float


def changes(before: Placed, after: Placed) -> tuple[str, ...]:
    """What changes between two projections of an exam, in the order of the work; empty where nothing does.

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
