"""The dose levels that an exposure is held against: of which quantity, for whom. Examples, for the local ones.

A level is only ever compared with the same quantity, and a child never with an adult's.
"""

from __future__ import annotations

from collections.abc import Mapping

from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.patient.patient import Patient
from oakbeam.core.projection import DoseLevel, Projection

WEIGHT_AT_AGE_KG: Mapping[AgeBand, float] = {"newborn": 3.5, "1y": 10.0, "5y": 19.0, "10y": 32.0, "15y": 55.0}
"""The usual weight of a child whose weight nobody gave."""


def dose_levels(projection: Projection, patient: Patient) -> tuple[DoseLevel, ...]:
    """The levels for a patient, none where none is known: the adult's, or those of the child's weight; of a projection for
    children only, those of its usual patient too.

    By the weight where it was given, else by the usual weight of the age.
    """
    age = patient.age_band
    child = age is not None and age in WEIGHT_AT_AGE_KG
    for_children = projection.for_children
    weight_kg = patient.weight_kg
    if weight_kg is None and age is not None:
        weight_kg = WEIGHT_AT_AGE_KG.get(age)
    found = []
    for level in projection.dose_levels:
        if level.kg is None:
            holds = age not in ("adult", "older_adult") if for_children else not child
        else:
            holds = child and weight_kg is not None and level.kg[0] <= weight_kg < level.kg[1]
        if holds:
            found.append(level)
    return tuple(found)
