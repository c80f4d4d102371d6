"""The heel of the anode: rays toward it leave at a flatter angle, through more tungsten, and are weaker and harder.

After SpekPy's spectra by the angle at which the rays leave the anode, tabled by tools/tables/spectra.
"""

from __future__ import annotations

import numpy as np

from oakbeam.core.physics.beam.spectrum import kerma_per_photon, spectrum
from oakbeam.core.physics.beam.tables import Array, between, tables

FLATTEST_DEG = 0.5
"""Rays that leave flatter than this are taken as none: the anode cuts the beam off."""


def kerma_along_tube(
    kvp: float,
    filtration_mm_al: float,
    filtration_mm_cu: float,
    anode_angle_deg: float,
    sid_cm: float,
    offset_cm: Array,
) -> Array:
    """Air kerma at points of the receptor's plane on the line below the tube's axis, over that at the central ray.

    offset_cm (n): from the central ray, toward the cathode positive. The longer way to the edge and through the filter is
    counted. 0 where the anode cuts the beam off. kvp 40 to 150, anode angle 8 to 16 degrees.
    """
    data = tables()
    offset_cm = np.asarray(offset_cm, dtype=np.float64)
    cosine = sid_cm / np.hypot(sid_cm, offset_cm)
    leaves_deg = anode_angle_deg + np.degrees(np.arctan2(offset_cm, sid_cm))
    low, share = between(data.heel_kvps, np.array([kvp]))
    of_kvp = data.heel[:, low[0]] * (1 - share[0]) + data.heel[:, low[0] + 1] * share[0]
    ratio = _ratio(of_kvp, np.maximum(leaves_deg, FLATTEST_DEG))
    mu = data.mu["aluminium"] * filtration_mm_al / 10 + data.mu["copper"] * filtration_mm_cu / 10
    # At 12 degrees, by which the ratios are taken.
    middle = spectrum(kvp, filtration_mm_al, filtration_mm_cu) * kerma_per_photon()
    kerma = (ratio * np.exp(-np.outer(1 / cosine - 1, mu))) @ middle
    central = _ratio(of_kvp, np.array([anode_angle_deg])) @ middle
    return np.where(leaves_deg < FLATTEST_DEG, 0.0, kerma / central * cosine**2)


def _ratio(of_kvp: Array, leaves_deg: Array) -> Array:
    """(n, energy): fluence of rays that leave the anode at angles, over that at 12 degrees."""
    # The way through the anode, and with it the logarithm, goes with 1 / sine of the angle.
    place, along = between(_steep(tables().heel_angles_deg), _steep(leaves_deg))
    return np.exp(of_kvp[place] * (1 - along[:, None]) + of_kvp[place + 1] * along[:, None])


def _steep(angle_deg: Array) -> Array:
    """Rises with the angle, linear in what the way through the anode goes with."""
    return np.asarray(-1 / np.sin(np.radians(angle_deg)))
