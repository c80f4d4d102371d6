"""Makes the physics model's tables: `make tables` (about ten minutes on two cores). The app only reads what this writes.

python -m tools.tables [--histories N] [--ratio-histories N] [--grid-histories N]
"""

from __future__ import annotations

import argparse
import hashlib
import json
from importlib.metadata import version
from pathlib import Path

import numpy as np

from tools.tables import grid_transport, scatter, spectra, transport
from tools.tables.materials import ENERGIES_KEV, MATERIALS, Array, coefficients, compton_transfer

TARGET = Path(__file__).parents[2] / "src" / "oakbeam" / "core" / "physics" / "beam" / "data"
TABLE_VERSION = "1"
ENERGY_SHARE = (0.3, 1.0)
"""A scattered photon keeps at least this share of its energy, in the orders that matter; stored in 255 steps."""

SPREAD_SHARE = (0.0, 0.3)
"""The same for the standard deviation."""


def attenuation() -> dict[str, Array]:
    """Coefficients of every material on the shared energy bins: (material, energy) each."""
    found = [coefficients(name) for name in MATERIALS]
    kinds = ("total", "photo", "incoherent", "absorption")
    tables: dict[str, Array] = {kind: np.array([one[kind] for one in found]) for kind in kinds}
    tables["compton_transfer"] = compton_transfer(ENERGIES_KEV)
    return tables


def pack_scatter(base: dict[str, Array], ratios: dict[str, Array]) -> dict[str, Array]:
    """The scatter arrays in the small types they are stored in."""

    def steps(name: str, limits: tuple[float, float]) -> Array:
        share = (np.clip(base[name], *limits) - limits[0]) / (limits[1] - limits[0])
        return np.asarray(np.round(255 * share).astype(np.uint8))

    packed: dict[str, Array] = {name: np.asarray(base[name].astype(np.float16)) for name in ("number", "back")}
    packed |= {"energy_steps": steps("energy", ENERGY_SHARE), "spread_steps": steps("spread", SPREAD_SHARE)}
    return packed | {name: mesh.astype(np.float32) for name, mesh in ratios.items()}


def axes() -> dict[str, object]:
    """Every axis of the tables, by name."""
    named = {
        "energies_kev": ENERGIES_KEV,
        "angles_deg": spectra.ANGLES_DEG,
        "kvps": spectra.KVPS,
        "heel_angles_deg": spectra.HEEL_ANGLES_DEG,
        "heel_kvps": spectra.HEEL_KVPS,
        "scatter_kev": scatter.ENERGIES_KEV,
        "thicknesses_cm": scatter.THICKNESSES_CM,
        "gaps_cm": scatter.GAPS_CM,
        "sources_cm": np.array([scatter.sources_cm(float(t)) for t in scatter.THICKNESSES_CM]),
        "rings_cm": transport.FIELD_EDGES_CM,
        "angle_edges_deg": transport.ANGLE_EDGES_DEG,
        "ratio_kev": scatter.RATIO_ENERGIES_KEV,
        "ratio_fields_cm": scatter.RATIO_FIELDS_CM,
        "tissue_thicknesses_cm": scatter.TISSUE_THICKNESSES_CM,
        "bones_mm": scatter.BONES_MM,
        "bone_thicknesses_cm": scatter.BONE_THICKNESSES_CM,
        "lung_fractions": scatter.LUNG_FRACTIONS,
        "lung_thicknesses_cm": scatter.LUNG_THICKNESSES_CM,
        "grid_ratios": grid_transport.RATIOS,
        "grid_lines_per_cm": grid_transport.LINES_PER_CM,
        "grid_leads_mm": grid_transport.LEAD_MM,
        "grid_kev": grid_transport.ENERGIES_KEV,
    }
    return {name: np.asarray(values).tolist() for name, values in named.items()}


def write(files: dict[str, dict[str, Array]], made_with: dict[str, object]) -> None:
    """Write the arrays and the manifest with checksums and the parameters that made them."""
    TARGET.mkdir(parents=True, exist_ok=True)
    entries = {}
    for name, arrays in files.items():
        path = TARGET / name
        np.savez_compressed(path, **arrays)  # type: ignore[arg-type]
        entries[name] = {"sha256": hashlib.sha256(path.read_bytes()).hexdigest()}
    manifest = {
        "version": TABLE_VERSION,
        "made_with": made_with,
        "materials": list(MATERIALS),
        "tissues": list(scatter.TISSUES),
        "energy_share": ENERGY_SHARE,
        "spread_share": SPREAD_SHARE,
        "interspaces": list(grid_transport.INTERSPACES),
        "files": entries,
        "axes": axes(),
    }
    (TARGET / "manifest.json").write_text(json.dumps(manifest, indent=1) + "\n", encoding="utf-8")


def main() -> None:
    """Make everything."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--histories", type=int, default=1_000_000, help="per scatter cell; twice that from 16 cm on")
    parser.add_argument("--ratio-histories", type=int, default=400_000)
    parser.add_argument("--grid-histories", type=int, default=60_000)
    given = parser.parse_args()
    base = scatter.make_base(given.histories)
    ratios = scatter.make_ratios(given.ratio_histories)
    imparted = scatter.make_imparted(given.ratio_histories // 4)
    grids = grid_transport.make(given.grid_histories)
    seen = base["error"][np.isfinite(base["error"])]
    made_with = {
        "histories": given.histories,
        "ratio_histories": given.ratio_histories,
        "grid_histories": given.grid_histories,
        "scatter_error_median": round(float(np.median(seen)), 5),
        "scatter_error_95th": round(float(np.quantile(seen, 0.95)), 5),
        "packages": {name: version(name) for name in ("spekpy", "xraylib", "numba", "numpy")},
    }
    made: Array = spectra.make()
    write(
        {
            "attenuation.npz": {name: table.astype(np.float32) for name, table in attenuation().items()},
            "spectra.npz": {"spectra": made.astype(np.float32), "heel": spectra.make_heel().astype(np.float32)},
            "scatter.npz": pack_scatter(base, ratios) | {"imparted": imparted.astype(np.float32)},
            "grid.npz": {name: table.astype(np.float32) for name, table in grids.items()},
        },
        made_with,
    )


if __name__ == "__main__":
    main()
