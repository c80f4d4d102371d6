"""Levelled lines: mAs over thickness from the physics model, so that the predicted exposure index is the same everywhere."""

from __future__ import annotations

import math

import numpy as np

from oakbeam.core.anatomy.composition import part_of
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import beam_setup, output_behind_ugy_per_mas, usual_field, wanted_rqa5_ugy
from oakbeam.core.physics import geometry, rules_of_thumb
from oakbeam.core.physics.beam.model import rqa5_equivalent_ugy
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

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
        setup = beam_setup(room, one, line.sid_cm, support, line.grid_ratio, receptor, field, added=room.filter(line.filter))
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


def wanted_of(line: ChartLine, room: Room, projection: Projection) -> float:
    """RQA5-equivalent kerma [µGy] that a chart line aims at: by its own target index, else its receptor's for the region."""
    receptor = room.receptor(line.receptor)
    return wanted_rqa5_ugy(receptor, receptor.target_for(projection.region, line.target_ei))


def skin_kerma_mgy(line: ChartLine, room: Room, thickness_cm: float, kvp: float, mas: float) -> float:
    """Incident air kerma [mGy] at the skin at a line's distance, by the room's measured output and the inverse square law.

    Raises OutOfRange where the output was not measured or the skin lies too near."""
    ssd_cm = geometry.source_to_skin_cm(line.sid_cm, thickness_cm, room.support(line.support).gap_cm)
    output = output_behind_ugy_per_mas(room, kvp, room.filter(line.filter))
    return rules_of_thumb.inverse_square(output * mas, 100, ssd_cm) / 1000
