"""Levelled lines: mAs over thickness from the physics model, so that the expected exposure index is the same everywhere."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from oakbeam.core.charts.line import ChartLine, even_steps_cm
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.charts.systems import Levelled, Point
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import within
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

KVP_STEP = 5.0
"""A stepped line changes its kVp by whole steps of this size, so that a step is easy to see and to remember."""

LARGE_PATIENT_KVP = 10.0
"""What texts add above the usual window for a very large patient: 5 to 10 kVp."""

KVP_PER_CM_RANGE = (0.0, 5.0)
"""0 keeps the kVp fixed."""


def level(
    line: ChartLine,
    room: Room,
    projection: Projection,
    base_cm: float,
    base_kvp: float,
    base_mas: float,
    kvp_per_cm: float = 0.0,
) -> Levelled:
    """The mAs rule through (base_cm, base_kvp, base_mas) that the model expects to be level over the line's range.

    line gives conditions and range. kvp_per_cm > 0 steps the kVp with thickness, in steps of KVP_STEP about the base and
    within the projection's usual window (a little above it for the largest) and the room's stations. Points every centimetre
    (half of one for short ranges), and before each step.
    """
    within("parameter", kvp_per_cm, *KVP_PER_CM_RANGE, "kVp/cm")
    places = np.array(sorted({*line.range_cm, *even_steps_cm(line.range_cm), base_cm}))
    usual = projection.kvp_usual(line.support)
    lowest = max(min(usual[0], base_kvp), room.generator.kvp[0])
    highest = min(max(usual[1] + LARGE_PATIENT_KVP, base_kvp), room.generator.kvp[-1])
    steps = np.round(kvp_per_cm * (places - base_cm) / KVP_STEP)
    # A whole step that would leave the window is not taken.
    most_up, most_down = math.floor((highest - base_kvp) / KVP_STEP), math.floor((base_kvp - lowest) / KVP_STEP)
    kvp = base_kvp + KVP_STEP * np.clip(steps, -most_down, most_up)
    return _levelled(line, room, projection, *_with_points_before_steps(places, kvp), base_cm, base_mas)


def level_at(
    line: ChartLine, room: Room, projection: Projection, kvp_by_cm: Mapping[float, float], base_cm: float, base_mas: float
) -> Levelled:
    """The mAs rule through base_mas [mAs] at base_cm that the model expects to be level, each point at the kVp it is given.

    kvp_by_cm: kVp by thickness [cm], base_cm among them. line gives the conditions; its own rule is not looked at.
    """
    places = np.array(sorted(kvp_by_cm))
    return _levelled(line, room, projection, places, np.array([kvp_by_cm[float(cm)] for cm in places]), base_cm, base_mas)


def _levelled(
    line: ChartLine, room: Room, projection: Projection, places: Array, kvp: Array, base_cm: float, base_mas: float
) -> Levelled:
    signals = signals_per_mas(line, room, projection, places, kvp)
    base = int(np.flatnonzero(places == base_cm)[0])
    mas = base_mas * signals[base] / signals
    return Levelled(tuple(Point(float(t), float(k), float(m)) for t, k, m in zip(places, kvp, mas, strict=True)), base_cm)


def _with_points_before_steps(places: Array, kvp: Array) -> tuple[Array, Array]:
    """The points and, half-way to a step of the kVp, another at the kVp before it, for the slope of the mAs up to there."""
    before = np.flatnonzero((kvp[1:] != kvp[:-1]) & (np.diff(places) > 0.15))
    between = np.round((places[before] + places[before + 1]) / 2, 1)
    return np.insert(places, before + 1, between), np.insert(kvp, before + 1, kvp[before])
