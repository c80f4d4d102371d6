"""Photon transport by Monte Carlo in the strips of an anti-scatter grid: what the grid itself makes of what enters it.

A photon that meets a strip or what lies between them may scatter on and still reach the receptor; above lead's K edge a
strip answers with its own K fluorescence. Covers are not part of it. The strips are endless, parallel and alike, and a
wide beam enters, so what leaves per photon that enters is what a point of the receptor gets per photon of planar current.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from functools import cache
from multiprocessing import Pool
from typing import Any

import numpy as np
import xraylib
from numba import njit
from tqdm import tqdm

from oakbeam.core.physics.beam.grid import GridStrips
from tools.tables.materials import Array
from tools.tables.transport import (
    ANGLE_EDGES_DEG,
    MOMENTA,
    at,
    coherent_cosine,
    compton_cosine,
    material_tables,
    turned,
)

INTERSPACES = ("aluminium", "fibre")
RATIOS: Array = np.array([4, 7, 11, 17.0])
LINES_PER_CM: Array = np.array([25, 40, 60, 80.0])
LEAD_MM: Array = np.array([0.02, 0.04, 0.075])
ENERGIES_KEV: Array = np.array([22.5, 30.5, 40.5, 52.5, 66.5, 80.5, 87.5, 88.5, 104.5, 125.5, 149.5])
"""Photon energies; a node on either side of lead's K edge."""
ENTRIES = len(ANGLE_EDGES_DEG)
"""Along the strips, and then each angle bin of the scatter."""

_LINES = (xraylib.KL2_LINE, xraylib.KL3_LINE, xraylib.KM2_LINE, xraylib.KM3_LINE, xraylib.KN2_LINE, xraylib.KN3_LINE)
K_EDGE_KEV = float(xraylib.EdgeEnergy(82, xraylib.K_SHELL))


@cache
def _fluorescence() -> tuple[Array, Array, float]:
    """Energies [keV] and cumulative shares of lead's K lines, and how many of them a photoelectric event above the edge
    gives: the K shell's share, by the jump of the cross-section, times its yield."""
    rates = np.array([xraylib.RadRate(82, line) for line in _LINES])
    jump = float(xraylib.JumpFactor(82, xraylib.K_SHELL))
    given = (1 - 1 / jump) * float(xraylib.FluorYield(82, xraylib.K_SHELL))
    return np.array([xraylib.LineEnergy(82, line) for line in _LINES]), np.cumsum(rates) / rates.sum(), given


@njit(cache=True)
def _run(
    seed: int,
    histories: int,
    energy_in: float,
    sines2: Any,
    height: float,
    period: float,
    lead: float,
    tables: Any,
    squares: Any,
    areas: Any,
    bounds: Any,
    momenta: Any,
    lines: Any,
    shares: Any,
    given: float,
    edge: float,
) -> Any:
    """Lengths [cm]; material 0 is lead, 1 lies between. Straight through, and number, energy, its square of the rest."""
    np.random.seed(seed)
    straight, number, energy_sum, square_sum = 0.0, 0.0, 0.0, 0.0
    for _ in range(histories):
        sine = math.sqrt(sines2[0] + (sines2[1] - sines2[0]) * np.random.random())
        azimuth = 2 * math.pi * np.random.random()
        u, v, w = sine * math.cos(azimuth), sine * math.sin(azimuth), math.sqrt(1 - sine * sine)
        x, z, energy = np.random.random() * period, 0.0, energy_in
        kind = 0 if x < lead else 1
        touched = False
        left = -math.log(1 - np.random.random())
        while True:
            mu = at(tables[kind, 0], energy, 4.0, 0.5)
            low, high = (0.0, lead) if kind == 0 else (lead, period)
            across = (high - x) / u if u > 1e-12 else ((low - x) / u if u < -1e-12 else 1e9)
            along = (height - z) / w if w > 1e-12 else (-z / w if w < -1e-12 else 1e9)
            way = max(min(across, along), 0.0)
            if left > mu * way:
                left -= mu * way
                z += w * way
                if along <= across:
                    if w > 0:
                        if touched:
                            number += 1
                            energy_sum += energy
                            square_sum += energy * energy
                        else:
                            straight += 1
                    break
                # Into the neighbour; each period starts with its strip.
                kind = 1 - kind
                x = (lead if kind == 1 else 0.0) if u > 0 else (period if kind == 1 else lead)
                continue
            way = left / mu
            x, z = x + u * way, z + w * way
            if np.random.random() >= at(tables[kind, 1], energy, 4.0, 0.5):
                if kind == 1 or energy <= edge or np.random.random() >= given:
                    break
                energy = lines[min(np.searchsorted(shares, np.random.random()), len(lines) - 1)]
                w = 2 * np.random.random() - 1
                azimuth = 2 * math.pi * np.random.random()
                u, v = math.sqrt(1 - w * w) * math.cos(azimuth), math.sqrt(1 - w * w) * math.sin(azimuth)
            else:
                if np.random.random() < at(tables[kind, 2], energy, 4.0, 0.5):
                    cosine = coherent_cosine(squares[kind], areas[kind], momenta, energy)
                else:
                    cosine = compton_cosine(bounds[kind], energy)
                    energy = energy / (1 + energy / 510.99895 * (1 - cosine))
                u, v, w = turned(u, v, w, cosine, 2 * math.pi * np.random.random())
            if energy < 8.0:
                break
            touched = True
            left = -math.log(1 - np.random.random())
    return straight, number, energy_sum, square_sum


def run(grid: GridStrips, energy_kev: float, entry: int, histories: int, seed: int) -> tuple[float, float, float, float]:
    """Per photon that enters: how many pass untouched, how many leave towards the receptor after something happened to them,
    and the mean and standard deviation of their energy over the photon's. entry: 0 along the strips, else the angle bin."""
    data = [material_tables("lead"), material_tables(grid.interspace)]
    lines, shares, given = _fluorescence()
    edges = np.sin(np.radians(ANGLE_EDGES_DEG)) ** 2
    straight, number, total, square = _run(
        seed,
        histories,
        energy_kev,
        edges[entry - 1 : entry + 1] if entry else np.zeros(2),
        grid.height_mm / 10,
        1 / grid.lines_per_cm,
        grid.lead_mm / 10,
        np.array([one[0] for one in data]),
        np.array([one[1] for one in data]),
        np.array([one[2] for one in data]),
        np.array([one[3] for one in data]),
        MOMENTA,
        lines,
        shares,
        given,
        K_EDGE_KEV,
    )
    mean = total / number if number else energy_kev
    spread = math.sqrt(max(square / number - mean**2, 0.0)) if number else 0.0
    return straight / histories, number / histories, mean / energy_kev, spread / energy_kev


def make(histories: int) -> dict[str, Array]:
    """number, mean, spread (interspace, ratio, lines, lead, energy, entry) of what the grid makes (see `run`)."""
    shape = (len(INTERSPACES), len(RATIOS), len(LINES_PER_CM), len(LEAD_MM), len(ENERGIES_KEV), ENTRIES)
    jobs = [(*place, histories) for place in np.ndindex(shape)]
    with Pool(2) as pool:
        found: Iterable[Any] = tqdm(pool.imap(_cell, jobs, chunksize=99), total=len(jobs), desc="grids")
        made = np.array(list(found)).reshape(*shape, 3)
    return {"number": made[..., 0], "mean": made[..., 1], "spread": made[..., 2]}


def _cell(job: tuple[int, int, int, int, int, int, int]) -> tuple[float, float, float]:
    between, ratio, lines, lead, energy, entry, histories = job
    grid = GridStrips(RATIOS[ratio], LINES_PER_CM[lines], LEAD_MM[lead], INTERSPACES[between])  # type: ignore[arg-type]
    seed = 1 + sum(place * 97**i for i, place in enumerate(job[:-1])) % 2_000_000_000
    return run(grid, float(ENERGIES_KEV[energy]), entry, histories, seed)[1:]
