"""Stations, tube power, focal spots, exposure time, heat and AEC back-up: what the console can really deliver.

kVp in kV, mA in mA, mAs in mAs, time in ms, power in kW. Station lists rise. Sources: ISO 497 (preferred numbers R'10 and
R'20), tube-loading relations of any imaging-physics text; see the functions for what is a house rule.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from oakbeam.core.errors import OutOfRange, Refusal, WholeDocument, positive, within
from oakbeam.core.projection import SpotChoice

ExposureControl = Literal["manual", "aec", "breathing"]
SpotName = Literal["small", "large"]

_R10_FIRST_DECADE = (1.0, 1.25, 1.6, 2.0, 2.5, 3.2, 4.0, 5.0, 6.3, 8.0)
_R20_BETWEEN = (1.1, 1.4, 1.8, 2.2, 2.8, 3.6, 4.5, 5.6, 7.1, 9.0)
PAIR_TOLERANCE = 0.025
"""mA x time may differ from the mAs setting by this much: what rounding two R'10 numbers can add up to."""
BREATHING_WANTED_MS = (2000.0, 4000.0)
BREATHING_ACCEPTED_MS = (1000.0, 4000.0)
USUAL_MA: Mapping[SpotName, float] = {"small": 200.0, "large": 400.0}
"""The mA that people set where nothing asks for another; a house rule after common practice. Legal is a finger at 500 mA and
1 ms too, but it wears the tube and ends below what a chamber or a switch can time."""
AEC_BACKUP_FACTOR = 1.5
AEC_MINIMUM_RESPONSE_MS = 3.0
HEAT_UNITS_PER_JOULE = 1.4


@dataclass(frozen=True, slots=True)
class PowerPoint(WholeDocument):
    """The highest tube power [kW] for an exposure of time_ms."""

    time_ms: float
    power_kw: float


@dataclass(frozen=True, slots=True)
class FocalSpot(WholeDocument):
    """A focal spot: nominal size [mm], its power limits, times rising, and the most mA [mA] that the console gives it; None
    where its power alone limits it."""

    name: SpotName
    size_mm: float
    power: tuple[PowerPoint, ...]
    most_ma: float | None = None


@dataclass(frozen=True, slots=True)
class Generator(WholeDocument):
    """The station lists of a room's console and the limits of its tube. time_ms may be empty: then time = mAs / mA."""

    kvp: tuple[float, ...]
    ma: tuple[float, ...]
    mas: tuple[float, ...]
    time_ms: tuple[float, ...]
    focal_spots: tuple[FocalSpot, ...]
    mas_ceiling: float = 600.0
    """Most mAs per exposure with AEC; 600 at 51 kVp or more is a commonly cited legal ceiling. Local code rules."""


@dataclass(frozen=True, slots=True)
class Loading:
    """How a mAs is delivered: tube current, time and focal spot, with the energy and heat it puts into the anode."""

    mas: float
    ma: float
    time_ms: float
    focal_spot: SpotName
    energy_j: float
    heat_units: float


PREFERRED: Mapping[str, tuple[float, ...]] = {
    "R'10": _R10_FIRST_DECADE,
    "R'20": tuple(sorted((*_R10_FIRST_DECADE, *_R20_BETWEEN))),
}
"""The series that consoles are built in (ISO 497), each by its numbers from 1 to under 10."""


def renard_r10(low: float, high: float) -> tuple[float, ...]:  # pragma: no mutate block
    """The R'10 preferred numbers (1, 1.25, 1.6, 2 ... 8) from low to high inclusive; both > 0."""
    return _preferred(PREFERRED["R'10"], low, high)


def renard_r20(low: float, high: float) -> tuple[float, ...]:
    """The R'20 preferred numbers (1, 1.1, 1.25, 1.4 ... 9) from low to high inclusive: R'10 and one between each two."""
    return _preferred(PREFERRED["R'20"], low, high)


def _preferred(first_decade: Sequence[float], low: float, high: float) -> tuple[float, ...]:
    positive("low", low)
    positive("high", high)
    decades = range(math.floor(math.log10(low)) - 1, math.ceil(math.log10(high)) + 1)
    numbers = sorted(round(digit * 10.0**decade, 6) for decade in decades for digit in first_decade)
    return tuple(number for number in numbers if low <= number <= high)


def nearest_setting(field: str, value: float, stations: Sequence[float], unit: str) -> float:
    """The station nearest to value in log space; a tie goes down, for dose.

    A value up to half a step beyond either end still takes the end; further out raises OutOfRange with the list's range.
    So |log2(station / value)| is never more than half a step.
    """
    positive(field, value)
    place = bisect_left(stations, value)
    if 0 < place < len(stations):
        below, above = stations[place - 1], stations[place]
        return below if value * value <= below * above * (1 + 1e-12) else above
    end, next_one = (stations[0], stations[min(1, len(stations) - 1)]) if place == 0 else (stations[-1], stations[-2:][0])
    if abs(math.log(value / end)) <= abs(math.log(next_one / end)) / 2 + 1e-9:
        return end
    asked = f"{value:.0f}" if value >= 1000 else f"{value:.3g}"
    raise OutOfRange(
        "Outside the room's stations",
        f"It would be {asked} {unit}; this room offers {stations[0]:g} to {stations[-1]:g} {unit}.",
        {"min": stations[0], "max": stations[-1], "unit": unit},
        field,
    )


def power_limit_kw(spot: FocalSpot, time_ms: float) -> float:
    """Highest power [kW] of a focal spot for a time: log-linear in time between the stored points.

    Shorter than the first point takes the first (the limit only falls with time); longer than the last is 0: not rated.
    """
    points = spot.power
    if time_ms <= points[0].time_ms:
        return points[0].power_kw
    for a, b in pairwise(points):
        if time_ms <= b.time_ms:
            share = math.log(time_ms / a.time_ms) / math.log(b.time_ms / a.time_ms)
            return a.power_kw + share * (b.power_kw - a.power_kw)
    return 0.0


def tube_energy_j(kvp: float, ma: float, time_ms: float) -> float:
    """Energy put into the anode: kVp * mA * s [J], high-frequency generator."""
    return kvp * ma * time_ms / 1000


def choose_loading(
    generator: Generator,
    kvp: float,
    mas: float,
    spots: SpotChoice = "small_or_large",
    time_ceiling_ms: float = math.inf,
    control: ExposureControl = "manual",
    spot: SpotName | None = None,
) -> Loading:
    """mA, time and focal spot for a mAs setting.

    Held or suspended exposures take the usual mA (`USUAL_MA`), more where the time would be over time_ceiling_ms (motion);
    on the small spot where that stays within it (detail), on the large spot otherwise. A breathing exposure takes the lowest
    mA station whose time lies in 2 to 4 s, then 1 to 4 s. spot: the one set by hand. Raises Refusal with the most mAs that
    the tube takes at this kVp where no pair is allowed.
    """
    order: tuple[SpotName, ...] = (spot,) if spot else ("large", "small") if spots == "large" else ("small", "large")
    found = [one for name in order if (one := _first_allowed(generator, name, kvp, mas, time_ceiling_ms, control))]
    if not found:
        raise _no_loading(generator, kvp, mas, control, order)
    preferred = found[0]
    if preferred.focal_spot == "large" or preferred.time_ms <= time_ceiling_ms:
        return preferred
    return min(found, key=lambda one: one.time_ms)


def aec_backup_mas(generator: Generator, predicted_mas: float, factor: float = AEC_BACKUP_FACTOR) -> float:
    """Back-up mAs setting for an AEC exposure: factor (1.5 to 2) times the prediction, never above the room's ceiling."""
    within("backup_factor", factor, 1.5, 2.0, "")
    wanted = min(positive("predicted_mas", predicted_mas) * factor, generator.mas_ceiling, generator.mas[-1])
    place = bisect_left(generator.mas, wanted * (1 - 1e-9))
    station = generator.mas[min(place, len(generator.mas) - 1)]
    return station if station <= generator.mas_ceiling else generator.mas[max(0, place - 1)]


def _time_ms(generator: Generator, ma: float, mas: float) -> float | None:
    """The time [ms] in which a mA gives a mAs. With a time list, None where it does not land on one."""
    time_ms = 1000 * mas / ma
    if not generator.time_ms:
        return time_ms
    place = bisect_left(generator.time_ms, time_ms)
    near = min(generator.time_ms[max(0, place - 1) : place + 1], key=lambda station: abs(station - time_ms))
    return near if abs(near / time_ms - 1) <= PAIR_TOLERANCE else None


def _held_pairs(generator: Generator, name: SpotName, mas: float, time_ceiling_ms: float) -> Iterator[tuple[float, float]]:
    """(mA, time) pairs as they are tried for a held exposure: within the time that avoids motion the usual mA, then less,
    then more; beyond it the fastest first."""
    usual, slow = bisect_right(generator.ma, USUAL_MA[name]), []
    for ma in (*reversed(generator.ma[:usual]), *generator.ma[usual:]):
        time_ms = _time_ms(generator, ma, mas)
        if time_ms is None:
            continue
        if time_ms <= time_ceiling_ms:
            yield ma, time_ms
        else:
            slow.append((ma, time_ms))
    yield from sorted(slow, key=lambda pair: pair[1])


def _breathing_pairs(generator: Generator, mas: float) -> list[tuple[float, float]]:
    slow_first = [(ma, _time_ms(generator, ma, mas)) for ma in generator.ma]
    for low, high in (BREATHING_WANTED_MS, BREATHING_ACCEPTED_MS):
        if fitting := [(ma, time_ms) for ma, time_ms in slow_first if time_ms is not None and low <= time_ms <= high]:
            return fitting
    return []


def _first_allowed(
    generator: Generator,
    name: SpotName,
    kvp: float,
    mas: float,
    time_ceiling_ms: float = math.inf,
    control: ExposureControl = "manual",
) -> Loading | None:
    """The first pair, in the order of the exposure control, whose mA and power the named focal spot takes."""
    spot = next((spot for spot in generator.focal_spots if spot.name == name), None)
    if spot is None:
        return None
    breathing = control == "breathing"
    for ma, time_ms in _breathing_pairs(generator, mas) if breathing else _held_pairs(generator, name, mas, time_ceiling_ms):
        if ma <= (spot.most_ma or math.inf) and kvp * ma / 1000 <= power_limit_kw(spot, time_ms):
            energy = tube_energy_j(kvp, ma, time_ms)
            return Loading(mas, ma, time_ms, spot.name, energy, energy * HEAT_UNITS_PER_JOULE)
    return None


def _no_loading(
    generator: Generator, kvp: float, mas: float, control: ExposureControl, spots: Sequence[SpotName]
) -> Refusal:
    if control == "breathing":
        low, high = generator.ma[0] * BREATHING_ACCEPTED_MS[0] / 1000, generator.ma[-1] * BREATHING_ACCEPTED_MS[1] / 1000
        return Refusal(
            "No breathing technique at this mAs",
            f"{mas:g} mAs at {kvp:g} kVp has no mA setting with a time of 1 to 4 s that the tube allows.",
            {"min": low, "max": high, "unit": "mAs"},
            "exposure_control",
        )
    possible = [station for station in generator.mas if any(_first_allowed(generator, name, kvp, station) for name in spots)]
    what = "tube" if len(spots) > 1 else f"{spots[0]} focus"
    if not possible:
        return Refusal("Over the tube's limit", f"The {what} takes no mAs setting at {kvp:g} kVp.", None, "mas")
    return OutOfRange(
        "Over the tube's limit",
        f"{mas:g} mAs at {kvp:g} kVp is outside what the {what} takes; at this kVp it is {possible[0]:g} to "
        f"{possible[-1]:g} mAs. Raise kVp and lower mAs, or shorten the SID.",
        {"min": possible[0], "max": possible[-1], "unit": "mAs"},
        "mas",
    )
