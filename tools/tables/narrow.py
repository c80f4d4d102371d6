"""A part narrower than the field, as a box with sides: what `scatter.narrowing` is held to. Own code, for numba.

The tables are of endless slabs. Beside a narrow part nothing scatters (the model cuts the field to the part's width), and
what scatters leaves by its sides (which the model does not know). Here both are in the geometry itself.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit

from tools.tables.transport import MOMENTA, at, coherent_cosine, compton_cosine, material_tables, turned

HALF_STRIP_CM = 1.0
"""Scatter is counted in a strip along the middle, twice as wide as this."""


@njit(cache=True)
def _energy_in_strip(
    seed: int,
    histories: int,
    energy_kev: float,
    beam_cm: float,
    box: bool,
    thickness_cm: float,
    length_cm: float,
    tables: Any,
    squared: Any,
    area: Any,
    bound: Any,
    momenta: Any,
) -> float:
    """Energy that scatter brings to the middle strip; rays start evenly over the beam's width at one place of its length,
    since what ends within half a length of it comes to the same."""
    np.random.seed(seed)
    found = 0.0
    for _ in range(histories):
        x, y, z = (np.random.random() - 0.5) * beam_cm, 0.0, 0.0
        u, v, w = 0.0, 0.0, 1.0
        energy, weight, first = energy_kev, 1.0, True
        while True:
            step = -math.log(1 - np.random.random()) / at(tables[0], energy, 4.0, 0.5)
            out = (thickness_cm - z) / w if w > 0 else (-z / w if w < 0 else 1e9)
            if box and u != 0.0:
                out = min(out, (math.copysign(beam_cm / 2, u) - x) / u)
            if step >= out:
                # From wherever it leaves, straight on to the plane of the exit.
                if w > 0 and not first:
                    way = (thickness_cm - z) / w
                    if abs(x + u * way) < HALF_STRIP_CM and abs(y + v * way) < length_cm / 2:
                        found += weight * energy
                break
            x, y, z = x + u * step, y + v * step, z + w * step
            weight *= at(tables[1], energy, 4.0, 0.5)
            if np.random.random() < at(tables[2], energy, 4.0, 0.5):
                cosine = coherent_cosine(squared, area, momenta, energy)
            else:
                cosine = compton_cosine(bound, energy)
                energy = energy / (1 + energy / 510.99895 * (1 - cosine))
            u, v, w = turned(u, v, w, cosine, 2 * math.pi * np.random.random())
            first = False
            if energy < 8.0:
                break
            if weight < 0.05:
                if np.random.random() < 0.5:
                    break
                weight *= 2
    return found


def scatter_over_primary(
    energy_kev: float, thickness_cm: float, beam_cm: float, box: bool, histories: int, seed: int = 1, length_cm: float = 24.0
) -> float:
    """Scatter over primary, in energy, at the middle of the exit of soft tissue, for a parallel beam of one energy.

    box: the tissue is as wide as the beam; otherwise endless.
    """
    tables, squared, area, bound = material_tables("soft")
    energy = _energy_in_strip(
        seed, histories, energy_kev, beam_cm, box, thickness_cm, length_cm, tables, squared, area, bound, MOMENTA
    )
    per_cm = energy / (2 * HALF_STRIP_CM) / (histories / beam_cm) / energy_kev
    return float(per_cm / math.exp(-at(tables[0], energy_kev, 4.0, 0.5) * thickness_cm))
