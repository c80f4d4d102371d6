"""What the beam meets in a part: tissue, fat, bone and lung by thickness and build, with how sure that is."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oakbeam.core.anatomy.body import AgeBand, Habitus
from oakbeam.core.anatomy.growth import BONE_AT_AGE, BONE_WITH_SIZE, FAT_AT_AGE, LUNG_AT_AGE, Growth, place_of
from oakbeam.core.cache import cached
from oakbeam.core.physics.beam.model import Beam, BeamSetup, Part, evaluate, rqa5_equivalent_ugy
from oakbeam.core.physics.beam.tables import Array


@dataclass(frozen=True, slots=True)
class Composition:
    """What the beam meets in one view of a part, at the average adult; an estimate that says how sure it is.

    site: the part of the body that its views share; view: its name. bone_mm: cortical-equivalent bone that stands for the
    index region. lung_fraction of the thickness is lung. width_cm: across the beam, where that is less than fields usually
    are. fat: share of what is neither bone nor lung that is fat (marrow counted), the rest being lean tissue of 1.05 g/cm³;
    fat_gained, fat_lost: share of fat in the thickness above and below the average adult's. growth: how its bone follows age
    and size. *_spread: one standard deviation between people of one build, *_unsure: of what is not known of the mean; bone
    relative. why: the reasoning or source.
    """

    site: str
    view: str
    bone_mm: float
    lung_fraction: float
    width_cm: float | None
    fat: float
    fat_gained: float
    fat_lost: float
    growth: Growth
    bone_spread: float
    fat_spread: float
    lung_spread: float
    bone_unsure: float
    fat_unsure: float
    lung_unsure: float
    why: str


def bone_of_region_mm(section_mm2: float, shadow_mm: float, covers: float) -> float:
    """Bone [mm] that attenuates like the index region of a view: its section's bone spread over its shadow, which covers a
    share of the region.

    The exposures under bone and beside it are averaged, at 0.04 per mm of bone: 14 mm under 0.55 of the region are 6.7 mm.
    """
    ray_mm = section_mm2 / shadow_mm
    return -math.log(covers * math.exp(-BONE_PER_MM * ray_mm) + 1 - covers) / BONE_PER_MM


BONE_PER_MM = 0.04
"""Attenuation of a mm of cortical bone in the middle of the diagnostic range, beyond the tissue in whose place it is."""

HABITUS_FAT = {"asthenic": -0.04, "hyposthenic": -0.02, "sthenic": 0.0, "hypersthenic": 0.06, None: 0.0}
"""What the build adds to the share of fat at a measured thickness. Little: most of a build is in the thickness itself."""

FAT_RANGE = (0.03, 0.85)

UNKNOWN_BUILD = 1.5
"""The spread of fat where nobody said what build the patient has, over that of one build."""

BONE_GROWTH = 0.3
"""Bone on the ray grows as the thickness to this power among adults: a thicker one is mostly softer, not bonier."""

CHILD_BELOW, ADULT_FROM = 0.6, 0.8
"""Where nobody said the age a part thinner than the first share of the average adult's is a child's, one thicker than the
second an adult's; between them its bone goes from one to the other."""


def part_of(
    composition: Composition,
    average_cm: float,
    thickness_cm: Array,
    habitus: Habitus | None = None,
    overlay: tuple[tuple[str, float], ...] = (),
    fat_shift: Array | float = 0.0,
    bone_scale: Array | float = 1.0,
    age: Age | None = None,
    lung_shift: float = 0.0,
) -> Part:
    """What is in the beam for thicknesses of a part: the view's composition, moved by build, thickness and age.

    thickness_cm (n). The thickness above (below) average_cm, the average adult's, is fat gained (lost). A child of a
    declared age has the bone, fat and lung of that age at its usual size; where no age was declared a part that only a child
    has goes by its size. fat_shift, bone_scale and lung_shift move the estimate, to see what its uncertainty does.
    """
    fat_at, usual_cm, lung = composition.fat, average_cm, composition.lung_fraction
    if age is None:
        size = thickness_cm / average_cm
        child = np.clip((ADULT_FROM - size) / (ADULT_FROM - CHILD_BELOW), 0, 1)
        bone = size ** (BONE_GROWTH * (1 - child) + BONE_WITH_SIZE[composition.growth] * child)
    else:
        usual_cm = age.usual_cm or average_cm
        bone = BONE_AT_AGE[composition.growth].get(age.band, 1.0) * (thickness_cm / usual_cm) ** BONE_GROWTH
        lung *= LUNG_AT_AGE.get(age.band, 1.0) if composition.growth != "none" else 1.0
        if place := place_of(composition.growth):
            fat_at = FAT_AT_AGE[place].get(age.band, composition.fat)
    gained = thickness_cm - usual_cm
    fat_cm = fat_at * usual_cm + np.where(gained > 0, composition.fat_gained, composition.fat_lost) * gained
    fat = np.clip(fat_cm / thickness_cm + HABITUS_FAT[habitus] + fat_shift, *FAT_RANGE)
    lung = min(max(lung + lung_shift, 0.0), 0.85)
    most = 6 * thickness_cm * (1 - lung)
    bone_mm = np.minimum(bone_scale * composition.bone_mm * bone, most)
    # A part keeps its shape: a thicker limb is wider.
    width_cm = None if composition.width_cm is None else composition.width_cm * thickness_cm / average_cm
    return Part(thickness_cm, {"muscle": 1 - fat, "adipose": fat}, bone_mm, lung, overlay, width_cm)


@dataclass(frozen=True, slots=True)
class Age:
    """A declared age: its band, and the usual thickness [cm] of the part at it; None where that is the adult's."""

    band: AgeBand
    usual_cm: float | None = None


@dataclass(frozen=True, slots=True)
class PatientPart:
    """One patient's part: what `part_of` makes a Part of."""

    composition: Composition
    average_cm: float
    thickness_cm: float
    habitus: Habitus | None
    overlay: tuple[tuple[str, float], ...]
    thickness_spread_cm: float
    age: Age | None = None


@cached(1024)
def beam_and_spread(setup: BeamSetup, patient: PatientPart) -> tuple[Beam, float, dict[str, float]]:
    """The beam of a set-up and patient (its first entry); one standard deviation in DI of how one patient differs from the
    mean (fat, bone, lung, the caliper's error); and what is not known of that mean, fat, bone and lung each by its effect of
    one standard deviation, signed. Raises OutOfRange outside the model's range.
    """
    composition, average, cm = patient.composition, patient.average_cm, patient.thickness_cm
    who = patient.habitus, patient.overlay
    fat = composition.fat_spread * (1.0 if patient.habitus else UNKNOWN_BUILD)
    part = part_of(
        composition,
        average,
        cm + np.array([0.0, 0.0, 0.0, patient.thickness_spread_cm, 0.0, 0.0]),
        *who,
        np.array([0.0, fat, 0.0, 0.0, composition.fat_unsure, 0.0]),
        np.array([1.0, 1.0, 1 + composition.bone_spread, 1.0, 1.0, 1 + composition.bone_unsure]),
        patient.age,
    )
    beam = evaluate(setup, part)
    given = beam.rqa5_equivalent_kerma_ugy
    off = 10 * np.log10(given[1:] / given[0])
    patients, mean = off[:3], {"fat": float(off[3]), "bone": float(off[4])}
    if composition.lung_spread:
        # One share of lung a call; its effect is all but linear, so what is not known of it needs none of its own.
        airy = part_of(composition, average, np.array([cm]), *who, age=patient.age, lung_shift=composition.lung_spread)
        lung = 10 * math.log10(rqa5_equivalent_ugy(setup, airy)[0] / given[0])
        patients = np.append(patients, lung)
        mean["lung"] = lung * composition.lung_unsure / composition.lung_spread
    return beam, float(np.linalg.norm(patients)), mean


@cached(8192)
def signal_per_mas(setup: BeamSetup, patient: PatientPart) -> float:
    """RQA5-equivalent kerma [µGy/mAs]. Kept, since calipers are read to the half centimetre and set-ups recur."""
    thickness = np.array([patient.thickness_cm])
    part = part_of(patient.composition, patient.average_cm, thickness, patient.habitus, patient.overlay, age=patient.age)
    return float(rqa5_equivalent_ugy(setup, part)[0])
