"""Levelled lines: mAs over thickness from the beam model, so that the predicted exposure index is the same everywhere."""

from __future__ import annotations

import math

import numpy as np

from oakbeam.core.beam.model import rqa5_equivalent_ugy
from oakbeam.core.beam.tables import Array
from oakbeam.core.chart import ChartLine, Levelled, Point
from oakbeam.core.modelling import beam_setup, part_of, usual_field
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import within
from oakbeam.core.room import Room

KVP_STEP = 5.0
"""A stepped line changes its kVp by whole steps of this size, so that a step is easy to see and to remember."""
LARGE_PATIENT_KVP = 10.0
"""What texts add above the usual window for a very large patient: 5 to 10 kVp."""
KVP_PER_CM_RANGE = (0.0, 5.0)
"""0 keeps the kVp fixed."""


MOST_KVPS = 5
"""Up to this many kVp of a line are each a beam of their own; more are read between nodes."""
NODE_KVP = 6.0


def signals_per_mas(line: ChartLine, room: Room, projection: Projection, thickness_cm: Array, kvp: Array) -> Array:
    """RQA5-equivalent kerma [µGy/mAs] at a line's own conditions for pairs of thickness and kVp, (n).

    Where a line has many kVp, beams at a few of them, no more than NODE_KVP apart, are read between by cubics in the
    logarithms: within 1.5 % (0.06 DI) of a beam for each, most where the tube's K lines set in at 69.5 kV.
    """
    receptor, support = room.receptor(line.receptor), room.support(line.support)
    field = usual_field(line.field_cm, projection, receptor)

    def at(one: float, places: Array) -> Array:
        setup = beam_setup(room, one, line.sid_cm, support, line.grid_ratio, receptor, field)
        return rqa5_equivalent_ugy(setup, part_of(projection.composition, projection.thickness_cm[1], places))

    kvps = np.unique(kvp)
    if len(kvps) <= MOST_KVPS:
        found = np.empty(len(thickness_cm))
        for one in kvps:
            found[kvp == one] = at(float(one), thickness_cm[kvp == one])
        return found
    nodes = np.linspace(kvps[0], kvps[-1], max(4, 1 + math.ceil((kvps[-1] - kvps[0]) / NODE_KVP)))
    logs = np.log([at(float(node), thickness_cm) for node in nodes])
    # The four nodes about each kVp, and Lagrange's weights of them.
    first = np.clip(np.searchsorted(nodes, kvp) - 2, 0, len(nodes) - 4)
    x, total = np.log(nodes), np.zeros(len(thickness_cm))
    for i in range(4):
        weight = np.ones(len(thickness_cm))
        for j in range(4):
            if j != i:
                weight *= (np.log(kvp) - x[first + j]) / (x[first + i] - x[first + j])
        total += weight * logs[first + i, np.arange(len(thickness_cm))]
    return np.asarray(np.exp(total))


def level(
    line: ChartLine,
    room: Room,
    projection: Projection,
    base_cm: float,
    base_kvp: float,
    base_mas: float,
    kvp_per_cm: float = 0.0,
) -> Levelled:
    """The law through (base_cm, base_kvp, base_mas) that the model expects to be level over the line's range.

    line gives conditions and range. kvp_per_cm > 0 steps the kVp with thickness, in steps of KVP_STEP about the base and
    within the projection's usual window (a little above it for the largest) and the room's stations. Points every centimetre
    (half of one for short ranges).
    """
    within("parameter", kvp_per_cm, *KVP_PER_CM_RANGE, "kVp/cm")
    low, high = line.range_cm
    step = 0.5 if high - low <= 12 else 1.0
    inner = [step * i for i in range(math.ceil(low / step), math.floor(high / step) + 1)]
    places = np.array(sorted({low, *inner, base_cm, high}))
    usual = projection.kvp_usual(line.support)
    lowest = max(min(usual[0], base_kvp), room.generator.kvp[0])
    highest = min(max(usual[1] + LARGE_PATIENT_KVP, base_kvp), room.generator.kvp[-1])
    steps = np.round(kvp_per_cm * (places - base_cm) / KVP_STEP)
    # A whole step that would leave the window is not taken.
    most_up, most_down = math.floor((highest - base_kvp) / KVP_STEP), math.floor((base_kvp - lowest) / KVP_STEP)
    kvp = base_kvp + KVP_STEP * np.clip(steps, -most_down, most_up)
    signals = signals_per_mas(line, room, projection, places, kvp)
    base = int(np.flatnonzero(places == base_cm)[0])
    mas = base_mas * signals[base] / signals
    return Levelled(tuple(Point(float(t), float(k), float(m)) for t, k, m in zip(places, kvp, mas, strict=True)), base_cm)
