"""The beam before the patient: tungsten spectrum, filtration, air kerma and half-value layer."""

from __future__ import annotations

import math

import numpy as np

from oakbeam.core.cache import cached
from oakbeam.core.physics.beam.tables import Array, tables

GY_PER_KEV_G = 1.602176634e-13
"""1 keV/g in Gy."""
RQA5 = (70.0, 2.5 + 21.0)
"""IEC 61267 radiation quality RQA5: tube potential [kV] and total filtration [mm Al] used here; HVL about 6.8 mm Al."""


def air_kerma_ugy(fluence: Array) -> Array:
    """Air kerma [µGy] of a photon fluence [1/cm² per 1 keV bin], summed over the last axis: Σ Φ E µ_en/ρ."""
    return np.asarray(fluence @ kerma_per_photon())


@cached(1)
def kerma_per_photon() -> Array:
    """Air kerma [µGy] of one photon per cm² in each energy bin."""
    data = tables()
    return np.asarray(data.energies_kev * data.absorption["air"] / 0.001205 * GY_PER_KEV_G * 1e6)


@cached(512)
def spectrum(kvp: float, filtration_mm_al: float, filtration_mm_cu: float = 0.0, anode_angle_deg: float = 12.0) -> Array:
    """Fluence [1/cm² per 1 keV bin] of 1 mAs at 100 cm behind the total filtration, in vacuum.

    kvp 40 to 150, linear between the tabulated whole kVp; anode angle 8 to 16 degrees, linear between 8, 12 and 16.
    Source: tabulated from SpekPy (constant potential); filtration by the exponential law. The array is shared: do not write.
    """
    data = tables()
    low = min(int(kvp - data.kvps[0]), len(data.kvps) - 2)
    share = kvp - data.kvps[low]
    place = float(np.interp(anode_angle_deg, data.angles_deg, np.arange(len(data.angles_deg))))
    first = min(int(place), len(data.angles_deg) - 2)
    tube = data.spectra[:, low] * (1 - share) + data.spectra[:, low + 1] * share
    unfiltered = tube[first] * (first + 1 - place) + tube[first + 1] * (place - first)
    mu = data.mu["aluminium"] * filtration_mm_al / 10 + data.mu["copper"] * filtration_mm_cu / 10
    found = unfiltered * np.exp(-mu)
    found.flags.writeable = False
    return np.asarray(found)


def hvl_mm_al(fluence: Array) -> float:
    """First half-value layer [mm Al] of a fluence, for air kerma in narrow-beam geometry, to 1e-9 mm.

    Newton's method on the logarithm of the kerma: that falls ever more slowly, so the steps from 0 never overshoot.
    """
    kerma, mu = fluence * kerma_per_photon(), tables().mu["aluminium"] / 10
    whole, thickness = float(kerma.sum()), 0.0
    while True:
        left = kerma * np.exp(-mu * thickness)
        total = float(left.sum())
        step = math.log(2 * total / whole) * total / float(left @ mu)
        thickness += step
        if step < 1e-9:
            return thickness


@cached(512)
def beam_quality(
    kvp: float, filtration_mm_al: float, filtration_mm_cu: float = 0.0, anode_angle_deg: float = 12.0
) -> tuple[float, float]:
    """(air kerma at 100 cm [µGy/mAs], HVL [mm Al]) of a tube at a kVp."""
    fluence = spectrum(kvp, filtration_mm_al, filtration_mm_cu, anode_angle_deg)
    return float(air_kerma_ugy(fluence)), hvl_mm_al(fluence)
