"""Attenuation and scattering data of the materials of the physics model, from xraylib's elemental tables.

Mass fractions are those of NIST's tables of material constants (after ICRU 44 and ICRP 23), densities in g/cm³. Energies in
keV, linear coefficients in 1/cm.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import xraylib
from numpy.typing import NDArray

Array = NDArray[np.float64]
ELECTRON_KEV = 510.99895

ENERGIES_KEV: Array = np.arange(5.5, 150.0, 1.0)
"""Centres of the 1 keV bins that every table of the model uses."""


@dataclass(frozen=True)
class Material:
    """Mass fraction by atomic number, and density [g/cm³]."""

    fractions: dict[int, float]
    density: float


MATERIALS: dict[str, Material] = {
    # ICRU four-component soft tissue; the contract of the model takes it at unit density.
    "soft": Material({1: 0.101172, 6: 0.111, 7: 0.026, 8: 0.761828}, 1.00),
    "adipose": Material({1: 0.114, 6: 0.598, 7: 0.007, 8: 0.278, 11: 0.001, 16: 0.001, 17: 0.001}, 0.95),
    "muscle": Material(
        {1: 0.102, 6: 0.143, 7: 0.034, 8: 0.710, 11: 0.001, 15: 0.002, 16: 0.003, 17: 0.001, 19: 0.004}, 1.05
    ),
    "bone": Material(
        {1: 0.047234, 6: 0.144330, 7: 0.041990, 8: 0.446096, 12: 0.0022, 15: 0.10497, 16: 0.00315, 20: 0.20993, 30: 0.0001},
        1.85,
    ),
    "lung": Material(
        {
            1: 0.101278,
            6: 0.102310,
            7: 0.028650,
            8: 0.757072,
            11: 0.00184,
            12: 0.00073,
            15: 0.0008,
            16: 0.00225,
            17: 0.00266,
            19: 0.00194,
            20: 0.00009,
            26: 0.00037,
            30: 0.00001,
        },
        0.26,
    ),
    "air": Material({6: 0.000124, 7: 0.755267, 8: 0.231781, 18: 0.012827}, 0.001205),
    "plaster": Material({1: 0.0234, 8: 0.5576, 16: 0.1862, 20: 0.2328}, 1.2),  # gypsum, CaSO4 . 2 H2O, set and dry
    "fibreglass": Material({1: 0.02, 6: 0.30, 8: 0.40, 14: 0.18, 20: 0.10}, 0.7),  # glass knit in resin, porous
    "aluminium": Material({13: 1.0}, 2.699),
    "copper": Material({29: 1.0}, 8.96),
    "lead": Material({82: 1.0}, 11.35),
    "fibre": Material({1: 0.062165, 6: 0.444462, 8: 0.493374}, 1.2),  # cellulose
    "csi": Material({53: 0.488451, 55: 0.511549}, 1.0),
    "bafbr": Material({9: 0.080417, 35: 0.338236, 56: 0.581347}, 1.0),
    "gd2o2s": Material({8: 0.084527, 16: 0.084690, 64: 0.830783}, 1.0),
    "titanium": Material({22: 1.0}, 4.54),
    "cobalt-chrome": Material({24: 0.28, 27: 0.66, 42: 0.06}, 8.4),  # the usual alloy of joint replacements
}
"""The three receptors have unit density: their thickness is a coverage in g/cm²."""


def _mixed(material: Material, per_mass: Callable[[int, float], float], energies: Array) -> Array:
    values: list[float] = [sum(share * per_mass(z, float(e)) for z, share in material.fractions.items()) for e in energies]
    return np.asarray(material.density * np.array(values), dtype=np.float64)


def compton_transfer(energies: Array) -> Array:
    """Mean fraction of the photon energy that a free electron takes over (Klein-Nishina), by numeric integration."""
    cosines = np.linspace(-1, 1, 2001)
    left = 1 / (1 + energies[:, None] / ELECTRON_KEV * (1 - cosines))
    section = left**2 * (left + 1 / left - (1 - cosines**2))
    return np.asarray(np.trapezoid(section * (1 - left), cosines) / np.trapezoid(section, cosines))


def coefficients(name: str, energies: Array = ENERGIES_KEV) -> dict[str, Array]:
    """Linear coefficients [1/cm]: total, photo, incoherent, coherent, and energy absorption.

    Energy absorption counts all of the photoelectric energy and the Compton electrons'; fluorescence and bremsstrahlung
    that leave the point are small for the light materials it is used for.
    """
    material = MATERIALS[name]
    photo = _mixed(material, xraylib.CS_Photo, energies)
    incoherent = _mixed(material, xraylib.CS_Compt, energies)
    coherent = _mixed(material, xraylib.CS_Rayl, energies)
    return {
        "total": photo + incoherent + coherent,
        "photo": photo,
        "incoherent": incoherent,
        "coherent": coherent,
        "absorption": photo + incoherent * compton_transfer(energies),
    }


def form_factor_squared(name: str, momenta: Array) -> Array:
    """Sum over the atoms, per gram, of the squared coherent form factor at x = sin(θ/2)/λ [1/Å] (independent atoms)."""
    material = MATERIALS[name]
    return np.array(
        [
            sum(w / xraylib.AtomicWeight(z) * xraylib.FF_Rayl(z, float(x)) ** 2 for z, w in material.fractions.items())
            for x in momenta
        ]
    )


def incoherent_function(name: str, momenta: Array) -> Array:
    """The material's incoherent scattering function over its free-electron limit, 0 to 1, at x = sin(θ/2)/λ [1/Å]."""
    material = MATERIALS[name]
    electrons = sum(w / xraylib.AtomicWeight(z) * z for z, w in material.fractions.items())
    bound = [
        sum(w / xraylib.AtomicWeight(z) * xraylib.SF_Compt(z, float(x)) for z, w in material.fractions.items())
        if x > 0
        else 0.0
        for x in momenta
    ]
    return np.asarray(np.array(bound) / electrons)
