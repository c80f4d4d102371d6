"""The dose level that an exposure is held against: of which quantity, for whom, after whom. Examples, for the local ones.

A level is only ever compared with the same quantity: an adult's with incident air kerma, a child's, by weight, with KAP.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.patient.patient import Patient
from oakbeam.core.projection import Projection

Quantity = Literal["incident_air_kerma", "kerma_area_product"]
UNIT: Mapping[Quantity, str] = {"incident_air_kerma": "mGy", "kerma_area_product": "mGy·cm²"}
ADULT_SOURCE = "example after national surveys, from memory"
CHILD_SOURCE = "example after the European guidelines for children, 2018, from memory"
WEIGHT_AT_AGE_KG: Mapping[AgeBand, float] = {"newborn": 3.5, "1y": 10.0, "5y": 19.0, "10y": 32.0, "15y": 55.0}
"""The usual weight of a child whose weight nobody gave."""


@dataclass(frozen=True, slots=True)
class DoseLevel:
    """An example of a level, to be replaced by the local one: value in its unit, for whom, and its source."""

    quantity: Quantity
    value: float
    unit: str
    of_whom: str
    source: str


def dose_level(projection: Projection, patient: Patient) -> DoseLevel | None:
    """The level for a patient; None where none is known. A child is never held against an adult's.

    By the weight where it was given, else by the usual weight of the age. A department's own entry of the projection brings
    its own levels.
    """
    age = patient.age_band
    if age is not None and age in WEIGHT_AT_AGE_KG:
        weight_kg = WEIGHT_AT_AGE_KG[age] if patient.weight_kg is None else patient.weight_kg
        for low, high, kap in projection.child_kap_mgycm2:
            if low <= weight_kg < high:
                whom = f"a child of {low:g} to {high:g} kg"
                return DoseLevel("kerma_area_product", kap, UNIT["kerma_area_product"], whom, CHILD_SOURCE)
        return None
    level = projection.reference_kerma_mgy
    if level is None or (projection.ages and "adult" not in projection.ages):
        return None
    return DoseLevel("incident_air_kerma", level, UNIT["incident_air_kerma"], "the average adult", ADULT_SOURCE)
