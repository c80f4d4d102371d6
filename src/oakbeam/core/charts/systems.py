"""The technique systems: how a line gives kVp and mAs over thickness."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.physics import rules_of_thumb

SystemName = Literal["fixed_kvp", "variable_kvp", "banded", "levelled"]

SYSTEM_NAMES: dict[str, str] = {
    "fixed_kvp": "fixed kVp",
    "variable_kvp": "variable kVp",
    "banded": "banded",
    "levelled": "levelled",
}
"""The laws' names within a sentence."""


@dataclass(frozen=True, slots=True)
class FixedKvp:
    """kVp fixed; mas is right at thickness_cm and doubles every doubling_cm."""

    thickness_cm: float
    kvp: float
    mas: float
    doubling_cm: float = rules_of_thumb.DEFAULT_DOUBLING_CM
    name: Literal["fixed_kvp"] = "fixed_kvp"

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        return self.kvp, rules_of_thumb.mas_for_thickness(self.mas, self.thickness_cm, thickness_cm, self.doubling_cm)


@dataclass(frozen=True, slots=True)
class VariableKvp:
    """mAs fixed; kvp is right at thickness_cm and climbs by kvp_per_cm."""

    thickness_cm: float
    kvp: float
    mas: float
    kvp_per_cm: float = rules_of_thumb.DEFAULT_KVP_PER_CM
    name: Literal["variable_kvp"] = "variable_kvp"

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        return rules_of_thumb.kvp_for_thickness(self.kvp, self.thickness_cm, thickness_cm, self.kvp_per_cm), self.mas


@dataclass(frozen=True, slots=True)
class Band:
    """One setting for thicknesses from min_cm up to, but not including, max_cm (the last band includes its end)."""

    name: str
    min_cm: float
    max_cm: float
    kvp: float
    mas: float


@dataclass(frozen=True, slots=True)
class Banded:
    """Bands in rising order that touch each other."""

    bands: tuple[Band, ...]
    name: Literal["banded"] = "banded"

    def band(self, thickness_cm: float) -> Band:
        """The band a thickness [cm] falls in."""
        for band in self.bands:
            if thickness_cm < band.max_cm:
                return band
        return self.bands[-1]

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        band = self.band(thickness_cm)
        return band.kvp, band.mas


@dataclass(frozen=True, slots=True)
class Point:
    """One point of a levelled line: the setting that is right at thickness_cm."""

    thickness_cm: float
    kvp: float
    mas: float


@dataclass(frozen=True, slots=True)
class Levelled:
    """Points that the physics model found to give the same exposure index at each thickness (see `levelling`).

    base_cm: the thickness of the accepted exposure it was levelled from, one of the points. Between points the logarithm of
    the mAs is linear where the kVp is the same; where it steps, the lower point's setting is carried up to the step.
    """

    points: tuple[Point, ...]
    base_cm: float
    name: Literal["levelled"] = "levelled"

    @property
    def thickness_cm(self) -> float:
        return self.base_cm

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        places = [point.thickness_cm for point in self.points]
        i = min(max(bisect_right(places, thickness_cm) - 1, 0), len(places) - 1)
        point = self.points[i]
        if thickness_cm == point.thickness_cm or len(places) == 1:
            return point.kvp, point.mas
        # Where the kVp steps at the next point, go on along this side of the step; the last point goes on the same way.
        last = i + 1 == len(places)
        j = i - 1 if last or (self.points[i + 1].kvp != point.kvp and i > 0) else i + 1
        other = self.points[j]
        if other.kvp != point.kvp:
            return point.kvp, point.mas
        share = (thickness_cm - point.thickness_cm) / (other.thickness_cm - point.thickness_cm)
        return point.kvp, point.mas * (other.mas / point.mas) ** share


MasRule = FixedKvp | VariableKvp | Banded | Levelled
