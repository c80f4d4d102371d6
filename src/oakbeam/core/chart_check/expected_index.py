"""The expected exposure index of each chart line over its thickness, by the physics model."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from oakbeam.core.cache import cached_by_object
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.receptor_exposure import signals_per_mas, wanted_of
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

PLACES = 40

TOLERANCE_DI = 1.0
"""A line is level while it stays within this: the usual limit of an acceptable image (AAPM TG-116)."""


@dataclass(frozen=True, slots=True)
class IndexOverThickness:
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


@cached_by_object(4096)
def index_over_thickness(line: ChartLine, room: Room, projection: Projection) -> IndexOverThickness | None:
    """A line's strip; None where the model has no answer. Kept by what a line says, so that one edit costs one line."""
    low, high = line.range_cm
    places = np.linspace(low, high, PLACES)
    thickness = np.array([line.thickness_cm, *places])
    settings = np.array([line.law.at(float(t)) for t in thickness])
    kvp, mas = settings[:, 0], settings[:, 1]
    try:
        wanted = wanted_of(line, room, projection)
        signals = signals_per_mas(line, room, projection, thickness, kvp)
        station_kvp, has_kvp = on_settings(kvp, room.generator.kvp)
        station_mas, has_mas = on_settings(mas * (kvp / station_kvp) ** rules_of_thumb.KVP_EXPONENT, room.generator.mas)
        there = (
            signals if np.array_equal(kvp, station_kvp) else signals_per_mas(line, room, projection, thickness, station_kvp)
        )
    except Refusal:
        return None
    own = mas[0] * signals[0]
    exact = 10 * np.log10(mas[1:] * signals[1:] / own)
    stationed = 10 * np.log10(station_mas[1:] * there[1:] / own)
    possible = (has_kvp & has_mas)[1:]
    return IndexOverThickness(
        tuple(places.round(3).tolist()),
        tuple(exact.round(3).tolist()),
        tuple(di if ok else None for di, ok in zip(stationed.round(3).tolist(), possible, strict=True)),
        10 * math.log10(own / wanted),
    )


def on_settings(values: Array, stations: Sequence[float]) -> tuple[Array, np.ndarray]:
    """(nearest station of each value in log space, whether one is within half a step): `nearest_setting` for many."""
    listed = np.array(stations)
    edges = np.sqrt(listed[:-1] * listed[1:]) * (1 + 1e-12)
    nearest = listed[np.searchsorted(edges, values)]
    if len(listed) == 1:
        return nearest, np.isclose(values, nearest)
    lowest, highest = listed[0] * math.sqrt(listed[0] / listed[1]), listed[-1] * math.sqrt(listed[-1] / listed[-2])
    return nearest, (values >= lowest * (1 - 1e-9)) & (values <= highest * (1 + 1e-9))
