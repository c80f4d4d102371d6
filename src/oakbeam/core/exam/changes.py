"""What changes from one view to the next: where everything stands for a view, and what the hands move on the way.

Each change names one thing, what it was and what it becomes, so that the changes put onto the last set-up give the next one
exactly (`applied`): nothing that differs goes unsaid, taking an angle off and a grid out included.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, fields, replace

from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.exam.order import angle_words
from oakbeam.core.patient.posture import POSTURES
from oakbeam.core.projection import SUPPORT_NAMES, Beam, Marker, Posture, Side, SupportId

SHIFT_WORTH_A_WORD_CM = 0.5
Value = str | float | int | bool | None


@dataclass(frozen=True, slots=True)
class Placed:
    """Where everything stands for one view. Lengths cm, angles degrees; cephalad, or toward the trunk, is positive.

    receptor: its name. lengthwise: it lies along the part; diagonal: corner to corner along it. lands_cm: from the point
    below the ray's entry to where it meets the receptor, (thickness + gap) tan θ. turned: how the patient or part is turned,
    in words; empty for straight. grid_ratio: 0 for none. chambers: of the AEC, empty otherwise. path: which way, and where,
    the calipers go. arm: along it the receptor moves toward shoulder or hand, elsewhere toward head or feet.
    """

    support: SupportId
    posture: Posture
    beam: Beam
    turned: str
    side: Side
    marker: Marker
    receptor: str
    lengthwise: bool
    diagonal: bool
    tube_angle_deg: float
    lands_cm: float
    sid_cm: float
    grid_ratio: int
    filter: str | None
    exposure_control: ExposureControl
    chambers: str
    path: str
    arm: bool


@dataclass(frozen=True, slots=True)
class ViewChange:
    """One thing that changes: what (a name of `Placed`), from what, to what; said: the same to whose hands do it, empty
    where it goes with another that is said."""

    what: str
    before: Value
    after: Value
    said: str


def changes(before: Placed, after: Placed) -> tuple[ViewChange, ...]:
    """What changes between two views, in the order of the work; empty where nothing does."""
    return tuple(
        ViewChange(one.name, was, now, SAID[one.name](before, after))
        for one in fields(Placed)
        if (was := getattr(before, one.name)) != (now := getattr(after, one.name))
    )


def applied(before: Placed, made: Iterable[ViewChange]) -> Placed:
    """The set-up that changes lead to."""
    return replace(before, **{one.what: one.after for one in made})  # type: ignore[arg-type]


def _support(before: Placed, after: Placed) -> str:
    return f"From the {SUPPORT_NAMES[before.support]} to the {SUPPORT_NAMES[after.support]}."


def _turned(before: Placed, after: Placed) -> str:
    return f"Turn: {after.turned}." if after.turned else "Out of the turn."


def _side(before: Placed, after: Placed) -> str:
    if after.side == "both":
        return "Both sides: markers R and L."
    other = {before.side, after.side} == {"right", "left"}
    return f"{'Other side' if other else 'Side'}: marker {after.side[0].upper()}." if after.side else ""


MARKER_PLACES: Mapping[Marker, str] = {
    "lateral": "at the outer border of the side examined",
    "near": "of the side at the receptor",
    "up": "of the side that is up",
    "body": "on its side of the body",
}


def _angle(before: Placed, after: Placed) -> str:
    if after.tube_angle_deg == 0:
        return f"Take the angle off (it was {angle_words(before.tube_angle_deg)})."
    return f"Tube to {angle_words(after.tube_angle_deg)}."


def _lands(before: Placed, after: Placed) -> str:
    """The receptor follows the ray. A part of another thickness shifts it too little to be worth a word, and on another
    support it is placed anew."""
    moved = after.lands_cm - before.lands_cm
    same_angle = math.isclose(before.tube_angle_deg, after.tube_angle_deg)
    if abs(moved) < SHIFT_WORTH_A_WORD_CM or same_angle or before.support != after.support:
        return ""
    toward = ("shoulder" if moved > 0 else "hand") if after.arm else ("head" if moved > 0 else "feet")
    return f"Re-align the receptor, about {abs(moved):.0f} cm toward the {toward}."


def _sid(before: Placed, after: Placed) -> str:
    factor = (after.sid_cm / before.sid_cm) ** 2
    return f"SID {before.sid_cm:g} to {after.sid_cm:g} cm: mAs ×{factor:.2f} for the same kVp."


BUCKYS: tuple[SupportId, ...] = ("table_bucky", "upright_bucky")


def _receptor(before: Placed, after: Placed) -> str:
    """Another receptor in the same Bucky: its tray was opened, and a field that follows the tray is wide open again."""
    tray = after.support in BUCKYS and before.support == after.support
    return f"Receptor: {after.receptor}.{' Close the field again once it is in.' if tray else ''}"


def _grid(before: Placed, after: Placed) -> str:
    if not after.grid_ratio:
        return "Grid out."
    return f"Grid {after.grid_ratio}:1{' in' if not before.grid_ratio else ''}."


CONTROLS: Mapping[ExposureControl, str] = {
    "manual": "Manual: AEC off.",
    "aec": "AEC on.",
    "breathing": "Breathing technique: long time, low mA.",
}


def _control(before: Placed, after: Placed) -> str:
    return (
        "Manual."
        if (before.exposure_control, after.exposure_control) == ("breathing", "manual")
        else CONTROLS[after.exposure_control]
    )


# Every name of `Placed`, so that none can differ without a word or a reason for none.
SAID: Mapping[str, Callable[[Placed, Placed], str]] = {
    "support": _support,
    "posture": lambda _, after: f"Patient: {POSTURES[after.posture]}.",
    "beam": lambda _, after: f"Beam {after.beam}.",
    "turned": _turned,
    "side": _side,
    "marker": lambda _, after: f"Marker {MARKER_PLACES[after.marker]}.",
    "receptor": _receptor,
    "diagonal": lambda _, after: "Receptor diagonal." if after.diagonal else "Receptor straight again.",
    "lengthwise": lambda _, after: f"Receptor {'lengthwise' if after.lengthwise else 'crosswise'}.",
    "tube_angle_deg": _angle,
    "lands_cm": _lands,
    "sid_cm": _sid,
    "grid_ratio": _grid,
    "filter": lambda _, after: f"Tube filter: {after.filter or 'none'}.",
    "exposure_control": _control,
    "chambers": lambda _, after: f"Chamber {after.chambers.replace('+', ' and ')}." if after.chambers else "",
    "path": lambda _, __: "Measure again.",
    "arm": lambda _, __: "",
}
