"""Unfiltered tungsten spectra by SpekPy: photons per keV, cm² and mAs at 100 cm, by anode angle and kVp."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import spekpy
from tqdm import tqdm

from tools.tables.materials import ENERGIES_KEV, Array

ANGLES_DEG: Array = np.array([8.0, 12.0, 16.0])
KVPS: Array = np.arange(40.0, 151.0)
HEEL_ANGLES_DEG: Array = np.array([0.5, 1, 2, 3, 4, 6, 8, 10, 12, 14, 16, 20, 25, 30])
HEEL_KVPS: Array = np.array([40.0, 55, 70, 85, 100, 125, 150])
HEEL_AGAINST_DEG = 12.0


def spectrum(kvp: float, angle_deg: float) -> Array:
    """Fluence [1/(keV cm² mAs)] at 100 cm without any filter or air, on ENERGIES_KEV; constant potential."""
    energies, fluence = spekpy.Spek(kvp=kvp, th=angle_deg, dk=1.0, z=100).get_spectrum()
    found = np.zeros(len(ENERGIES_KEV))
    first = int(np.searchsorted(ENERGIES_KEV, energies[energies >= ENERGIES_KEV[0]][0]))
    kept = fluence[energies >= ENERGIES_KEV[0] - 1e-9]
    found[first : first + len(kept)] = kept[: len(found) - first]
    return found


def make(kvps: Iterable[float] = KVPS, angles_deg: Iterable[float] = ANGLES_DEG) -> Array:
    """Array (angle, kVp, energy) of spectra."""
    angles, tubes = list(angles_deg), list(kvps)
    return np.array([[spectrum(kvp, angle) for kvp in tqdm(tubes, desc=f"spectra {angle:g} degrees")] for angle in angles])


def make_heel() -> Array:
    """Array (angle, kVp, energy): logarithm of the fluence of rays that leave the anode at an angle over that at
    HEEL_AGAINST_DEG; beyond the tube potential the last energy's."""
    found = np.zeros((len(HEEL_ANGLES_DEG), len(HEEL_KVPS), len(ENERGIES_KEV)))
    for k, kvp in enumerate(HEEL_KVPS):
        against = spectrum(float(kvp), HEEL_AGAINST_DEG)
        there = np.flatnonzero(against > against.max() * 1e-6)
        for a, angle in enumerate(tqdm(HEEL_ANGLES_DEG, desc=f"heel {kvp:g} kV")):
            ratio = np.maximum(spectrum(float(kvp), float(angle))[there] / against[there], 1e-30)
            found[a, k] = np.interp(ENERGIES_KEV, ENERGIES_KEV[there], np.log(ratio))
    return found
