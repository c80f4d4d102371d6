"""Photon transport by Monte Carlo in a stack of slabs: photoelectric, Compton with binding, coherent. Own code, for numba.

Photons start as a pencil along +z at the entrance. What leaves the exit is scored for a *point at the field's centre* of a
diverging beam, at several distances from the source and air gaps at once, by reciprocity: laterally the slabs are endless,
so a history may be moved until it ends at the centre. Where it then started tells from which ray of the diverging beam it
came, and three factors correct the pencil for that ray: the fluence of the oblique ray at its first interaction, its
longer way to there, and the other angle of its first scattering. So one pencil serves every field, distance and gap.

Survival: photoelectric absorption is a weight, the first interaction is forced, light photons play Russian roulette.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numba import njit

from tools.tables.materials import Array, coefficients, form_factor_squared, incoherent_function

HC_KEV_ANGSTROM = 12.39842
FIELD_EDGES_CM: Array = np.array([0.0, 1, 2, 3.5, 5, 7, 9.5, 12.5, 16, 20, 25, 32])
"""Rings of the field, at the plane scored, by distance from the centre."""
ANGLE_EDGES_DEG: Array = np.array([0.0, 4, 8, 13, 20, 30, 42, 57, 90])
RESPONSE_KEV: Array = np.arange(4.0, 151.0, 0.5)
_MU_KEV = RESPONSE_KEV
MOMENTA: Array = np.concatenate([[0.0], np.geomspace(0.005, 13, 399)])
NO_RESPONSE: Array = np.zeros((0, len(ANGLE_EDGES_DEG) - 1, len(RESPONSE_KEV)))


@dataclass(frozen=True)
class Layer:
    """A slab: material, thickness [cm], and density relative to the material's own."""

    material: str
    thickness_cm: float
    density: float = 1.0


@dataclass(frozen=True)
class Tally:
    """What a run scored, per primary photon that would reach the centre unscattered (exit) or per incident one (entrance).

    number, energy, square: (gap, source, ring, angle) planar photons at the centre from each ring of the field, the sum of
    their energies [keV] and of its squares. back: (source, ring) backscattered air kerma at the entrance over that of the
    incident beam. transmitted: share that reaches the exit unscattered, for the check against the exponential. balance:
    energy out and absorbed over energy in; imparted: absorbed over energy in. responded: (kind, gap, source, ring) as
    number, for the responses asked for. error: relative standard error of the sum of `number` at the first gap and source.
    """

    number: Array
    energy: Array
    square: Array
    back: Array
    responded: Array
    transmitted: float
    balance: float
    imparted: float
    error: float


@cache
def material_tables(name: str) -> tuple[Array, Array, Array, Array]:
    """Total, share scattered and coherent share of scatter on _MU_KEV; squared form factor, binding on MOMENTA."""
    found = coefficients(name, _MU_KEV)
    scattered = found["incoherent"] + found["coherent"]
    table = np.array([found["total"], scattered / found["total"], found["coherent"] / scattered])
    squared = form_factor_squared(name, MOMENTA)
    # The integral of F² over x², from which a coherent angle is drawn.
    area = np.concatenate([[0.0], np.cumsum(np.diff(MOMENTA**2) * (squared[1:] + squared[:-1]) / 2)])
    return table, squared, area, incoherent_function(name, MOMENTA)


@njit(cache=True)
def at(table: Any, x: float, first: float, step: float) -> float:
    place = (x - first) / step
    i = int(place)
    if i < 0:
        return table[0]
    if i >= len(table) - 1:
        return table[-1]
    return table[i] + (place - i) * (table[i + 1] - table[i])


@njit(cache=True)
def _momentum_place(x: float) -> float:
    if x <= 0.005:
        return x / 0.005
    return min(1 + math.log(x / 0.005) / math.log(13 / 0.005) * 398, 398.999)


@njit(cache=True)
def _momentum_at(table: Any, x: float) -> float:
    place = _momentum_place(x)
    i = int(place)
    return table[i] + (place - i) * (table[i + 1] - table[i])


@njit(cache=True)
def _differential(coherent: bool, squared: Any, bound: Any, energy: float, cosine: float) -> float:
    """Shape of the differential cross-section at a cosine, in units of its own kind."""
    x = energy / HC_KEV_ANGSTROM * math.sqrt(max(0.0, (1 - cosine) / 2))
    if coherent:
        return _momentum_at(squared, x) * (1 + cosine * cosine)
    left = 1 / (1 + energy / 510.99895 * (1 - cosine))
    return left * left * (left + 1 / left - 1 + cosine * cosine) * _momentum_at(bound, x)


@njit(cache=True)
def coherent_cosine(squared: Any, area: Any, momenta: Any, energy: float) -> float:
    top = min(energy / HC_KEV_ANGSTROM, 12.9)
    place = _momentum_place(top)
    i = int(place)
    most = area[i] + (place - i) * (area[i + 1] - area[i])
    while True:
        wanted = np.random.random() * most
        j = min(max(np.searchsorted(area, wanted) - 1, 0), len(area) - 2)
        share = (wanted - area[j]) / (area[j + 1] - area[j])
        x2 = momenta[j] ** 2 + share * (momenta[j + 1] ** 2 - momenta[j] ** 2)
        cosine = 1 - 2 * x2 / top**2
        if cosine >= -1 and np.random.random() * 2 < 1 + cosine * cosine:
            return cosine


@njit(cache=True)
def compton_cosine(bound: Any, energy: float) -> float:
    ratio = energy / 510.99895
    while True:
        cosine = 2 * np.random.random() - 1
        left = 1 / (1 + ratio * (1 - cosine))
        if np.random.random() * 2 < left * left * (left + 1 / left - 1 + cosine * cosine):
            x = energy / HC_KEV_ANGSTROM * math.sqrt((1 - cosine) / 2)
            if np.random.random() < _momentum_at(bound, x):
                return cosine


@njit(cache=True)
def turned(u: float, v: float, w: float, cosine: float, azimuth: float) -> tuple[float, float, float]:
    sine = math.sqrt(max(0.0, 1 - cosine * cosine))
    a, b = sine * math.cos(azimuth), sine * math.sin(azimuth)
    if abs(w) > 0.99999:
        return a, b, cosine * (1.0 if w > 0 else -1.0)
    root = math.sqrt(1 - w * w)
    return (
        u * cosine + (u * w * a - v * b) / root,
        v * cosine + (v * w * a + u * b) / root,
        w * cosine - root * a,
    )


@njit(cache=True)
def _run(
    seed: int,
    histories: int,
    energies: Any,
    cumulative: Any,
    edges: Any,
    kinds: Any,
    densities: Any,
    tables: Any,
    squares: Any,
    areas: Any,
    bounds: Any,
    momenta: Any,
    air: Any,
    gaps: Any,
    sources: Any,
    rings: Any,
    cosines: Any,
    responses: Any,
) -> Any:
    np.random.seed(seed)
    layers, thickness = len(kinds), edges[-1]
    number = np.zeros((len(gaps), len(sources), len(rings) - 1, len(cosines) - 1))
    energy_out, square_out = np.zeros_like(number), np.zeros_like(number)
    back = np.zeros((len(sources), len(rings) - 1))
    responded = np.zeros((len(responses), len(gaps), len(sources), len(rings) - 1))
    primary, energy_in, energy_done, energy_left, kerma_in = 0.0, 0.0, 0.0, 0.0, 0.0
    square = 0.0
    for _ in range(histories):
        start = energies[min(np.searchsorted(cumulative, np.random.random()), len(energies) - 1)]
        energy, weight = start, 1.0
        energy_in += start
        kerma_in += start * at(air, start, 4.0, 0.5)
        # Optical depth of the whole stack, then a first interaction forced inside it.
        whole = 0.0
        for i in range(layers):
            whole += at(tables[kinds[i], 0], energy, 4.0, 0.5) * densities[i] * (edges[i + 1] - edges[i])
        through = math.exp(-whole)
        primary += through
        energy_done += start * through
        energy_left += start * through
        weight = 1 - through
        first_depth = -math.log(1 - np.random.random() * weight)
        x, y, z, u, v, w = 0.0, 0.0, 0.0, 0.0, 0.0, 1.0
        layer, left = 0, first_depth
        first, z1, coherent1, kind1, cosine_u1 = True, 0.0, False, 0, (0.0, 0.0, 1.0)
        scored = 0.0
        while True:
            # To the next interaction or out.
            outside = False
            while True:
                mu = at(tables[kinds[layer], 0], energy, 4.0, 0.5) * densities[layer]
                if w > 0:
                    way = (edges[layer + 1] - z) / w
                elif w < 0:
                    way = (edges[layer] - z) / w
                else:
                    way = 1e9
                if left <= mu * way:
                    way = left / mu
                    x, y, z = x + u * way, y + v * way, z + w * way
                    break
                x, y = x + u * way, y + v * way
                left -= mu * way
                if w > 0:
                    z = edges[layer + 1]
                    layer += 1
                else:
                    z = edges[layer]
                    layer -= 1
                if layer < 0 or layer >= layers:
                    outside = True
                    break
            if outside:
                if first:  # rounding at the very end of the stack: an unscattered photon, already counted
                    break
                energy_done += energy * weight
                energy_left += energy * weight
                if w > 0:
                    for g in range(len(gaps)):
                        dx, dy = x + u / w * gaps[g], y + v / w * gaps[g]
                        distance2 = dx * dx + dy * dy
                        for s in range(len(sources)):
                            height = sources[s] - thickness + z1
                            sid = sources[s] + gaps[g]
                            ring = math.sqrt(distance2) * sid / height
                            if ring >= rings[-1]:
                                continue
                            factor = _ray(
                                dx,
                                dy,
                                distance2,
                                height,
                                sid,
                                first_depth,
                                cosine_u1,
                                coherent1,
                                squares[kind1],
                                bounds[kind1],
                                start,
                            )
                            r = np.searchsorted(rings, ring, side="right") - 1
                            a = max(np.searchsorted(cosines, -w) - 1, 0)
                            number[g, s, r, a] += weight * factor
                            energy_out[g, s, r, a] += weight * factor * energy
                            square_out[g, s, r, a] += weight * factor * energy * energy
                            for k in range(len(responses)):
                                responded[k, g, s, r] += weight * factor * at(responses[k, a], energy, 4.0, 0.5)
                            if g == 0 and s == 0:
                                scored += weight * factor
                else:
                    kerma = weight * energy * at(air, energy, 4.0, 0.5) / max(-w, 0.05)
                    distance2 = x * x + y * y
                    for s in range(len(sources)):
                        height = sources[s] - thickness + z1
                        ssd = sources[s] - thickness
                        ring = math.sqrt(distance2) * ssd / height
                        if ssd > 1 and ring < rings[-1]:
                            factor = _ray(
                                x,
                                y,
                                distance2,
                                height,
                                ssd,
                                first_depth,
                                cosine_u1,
                                coherent1,
                                squares[kind1],
                                bounds[kind1],
                                start,
                            )
                            back[s, np.searchsorted(rings, ring, side="right") - 1] += kerma * factor
                break
            kind = kinds[layer]
            share = at(tables[kind, 1], energy, 4.0, 0.5)
            energy_done += energy * weight * (1 - share)
            weight *= share
            coherent = np.random.random() < at(tables[kind, 2], energy, 4.0, 0.5)
            if coherent:
                cosine = coherent_cosine(squares[kind], areas[kind], momenta, energy)
            else:
                cosine = compton_cosine(bounds[kind], energy)
                after = energy / (1 + energy / 510.99895 * (1 - cosine))
                energy_done += (energy - after) * weight
                energy = after
            u, v, w = turned(u, v, w, cosine, 2 * math.pi * np.random.random())
            if first:
                first, z1, coherent1, kind1, cosine_u1 = False, z, coherent, kind, (u, v, w)
            if energy < 8.0:
                energy_done += energy * weight
                break
            if weight < 0.02:
                if np.random.random() < 0.5:
                    # Russian roulette keeps the mean; the balance counts the expectation.
                    break
                weight *= 2
            left = -math.log(1 - np.random.random())
        square += scored * scored
    return number, energy_out, square_out, back / kerma_in, responded, primary, energy_in, energy_done, energy_left, square


@njit(cache=True)
def _ray(
    dx: float,
    dy: float,
    distance2: float,
    height: float,
    sid: float,
    depth: float,
    after: Any,
    coherent: bool,
    squared: Any,
    bound: Any,
    energy: float,
) -> float:
    """Weight of a pencil's history as one of a diverging beam that ends at the centre (see the module's text).

    The ray comes from the focus, `height` above the first interaction and over the centre; that interaction lies at
    (-dx, -dy) from the centre.
    """
    slant = math.sqrt(distance2 + height * height)
    cosine = height / slant
    seen = (-after[0] * dx - after[1] * dy + after[2] * height) / slant
    turned = _differential(coherent, squared, bound, energy, seen) / _differential(
        coherent, squared, bound, energy, after[2]
    )
    return min(turned, 20.0) * (sid / height) ** 2 * cosine**2 * math.exp(-depth * (1 / cosine - 1))


def run(
    layers: list[Layer],
    spectrum: tuple[Array, Array],
    histories: int,
    seed: int,
    gaps_cm: Array,
    sources_cm: Array,
    responses: Array | None = None,
) -> Tally:
    """Transport `histories` photons of a spectrum (energies [keV], numbers) through the layers.

    gaps_cm: exit to the plane scored; sources_cm: focus to exit, longer than the stack. responses (kind, angle, energy on
    RESPONSE_KEV): what a scored photon counts for, summed into the tally's `responded`.
    """
    energies, numbers = spectrum
    names = sorted({layer.material for layer in layers})
    data = [material_tables(name) for name in names]
    air = coefficients("air", _MU_KEV)["absorption"]
    number, energy, energy_square, back, responded, primary, energy_in, energy_done, energy_left, square = _run(
        seed,
        histories,
        np.asarray(energies, float),
        np.cumsum(numbers) / np.sum(numbers),
        np.concatenate([[0.0], np.cumsum([layer.thickness_cm for layer in layers])]),
        np.array([names.index(layer.material) for layer in layers]),
        np.array([layer.density for layer in layers]),
        np.array([entry[0] for entry in data]),
        np.array([entry[1] for entry in data]),
        np.array([entry[2] for entry in data]),
        np.array([entry[3] for entry in data]),
        MOMENTA,
        air,
        np.asarray(gaps_cm, float),
        np.asarray(sources_cm, float),
        FIELD_EDGES_CM,
        -np.cos(np.radians(ANGLE_EDGES_DEG)),
        NO_RESPONSE if responses is None else responses,
    )
    total = number[0, 0].sum()
    error = math.sqrt(max(square - total**2 / histories, 0)) / total if total > 0 else math.inf
    return Tally(
        number / primary,
        energy / primary,
        energy_square / primary,
        back,
        responded / primary,
        primary / histories,
        energy_done / energy_in,
        (energy_done - energy_left) / energy_in,
        error,
    )
