"""What the catalogue knows of a projection, and of the conditions and casts that change a technique."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from oakbeam.core.generator import SpotChoice


@dataclass(frozen=True, slots=True)
class Composition:
    """What the beam meets in the part, for the beam model; an estimate whose uncertainty the forecast carries.

    bone_mm: cortical-equivalent bone on the ray at the average adult. lung_fraction of the thickness is lung. fat: share of
    what is neither bone nor lung that is fat, at the average adult of medium build; extra_fat: share of the thickness above
    the average that is fat. why: the reasoning or source.
    """

    bone_mm: float
    lung_fraction: float
    fat: float
    extra_fat: float
    why: str


@dataclass(frozen=True, slots=True)
class Projection:
    """A radiographic projection as far as it bears on exposure. Lengths cm, times ms, tube potential kVp.

    Every number is a textbook-typical starting point, to be confirmed locally.
    """

    id: str
    exam: str
    name: str
    region: str
    synonyms: tuple[str, ...]
    measure: str
    """Where the calipers go, in words."""
    thickness_cm: tuple[float, float, float]
    """Usual small, average and large adult."""
    sid_cm: float
    minimum_sid_cm: float | None
    supports: tuple[str, ...]
    grid_over_cm: float | None
    """Thickness above which a grid is usual; None means never."""
    kvp_window: tuple[float, float]
    aec_cells: str
    focal_spot: SpotChoice
    tube_angle: str
    central_ray: str
    field_cm: tuple[float, float]
    breathing: str
    time_ceiling_ms: float
    critique: str
    composition: Composition
    reference_kerma_mgy: float | None
    """An example of a reference level: incident air kerma at the skin of an average adult [mGy]; to be replaced locally."""


@dataclass(frozen=True, slots=True)
class Modifier:
    """A condition or a cast: what it changes once, on a chart value for a normal patient.

    Exactly one of mas_factor (x) or kvp_percent (%) or kvp_added (kVp) is set. overlay: what the beam model puts in the beam
    for it, material and thickness [cm]; None where the model has no opinion.
    """

    id: str
    name: str
    kind: Literal["additive", "destructive", "cast"]
    mas_factor: float | None
    kvp_percent: float | None
    kvp_added: float | None
    note: str
    overlay: tuple[str, float] | None = None
