"""Automatic exposure control: where the chambers lie, whether the beam covers them, and when they cannot be trusted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from oakbeam.core.errors import within

CELL_CM = (5.0, 5.0)
"""Width and height of a chamber."""
CELL_CENTRES_CM: Mapping[str, tuple[float, float]] = {"L": (-7.5, 5.0), "C": (0.0, 0.0), "R": (7.5, 5.0)}
"""Centres from the middle of the receptor, seen from the tube: x to the right, y up. A usual layout; makers differ."""
DENSITY_STEPS = (-4, 4)


def chambers(there: tuple[str, ...], selected: tuple[str, ...], field_cm: tuple[float, float]) -> tuple[Chamber, ...]:
    """The chambers of a room, with those selected and what a centred field [cm at the receptor] covers wholly."""
    return tuple(
        Chamber(name, CELL_CENTRES_CM[name], CELL_CM, name in selected, _covered(CELL_CENTRES_CM[name], field_cm))
        for name in there
        if name in CELL_CENTRES_CM
    )


def density_factor(step_ratio: float, steps: int) -> float:
    """Exposure factor of a density setting: ratio^steps, steps from -4 to 4. A trim, not a substitute for kVp or chamber."""
    return float(step_ratio ** within("aec_density", steps, *DENSITY_STEPS, ""))


def _covered(centre: tuple[float, float], field_cm: tuple[float, float]) -> bool:
    return all(abs(c) + size / 2 <= side / 2 + 1e-9 for c, size, side in zip(centre, CELL_CM, field_cm, strict=True))


@dataclass(frozen=True, slots=True)
class Chamber:
    """One AEC chamber: name, centre and size [cm] on the receptor, whether it is selected and the field covers it."""

    name: str
    centre_cm: tuple[float, float]
    size_cm: tuple[float, float]
    selected: bool
    covered: bool
