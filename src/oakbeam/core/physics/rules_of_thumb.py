"""The rules of thumb people are taught and use at the console, each a named function with its validity.

This is the "rules" school. A function changes one thing and gives the value that keeps the receptor exposure. Ranges
named *_VALID_* are where textbooks call the rule about right; outside them the function still answers and the caller
says so.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

from oakbeam.core.errors import Refusal, positive, within

KVP_EXPONENT = math.log(2) / math.log(1.15)
"""Receptor exposure goes as kVp to this power (4.96): the continuous form of the 15 % rule."""
FIFTEEN_PERCENT_VALID_KVP = (60.0, 100.0)
FIFTEEN_PERCENT_MOST_STEPS = 2.0
"""The 15 % rule over-simplifies beyond about two of its steps in one go."""
DEFAULT_DOUBLING_CM = 4.5
DOUBLING_CM_RANGE = (2.0, 12.0)
DEFAULT_KVP_PER_CM = 2.0
KVP_PER_CM_RANGE = (0.5, 5.0)

TextbookGridTable = Literal["average", "by_kvp"]
GridTable = Literal["computed", "average", "by_kvp"]
"""Where a chart takes the factor of another grid from: the physics model for the part and beam at hand, or a textbook."""
DEFAULT_GRID_TABLE: GridTable = "computed"
GRID_FACTORS_AVERAGE: Mapping[int, float] = {0: 1.0, 5: 2.0, 6: 3.0, 8: 4.0, 10: 4.5, 12: 5.0, 16: 6.0}
GRID_FACTORS_KVP = (70.0, 90.0, 120.0)
GRID_FACTORS_BY_KVP: Mapping[int, tuple[float, float, float]] = {
    0: (1.0, 1.0, 1.0),
    5: (2.0, 2.5, 3.0),
    8: (3.0, 3.5, 4.0),
    12: (3.5, 4.0, 5.0),
    16: (4.0, 5.0, 6.0),
}
COLLIMATION_POINTS = ((1505.0, 1.0), (750.0, 1.35), (500.0, 1.5))
"""Field area at the receptor [cm²] and mAs factor: 35x43, 25x30, 20x25 cm. For thick parts only."""
COLLIMATION_FROM_THICKNESS_CM = 10.0


def maintain_exposure(mas: float, sid_from_cm: float, sid_to_cm: float) -> float:
    """mAs that keeps the receptor exposure when the SID changes (direct square law).

    mas [mAs] > 0; SIDs [cm] > 0 along the central ray. Exact for a point source at the same kVp and grid.
    Source: inverse-square law. Raises OutOfRange where an argument is not positive and finite.
    """
    return positive("mas", mas) * (positive("sid_to_cm", sid_to_cm) / positive("sid_from_cm", sid_from_cm)) ** 2


def inverse_square(kerma: float, distance_from_cm: float, distance_to_cm: float) -> float:
    """Air kerma (any unit) carried from one distance to another: K * (d1/d2)². Exact for a point source in air."""
    ratio = positive("distance_from_cm", distance_from_cm) / positive("distance_to_cm", distance_to_cm)
    return kerma * ratio**2


def mas_for_kvp(mas: float, kvp_from: float, kvp_to: float) -> float:
    """mAs that keeps the receptor exposure when the kVp changes (15 % rule, continuous form).

    mAs2 = mAs1 * (kVp1/kVp2)^4.96. About right from 60 to 100 kVp; weak below, too strong above.
    """
    return positive("mas", mas) * math.pow(positive("kvp_from", kvp_from) / positive("kvp_to", kvp_to), KVP_EXPONENT)


def kvp_for_mas(kvp: float, mas_from: float, mas_to: float) -> float:
    """kVp that keeps the receptor exposure when the mAs changes: the inverse of `mas_for_kvp`."""
    ratio = positive("mas_from", mas_from) / positive("mas_to", mas_to)
    return positive("kvp", kvp) * math.pow(ratio, 1 / KVP_EXPONENT)


def fifteen_percent_steps(kvp_from: float, kvp_to: float) -> float:
    """How many steps of the 15 % rule lie between two kVp (signed)."""
    return math.log(positive("kvp_to", kvp_to) / positive("kvp_from", kvp_from)) / math.log(1.15)


def mas_for_thickness(mas: float, from_cm: float, to_cm: float, doubling_cm: float = DEFAULT_DOUBLING_CM) -> float:
    """mAs at fixed kVp for another thickness: doubles every `doubling_cm` (2 to 12, usual 4 to 5) of soft tissue."""
    within("doubling_cm", doubling_cm, *DOUBLING_CM_RANGE, "cm")
    return positive("mas", mas) * math.pow(2, (positive("to_cm", to_cm) - positive("from_cm", from_cm)) / doubling_cm)


def kvp_for_thickness(kvp: float, from_cm: float, to_cm: float, kvp_per_cm: float = DEFAULT_KVP_PER_CM) -> float:
    """kVp at fixed mAs for another thickness: 2 kVp per cm (3 for large trunk parts or above 85 kVp)."""
    within("kvp_per_cm", kvp_per_cm, *KVP_PER_CM_RANGE, "kVp/cm")
    return positive("kvp", kvp) + kvp_per_cm * (positive("to_cm", to_cm) - positive("from_cm", from_cm))


def grid_factor(ratio: int, kvp: float, table: TextbookGridTable = "average") -> float:
    """Grid conversion factor of a grid ratio (0 means no grid, factor 1).

    "average" is the textbook single number near 80 to 90 kVp. "by_kvp" is tabulated at 70, 90 and 120 kVp for 5:1, 8:1,
    12:1 and 16:1: linear between the points, the end value outside them, and linear in ratio for 6:1 and 10:1.
    """
    if ratio not in GRID_FACTORS_AVERAGE:
        allowed = [float(known) for known in GRID_FACTORS_AVERAGE]
        raise Refusal(
            "Unknown grid ratio", f"No factor is known for a {ratio}:1 grid; use one of {allowed}.", allowed, "grid_ratio"
        )
    if table == "average":
        return GRID_FACTORS_AVERAGE[ratio]
    known = GRID_FACTORS_BY_KVP
    if ratio in known:
        return _interpolate(positive("kvp", kvp), GRID_FACTORS_KVP, known[ratio])
    below, above = max(r for r in known if r < ratio), min(r for r in known if r > ratio)
    return _interpolate(
        ratio, (float(below), float(above)), (grid_factor(below, kvp, table), grid_factor(above, kvp, table))
    )


def convert_grid(mas: float, ratio_from: int, ratio_to: int, kvp: float, table: TextbookGridTable = "average") -> float:
    """mAs that keeps the receptor exposure when the grid changes: mAs * GCF2 / GCF1."""
    return positive("mas", mas) * grid_factor(ratio_to, kvp, table) / grid_factor(ratio_from, kvp, table)


def convert_speed(mas: float, speed_from: float, speed_to: float) -> float:
    """mAs that keeps the image density when the receptor speed class changes: mAs * S1 / S2."""
    return positive("mas", mas) * positive("speed_from", speed_from) / positive("speed_to", speed_to)


def collimation_factor(area_cm2: float) -> float:
    """Textbook mAs factor of a field area [cm²] at the receptor, relative to 35x43 cm; thick parts only.

    Linear in the logarithm of the area between the textbook's three fields. A smaller field than 20x25 cm keeps its 1.5
    and a larger one than 35x43 cm keeps 1: the textbooks say nothing beyond.
    """
    positive("area_cm2", area_cm2)
    areas = tuple(math.log(area) for area, _ in reversed(COLLIMATION_POINTS))
    factors = tuple(factor for _, factor in reversed(COLLIMATION_POINTS))
    return _interpolate(math.log(area_cm2), areas, factors)


def _interpolate(x: float, xs: tuple[float, ...], ys: tuple[float, ...]) -> float:
    """Piecewise linear through (xs, ys), xs rising; the end values outside."""
    if x <= xs[0]:
        return ys[0]
    for x0, x1, y0, y1 in zip(xs, xs[1:], ys, ys[1:], strict=False):
        if x <= x1:
            return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
    return ys[-1]
