"""The model's data tables, made offline by tools/tables and shipped with the package; read once, checked by the manifest.

This is the one place of the core that reads files: they are constants, as much as a number written in the source.
"""

from __future__ import annotations

import hashlib
import io
import json
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


class DamagedTable(RuntimeError):
    """A table whose checksum is not the manifest's."""


@dataclass(frozen=True)
class Tables:
    """Everything the model reads. Energies keV, lengths cm, coefficients 1/cm; see tools/tables for how each was made.

    energies_kev (145). spectra (angle, kVp, energy): photons per keV, cm² and mAs at 100 cm, unfiltered. heel (angle, kVp,
    energy): logarithm of what leaves the anode at an angle over that at 12 degrees. mu and photo, incoherent,
    absorption: material -> (145). Scatter: `moments` (3, gap, thickness, energy x angle, source x ring) planar
    photons at the centre per unscattered one, the sum of their energies over the photon energy, and of the squares; `back`
    (thickness, energy, source x ring); the ratio meshes (.., thickness, energy, 2, field), in energy and in kerma, already
    on the scatter energies.
    """

    version: str
    energies_kev: Array
    angles_deg: Array
    kvps: Array
    spectra: Array
    heel_angles_deg: Array
    heel_kvps: Array
    heel: Array
    mu: dict[str, Array]
    photo: dict[str, Array]
    incoherent: dict[str, Array]
    absorption: dict[str, Array]
    compton_transfer: Array
    scatter_kev: Array
    hats: Array
    thicknesses_cm: Array
    gaps_cm: Array
    sources_cm: Array
    rings_cm: Array
    angle_edges_deg: Array
    moments: NDArray[np.float32]
    back: NDArray[np.float32]
    imparted: Array
    tissues: tuple[str, ...]
    tissue_ratio: Array
    tissue_back_ratio: Array
    tissue_thicknesses_cm: Array
    bone_ratio: Array
    bones_mm: Array
    bone_thicknesses_cm: Array
    lung_ratio: Array
    lung_fractions: Array
    lung_thicknesses_cm: Array
    ratio_fields_cm: Array
    interspaces: tuple[str, ...]
    grid_ratios: Array
    grid_lines_per_cm: Array
    grid_leads_mm: Array
    grid_kev: Array
    grid_made: Array


@cache
def tables() -> Tables:
    """The tables, read and checked at the first use. Raises DamagedTable."""
    folder = files(__package__) / "data"
    manifest = json.loads((folder / "manifest.json").read_text(encoding="utf-8"))
    loaded: dict[str, dict[str, Array]] = {}
    for name, entry in manifest["files"].items():
        raw = (folder / name).read_bytes()
        if hashlib.sha256(raw).hexdigest() != entry["sha256"]:
            raise DamagedTable(f"{name} is not the file that the manifest of version {manifest['version']} names")
        with np.load(io.BytesIO(raw)) as arrays:
            loaded[name] = {key: np.asarray(arrays[key], dtype=np.float64) for key in arrays.files}
    lists = {key: np.array(value, dtype=np.float64) for key, value in manifest["axes"].items()}
    materials: list[str] = manifest["materials"]

    def by_material(key: str) -> dict[str, Array]:
        return dict(zip(materials, loaded["attenuation.npz"][key], strict=True))

    made = loaded["grid.npz"]
    scatter, energies, nodes = loaded["scatter.npz"], lists["energies_kev"], lists["scatter_kev"]
    number, back = scatter["number"], scatter["back"]
    mean = _unpacked(scatter["energy_steps"], manifest["energy_share"])
    spread = _unpacked(scatter["spread_steps"], manifest["spread_share"])
    t, e, gaps, sources, rings, angles = number.shape
    # (t, e, gap, source, ring, angle) -> (gap, t, e x angle, source x ring): a matrix product sums over a field.
    moments = np.array(
        [
            values.transpose(2, 0, 1, 5, 3, 4).reshape(gaps, t, e * angles, sources * rings)
            for values in (number, number * mean, number * (mean**2 + spread**2))
        ],
        dtype=np.float32,
    )
    return Tables(
        version=manifest["version"],
        energies_kev=energies,
        angles_deg=lists["angles_deg"],
        kvps=lists["kvps"],
        spectra=loaded["spectra.npz"]["spectra"],
        heel_angles_deg=lists["heel_angles_deg"],
        heel_kvps=lists["heel_kvps"],
        heel=loaded["spectra.npz"]["heel"],
        mu=by_material("total"),
        photo=by_material("photo"),
        incoherent=by_material("incoherent"),
        absorption=by_material("absorption"),
        compton_transfer=loaded["attenuation.npz"]["compton_transfer"],
        scatter_kev=nodes,
        hats=_hats(energies, nodes),
        thicknesses_cm=lists["thicknesses_cm"],
        gaps_cm=lists["gaps_cm"],
        sources_cm=lists["sources_cm"],
        rings_cm=lists["rings_cm"],
        angle_edges_deg=lists["angle_edges_deg"],
        moments=moments,
        back=back.reshape(t, e, -1).astype(np.float32),
        imparted=np.concatenate([np.zeros((1, len(nodes))), scatter["imparted"]]),
        tissues=tuple(manifest["tissues"]),
        tissue_ratio=_on_nodes(scatter["tissue"], lists["ratio_kev"], nodes),
        tissue_back_ratio=_on_nodes(scatter["tissue_back"], lists["ratio_kev"], nodes),
        tissue_thicknesses_cm=lists["tissue_thicknesses_cm"],
        bone_ratio=_on_nodes(scatter["bone"], lists["ratio_kev"], nodes),
        bones_mm=lists["bones_mm"],
        bone_thicknesses_cm=lists["bone_thicknesses_cm"],
        lung_ratio=_on_nodes(scatter["lung"], lists["ratio_kev"], nodes),
        lung_fractions=lists["lung_fractions"],
        lung_thicknesses_cm=lists["lung_thicknesses_cm"],
        ratio_fields_cm=lists["ratio_fields_cm"],
        interspaces=tuple(manifest["interspaces"]),
        grid_ratios=lists["grid_ratios"],
        grid_lines_per_cm=lists["grid_lines_per_cm"],
        grid_leads_mm=lists["grid_leads_mm"],
        grid_kev=lists["grid_kev"],
        # Numbers go by powers with a grid's measures and the energy: their logarithm is what is interpolated.
        grid_made=np.stack([np.log(np.maximum(made["number"], 1e-6)), made["mean"], made["spread"]], axis=-1),
    )


def between(nodes: Array, values: Array) -> tuple[NDArray[np.intp], Array]:
    """(lower node, share of the upper one) for each value, the ends held."""
    place = np.minimum(np.maximum(nodes.searchsorted(values, side="right") - 1, 0), len(nodes) - 2)
    low = nodes[place]
    return place, np.minimum(np.maximum((values - low) / (nodes[place + 1] - low), 0.0), 1.0)


def _unpacked(steps: Array, limits: list[float]) -> Array:
    """Values kept as 256 steps between two limits."""
    return np.asarray(limits[0] + (limits[1] - limits[0]) * steps / 255)


def _hats(energies: Array, nodes: Array) -> Array:
    """(energy, node): how a photon of each bin is shared between the two scatter energies next to it, linear in log E."""
    place = np.interp(np.log(energies), np.log(nodes), np.arange(len(nodes)))
    return np.asarray(np.maximum(0.0, 1 - np.abs(place[:, None] - np.arange(len(nodes)))))


def _on_nodes(ratio: Array, ratio_kev: Array, nodes: Array) -> Array:
    """A ratio mesh (first, thickness, energy, ..) brought onto the scatter energies."""

    def along(values: Array) -> Array:
        return np.interp(np.log(nodes), np.log(ratio_kev), values)

    return np.apply_along_axis(along, 2, ratio)
