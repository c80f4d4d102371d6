"""The patient as far as the technique needs to know them. Nobody is identified: no name, no birth date, no number."""

from __future__ import annotations

from dataclasses import dataclass

from oakbeam.core.anatomy.body import AgeBand, Habitus
from oakbeam.core.patient.conditions import Modifier

CALIPER_SPREAD_CM = 0.5
"""One standard deviation of a caliper reading."""
CHILDREN: tuple[AgeBand, ...] = ("newborn", "1y", "5y", "10y")


@dataclass(frozen=True, slots=True)
class Patient:
    """thickness_cm is measured along the central ray in the exposure position. A measured thickness already holds the
    habitus and the age, so these change no number here; they only raise cautions.

    hardware: metal in the part. contrast: a contrast medium, whose kVp window is kept. cannot_keep_still: half the usual
    time is allowed. thickness_spread_cm: one standard deviation of the thickness, more for an estimate; it widens the
    forecast's band. thickness_confirmed: read again and so, however odd. weight_kg: for the level of dose that holds for a
    child.
    """

    thickness_cm: float
    habitus: Habitus | None = None
    age_band: AgeBand | None = None
    conditions: tuple[Modifier, ...] = ()
    cast: Modifier | None = None
    hardware: Modifier | None = None
    contrast: Modifier | None = None
    cannot_keep_still: bool = False
    thickness_spread_cm: float = CALIPER_SPREAD_CM
    thickness_confirmed: bool = False
    weight_kg: float | None = None

    @property
    def time_share(self) -> float:
        """How much of the usual time may be taken."""
        return 0.5 if self.cannot_keep_still else 1.0
