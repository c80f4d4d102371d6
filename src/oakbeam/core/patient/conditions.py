"""Conditions, casts and contrast media: what each changes once on a chart value for a normal patient."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.physics import rules_of_thumb


@dataclass(frozen=True, slots=True)
class Modifier:
    """A condition, a cast, metal in the part or a contrast medium: what it changes once, on a chart value for a normal
    patient.

    Exactly one of mas_factor (x), kvp_percent (%), kvp_added (kVp) or, for a contrast medium, kvp_window is set. overlay:
    what the physics model puts in the beam for it, material and thickness [cm]; None where the model has no opinion.
    shadows: the share of the field that metal lies before. regions: where it counts; empty for everywhere.
    """

    id: str
    name: str
    kind: Literal["additive", "destructive", "cast", "contrast", "hardware"]
    mas_factor: float | None
    kvp_percent: float | None
    kvp_added: float | None
    note: str
    overlay: tuple[str, float] | None = None
    kvp_window: tuple[float, float] | None = None
    shadows: float = 0.0
    regions: tuple[str, ...] = ()

    def counts_in(self, region: str) -> bool:
        """Whether it changes anything in a region of the body."""
        return not self.regions or region in self.regions


def exposure_worth(modifier: Modifier, kvp: float) -> float:
    """How much a modifier changes the receptor exposure of an unchanged part, as a factor (15 % rule for its kVp part)."""
    factor, kvp_after = modified(modifier, kvp)
    return factor * math.pow(kvp_after / kvp, rules_of_thumb.KVP_EXPONENT)


def modified(modifier: Modifier, kvp: float) -> tuple[float, float]:
    """(mAs factor, kVp after) of a modifier applied at a kVp."""
    if modifier.mas_factor is not None:
        return modifier.mas_factor, kvp
    if modifier.kvp_percent is not None:
        return 1.0, kvp * (1 + modifier.kvp_percent / 100)
    assert modifier.kvp_added is not None
    return 1.0, kvp + modifier.kvp_added


def strongest(conditions: tuple[Modifier, ...], kvp: float) -> Modifier | None:
    """The condition that changes the exposure most. Conditions are never stacked: each is a guess made for a patient who
    has nothing else."""
    return max(conditions, key=lambda condition: abs(math.log(exposure_worth(condition, kvp))), default=None)
