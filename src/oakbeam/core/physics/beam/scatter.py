"""Scatter at the field's centre from the Monte Carlo tables: sums over the field, the air gap and the focus distance.

Lengths of a slab of another density are scaled by it; tissue kind, bone and lung enter as ratios (see tools/tables/scatter).
What one field, gap and distance give is kept, since a ruler that moves changes only the thickness.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.cache import cached
from oakbeam.core.physics.beam.tables import Array, between, tables

SUPPORT_AS_TISSUE = 2.5
"""1 cm of aluminium scatters about as much as this many cm of soft tissue (electrons per volume, coherent counted in)."""
SKIN_NODES_CM: Array = np.array([0.0, 15.0, 30.0, 45.0])
DENSITY_STEP = 0.005
"""Densities are rounded to this before the tables are summed: it moves a ratio by less than the tables' own error."""


@dataclass(frozen=True)
class Scattered:
    """Planar photons at the centre per unscattered photon of each scatter energy, (thickness node, energy node, angle).

    share (2, ..): their energies over the photon's, taken as two halves at one standard deviation below and above the mean,
    so that responses that bend with energy come out right. The first thickness is 0, where nothing scatters.
    """

    number: Array
    share: Array


@dataclass(frozen=True, slots=True)
class View:
    """What the centre of the field sees: field [cm] at the receptor, gap and SID [cm], relative density of the slab."""

    field_cm: tuple[float, float]
    gap_cm: float
    sid_cm: float
    density: float = 1.0

    def rounded(self) -> View:
        """The same, with the density on its steps."""
        return View(self.field_cm, self.gap_cm, self.sid_cm, round(self.density / DENSITY_STEP) * DENSITY_STEP)


@cached(256)
def scattered(view: View) -> Scattered:
    """Scatter of slabs of soft tissue of every tabulated thickness, before ratios and support."""
    data = tables()
    rings = ring_shares(data.rings_cm, view.field_cm[0] * view.density, view.field_cm[1] * view.density)[0]
    (low,), (share,) = between(_gap_place(data.gaps_cm), _gap_place(np.array([view.gap_cm * view.density])))
    weights = (_source_weights(view)[:, :, None] * rings).reshape(len(data.sources_cm), -1).astype(np.float32)
    near, far = data.moments[:, low], data.moments[:, low + 1]
    column = weights[:, :, None]
    summed = (near @ column)[..., 0]
    if share > 0:
        summed = (1 - share) * summed + share * (far @ column)[..., 0]
    number, energy, square = (_from_zero(one.reshape(len(weights), len(data.scatter_kev), -1)) for one in summed)
    seen = np.maximum(number, 1e-12)
    mean = np.where(number > 1e-12, energy / seen, 1.0)
    spread = np.sqrt(np.maximum(np.where(number > 1e-12, square / seen, 1.0) - mean**2, 0))
    return Scattered(number, np.array([mean - spread, np.minimum(mean + spread, 1.0)]))


@cached(256)
def backscattered(view: View) -> Array:
    """(skin node, thickness node, energy node): backscattered over incident air kerma at the centre of the field at the
    skin, for the skin at each of SKIN_NODES_CM from the exit: the field there is smaller than at the receptor."""
    data = tables()
    weights = _source_weights(view)
    scale = np.maximum(view.sid_cm - view.gap_cm - SKIN_NODES_CM, 1.0) / view.sid_cm * view.density
    rings = ring_shares(data.rings_cm, view.field_cm[0] * scale, view.field_cm[1] * scale)
    mesh = (weights[:, :, None, None] * rings.T).reshape(len(weights), -1, len(scale))
    found = (data.back @ mesh.astype(np.float32)).transpose(2, 0, 1)
    return np.concatenate([np.zeros((len(scale), 1, found.shape[2])), found], axis=1)


def narrowing(view: View, mass_cm: Array, shadow_cm: Array, to_skin_cm: Array | None = None) -> Array:
    """(n, energy node): scatter of a part narrower than the field over that of one that fills it, in energy.

    mass_cm (n): thickness times density. shadow_cm (n): of the part at the receptor, no wider than the field's shorter side,
    to which that side is cut. to_skin_cm (n): for what scatters back, the thickness between exit and skin. What leaves the
    part by its sides is not counted: held against a box by Monte Carlo (tools/tables/narrow), scatter over primary is 2 to
    4 % too high for a part as wide as it is thick, 4 to 10 % for one half as wide.
    """
    profile = _by_ring(replace(view, field_cm=ANY_FIELD_CM), to_skin_cm is not None)
    low, share = between(thickness_nodes(), mass_cm)
    upper = share[:, None, None]
    of_part = profile[low] * (1 - upper) + profile[low + 1] * upper
    scale = np.full(len(mass_cm), view.density)
    if to_skin_cm is not None:
        scale *= (view.sid_cm - view.gap_cm - to_skin_cm) / view.sid_cm
    short, long = sorted(view.field_cm)
    # Both at once: it is asked for at every step of a technique.
    sides = np.concatenate([shadow_cm * scale, short * scale])
    shares = ring_shares(tables().rings_cm, sides, np.tile(long * scale, 2))
    narrow, whole = shares[: len(scale), None], shares[len(scale) :, None]
    return np.asarray((of_part * narrow).sum(axis=2) / (of_part * whole).sum(axis=2))


ANY_FIELD_CM = (1.0, 1.0)
"""Stands in a view where the field does not matter, so that all fields share what is kept."""


@cached(256)
def _by_ring(view: View, back: bool) -> Array:
    """(thickness node, energy node, ring): scattered energy that a ring of the field, wholly in it, brings to the centre."""
    data, weights = tables(), _source_weights(view)
    if back:
        table = data.back.reshape(len(weights), len(data.scatter_kev), -1, len(data.rings_cm) - 1)
    else:
        (low,), (share,) = between(_gap_place(data.gaps_cm), _gap_place(np.array([view.gap_cm * view.density])))
        energy = _energy_from_rings()
        table = energy[low] * (1 - share) + energy[low + 1] * share
    found = np.einsum("tesr,ts->ter", table, weights)
    return np.concatenate([np.zeros((1, *found.shape[1:])), found])


@cached(1)
def _energy_from_rings() -> Array:
    """(gap, thickness, energy node, source, ring): scattered energy at the centre, over all angles."""
    data = tables()
    gaps, thicknesses = data.moments.shape[1:3]
    angles, rings = len(data.angle_edges_deg) - 1, len(data.rings_cm) - 1
    shape = gaps, thicknesses, len(data.scatter_kev), angles, -1, rings
    return np.asarray(data.moments[1].reshape(shape).sum(axis=3, dtype=np.float64))


def tissue_back_ratio(thickness_cm: Array, field_cm: tuple[float, float], tissues: Mapping[str, Array | float]) -> Array:
    """(n, energy node): backscatter of the real tissues over that of soft tissue."""
    data = tables()
    found = np.ones((len(thickness_cm), len(data.scatter_kev)))
    for kind, share in tissues.items():
        if kind in data.tissues:
            mesh = _ratio_meshes(field_cm)["tissue_back"][data.tissues.index(kind)]
            place, along = between(data.tissue_thicknesses_cm, thickness_cm)
            ratio = mesh[place] * (1 - along[:, None]) + mesh[place + 1] * along[:, None]
            found *= 1 + np.reshape(share, (-1, 1)) * (ratio - 1)
    return found


def thickness_nodes() -> Array:
    """The thicknesses [cm at unit density] of `scattered` and `backscattered`."""
    return _nodes_from_zero()


def composition_ratio(
    thickness_cm: Array,
    field_cm: tuple[float, float],
    tissues: Mapping[str, Array | float],
    bone_mm: Array,
    lung_fraction: float,
) -> Array:
    """(2, n, energy node): scatter-to-primary ratio of the real composition over that of smeared soft tissue, in energy and
    in kerma."""
    data, meshes = tables(), _ratio_meshes(field_cm)
    found = np.ones((2, len(thickness_cm), len(data.scatter_kev)))
    for kind, share in tissues.items():
        if kind in data.tissues:
            ratio = _along(meshes["tissue"][data.tissues.index(kind)], data.tissue_thicknesses_cm, thickness_cm)
            found *= 1 + np.reshape(share, (-1, 1)) * (ratio - 1)
    if lung_fraction > 0:
        weights = _weights(_nodes_from_zero("lung"), lung_fraction)
        found *= _along(np.tensordot(weights, meshes["lung"], 1), data.lung_thicknesses_cm, thickness_cm)
    if bone_mm.any():
        low, share = between(_nodes_from_zero("bone"), bone_mm)
        place, along = between(data.bone_thicknesses_cm, thickness_cm)
        corners = meshes["bone"]
        a, b = along[:, None, None], share[:, None, None]
        lower = corners[low, place] * (1 - a) + corners[low, place + 1] * a
        upper = corners[low + 1, place] * (1 - a) + corners[low + 1, place + 1] * a
        found *= (lower * (1 - b) + upper * b).transpose(2, 0, 1)
    return found


def ring_shares(edges_cm: Array, width_cm: Array | float, height_cm: Array | float) -> Array:
    """(rectangle, ring): share of each ring's area that a centred rectangle covers."""
    a, b = np.reshape(width_cm, (-1, 1)) / 2, np.reshape(height_cm, (-1, 1)) / 2
    areas, r2 = _disc_in_rectangle(edges_cm, a, b), edges_cm**2
    return np.asarray((areas[:, 1:] - areas[:, :-1]) / (math.pi * (r2[1:] - r2[:-1])))


def _disc_in_rectangle(r: Array, a: Array, b: Array) -> Array:
    """Area of a disc of radius r that lies within |x| <= a, |y| <= b."""
    r2 = r * r
    corner = math.pi / 4 * r2
    for side in (a, b):
        beyond = np.minimum(side / np.maximum(r, 1e-12), 1.0)
        corner = corner - r2 / 2 * (np.arccos(beyond) - beyond * np.sqrt(1 - beyond * beyond))
    return np.where(r2 >= a * a + b * b, 4 * a * b, 4 * corner)


def _gap_place(gap_cm: Array) -> Array:
    """Where a gap lies for the interpolation: scatter falls about as the square of the distance from its source, which lies
    some 20 cm inside."""
    return -((20 / (20 + gap_cm)) ** 2)


@cached(4)
def _nodes_from_zero(of: str = "scatter") -> Array:
    data = tables()
    nodes = {"scatter": data.thicknesses_cm, "lung": data.lung_fractions, "bone": data.bones_mm}[of]
    return np.concatenate([[0.0], nodes])


@cached(256)
def _ratio_meshes(field_cm: tuple[float, float]) -> dict[str, Array]:
    """The ratio meshes for one field; lung and bone start with none of it, where the ratio is 1."""
    data = tables()
    field = _weights(data.ratio_fields_cm, math.sqrt(field_cm[0] * field_cm[1] / math.pi))
    lung, bone = data.lung_ratio @ field, data.bone_ratio @ field
    return {
        "tissue": data.tissue_ratio @ field,
        "tissue_back": data.tissue_back_ratio @ field,
        "lung": np.concatenate([np.ones((1, *lung.shape[1:])), lung]),
        "bone": np.concatenate([np.ones((1, *bone.shape[1:])), bone]),
    }


@cached(256)
def _source_weights(view: View) -> Array:
    """(thickness, source): weights of the tabulated focus distances, linear in the reciprocal, the ends held."""
    nodes = 1 / tables().sources_cm  # falling along each row
    inverse = 1 / ((view.sid_cm - view.gap_cm) * view.density)
    rows = np.arange(len(nodes))
    place = np.minimum(np.maximum((nodes > inverse).sum(axis=1) - 1, 0), nodes.shape[1] - 2)
    near, far = nodes[rows, place], nodes[rows, place + 1]
    share = np.minimum(np.maximum((near - inverse) / (near - far), 0.0), 1.0)
    found = np.zeros_like(nodes)
    found[rows, place], found[rows, place + 1] = 1 - share, share
    return found


def _from_zero(table: NDArray[np.float32]) -> Array:
    return np.concatenate([np.zeros((1, *table.shape[1:])), table]).astype(np.float64)


def _weights(nodes: Array, value: float) -> Array:
    """Linear interpolation weights of a value on rising nodes, the ends held."""
    place, share = between(nodes, np.array([value]))
    found = np.zeros(len(nodes))
    found[place[0]], found[place[0] + 1] = 1 - share[0], share[0]
    return found


def _along(mesh: Array, nodes: Array, values: Array) -> Array:
    """mesh (thickness, energy, 2) at each value, (2, n, energy)."""
    place, share = between(nodes, values)
    upper = share[:, None, None]
    return np.asarray((mesh[place] * (1 - upper) + mesh[place + 1] * upper).transpose(2, 0, 1))
