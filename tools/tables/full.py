"""The full model: one set-up by Monte Carlo of its own, with the real layers and spectrum. What the fast model is held to.

python -m tools.tables.full --count 2000
"""

from __future__ import annotations

import argparse
import random
from dataclasses import dataclass
from multiprocessing import Pool

import numpy as np
from tqdm import tqdm

from oakbeam.core.errors import Refusal
from oakbeam.core.physics.beam.grid import GridStrips, primary_transmission
from oakbeam.core.physics.beam.model import Beam, BeamSetup, Part, behind_grid, evaluate
from oakbeam.core.physics.beam.receptor import absorbed_kev
from oakbeam.core.physics.beam.scatter import ring_shares
from oakbeam.core.physics.beam.spectrum import kerma_per_photon, spectrum
from oakbeam.core.physics.beam.tables import tables
from tools.tables.materials import ENERGIES_KEV, Array
from tools.tables.scatter import layers_of
from tools.tables.transport import ANGLE_EDGES_DEG, FIELD_EDGES_CM, RESPONSE_KEV, Layer, run

FIGURES = ("spr_kerma", "spr_receptor", "backscatter_factor", "bucky_factor", "exposure_index")


@dataclass(frozen=True)
class Compared:
    """One random set-up: its figures by the fast and by the full model, and the full one's standard error."""

    setup: BeamSetup
    thickness_cm: float
    tissue: str
    bone_mm: float
    lung_fraction: float
    fast: dict[str, float]
    full: dict[str, float]
    error: float


def full_figures(
    setup: BeamSetup, tissue: str, thickness_cm: float, bone_mm: float, lung_fraction: float, histories: int, seed: int
) -> tuple[dict[str, float], float]:
    """FIGURES of one set-up by Monte Carlo, and the relative standard error of the scatter."""
    beam = spectrum(setup.kvp, setup.filtration_mm_al, setup.filtration_mm_cu)
    layers = layers_of(tissue, thickness_cm, bone_mm, lung_fraction)
    if setup.support_mm_al > 0:
        layers.append(Layer("aluminium", setup.support_mm_al / 10))
    used = beam > beam.max() * 1e-6
    tally = run(
        layers,
        (ENERGIES_KEV[used], beam[used]),
        histories,
        seed,
        np.array([setup.gap_cm]),
        np.array([setup.sid_cm - setup.gap_cm + setup.support_mm_al / 10]),
        _responses(setup),
    )
    rings = ring_shares(FIELD_EDGES_CM, *setup.field_cm)[0]
    kerma, signal, kerma_behind, signal_behind = (tally.responded[:, 0, 0] @ rings).tolist()
    data = tables()
    part = Part(np.array([thickness_cm]), {tissue: 1.0}, bone_mm, lung_fraction)
    through = np.exp(-(part.attenuation()[0] + data.mu["aluminium"] * setup.support_mm_al / 10))
    primary = beam * through
    photons = primary.sum()
    tp = primary_transmission(setup.grid) if setup.grid else np.ones(len(beam))
    caught = absorbed_kev(setup.receptor)
    p_kerma, p_signal = primary @ kerma_per_photon(), primary @ caught
    s_kerma, s_kerma_behind = kerma * photons, kerma_behind * photons
    at_skin = setup.field_cm[0] / setup.sid_cm * (setup.sid_cm - setup.gap_cm - thickness_cm)
    skin = ring_shares(FIELD_EDGES_CM, at_skin, at_skin * setup.field_cm[1] / setup.field_cm[0])[0]
    total = primary @ (tp * caught) + signal_behind * photons
    fast = evaluate(setup, part)
    primary_share = float(fast.primary_signal_kev[0] / (primary @ (tp * caught)))
    return {
        "spr_kerma": s_kerma / p_kerma,
        "spr_receptor": signal * photons / p_signal,
        "backscatter_factor": 1 + tally.back[0] @ skin,
        "bucky_factor": (p_kerma + s_kerma) / (primary @ (tp * kerma_per_photon()) + s_kerma_behind),
        "exposure_index": float(fast.exposure_index[0] / fast.signal_kev[0] * total * primary_share),
    }, tally.error


def _responses(setup: BeamSetup) -> Array:
    """Kerma, signal, and both behind the grid, for each angle bin on RESPONSE_KEV."""
    edges = np.sin(np.radians(ANGLE_EDGES_DEG)) ** 2
    cosines = np.sqrt(1 - (edges[:-1] + edges[1:]) / 2)

    def fine(values: Array) -> Array:
        return np.interp(RESPONSE_KEV, ENERGIES_KEV, values)

    kerma = np.array([fine(kerma_per_photon())] * len(cosines))
    signal = np.array([fine(absorbed_kev(setup.receptor, float(cosine))) for cosine in cosines])
    if setup.grid is None:
        return np.array([kerma, signal, kerma, signal])
    behind = [[fine(column) for column in one.T] for one in behind_grid(setup.grid, setup.receptor)[:2]]
    return np.array([kerma, signal, *behind])


def random_setup(chance: random.Random) -> tuple[BeamSetup, str, float, float, float]:
    """A set-up as a general department has them, with margins; tissue, thickness [cm], bone [mm], lung fraction."""
    while True:
        thickness = round(chance.choice((chance.uniform(2, 12), chance.uniform(8, 38))), 1)
        kvp = round(chance.uniform(max(45, 45 + 1.2 * (thickness - 10)), 130))
        lung = chance.choice((0, 0, 0, round(chance.uniform(0.3, 0.7), 2))) if thickness > 14 else 0
        bone = chance.choice((0, 0, round(chance.uniform(2, min(30, 2.5 * thickness)), 1)))
        sid = chance.choice((100, 107, 115, 150, 180, 200))
        gap = chance.choice((0, 0, 4, 7, 12, 20))
        grid = chance.choice(
            (
                None,
                GridStrips(
                    chance.choice((5, 6, 8, 10, 12, 16)),
                    chance.choice((36, 40, 60)),
                    chance.choice((0.03, 0.04, 0.05)),
                    chance.choice(("aluminium", "fibre")),
                ),
            )
        )
        setup = BeamSetup(
            kvp,
            sid,
            (round(chance.uniform(6, 43)), round(chance.uniform(6, 43))),
            round(chance.uniform(2.5, 5), 1),
            chance.choice((0, 0, 0.1, 0.2)),
            12.0,
            gap,
            chance.choice((0, 0.5, 1.0)),
            grid,
            chance.choice(("dr_csi", "cr", "film_screen", "dr_gos")),
        )
        part = Part(np.array([thickness]), {"soft": 1.0}, bone, lung)
        try:
            evaluate(setup, part)
        except Refusal:
            continue
        return setup, chance.choice(("soft", "soft", "soft", "adipose", "muscle")), thickness, bone, lung


def _compare(job: tuple[int, int]) -> Compared:
    seed, histories = job
    setup, tissue, thickness, bone, lung = random_setup(random.Random(seed))
    beam: Beam = evaluate(setup, Part(np.array([thickness]), {tissue: 1.0}, bone, lung))
    full, error = full_figures(setup, tissue, thickness, bone, lung, histories, seed)
    fast = {name: float(getattr(beam, name)[0]) for name in FIGURES}
    return Compared(setup, thickness, tissue, bone, lung, fast, full, error)


def compare(count: int, histories: int, first_seed: int = 1) -> list[Compared]:
    """Fast against full model over random set-ups, on both cores."""
    jobs = [(seed, histories) for seed in range(first_seed, first_seed + count)]
    with Pool(2) as pool:
        return list(tqdm(pool.imap(_compare, jobs, chunksize=4), total=count, desc="full model"))


def table(found: list[Compared]) -> list[tuple[str, float, float, float, float]]:
    """Per figure: median, 95th percentile and largest relative difference, and the median of the signed one."""
    rows = []
    for name in FIGURES:
        off = np.array([one.fast[name] / one.full[name] - 1 for one in found])
        rows.append(
            (
                name,
                float(np.median(abs(off))),
                float(np.quantile(abs(off), 0.95)),
                float(abs(off).max()),
                float(np.median(off)),
            )
        )
    return rows


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--histories", type=int, default=150_000)
    given = parser.parse_args()
    found = compare(given.count, given.histories)
    print(f"{'figure':<20} {'median':>8} {'95th':>8} {'largest':>8} {'bias':>8}   of {given.count} random set-ups")
    for name, median, high, largest, bias in table(found):
        print(f"{name:<20} {median:8.2%} {high:8.2%} {largest:8.2%} {bias:+8.2%}")
    print(f"median standard error of the full model itself: {np.median([one.error for one in found]):.2%}")


if __name__ == "__main__":
    main()
