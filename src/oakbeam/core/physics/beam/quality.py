"""Image figures: contrast of a stated detail, contrast-to-noise ratio, and unsharpness."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from oakbeam.core.cache import cached, cached_beside
from oakbeam.core.physics import geometry
from oakbeam.core.physics.beam.model import Beam
from oakbeam.core.physics.beam.tables import Array, tables

DETAIL_AREA_CM2 = 0.1
"""Size of the detail for the noise: about 3 mm square."""


@dataclass(frozen=True, slots=True)
class Detail:
    """A detail to be seen: depth_cm of one material in the place of another.

    least_cnr: below it no technique is offered; about half of what usual techniques of the region reach for an average
    adult, near what they reach for the largest (an estimate; after Rose a detail known to be there wants 3 to 5).
    """

    name: str
    material: str
    in_place_of: str
    depth_cm: float
    least_cnr: float


DETAILS: Mapping[str, Detail] = {
    "bone": Detail("2 mm of bone", "bone", "soft", 0.2, 12.0),
    "nodule": Detail("10 mm nodule in the lung", "soft", "lung", 1.0, 25.0),
    "soft": Detail("10 mm of tissue in fat", "soft", "adipose", 1.0, 4.0),
}
REGION_DETAIL: Mapping[str, str] = {"chest": "nodule", "abdomen": "soft"}
"""Which detail stands for a region of the body; bone elsewhere."""
REGION_MOTION_MM_S: Mapping[str, float] = {"chest": 10.0, "abdomen": 4.0, "spine": 2.0}
"""Usual speed of what moves during a held breath (heart wall, bowel, sway); 1 mm/s elsewhere. Estimates."""


def detail_of(region: str) -> Detail:
    """The detail that stands for a region."""
    return DETAILS[REGION_DETAIL.get(region, "bone")]


@cached_beside(1, 1024)
def contrast(beam: Beam, detail: Detail) -> Array:
    """(n): relative difference of the receptor signal behind the detail, scatter and grid counted in. 0 to 1."""
    return np.asarray(np.abs(beam.primary_kev @ _removed(detail)) / beam.signal_kev)


@cached(16)
def _removed(detail: Detail) -> Array:
    """(energy): share of the primary that the detail takes away."""
    data = tables()
    extra = (data.mu[detail.material] - data.mu[detail.in_place_of]) * detail.depth_cm
    return np.asarray(1 - np.exp(-extra))


def cnr(beam: Beam, contrast_of_detail: Array, mas: Array | float) -> Array:
    """(n): a contrast over the quantum noise in DETAIL_AREA_CM2 for a mAs; the receptor's own noise is not counted."""
    return np.asarray(contrast_of_detail * beam.signal_kev * np.sqrt(mas * DETAIL_AREA_CM2 / beam.variance_kev2))


def unsharpness_mm(
    spot_mm: float, sid_cm: float, object_to_receptor_cm: float, blur_mm: float, motion_mm_s: float, time_ms: float
) -> float:
    """Total unsharpness [mm] at the receptor: geometry, motion and receptor added in quadrature; never below its geometric
    part.

    spot_mm: focal spot; object_to_receptor_cm below the SID. U = √((f (M − 1))² + (v t M)² + F²), M = SID / SOD.
    """
    magnified = geometry.magnification(sid_cm, object_to_receptor_cm)
    geometric = geometry.geometric_unsharpness_mm(spot_mm, sid_cm, object_to_receptor_cm)
    motion = motion_mm_s * time_ms / 1000 * magnified
    return math.sqrt(geometric**2 + motion**2 + blur_mm**2)
