"""Distances, angles, magnification, blur and grid cut-off. Exact geometry of a point source and a straight ray.

Lengths in cm along the central ray unless a name says otherwise; angles in degrees; losses are fractions of primary.
Sources: inverse-square law and similar triangles; the cut-off formulas are those of physics-of-radiology textbooks for a
focused linear grid with thin strips (Christensen's Physics of Diagnostic Radiology, chapter on grids).
"""

from __future__ import annotations

import math

from oakbeam.core.errors import OutOfRange, positive, within

MAX_TUBE_ANGLE_DEG = 60.0
CUTOFF_WARNING = 0.10
"""Share of the primary lost in a grid from which a caution comes."""
GRID_OFFSET_RANGE_CM = (-20.0, 20.0)
GRID_TILT_RANGE_DEG = (-30.0, 30.0)


def magnification(sid_cm: float, oid_cm: float) -> float:
    """M = SID / SOD with SOD = SID - OID. OID in [0, SID). Dimensionless, >= 1."""
    positive("sid_cm", sid_cm)
    if not 0 <= oid_cm < sid_cm:
        raise OutOfRange(
            "Out of range",
            f"OID is {oid_cm:g} cm; it must be from 0 to below the SID of {sid_cm:g} cm.",
            {"min": 0.0, "max": sid_cm, "unit": "cm"},
            "oid_cm",
        )
    return sid_cm / (sid_cm - oid_cm)


def geometric_unsharpness_mm(focal_spot_mm: float, sid_cm: float, oid_cm: float) -> float:
    """Ug = f * OID / SOD [mm], the penumbra width at the receptor."""
    return positive("focal_spot_mm", focal_spot_mm) * (magnification(sid_cm, oid_cm) - 1)


def sid_along_ray_cm(vertical_cm: float, angle_deg: float) -> float:
    """Distance along the central ray when the tube sits `vertical_cm` above the receptor and is tilted: v / cos(angle)."""
    return positive("vertical_cm", vertical_cm) / math.cos(math.radians(within_tube_angle(angle_deg)))


def tube_height_cm(sid_cm: float, angle_deg: float) -> float:
    """Vertical height of the focus above the receptor that keeps the SID along a tilted ray: SID * cos(angle)."""
    return positive("sid_cm", sid_cm) * math.cos(math.radians(within_tube_angle(angle_deg)))


def receptor_shift_cm(height_cm: float, angle_deg: float) -> float:
    """How far the ray lands from the point below its entry: h * tan(angle).

    height_cm is (thickness + gap) for a landmark on the skin, the gap alone for a landmark at tabletop level.
    """
    if not 0 <= height_cm < math.inf:
        raise OutOfRange("Out of range", "The height must be 0 or more.", {"min": 0.0, "unit": "cm"}, "height_cm")
    return height_cm * math.tan(math.radians(within_tube_angle(angle_deg)))


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


def cutoff_off_distance(grid_ratio: float, off_centre_cm: float, focal_cm: float, sid_cm: float) -> float:
    """Primary lost at `off_centre_cm` across the strips when a grid focused at focal_cm is used at sid_cm.

    L = r * c * |1/f1 - 1/f0|, at most 1.
    """
    if grid_ratio == 0:
        return 0.0
    if sid_cm == focal_cm:
        return 0.0
    gap = abs(1 / positive("sid_cm", sid_cm) - 1 / positive("focal_cm", focal_cm))
    return min(1.0, grid_ratio * abs(off_centre_cm) * gap)


def grid_loss(
    grid_ratio: float, width_cm: float, focal_cm: float, sid_cm: float, offset_cm: float = 0.0, tilt_deg: float = 0.0
) -> float:
    """Mean primary loss over a field `width_cm` wide across the strips, from wrong distance, decentring and tilt at once.

    At c from the centre line the ray misses the strips' direction by the slope c (1/f1 - 1/f0) + b/f0 + tan φ; the strips
    take r times its size: the textbooks' r c |1/f1 - 1/f0|, r b/f0 and r tan φ at once. The mean over |c| <= w/2 is exact.
    offset_cm and tilt_deg are signed across the strips: they add, or make up for each other.
    """
    if grid_ratio == 0:
        return 0.0
    if not offset_cm and not tilt_deg:
        return min(1.0, grid_ratio * abs(1 / positive("sid_cm", sid_cm) - 1 / positive("focal_cm", focal_cm)) * width_cm / 4)
    at_edge = abs(1 / positive("sid_cm", sid_cm) - 1 / positive("focal_cm", focal_cm)) * width_cm / 2
    tilt = math.tan(math.radians(within("grid_tilt_deg", tilt_deg, *GRID_TILT_RANGE_DEG, "deg")))
    everywhere = abs(within("grid_offset_cm", offset_cm, *GRID_OFFSET_RANGE_CM, "cm") / focal_cm + tilt)
    if everywhere >= at_edge:
        return min(1.0, grid_ratio * everywhere)
    return min(1.0, grid_ratio * (everywhere**2 + at_edge**2) / (2 * at_edge))


def within_tube_angle(angle_deg: float) -> float:
    """Return a tube angle [degrees] when a tube can be tilted so far; raise OutOfRange otherwise."""
    return within("tube_angle_deg", angle_deg, -MAX_TUBE_ANGLE_DEG, MAX_TUBE_ANGLE_DEG, "deg")
