"""Distances, angles, magnification, blur and grid cut-off. Exact geometry of a point source and a straight ray.

Lengths in cm along the central ray unless a name says otherwise; angles in degrees; losses are fractions of primary.
Sources: inverse-square law and similar triangles; the cut-off formulas are those of physics-of-radiology textbooks for a
focused linear grid with thin strips (Christensen's Physics of Diagnostic Radiology, chapter on grids).
"""

from __future__ import annotations

import math

from oakbeam.core.refusal import OutOfRange, positive, within

MAX_TUBE_ANGLE_DEG = 60.0


def magnification(sid_cm: float, oid_cm: float) -> float:
    """M = SID / SOD with SOD = SID - OID. OID in [0, SID). Dimensionless, >= 1."""
    positive("sid_cm", sid_cm)
    if not 0 <= oid_cm < sid_cm:
        raise OutOfRange(
            "Out of range",
            f"oid_cm is {oid_cm:g} cm; it must be from 0 to below the SID of {sid_cm:g} cm.",
            {"min": 0.0, "max": sid_cm, "unit": "cm"},
            "oid_cm",
        )
    return sid_cm / (sid_cm - oid_cm)


def sid_for_magnification(oid_cm: float, wanted: float) -> float:
    """SID [cm] that gives magnification `wanted` (> 1) at an OID > 0: SID = M * OID / (M - 1)."""
    positive("oid_cm", oid_cm)
    if not 1 < wanted < math.inf:
        raise OutOfRange("Out of range", "magnification must be above 1.", {"min": 1.0, "unit": ""}, "magnification")
    return wanted * oid_cm / (wanted - 1)


def geometric_unsharpness_mm(focal_spot_mm: float, sid_cm: float, oid_cm: float) -> float:
    """Ug = f * OID / SOD [mm], the penumbra width at the receptor."""
    return positive("focal_spot_mm", focal_spot_mm) * (magnification(sid_cm, oid_cm) - 1)


def sid_along_ray_cm(vertical_cm: float, angle_deg: float) -> float:
    """Distance along the central ray when the tube sits `vertical_cm` above the receptor and is tilted: v / cos(angle)."""
    return positive("vertical_cm", vertical_cm) / math.cos(math.radians(_tube_angle(angle_deg)))


def tube_height_cm(sid_cm: float, angle_deg: float) -> float:
    """Vertical height of the focus above the receptor that keeps the SID along a tilted ray: SID * cos(angle)."""
    return positive("sid_cm", sid_cm) * math.cos(math.radians(_tube_angle(angle_deg)))


def receptor_shift_cm(height_cm: float, angle_deg: float) -> float:
    """How far the ray lands from the point below its entry: h * tan(angle).

    height_cm is (thickness + gap) for a landmark on the skin, the gap alone for a landmark at tabletop level.
    """
    if not 0 <= height_cm < math.inf:
        raise OutOfRange("Out of range", "height_cm must be 0 or more.", {"min": 0.0, "unit": "cm"}, "height_cm")
    return height_cm * math.tan(math.radians(_tube_angle(angle_deg)))


def sid_when_support_changes_cm(sid_cm: float, gap_from_cm: float, gap_to_cm: float) -> float:
    """SID after the receptor moves to another support while the tube stays where it is.

    gap [cm] is the distance from the surface the patient touches to the receptor: 0 on the tabletop, about 4 to 10 in a
    Bucky. A tabletop receptor under an unmoved tube is nearer the focus by the gap.
    """
    moved = positive("sid_cm", sid_cm) - gap_from_cm + gap_to_cm
    return positive("sid_cm", moved)


def source_to_skin_cm(sid_cm: float, thickness_cm: float, gap_cm: float) -> float:
    """SSD = SID - gap - thickness [cm]; refused where the focus would be inside or within 15 cm of the skin.

    15 cm is the shortest source-to-skin distance commonly allowed for any diagnostic tube (IEC 60601-1-3).
    """
    ssd = sid_cm - gap_cm - thickness_cm
    if not ssd >= MIN_SOURCE_TO_SKIN_CM:
        lowest = thickness_cm + gap_cm + MIN_SOURCE_TO_SKIN_CM
        raise OutOfRange(
            "SID too short for this part",
            f"An SID of {sid_cm:g} cm leaves {ssd:.1f} cm between focus and skin; it must be {lowest:g} cm or more here.",
            {"min": lowest, "unit": "cm"},
            "sid_cm",
        )
    return ssd


MIN_SOURCE_TO_SKIN_CM = 15.0


def field_at_distance_cm(width_at_receptor_cm: float, sid_cm: float, from_receptor_cm: float) -> float:
    """Width of the light field at a plane `from_receptor_cm` towards the tube: w * (SID - d) / SID."""
    positive("sid_cm", sid_cm)
    within("from_receptor_cm", from_receptor_cm, 0, sid_cm, "cm")
    return width_at_receptor_cm * (sid_cm - from_receptor_cm) / sid_cm


def cutoff_off_distance(grid_ratio: float, off_centre_cm: float, focal_cm: float, sid_cm: float) -> float:
    """Primary lost at `off_centre_cm` across the strips when a grid focused at focal_cm is used at sid_cm.

    L = r * c * |1/f1 - 1/f0|, at most 1.
    """
    if grid_ratio == 0:
        return 0.0
    gap = abs(1 / positive("sid_cm", sid_cm) - 1 / positive("focal_cm", focal_cm))
    return min(1.0, grid_ratio * abs(off_centre_cm) * gap)


def cutoff_off_centre(grid_ratio: float, decentring_cm: float, focal_cm: float) -> float:
    """Primary lost over the whole field when the ray is `decentring_cm` off the grid's centre line: L = r * b / f0."""
    return min(1.0, grid_ratio * abs(decentring_cm) / positive("focal_cm", focal_cm))


def cutoff_off_level(grid_ratio: float, tilt_deg: float) -> float:
    """Primary lost when the grid is tilted across its strips: L = r * tan(tilt), at most 1."""
    return min(1.0, grid_ratio * math.tan(math.radians(abs(within("tilt_deg", tilt_deg, -45, 45, "deg")))))


def _tube_angle(angle_deg: float) -> float:
    return within("tube_angle_deg", angle_deg, -MAX_TUBE_ANGLE_DEG, MAX_TUBE_ANGLE_DEG, "deg")
