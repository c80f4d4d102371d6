"""Automatic exposure control: where the chambers lie, whether the beam covers them, and when they cannot be trusted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.usual import BUCKYS
from oakbeam.core.errors import Refusal, one_of, within
from oakbeam.core.image_review import MOST_DENSITY_STEPS
from oakbeam.core.physics.beam.model import Beam, BeamSetup, Part, evaluate
from oakbeam.core.projection import SUPPORT_NAMES, SupportId

CELL_CM = (5.0, 5.0)
"""Width and height of a chamber."""
CELL_CENTRES_CM: Mapping[str, tuple[float, float]] = {"L": (-7.5, 5.0), "C": (0.0, 0.0), "R": (7.5, 5.0)}
"""Centres from the middle of the receptor, seen from the tube: x to the right, y up. A usual layout; makers differ."""
DENSITY_STEPS = (-MOST_DENSITY_STEPS, MOST_DENSITY_STEPS)
SET_KVP, SET_THICKNESS_CM = 80.0, 20.0
"""Where a chamber without a curve is set to give the target: a usual phantom of soft tissue."""


def chambers(there: tuple[str, ...], selected: tuple[str, ...], field_cm: tuple[float, float]) -> tuple[Chamber, ...]:
    """The chambers of a room, with those selected and what a centred field [cm at the receptor] covers wholly."""
    return tuple(
        Chamber(name, CELL_CENTRES_CM[name], CELL_CM, name in selected, _covered(CELL_CENTRES_CM[name], field_cm))
        for name in there
        if name in CELL_CENTRES_CM
    )


def chamber_drift(setup: BeamSetup, beam: Beam) -> float:
    """Receptor signal over what is wanted where a chamber ends the exposure at the kerma that was right at SET_KVP and
    SET_THICKNESS_CM: setup and beam (its first entry) as exposed.

    The chamber is taken as a thin ionization chamber in front of the receptor: it reads planar air kerma, flat over energy.
    Real ones are within about 5 % of it from 30 to 100 keV; their absorption in the beam is left out.
    """
    there = evaluate(replace(setup, kvp=SET_KVP), Part(np.array([SET_THICKNESS_CM])))
    return float(_signal_over_kerma(beam) / _signal_over_kerma(there))


def _signal_over_kerma(beam: Beam) -> float:
    return float(beam.rqa5_equivalent_kerma_ugy[0] / beam.receptor_kerma_ugy[0])


def density_factor(step_ratio: float, steps: int) -> float:
    """Exposure factor of a density setting: ratio^steps, steps from -4 to 4. A trim, not a substitute for kVp or chamber."""
    return float(step_ratio ** within("aec_density", steps, *DENSITY_STEPS, ""))


def _covered(centre: tuple[float, float], field_cm: tuple[float, float]) -> bool:
    return all(abs(c) + size / 2 <= side / 2 + 1e-9 for c, size, side in zip(centre, CELL_CM, field_cm, strict=True))


def chambers_behind(room: Room, support: SupportId, selected: str) -> tuple[str, ...]:
    """The chambers named ("L+R"; "none" for none) behind a support. Refusal where it has none, or none of a name."""
    manual = ["manual", "breathing"]
    if support not in BUCKYS:
        where = SUPPORT_NAMES[support]
        said = f"There is no chamber behind a receptor on the {where}; expose manually."
        raise Refusal("No AEC here", said, manual, "exposure_control")
    if room.aec is None:
        raise Refusal("No AEC here", "This room has no AEC; expose manually.", manual, "exposure_control")
    return tuple(one_of("aec_cells", name, room.aec.cells) for name in selected.split("+")) if selected != "none" else ()


@dataclass(frozen=True, slots=True)
class Chamber:
    """One AEC chamber: name, centre and size [cm] on the receptor, whether it is selected and the field covers it."""

    name: str
    centre_cm: tuple[float, float]
    size_cm: tuple[float, float]
    selected: bool
    covered: bool
