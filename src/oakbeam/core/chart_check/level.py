"""The level check: what deviation index the physics model expects of each chart line over its thickness, as one strip a
line.

A strip is taken about the line's own thickness, where the chart is the authority; `offset_di` says beside it how the line's
own number stands to the room's calibration. `level_it` proposes the smallest change that makes a line level.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core.chart_check.expected_index import PLACES, TOLERANCE_DI, index_over_thickness
from oakbeam.core.charts.levelled import level_at
from oakbeam.core.charts.line import ChartLine, even_steps_cm
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.generator import nearest_setting
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.projection import Projection

MOST_SPLITS = 5


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
    before = index_over_thickness(line, room, projection)
    if before is None or before.level:
        return None
    found = []
    for change, what, numbers in _changes(line, room, projection):
        try:
            changed = check_line(change, projection, room)
        except Refusal:
            continue
        after = index_over_thickness(changed, room, projection)
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
    least_cm, most_cm = rules_of_thumb.DOUBLING_CM_RANGE
    slopes = np.linspace(1 / most_cm, 1 / least_cm, 400)
    worst = np.abs(np.outer(slopes, along) - needed).max(axis=1)
    return round(float(1 / slopes[int(np.argmin(worst))]), 2)


def best_kvp_per_cm(line: ChartLine, room: Room, projection: Projection, kvp: float) -> float:
    """The kVp per cm [kVp/cm], to a quarter, whose line strays least from the model at one mAs over the range."""
    places = np.linspace(*line.range_cm, 12)
    thickness = np.array([line.thickness_cm, *places])
    lowest, highest = room.generator.kvp[0], room.generator.kvp[-1]
    best, least = rules_of_thumb.DEFAULT_KVP_PER_CM, math.inf
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
            what = f"{', '.join(moved)}: mAs on the next fitting setting"
            if moved:
                found.append((replace(line, law=bands), what, len(moved)))
            for more in range(1, MOST_SPLITS + 1):
                cut_up = _split(replace(line, law=bands), room, projection, more)
                what = f"{more} more {'band' if more == 1 else 'bands'}: within one, the exposure strays too far"
                found.append((cut_up, what, 2 * more))
        if not isinstance(law, Banded):
            # Whatever kVp the line has at a thickness stays: the chart keeper chose it, for the part or for the tube.
            if isinstance(law, Levelled):
                places, what = {one.thickness_cm for one in law.points}, "levelled anew from its base"
            else:
                places = {*line.range_cm, *even_steps_cm(line.range_cm)}
                what = "the physics model's mAs in place of the line's own"
            kvps = {float(cm): law.at(cm)[0] for cm in sorted({*places, base_cm})}
            levelled = level_at(line, room, projection, kvps, base_cm, mas)
            found.append((replace(line, law=levelled), what, len(levelled.points)))
    except Refusal:
        pass
    return found


def _split(line: ChartLine, room: Room, projection: Projection, times: int) -> ChartLine:
    """The line with its widest-straying band halved, `times` over; the halves' mAs on the stations the model wants."""
    for _ in range(times):
        assert isinstance(line.law, Banded)
        found = index_over_thickness(line, room, projection)
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
    return nearest_setting("mas", float(mas), room.generator.mas, "mAs")


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
