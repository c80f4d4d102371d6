"""How the inside of a body follows its age: bone by kind of part, fat, lung.

Shares of the adult's, for the child's own size. After densitometry and radiogrammetry of children, from memory and unchecked
at the source; bone of the trunk and shafts is known to about 8 %, of joints and ribs to 12 to 15 %.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from oakbeam.core.anatomy.body import AgeBand

Growth = Literal["lumbar", "shaft", "hip", "joint", "carpus", "rib", "skull", "none"]
"""How bone grows: spine; shafts of long bones; hip and pelvis; ends of long bones, first of cartilage; carpus, whose centres
come late; ribs; skull; none where a children's projection has its own figures."""

BONE_AT_AGE: Mapping[Growth, Mapping[AgeBand, float]] = {
    "lumbar": {"newborn": 0.24, "1y": 0.40, "5y": 0.55, "10y": 0.67, "15y": 0.92, "older_adult": 0.92},
    "shaft": {"newborn": 0.24, "1y": 0.34, "5y": 0.52, "10y": 0.69, "15y": 0.92, "older_adult": 0.90},
    "hip": {"newborn": 0.18, "1y": 0.30, "5y": 0.58, "10y": 0.72, "15y": 0.95, "older_adult": 0.90},
    "joint": {"newborn": 0.08, "1y": 0.25, "5y": 0.48, "10y": 0.67, "15y": 0.95, "older_adult": 0.88},
    "carpus": {"newborn": 0.03, "1y": 0.05, "5y": 0.28, "10y": 0.62, "15y": 0.95, "older_adult": 0.88},
    "rib": {"newborn": 0.30, "1y": 0.40, "5y": 0.55, "10y": 0.70, "15y": 0.90, "older_adult": 0.90},
    "skull": {"newborn": 0.20, "1y": 0.36, "5y": 0.62, "10y": 0.77, "15y": 0.92, "older_adult": 0.97},
    "none": {},
}
"""Bone on the ray over the adult's: size and mineral together. Older adults: both sexes at 75 over 55 years."""

BONE_WITH_SIZE: Mapping[Growth, float] = {
    "lumbar": 1.55,
    "shaft": 1.5,
    "hip": 1.6,
    "joint": 2.1,
    "carpus": 2.4,
    "rib": 1.3,
    "skull": 3.0,
    "none": 1.4,
}
"""Where the age was not said and the part is a child's by its size: bone goes as the thickness to this power."""

FAT_AT_AGE: Mapping[Literal["trunk", "limb"], Mapping[AgeBand, float]] = {
    "trunk": {"newborn": 0.15, "1y": 0.28, "5y": 0.20, "10y": 0.23, "15y": 0.26},
    "limb": {"newborn": 0.20, "1y": 0.35, "5y": 0.25, "10y": 0.25, "15y": 0.26},
}
"""True share of fat on the ray; a newborn's fat is still half water, which is counted."""

LUNG_AT_AGE: Mapping[AgeBand, float] = {"newborn": 0.61, "1y": 0.69, "5y": 0.86, "10y": 0.93, "15y": 0.97}
"""Share of lung over the adult's: a child's lung is denser and its breath less full."""


def place_of(growth: Growth) -> Literal["trunk", "limb"] | None:
    """Where a part belongs for its fat; None where that does not follow the age (skull, a children's own projection)."""
    if growth in ("skull", "none"):
        return None
    return "trunk" if growth in ("lumbar", "hip", "rib") else "limb"
