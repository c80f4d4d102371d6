"""From what was read, or was not, to the thickness the chart is entered with: corrections, plausibility, estimates.

A measured thickness always wins. An estimate says that it is one and how far off it may be. Lengths cm.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.anatomy.body import AgeBand, Habitus
from oakbeam.core.anatomy.composition import Age
from oakbeam.core.caution import Caution
from oakbeam.core.errors import Refusal, within
from oakbeam.core.lengths import CM_PER_INCH
from oakbeam.core.patient.patient import CALIPER_SPREAD_CM
from oakbeam.core.projection import ChildSize, Projection

MAT_RANGE_CM = (0.0, 20.0)
JAW_RANGE_CM = (0.0, 3.0)
WEIGHT_RANGE_KG = (0.5, 350.0)
HEIGHT_RANGE_CM = (30.0, 230.0)
REFERENCE_WEIGHT_KG, REFERENCE_HEIGHT_CM = 70.0, 170.0
"""The adult whose parts have the catalogue's average thickness."""
BELIEVED = (0.4, 2.0)
"""A reading below this share of the small patient or above this of the large is refused until it is confirmed."""
SPREAD = {"size": 0.10, "limb_by_size": 0.15, "build": 0.13, "age": 0.14}
"""One standard deviation, relative, of a thickness by weight and height (trunk, limb), by build, by age: from the spread of
the usual ranges; estimates of our own."""

CHILD_CM: Mapping[ChildSize, Mapping[AgeBand, float]] = {
    "chest_ap": {"newborn": 8, "1y": 11.5, "5y": 14, "10y": 17, "15y": 19},
    "chest_lateral": {"newborn": 10, "1y": 14.5, "5y": 19, "10y": 23, "15y": 27.5},
    "abdomen_ap": {"newborn": 9, "1y": 11.5, "5y": 14, "10y": 17.5, "15y": 18.5},
    "abdomen_lateral": {"newborn": 10, "1y": 14, "5y": 18, "10y": 22, "15y": 26},
    "skull_ap": {"newborn": 11.5, "1y": 15, "5y": 17.5, "10y": 18.5, "15y": 19},
    "skull_lateral": {"newborn": 9.5, "1y": 12.5, "5y": 13.5, "10y": 14.5, "15y": 15},
}
"""Usual thickness of a child's trunk and head [cm], the middle of the textbooks' ranges for the age and weight bands."""
ADULT_CM: Mapping[ChildSize, float] = {
    "chest_ap": 22,
    "chest_lateral": 31,
    "abdomen_ap": 21,
    "abdomen_lateral": 31,
    "skull_ap": 19.5,
    "skull_lateral": 15,
}
"""The adult's, on the same lines."""
LIMB_SHARE: Mapping[AgeBand, float] = {"newborn": 0.36, "1y": 0.5, "5y": 0.66, "10y": 0.8, "15y": 0.95}
"""A child's limb over the adult's: elbow 3 to 4 cm at 1 year, 5 at 5, 6 at 10 (adult 7); knee 6, 7 to 8, 9 (adult 12)."""


ThicknessFrom = Literal["measured", "carried", "estimated"]


@dataclass(frozen=True, slots=True)
class Thickness:
    """The thickness [cm] the chart is entered with, one standard deviation, how it is known, and that in words. carried:
    from a view that has the same way through the part."""

    cm: float
    spread_cm: float
    source: ThicknessFrom
    said: str

    @property
    def estimated(self) -> bool:
        """Nobody read it."""
        return self.source == "estimated"


def measured(read_cm: float, mat_cm: float = 0.0, jaw_cm: float = 0.0) -> Thickness:
    """What calipers read, less what was counted in: mat, sponge or board, and the jaw where its outer edge was read."""
    mat = within("mat_cm", mat_cm, *MAT_RANGE_CM, "cm")
    jaw = within("jaw_cm", jaw_cm, *JAW_RANGE_CM, "cm")
    net = read_cm - mat - jaw
    if net <= 0:
        raise Refusal(
            "Nothing left to measure",
            f"{read_cm:g} cm less {mat + jaw:g} cm of mat and jaw leaves nothing; check both.",
            {"min": 0.0, "max": read_cm, "unit": "cm"},
            "mat_cm",
        )
    parts = ([f"{mat:g} cm mat"] if mat else []) + ([f"{jaw:g} cm jaw"] if jaw else [])
    said = f"Measured: {read_cm:g} cm less {' and '.join(parts)}." if parts else "Measured."
    return Thickness(net, CALIPER_SPREAD_CM, "measured", said)


def estimated(
    projection: Projection,
    habitus: Habitus | None = None,
    age_band: AgeBand | None = None,
    weight_kg: float | None = None,
    height_cm: float | None = None,
) -> Thickness:
    """A thickness where nobody measured: by weight and height, else by the child's age, else by build, else the average
    adult's. Never by two at once.

    Weight and height: the equivalent diameter d = 2 √(W / (π H)) of the trunk, W in g and H in cm (a cylinder of unit
    density), over that of the reference adult, times the projection's average.
    """
    average = projection.thickness_cm[1]
    if weight_kg is not None and height_cm is not None:
        ratio = trunk_diameter_cm(weight_kg, height_cm) / trunk_diameter_cm(REFERENCE_WEIGHT_KG, REFERENCE_HEIGHT_CM)
        if projection.child == "own":
            average = ADULT_CM[_trunk(projection)]
        cm = _half(average * ratio)
        spread = SPREAD["limb_by_size" if projection.child == "limb" else "size"]
        said = f"Estimated from {weight_kg:g} kg and {height_cm:g} cm, not measured."
        return Thickness(cm, spread * cm, "estimated", said)
    if age_band and (child := usual_child_cm(projection, age_band)) is not None:
        return Thickness(child, SPREAD["age"] * child, "estimated", "Estimated from the age, not measured.")
    if habitus:
        small, _, large = projection.thickness_cm
        by_build = {"asthenic": small, "hyposthenic": (small + average) / 2, "sthenic": average, "hypersthenic": large}
        cm = _half(by_build[habitus])
        return Thickness(cm, SPREAD["build"] * cm, "estimated", "Estimated from the build, not measured.")
    small, _, large = projection.thickness_cm
    return Thickness(average, (large - small) / 4, "estimated", "The average adult's, not measured.")


def trunk_diameter_cm(weight_kg: float, height_cm: float) -> float:
    """Equivalent diameter [cm] of the trunk: 2 √(W / (π H)), W in g, H in cm, at unit density."""
    within("weight_kg", weight_kg, *WEIGHT_RANGE_KG, "kg")
    within("height_cm", height_cm, *HEIGHT_RANGE_CM, "cm")
    return 2 * math.sqrt(1000 * weight_kg / (math.pi * height_cm))


def usual_children(projection: Projection, range_cm: tuple[float, float]) -> list[tuple[AgeBand, float]]:
    """(age band, usual thickness [cm]) of the children within a range, from the youngest."""
    low, high = range_cm
    usual = ((age, usual_child_cm(projection, age)) for age in LIMB_SHARE)
    return [(age, cm) for age, cm in usual if cm is not None and low <= cm <= high]


def usual_child_cm(projection: Projection, age_band: AgeBand) -> float | None:
    """The usual thickness [cm] of a child of an age band; None for an adult, and where the projection is not for the age.

    Trunk and head go by the tables, in proportion to the adult's of the projection; limbs by their share of the adult's.
    """
    if age_band not in LIMB_SHARE or (projection.ages and age_band not in projection.ages):
        return None
    if projection.child == "limb":
        return _half(LIMB_SHARE[age_band] * projection.thickness_cm[1])
    if projection.child == "own":
        return CHILD_CM[_trunk(projection)][age_band]
    if projection.child == "none":
        return None
    return _half(CHILD_CM[projection.child][age_band] * projection.thickness_cm[1] / ADULT_CM[projection.child])


def declared_age(projection: Projection, age_band: AgeBand | None) -> Age | None:
    """The age that a patient's anatomy follows; None where none was said, and where the projection is for children alone:
    its own figures are theirs."""
    if age_band is None or projection.child == "own":
        return None
    return Age(age_band, usual_child_cm(projection, age_band))


def _child_cm(projection: Projection, age_band: AgeBand | None) -> float | None:
    return usual_child_cm(projection, age_band) if age_band else None


def _usual_cm(projection: Projection, age_band: AgeBand | None) -> tuple[float, float, float]:
    """Small, average and large patient [cm] of this age, as far as the age is known and matters."""
    child = _child_cm(projection, age_band)
    return projection.thickness_cm if child is None or projection.child == "own" else (0.7 * child, child, 1.4 * child)


def refuse_unbelievable(projection: Projection, cm: float, age_band: AgeBand | None, confirmed: bool) -> None:
    """Refuse a reading below 0.4 of the small or above twice the large patient of this age, until it is confirmed."""
    small, _, large = _usual_cm(projection, age_band)
    if not BELIEVED[0] * small <= cm <= BELIEVED[1] * large and not confirmed:
        raise Refusal(
            "Thickness not believable",
            f"{cm:g} cm is far outside what is usual here ({small:g} to {large:g} cm). Measure again; confirm it if so.",
            {"min": BELIEVED[0] * small, "max": BELIEVED[1] * large, "unit": "cm"},
            "thickness_cm",
        )


def plausibility(
    projection: Projection,
    cm: float,
    habitus: Habitus | None = None,
    age_band: AgeBand | None = None,
) -> Iterator[Caution]:
    """What is odd about a reading that `refuse_unbelievable` let pass."""
    small, average, large = _usual_cm(projection, age_band)
    if 0.8 * small <= cm <= 1.2 * large:
        expected = {"asthenic": small, "hyposthenic": (small + average) / 2, "sthenic": average, "hypersthenic": large}
        if habitus and projection.child != "limb" and abs(cm - expected[habitus]) > 0.75 * (large - small):
            text = f"{cm:g} cm does not go with a {habitus} build (about {expected[habitus]:g} cm): check site and jaw edge."
            yield Caution("note", text, "caliper plausibility")
        return
    who = (
        "at this age"
        if _child_cm(projection, age_band) is not None
        else "in adults"
        if projection.child != "own"
        else "here"
    )
    text = f"{cm:g} cm is unusual ({who} {small:.3g} to {large:.3g} cm): check jaw edge, mat, unit and site."
    if small <= cm * CM_PER_INCH <= large:
        text += f" Read in inches it would be {cm * CM_PER_INCH:.1f} cm."
    elif small <= cm / CM_PER_INCH <= large:
        text += f" If this was the other scale it would be {cm / CM_PER_INCH:.1f} cm."
    yield Caution("warning", text, "caliper plausibility")


def _trunk(projection: Projection) -> ChildSize:
    """The trunk table that a children's projection goes by."""
    if projection.region == "abdomen":
        return "abdomen_lateral" if projection.direction == "lateral" else "abdomen_ap"
    return "chest_lateral" if projection.direction == "lateral" else "chest_ap"


def _half(cm: float) -> float:
    """To the half centimetre calipers are read to."""
    return max(0.5, round(2 * cm) / 2)


def carried(measured_cm: Mapping[Projection, float], wanted: Projection) -> Thickness | None:
    """A thickness carried over from sister views of the same exam that were measured; None where there is none.

    The same way through the same part (same direction and usual thickness) is the same reading. Another way is scaled by
    the usual thicknesses and is an estimate; the view measured last counts.
    """
    for other, cm in reversed(list(measured_cm.items())):
        if other.exam != wanted.exam or other.ages != wanted.ages:
            continue
        if other.direction == wanted.direction and other.thickness_cm == wanted.thickness_cm:
            return Thickness(cm, CALIPER_SPREAD_CM, "carried", f"As measured for the {other.name}.")
        scaled = _half(cm * wanted.thickness_cm[1] / other.thickness_cm[1])
        spread = max(CALIPER_SPREAD_CM, SPREAD["size"] * scaled)
        return Thickness(scaled, spread, "estimated", f"Estimated from {cm:g} cm of the {other.name}; measure it.")
    return None
