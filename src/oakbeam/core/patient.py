"""The patient as far as the technique needs to know them. Nobody is identified: no name, no birth date, no number."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from oakbeam.core import rules
from oakbeam.core.projection import AgeBand, Modifier

Habitus = Literal["asthenic", "hyposthenic", "sthenic", "hypersthenic"]
Sex = Literal["female", "male"]
CALIPER_SPREAD_CM = 0.5
"""One standard deviation of a caliper reading."""
CHILDREN: tuple[AgeBand, ...] = ("newborn", "1y", "5y", "10y")


@dataclass(frozen=True, slots=True)
class Patient:
    """thickness_cm is measured along the central ray in the exposure position. A measured thickness already holds the
    habitus and the age, so these change no number here; they only raise cautions.

    contrast: a contrast medium, whose kVp window is kept. cannot_keep_still: half the usual time is allowed.
    thickness_spread_cm: one standard deviation of the thickness, more for an estimate; it widens the forecast's band.
    thickness_confirmed: read again and so, however odd.
    """

    thickness_cm: float
    habitus: Habitus | None = None
    age_band: AgeBand | None = None
    conditions: tuple[Modifier, ...] = ()
    cast: Modifier | None = None
    contrast: Modifier | None = None
    cannot_keep_still: bool = False
    thickness_spread_cm: float = CALIPER_SPREAD_CM
    thickness_confirmed: bool = False


def exposure_worth(modifier: Modifier, kvp: float) -> float:
    """How much a modifier changes the receptor exposure of an unchanged part, as a factor (15 % rule for its kVp part)."""
    factor, kvp_after = modified(modifier, kvp)
    return factor * math.pow(kvp_after / kvp, rules.KVP_EXPONENT)


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
