"""Sharpness of the image: how far the structure shown lies from the receptor, and what blurs it."""

from __future__ import annotations

from oakbeam.core.physics.beam.quality import REGION_MOTION_MM_S, unsharpness_mm
from oakbeam.core.physics.beam.receptor import PHOSPHORS
from oakbeam.core.projection import Projection
from oakbeam.core.technique.set_up import ResolvedSetup


def structure_oid_cm(projection: Projection, thickness_cm: float, gap_cm: float) -> float:
    """OID [cm] of the structure shown: the receptor gap, and how deep it lies above the skin next to the receptor.

    The depth grows with the part, but for what lies outside the part's own thickness (a neck held off by the shoulder, a
    receptor in a holder).
    """
    average = projection.thickness_cm[1]
    own = projection.structure_cm <= average
    return gap_cm + (projection.structure_cm * thickness_cm / average if own else projection.structure_cm)


def total_unsharpness_mm(
    projection: Projection, setup: ResolvedSetup, thickness_cm: float, spot_mm: float, time_ms: float
) -> float:
    """Unsharpness [mm] at the receptor of the structure shown: geometry, motion and receptor blur in quadrature. While the
    patient breathes it is that of the part that keeps still; what moves is meant to blur."""
    still = setup.exposure_control == "breathing"
    return unsharpness_mm(
        spot_mm,
        setup.sid_cm,
        structure_oid_cm(projection, thickness_cm, setup.gap_cm),
        PHOSPHORS[setup.receptor.kind].blur_mm,
        REGION_MOTION_MM_S.get(projection.region, 1.0),
        0.0 if still else time_ms,
    )
