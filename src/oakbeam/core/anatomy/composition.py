"""What the beam meets in a part: tissue, fat, bone and lung by thickness and build, with how sure that is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oakbeam.core.anatomy.body import Habitus
from oakbeam.core.cache import cached
from oakbeam.core.physics.beam.model import Beam, BeamSetup, Part, evaluate, rqa5_equivalent_ugy
from oakbeam.core.physics.beam.tables import Array


@dataclass(frozen=True, slots=True)
class Composition:
    """What the beam meets in the part, for the physics model; an estimate whose uncertainty the forecast carries.

    bone_mm: cortical-equivalent bone on the ray at the average adult. lung_fraction of the thickness is lung. fat: share of
    what is neither bone nor lung that is fat, at the average adult of medium build; extra_fat: share of the thickness above
    the average that is fat. why: the reasoning or source.
    """

    bone_mm: float
    lung_fraction: float
    fat: float
    extra_fat: float
    why: str


HABITUS_FAT = {"asthenic": -0.12, "hyposthenic": -0.06, "sthenic": 0.0, "hypersthenic": 0.12, None: 0.0}
"""What the build adds to the share of fat at a measured thickness."""

FAT_RANGE = (0.03, 0.85)

FAT_SPREAD = 0.15
"""One standard deviation of the share of fat between patients of the same build and thickness."""

BONE_SPREAD = 0.20
"""One standard deviation of the bone on the ray, relative: age, sex, stature."""

BONE_GROWTH = 0.3
"""Bone on the ray grows as the thickness to this power: a thicker adult is mostly softer, not bonier."""


def part_of(
    composition: Composition,
    average_cm: float,
    thickness_cm: Array,
    habitus: Habitus | None = None,
    overlay: tuple[tuple[str, float], ...] = (),
    fat_shift: Array | float = 0.0,
    bone_scale: Array | float = 1.0,
) -> Part:
    """What is in the beam for thicknesses of a part: the catalogue's composition, moved by build and thickness.

    thickness_cm (n). The thickness above (below) average_cm, the average adult's, is fat gained (lost) by extra_fat.
    fat_shift and bone_scale move the estimate, to see what its uncertainty does.
    """
    fat_cm = composition.fat * average_cm + composition.extra_fat * (thickness_cm - average_cm)
    fat = np.clip(fat_cm / thickness_cm + HABITUS_FAT[habitus] + fat_shift, *FAT_RANGE)
    bone = bone_scale * composition.bone_mm * (thickness_cm / average_cm) ** BONE_GROWTH
    most = 6 * thickness_cm * (1 - composition.lung_fraction)
    return Part(thickness_cm, {"soft": 1 - fat, "adipose": fat}, np.minimum(bone, most), composition.lung_fraction, overlay)


@dataclass(frozen=True, slots=True)
class PatientPart:
    """One patient's part: what `part_of` makes a Part of."""

    composition: Composition
    average_cm: float
    thickness_cm: float
    habitus: Habitus | None
    overlay: tuple[tuple[str, float], ...]
    thickness_spread_cm: float


@cached(1024)
def beam_and_spread(setup: BeamSetup, patient: PatientPart) -> tuple[Beam, float]:
    """The beam of a set-up and patient (its first entry), and one standard deviation in DI of what is not known of the
    patient: fat, bone, and the caliper's error. Raises OutOfRange outside the model's range.

    The chart line was made on patients too: what counts is how one patient differs from them at the reading.
    """
    part = part_of(
        patient.composition,
        patient.average_cm,
        patient.thickness_cm + np.array([0.0, 0.0, 0.0, patient.thickness_spread_cm]),
        patient.habitus,
        patient.overlay,
        np.array([0.0, FAT_SPREAD, 0.0, 0.0]),
        np.array([1.0, 1.0, 1 + BONE_SPREAD, 1.0]),
    )
    beam = evaluate(setup, part)
    given = beam.rqa5_equivalent_kerma_ugy
    return beam, float(10 * np.linalg.norm(np.log10(given[1:] / given[0])))


@cached(8192)
def signal_per_mas(setup: BeamSetup, patient: PatientPart) -> float:
    """RQA5-equivalent kerma [µGy/mAs]. Kept, since calipers are read to the half centimetre and set-ups recur."""
    thickness = np.array([patient.thickness_cm])
    part = part_of(patient.composition, patient.average_cm, thickness, patient.habitus, patient.overlay)
    return float(rqa5_equivalent_ugy(setup, part)[0])
