"""The scatter tables: which runs of `transport` are made, and how their tallies are packed.

Base: soft tissue at unit density, by photon energy and thickness, for every ring of the field, air gap and distance of the
focus. Another density needs no run of its own: a slab of density d is the unit slab with all lengths times d. What is left
of tissue kind, bone and lung is a ratio to the base, on a coarser mesh.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from multiprocessing import Pool
from typing import Any

import numpy as np
from tqdm import tqdm

from tools.tables import transport
from tools.tables.materials import MATERIALS, Array, coefficients
from tools.tables.transport import FIELD_EDGES_CM, Layer, Tally

ENERGIES_KEV: Array = np.array([15, 18, 21.5, 25, 30, 36, 43, 52, 63, 77, 95, 120, 150.0])
THICKNESSES_CM: Array = np.array([0.5, 1, 2, 3.5, 5, 7.5, 10, 13, 16, 20, 24, 28, 33, 39, 45.0])
GAPS_CM: Array = np.array([0, 2, 5, 10, 20, 38, 65.0])
DEEP, DEEPEST = 7.0, 13.0
"""Optical depths: from DEEP on ten times the histories are run; beyond DEEPEST none (one unscattered photon in 400 000)."""
DEEPEST_RATIO = 8.0
"""The same limit for the ratio meshes, whose runs are shorter."""

RATIO_ENERGIES_KEV: Array = np.array([25, 36, 52, 77, 120.0])
RATIO_FIELDS_CM: Array = np.array([3.5, 9.5, 20.0])
"""Field radius; each is an edge of the rings."""
TISSUES = ("adipose", "muscle")
TISSUE_THICKNESSES_CM: Array = np.array([2, 8, 16, 28.0])
BONES_MM: Array = np.array([2, 6, 15, 30, 60.0])
BONE_THICKNESSES_CM: Array = np.array([7, 13, 21, 32.0])
LUNG_FRACTIONS: Array = np.array([0.3, 0.6, 0.85])
LUNG_THICKNESSES_CM: Array = np.array([10, 18, 27, 38.0])
RATIO_GAP_CM, RATIO_SOURCE_CM = 4.0, 120.0


def sources_cm(thickness_cm: float) -> Array:
    """Distances of the focus from the exit surface that are scored for a thickness."""
    return np.array([max(35.0, thickness_cm + 15), max(62.0, thickness_cm + 30), 110, 250.0])


def layers_of(tissue: str, thickness_cm: float, bone_mm: float = 0.0, lung_fraction: float = 0.0) -> list[Layer]:
    """The stack the model stands for: half of the tissue, half of the lung, the bone, and the same again.

    Bone and lung lie in the middle; the rest of the thickness is tissue.
    """
    bone_cm, lung_cm = bone_mm / 10, lung_fraction * thickness_cm
    tissue_cm = thickness_cm - bone_cm - lung_cm
    stack = [
        Layer(tissue, tissue_cm / 2),
        Layer("lung", lung_cm / 2),
        Layer("bone", bone_cm),
        Layer("lung", lung_cm / 2),
        Layer(tissue, tissue_cm / 2),
    ]
    return [layer for layer in stack if layer.thickness_cm > 1e-9]


def _single(energy_kev: float) -> tuple[Array, Array]:
    return np.array([energy_kev]), np.array([1.0])


def optical_depth(thickness_cm: float, energy_kev: float) -> float:
    """Of soft tissue."""
    return float(coefficients("soft", np.array([energy_kev]))["total"][0] * thickness_cm)


def base_run(job: tuple[int, int, int]) -> tuple[int, int, Tally | None]:
    """One cell of the base table: (thickness number, energy number, histories)."""
    t, e, histories = job
    thickness, energy = float(THICKNESSES_CM[t]), float(ENERGIES_KEV[e])
    depth = optical_depth(thickness, energy)
    if depth > DEEPEST:
        return t, e, None
    histories *= 10 if depth > DEEP else 2 if thickness >= 16 else 1
    return (
        t,
        e,
        transport.run(
            [Layer("soft", thickness)], _single(energy), histories, 1000 * t + e + 1, GAPS_CM, sources_cm(thickness)
        ),
    )


def make_base(histories: int, jobs: Iterable[tuple[int, int]] | None = None) -> dict[str, Array]:
    """The base arrays: number, energy, spread (t, e, gap, source, ring, angle), back (t, e, source, ring), error (t, e).

    number: planar photons at the centre per unscattered one; energy and spread: mean and standard deviation of their energy
    over the photon energy. Cells too deep for a run take the next higher energy's, but for what scatters back: there it no
    longer changes with the thickness, and is the thinner slab's.
    """
    cells = list(jobs or ((t, e) for t in range(len(THICKNESSES_CM)) for e in range(len(ENERGIES_KEV))))
    shape = (len(THICKNESSES_CM), len(ENERGIES_KEV), len(GAPS_CM), 4, len(FIELD_EDGES_CM) - 1)
    number = np.full((*shape, len(transport.ANGLE_EDGES_DEG) - 1), np.nan)
    energy, spread = np.full_like(number, np.nan), np.full_like(number, np.nan)
    back, error = np.full((*shape[:2], 4, shape[4]), np.nan), np.full(shape[:2], np.nan)
    work = [(t, e, histories) for t, e in cells]
    for t, e, tally in _spread(base_run, work, "scatter"):
        if tally is None:
            continue
        number[t, e], back[t, e], error[t, e] = tally.number, tally.back, tally.error
        seen = tally.number > 0
        count = np.where(seen, tally.number, 1.0)
        mean = np.where(seen, tally.energy / count, ENERGIES_KEV[e])
        energy[t, e] = mean / ENERGIES_KEV[e]
        spread[t, e] = np.sqrt(np.maximum(np.where(seen, tally.square / count, mean**2) - mean**2, 0)) / ENERGIES_KEV[e]
    found = {"number": number, "energy": energy, "spread": spread, "back": back}
    for t in range(shape[0]):
        for e in reversed(range(shape[1] - 1)):
            if np.isnan(number[t, e]).all():
                for name in ("number", "energy", "spread"):
                    found[name][t, e] = found[name][t, e + 1]
                back[t, e] = back[t - 1, e]
    return found | {"error": error}


def imparted_run(job: tuple[float, float, int]) -> float:
    """Share of the energy of photons of one energy that a slab of soft tissue keeps: (thickness [cm], keV, histories).

    Per photon it does not depend on the field, since the slab is endless.
    """
    thickness, energy, histories = job
    tally = transport.run(
        [Layer("soft", thickness)], _single(energy), histories, 5, GAPS_CM[:1], np.array([100.0 + thickness])
    )
    return tally.imparted


def make_imparted(histories: int) -> Array:
    """(thickness, energy): `imparted_run` on the axes of the base."""
    jobs = [(float(t), float(e), histories) for t in THICKNESSES_CM for e in ENERGIES_KEV]
    return np.array(list(_spread(imparted_run, jobs, "imparted"))).reshape(len(THICKNESSES_CM), -1)


def ratio_run(job: tuple[str, float, float, float, float, int]) -> Array:
    """(3, field): ratios of a stack over smeared soft tissue, for each of RATIO_FIELDS_CM: of the scatter-to-primary ratio
    in planar energy and in planar kerma, and of the backscatter.

    The smeared slab has the same thickness and the mean density; for bone it is plain soft tissue.
    """
    tissue, thickness, bone_mm, lung_fraction, energy, histories = job
    stack = layers_of(tissue, thickness, bone_mm, lung_fraction)
    depth = sum(coefficients(one.material, np.array([energy]))["total"][0] * one.thickness_cm for one in stack)
    density = MATERIALS[tissue].density * (1 - lung_fraction) + MATERIALS["lung"].density * lung_fraction
    smeared = [Layer("soft", thickness, density)]
    rings = [int(np.searchsorted(FIELD_EDGES_CM, radius)) for radius in RATIO_FIELDS_CM]
    kerma = transport.RESPONSE_KEV * coefficients("air", transport.RESPONSE_KEV)["absorption"]
    response = np.broadcast_to(kerma, (1, len(transport.ANGLE_EDGES_DEG) - 1, len(kerma)))
    found = []
    for seed, layers in enumerate((stack, smeared)):
        tally = transport.run(
            layers,
            _single(energy),
            histories,
            seed + 7,
            np.array([RATIO_GAP_CM]),
            np.array([RATIO_SOURCE_CM]),
            response,
        )
        forward = (tally.energy[0, 0].sum(axis=1), tally.responded[0, 0, 0])
        through = [[one[:ring].sum() if depth <= DEEPEST_RATIO else np.nan for ring in rings] for one in forward]
        found.append(np.array([*through, [tally.back[0, :ring].sum() for ring in rings]]))
    return np.asarray(found[0] / found[1])


def make_ratios(histories: int) -> dict[str, Array]:
    """tissue (kind, t, e, 2, field), bone (mm, ..), lung (fraction, ..): ratios in energy and in kerma; tissue_back (kind,
    t, e, field). Cells too deep take the next energy's."""
    energies = RATIO_ENERGIES_KEV
    meshes: dict[str, list[tuple[str, float, float, float]]] = {
        "tissue": [(kind, t, 0, 0) for kind in TISSUES for t in TISSUE_THICKNESSES_CM],
        "bone": [("soft", t, mm, 0) for mm in BONES_MM for t in BONE_THICKNESSES_CM],
        "lung": [("soft", t, 0, fraction) for fraction in LUNG_FRACTIONS for t in LUNG_THICKNESSES_CM],
    }
    made = {}
    for name, mesh in meshes.items():
        work = [(*cell, float(energy), histories) for cell in mesh for energy in energies]
        runs = np.array(list(_spread(ratio_run, work, name))).reshape(-1, 4, len(energies), 3, len(RATIO_FIELDS_CM))
        found = runs[:, :, :, :2]
        for e in reversed(range(len(energies) - 1)):
            missing = np.isnan(found[:, :, e])
            found[:, :, e] = np.where(missing, found[:, :, e + 1], found[:, :, e])
        made[name] = found
        if name == "tissue":
            made["tissue_back"] = runs[:, :, :, 2]
    return made


def _spread(work: Callable[[Any], Any], jobs: list[Any], what: str) -> Iterable[Any]:
    """Results in the order of the jobs, on both cores, with a progress bar."""
    with Pool(2) as pool:
        yield from tqdm(pool.imap(work, jobs), total=len(jobs), desc=what)
