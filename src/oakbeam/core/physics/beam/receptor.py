"""What the receptor makes of a photon: absorbed energy, with K-fluorescence escape; and what RQA5 would have to give.

Signal is absorbed energy. Its scale is fixed at the calibration quality RQA5 (IEC 62494-1, IEC 61267): the exposure index
is 100 x the air kerma at RQA5 [µGy] that gives the same signal. Film-screen follows its speed class, K_s = 1000/S at net
density 1.0 (ISO 9236-1), here taken in RQA5-equivalent kerma.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from oakbeam.core.cache import cached
from oakbeam.core.physics.beam.spectrum import RQA5, air_kerma_ugy, spectrum
from oakbeam.core.physics.beam.tables import Array, tables

ReceptorKind = Literal["dr_csi", "dr_gos", "cr", "film_screen"]


@dataclass(frozen=True, slots=True)
class Phosphor:
    """Phosphor and coverage [g/cm²]; K edge and mean K fluorescence [keV]; escape: share of the photoelectric events above
    the edge whose fluorescence leaves. blur_mm: width of the intrinsic blur."""

    material: str
    coverage_g_cm2: float
    edge_kev: float
    fluorescence_kev: float
    escape: float
    blur_mm: float


PHOSPHORS: Mapping[ReceptorKind, Phosphor] = {
    "dr_csi": Phosphor("csi", 0.190, 33.17, 30.5, 0.25, 0.20),
    "dr_gos": Phosphor("gd2o2s", 0.100, 50.24, 43.7, 0.35, 0.25),
    "cr": Phosphor("bafbr", 0.100, 37.44, 32.9, 0.40, 0.30),
    "film_screen": Phosphor("gd2o2s", 0.120, 50.24, 43.7, 0.35, 0.20),
}
"""Coverage and escape: the conventions of docs/validation.md; blur: usual for a general-purpose receptor of the kind."""


@cached(64)
def absorbed_kev(kind: ReceptorKind, cosine: float = 1.0) -> Array:
    """Mean energy [keV] that the receptor absorbs of one photon of each energy bin, at a cosine of incidence.

    Interaction probability 1 - exp(-µ t / cos θ); a photoelectric event leaves all its energy less the fluorescence that
    escapes, a Compton event the electron's, a coherent one nothing.
    """
    data, phosphor = tables(), PHOSPHORS[kind]
    energies, mu = data.energies_kev, data.mu[phosphor.material]
    caught = 1 - np.exp(-mu * phosphor.coverage_g_cm2 / cosine)
    escaped = np.where(energies > phosphor.edge_kev, phosphor.escape * phosphor.fluorescence_kev, 0.0)
    per_event = data.photo[phosphor.material] * (energies - escaped)
    per_event = per_event + data.incoherent[phosphor.material] * energies * data.compton_transfer
    return np.asarray(caught * per_event / mu)


@cached(8)
def signal_per_ugy_rqa5(kind: ReceptorKind) -> float:
    """Absorbed energy [keV/cm²] for 1 µGy of air kerma at RQA5."""
    fluence = spectrum(*RQA5)
    return float(fluence @ absorbed_kev(kind) / air_kerma_ugy(fluence))
