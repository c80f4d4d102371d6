"""Anti-scatter grids by the geometry of their strips: what gets through along the beam and at every other angle, and what
the grid itself makes of it: scatter in strips and interspaces, and lead's K fluorescence."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from oakbeam.core.cache import cached
from oakbeam.core.physics.beam.tables import Array, between, tables

Interspace = Literal["aluminium", "fibre"]
_ACROSS = (np.arange(24) + 0.5) / 24
_AZIMUTHS = (np.arange(12) + 0.5) / 12 * math.pi / 2
_PER_BIN = 5


@dataclass(frozen=True, slots=True)
class GridStrips:
    """A linear grid: ratio r = strip height / interspace width, strips per cm, lead strip width [mm], what is between the
    strips, and the cover's aluminium equivalent in all [mm]."""

    ratio: float
    lines_per_cm: float
    lead_mm: float = 0.04
    interspace: Interspace = "aluminium"
    cover_mm_al: float = 0.3

    @property
    def interspace_mm(self) -> float:
        return 10 / self.lines_per_cm - self.lead_mm

    @property
    def height_mm(self) -> float:
        return self.ratio * self.interspace_mm


@cached(64)
def primary_transmission(grid: GridStrips) -> Array:
    """Share of the focused primary that passes, for each energy bin, averaged over strips and interspaces."""
    data, height_cm = tables(), grid.height_mm / 10
    open_share = grid.interspace_mm * grid.lines_per_cm / 10
    through = np.exp(-data.mu[grid.interspace] * height_cm) * open_share
    through = through + np.exp(-data.mu["lead"] * height_cm) * (1 - open_share)
    return np.asarray(through * np.exp(-data.mu["aluminium"] * grid.cover_mm_al / 10))


@cached(64)
def scatter_transmission(grid: GridStrips) -> Array:
    """(energy bin, angle bin): share of a planar photon current from an angle bin that passes, azimuths alike.

    A ray's way through lead is exact for each place of entry across a period; places, azimuths and the angles within a bin
    are averaged numerically, the angles with the weight sin θ cos θ of a planar current.
    Source: the ray geometry of parallel strips, as in the classical derivations of grid transmission.
    """
    data = tables()
    edges = np.radians(data.angle_edges_deg)
    share = (np.arange(_PER_BIN) + 0.5) / _PER_BIN
    # equal steps of sin² θ are equal planar current of an isotropic field
    low, high = np.sin(edges[:-1]) ** 2, np.sin(edges[1:]) ** 2
    sines = np.sqrt(low[:, None] + (high - low)[:, None] * share)
    sines = np.minimum(sines, math.sin(math.radians(89)))
    cosines = np.sqrt(1 - sines**2)
    period, lead, height = 10 / grid.lines_per_cm, grid.lead_mm, grid.height_mm
    across = (sines / cosines)[..., None] * np.cos(_AZIMUTHS) * height  # (bin, sub, azimuth): run across the strips [mm]
    entry = _ACROSS * period
    start, stop = entry, across[..., None] + entry
    in_lead = _lead_before(stop, lead, period) - _lead_before(start, lead, period)
    run = np.maximum(across[..., None], 1e-9)
    lead_share = np.where(across[..., None] > 1e-6, in_lead / run, entry < lead)
    way_cm = height / 10 / cosines[..., None, None]
    lead_cm = lead_share * way_cm
    found = np.empty((len(data.energies_kev), len(low)))
    mu_lead, mu_between, mu_cover = data.mu["lead"], data.mu[grid.interspace], data.mu["aluminium"]
    for e in range(len(found)):
        through = np.exp(-mu_between[e] * (way_cm - lead_cm) - mu_lead[e] * lead_cm).mean(axis=(2, 3))
        found[e] = (through * np.exp(-mu_cover[e] * grid.cover_mm_al / 10 / cosines)).mean(axis=1)
    return found


@cached(1)
def mean_cosines() -> Array:
    """Cosine of the middle of each angle bin, in planar current."""
    sines2 = np.sin(np.radians(tables().angle_edges_deg)) ** 2
    return np.asarray(np.sqrt(1 - (sines2[:-1] + sines2[1:]) / 2))


@dataclass(frozen=True)
class MadeInGrid:
    """What a grid makes of each photon that enters it, (energy bin, entry): entry 0 along the strips, then each angle bin.

    number: planar photons that leave towards the receptor after something happened to them in strips, interspaces or the
    lower cover. share (2, ..): their energy over the photon's, taken as two halves at one standard deviation from the mean.
    """

    number: Array
    share: Array


@cached(64)
def made_in_grid(grid: GridStrips) -> MadeInGrid:
    """What a grid makes, from the tables of `tools/tables/grid_transport.py`, whose ends hold for a grid beyond them.

    Half of the cover lies on either side. What scatters forward in the lower half is counted (all that is coherent, half of
    what is incoherent); what the upper half scatters meets the strips at wide angles and is left out.
    Source: own Monte Carlo of the strips; docs/validation.md compares it with the formula of what passes untouched.
    """
    data = tables()
    table = data.grid_made[data.interspaces.index(grid.interspace)]
    for nodes, value in (
        (np.log(data.grid_ratios), math.log(grid.ratio)),
        (np.log(data.grid_lines_per_cm), math.log(grid.lines_per_cm)),
        (data.grid_leads_mm, grid.lead_mm),
    ):
        (low,), (share,) = between(nodes, np.array([value]))
        table = table[low] * (1 - share) + table[low + 1] * share
    log_number, mean, spread = np.moveaxis(_on_bins(table), -1, 0)
    cover_cm, energies = grid.cover_mm_al / 10, data.energies_kev
    mu = data.mu["aluminium"]
    coherent = mu - data.photo["aluminium"] - data.incoherent["aluminium"]
    number = np.exp(log_number - (mu * cover_cm)[:, None])
    cosines = np.concatenate([[1.0], mean_cosines()])
    passed = np.concatenate([primary_transmission(grid)[:, None], scatter_transmission(grid)], axis=1)
    cover = passed * (coherent + data.incoherent["aluminium"] / 2)[:, None] * (cover_cm / 2) / cosines
    of_cover = 1 - data.compton_transfer * data.incoherent["aluminium"] / (2 * coherent + data.incoherent["aluminium"])
    together = np.maximum(number + cover, 1e-12)
    mean = (number * mean + cover * of_cover[:, None]) / together
    return MadeInGrid(number + cover, np.clip(np.array([mean - spread, mean + spread]), 5 / energies[:, None], 1.0))


def _on_bins(table: Array) -> Array:
    """A table (energy node, ..) at every energy bin, the ends held."""
    low, share = between(tables().grid_kev, tables().energies_kev)
    share = share.reshape(-1, *(1,) * (table.ndim - 1))
    return np.asarray(table[low] * (1 - share) + table[low + 1] * share)


def _lead_before(x: Array, lead: float, period: float) -> Array:
    """Length of lead between 0 and x across the strips, each period starting with its strip."""
    whole = np.floor(x / period)
    return np.asarray(whole * lead + np.minimum(x - whole * period, lead))
