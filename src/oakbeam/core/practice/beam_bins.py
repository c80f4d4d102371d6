"""The primary beam through a computed body in a handful of energy bins, close to the sum over all of them.

The bins are cut so that each gives the same share of the signal behind a typical path, and each attenuates as its photons do
there; a path that differs is then out by the curvature within a bin alone (tests/core/practice holds it to 1 %).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.physics.beam.grid import primary_transmission
from oakbeam.core.physics.beam.model import BeamSetup
from oakbeam.core.physics.beam.receptor import absorbed_kev, signal_per_ugy_rqa5
from oakbeam.core.physics.beam.spectrum import spectrum
from oakbeam.core.physics.beam.tables import Array, tables
from oakbeam.core.practice.computed_body import Maps, Material

BINS = 6
Lengths = Mapping[Material, float]


@dataclass(frozen=True)
class SoftMix:
    """What "soft" is in this part: share of adipose, the rest being muscle."""

    fat: float


def linear_attenuation(material: Material, soft: SoftMix) -> Array:
    """(energy): attenuation [1/cm] of a material of a computed body."""
    mu = tables().mu
    if material == "soft":
        return soft.fat * mu["adipose"] + (1 - soft.fat) * mu["muscle"]
    return mu[material]


def signal_spectrum(setup: BeamSetup) -> Array:
    """(energy): unattenuated signal [µGy RQA5-equivalent per mAs] on the central ray, behind support and grid."""
    tube = spectrum(setup.kvp, setup.filtration_mm_al, setup.filtration_mm_cu, setup.anode_angle_deg)
    tube = tube * (setup.output_scale * (100 / setup.sid_cm) ** 2)
    if setup.support_mm_al:
        tube = tube * np.exp(-tables().mu["aluminium"] * setup.support_mm_al / 10)
    if setup.grid:
        tube = tube * primary_transmission(setup.grid)
    return np.asarray(tube * absorbed_kev(setup.receptor) / signal_per_ugy_rqa5(setup.receptor))


def primary_signal(setup: BeamSetup, maps: Maps, soft: SoftMix, typical: Lengths) -> NDArray[np.float32]:
    """(rows, columns): signal of the primary [µGy RQA5-equivalent per mAs] as on the central ray: distance, heel and
    collimation are not counted. typical: the path [cm] that the bins are cut for."""
    whole = signal_spectrum(setup)
    mu = {material: linear_attenuation(material, soft) for material in maps}
    behind = whole * np.exp(-sum((mu[m] * typical.get(m, 0.0) for m in maps), np.zeros_like(whole)))
    edges = np.searchsorted(np.cumsum(behind) / behind.sum(), np.arange(1, BINS) / BINS)
    found: NDArray[np.float32] | None = None
    for energies in np.split(np.arange(len(whole)), edges):
        weight = float(behind[energies].sum())
        if weight <= 0:
            continue
        depth: NDArray[np.float32] | float = 0.0
        for material, lengths in maps.items():
            of_bin = float(behind[energies] @ mu[material][energies]) / weight
            depth = depth + np.float32(of_bin) * (lengths - np.float32(typical.get(material, 0.0)))
        part = np.float32(weight) * np.exp(-depth)
        found = part if found is None else found + part
    assert found is not None
    return np.asarray(found, np.float32)
