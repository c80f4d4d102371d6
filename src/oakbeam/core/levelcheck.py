"""The level check: what deviation index the beam model expects of each chart line over its thickness, as one strip a line.

A strip is taken about the line's own thickness, where the chart is the authority; `offset_di` says beside it how the line's
own number stands to the room's calibration. `level_it` proposes the smallest change that makes a line level.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core import rules
from oakbeam.core.beam.tables import Array
from oakbeam.core.chart import Band, Banded, ChartLine, FixedKvp, Levelled, VariableKvp, check_line
from oakbeam.core.generator import nearest_station
from oakbeam.core.kept import kept
from oakbeam.core.levelling import level, signals_per_mas
from oakbeam.core.modelling import wanted_of
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Room

PLACES = 40
MOST_SPLITS = 5
TOLERANCE_DI = 1.0
"""A line is level while it stays within this: the usual limit of an acceptable image (AAPM TG-116)."""


@dataclass(frozen=True, slots=True)
class Strip:
    """Expected deviation index of a line over its range, on target at its own thickness.

    exact_di: of the law itself; station_di: of the room's nearest stations, None where it has none that near. offset_di: the
    line's own number against what the room's calibration and the model call for. To a thousandth.
    """

    places_cm: tuple[float, ...]
    exact_di: tuple[float, ...]
    station_di: tuple[float | None, ...]
    offset_di: float

    @property
    def worst_di(self) -> float:
        """The largest distance from target of the law itself."""
        return max(self.exact_di, key=abs)

    @property
    def level(self) -> bool:
        """Whether the law stays within TOLERANCE_DI."""
        return abs(self.worst_di) <= TOLERANCE_DI


@kept
def strip(line: ChartLine, room: Room, projection: Projection) -> Strip | None:
    """A line's strip; None where the model has no answer. Kept by what a line says, so that one edit costs one line."""
    low, high = line.range_cm
    places = np.linspace(low, high, PLACES)
    thickness = np.array([line.thickness_cm, *places])
    settings = np.array([line.law.at(float(t)) for t in thickness])
    kvp, mas = settings[:, 0], settings[:, 1]
    try:
        wanted = wanted_of(line, room, projection)
        signals = signals_per_mas(line, room, projection, thickness, kvp)
        station_kvp, has_kvp = on_stations(kvp, room.generator.kvp)
        station_mas, has_mas = on_stations(mas * (kvp / station_kvp) ** rules.KVP_EXPONENT, room.generator.mas)
        there = (
            signals if np.array_equal(kvp, station_kvp) else signals_per_mas(line, room, projection, thickness, station_kvp)
        )
    except Refusal:
        return None
    own = mas[0] * signals[0]
    exact = 10 * np.log10(mas[1:] * signals[1:] / own)
    stationed = 10 * np.log10(station_mas[1:] * there[1:] / own)
    possible = (has_kvp & has_mas)[1:]
    return Strip(
        tuple(places.round(3).tolist()),
        tuple(exact.round(3).tolist()),
        tuple(di if ok else None for di, ok in zip(stationed.round(3).tolist(), possible, strict=True)),
        10 * math.log10(own / wanted),
    )


def on_stations(values: Array, stations: Sequence[float]) -> tuple[Array, np.ndarray]:
    """(nearest station of each value in log space, whether one is within half a step): `nearest_station` for many."""
    listed = np.array(stations)
    edges = np.sqrt(listed[:-1] * listed[1:]) * (1 + 1e-12)
    nearest = listed[np.searchsorted(edges, values)]
    if len(listed) == 1:
        return nearest, np.isclose(values, nearest)
    lowest, highest = listed[0] * math.sqrt(listed[0] / listed[1]), listed[-1] * math.sqrt(listed[-1] / listed[-2])
    return nearest, (values >= lowest * (1 - 1e-9)) & (values <= highest * (1 + 1e-9))


@dataclass(frozen=True, slots=True)
class Levelling:
    """A proposal: the line as it would become, what changes in words, how many numbers that is, and the worst expected DI
    before and after."""

    line: ChartLine
    what: str
    numbers: int
    worst_before_di: float
    worst_after_di: float


def level_it(line: ChartLine, room: Room, projection: Projection) -> Levelling | None:
    """The smallest change that holds a line within TOLERANCE_DI; None where it is level already or nothing helps.

    Tried in the order of what they change: one parameter of the law; the mAs of single bands, on stations; last the beam
    model's points in the place of the law. Where none reaches the tolerance, the best of those that help by half a DI or
    more. The line's own number, its accepted exposure, is not
    touched, but where a band that holds it is itself cut in two.
    """
    before = strip(line, room, projection)
    if before is None or before.level:
        return None
    found = []
    for change, what, numbers in _changes(line, room, projection):
        try:
            changed = check_line(change, projection, room)
        except Refusal:
            continue
        after = strip(changed, room, projection)
        if after is None:
            continue
        proposal = Levelling(changed, what, numbers, before.worst_di, after.worst_di)
        if after.level:
            return proposal
        found.append(proposal)
    helping = [one for one in found if abs(one.worst_after_di) <= abs(before.worst_di) - 0.5]
    return min(helping, key=lambda one: abs(one.worst_after_di), default=None)


def best_doubling_cm(line: ChartLine, room: Room, projection: Projection, kvp: float) -> float:
    """The doubling thickness [cm] whose line through the own thickness strays least from the model over the range."""
    places = np.linspace(*line.range_cm, PLACES)
    thickness = np.array([line.thickness_cm, *places])
    signals = signals_per_mas(line, room, projection, thickness, np.full(len(thickness), kvp))
    needed, along = np.log2(signals[0] / signals[1:]), places - line.thickness_cm
    least_cm, most_cm = rules.DOUBLING_CM_RANGE
    slopes = np.linspace(1 / most_cm, 1 / least_cm, 400)
    worst = np.abs(np.outer(slopes, along) - needed).max(axis=1)
    return round(float(1 / slopes[int(np.argmin(worst))]), 2)


def best_kvp_per_cm(line: ChartLine, room: Room, projection: Projection, kvp: float) -> float:
    """The kVp per cm [kVp/cm], to a twentieth, whose line strays least from the model at one mAs over the range."""
    places = np.linspace(*line.range_cm, 12)
    thickness = np.array([line.thickness_cm, *places])
    lowest, highest = room.generator.kvp[0], room.generator.kvp[-1]
    best, least = rules.DEFAULT_KVP_PER_CM, math.inf
    for per_cm in np.arange(0.25, 5.01, 0.25):
        kvps = kvp + per_cm * (thickness - line.thickness_cm)
        if kvps.min() < lowest or kvps.max() > highest:
            continue
        signals = signals_per_mas(line, room, projection, thickness, kvps)
        worst = float(np.abs(np.log(signals[1:] / signals[0])).max())
        if worst < least:
            best, least = float(per_cm), worst
    return best


def _changes(line: ChartLine, room: Room, projection: Projection) -> list[tuple[ChartLine, str, int]]:
    """(line, what it changes in words, how many numbers) from the smallest change to the largest."""
    law, base_cm = line.law, line.thickness_cm
    kvp, mas = law.at(base_cm)
    found: list[tuple[ChartLine, str, int]] = []
    try:
        if isinstance(law, FixedKvp):
            doubling = best_doubling_cm(line, room, projection, kvp)
            what = f"mAs doubles every {doubling:g} cm in place of {law.doubling_cm:g} cm"
            found.append((replace(line, law=replace(law, doubling_cm=doubling)), what, 1))
        if isinstance(law, VariableKvp):
            per_cm = best_kvp_per_cm(line, room, projection, kvp)
            what = f"{per_cm:g} kVp per cm in place of {law.kvp_per_cm:g}"
            found.append((replace(line, law=replace(law, kvp_per_cm=per_cm)), what, 1))
        if isinstance(law, Banded):
            bands, moved = _levelled_bands(line, law, room, projection)
            what = f"{', '.join(moved)}: mAs on the next fitting station"
            if moved:
                found.append((replace(line, law=bands), what, len(moved)))
            for more in range(1, MOST_SPLITS + 1):
                cut_up = _split(replace(line, law=bands), room, projection, more)
                what = f"{more} more {'band' if more == 1 else 'bands'}: within one, the exposure strays too far"
                found.append((cut_up, what, 2 * more))
        if not isinstance(law, Banded):
            levelled = level(line, room, projection, base_cm, kvp, mas)
            what = (
                "the beam model's mAs in place of the law"
                if not isinstance(law, Levelled)
                else "levelled anew from its base"
            )
            found.append((replace(line, law=levelled), what, len(levelled.points)))
    except Refusal:
        pass
    return found


def _split(line: ChartLine, room: Room, projection: Projection, times: int) -> ChartLine:
    """The line with its widest-straying band halved, `times` over; the halves' mAs on the stations the model wants."""
    for _ in range(times):
        assert isinstance(line.law, Banded)
        found = strip(line, room, projection)
        if found is None or found.level:
            break
        law, own = line.law, line.law.band(line.thickness_cm)
        at = law.bands.index(law.band(found.places_cm[found.exact_di.index(found.worst_di)]))
        band = law.bands[at]
        middle = round(band.min_cm + band.max_cm) / 2
        halves = [(band.min_cm, middle), (middle, band.max_cm)]
        thickness = np.array([line.thickness_cm, *(sum(half) / 2 for half in halves)])
        kvps = np.array([own.kvp, band.kvp, band.kvp])
        signals = signals_per_mas(line, room, projection, thickness, kvps)
        new = tuple(
            Band(f"{band.name} {mark}"[:60], *half, band.kvp, _station(room, own.mas * signals[0] / signal))
            for mark, half, signal in zip(("−", "+"), halves, signals[1:], strict=True)
        )
        line = replace(line, law=Banded((*law.bands[:at], *new, *law.bands[at + 1 :])))
    return line


def _station(room: Room, mas: float) -> float:
    return nearest_station("mas", float(mas), room.generator.mas, "mAs")


def _levelled_bands(line: ChartLine, law: Banded, room: Room, projection: Projection) -> tuple[Banded, list[str]]:
    """The bands with the mAs of those that are off in their middle put on the station that the model wants there."""
    own = law.band(line.thickness_cm)
    thickness = np.array([line.thickness_cm, *((band.min_cm + band.max_cm) / 2 for band in law.bands)])
    kvps = np.array([own.kvp, *(band.kvp for band in law.bands)])
    signals = signals_per_mas(line, room, projection, thickness, kvps)
    bands, moved = [], []
    for band, signal in zip(law.bands, signals[1:], strict=True):
        wanted = own.mas * signals[0] / signal
        station = band.mas
        if band is not own and abs(10 * math.log10(band.mas / wanted)) > TOLERANCE_DI / 2:
            station = _station(room, wanted)
        if station != band.mas:
            moved.append(f"{band.name} {band.mas:g} to {station:g} mAs")
        bands.append(replace(band, mas=station))
    return Banded(tuple(bands)), moved
