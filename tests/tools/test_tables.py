"""The table makers: the transport's own laws, and a few cells made again and compared with what ships."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tools.tables import grid_transport, scatter, spectra, transport
from tools.tables.__main__ import attenuation, axes
from tools.tables.materials import MATERIALS, coefficients
from tools.tables.narrow import scatter_over_primary
from tools.tables.transport import Layer, run

from oakbeam.core.physics.beam.grid import GridStrips, made_in_grid, primary_transmission, scatter_transmission
from oakbeam.core.physics.beam.tables import tables

GAPS, SOURCES = np.array([0.0, 10.0]), np.array([100.0, 250.0])


def at(layers, energy, histories=40_000, seed=1):
    return run(layers, (np.array([energy]), np.array([1.0])), histories, seed, GAPS, SOURCES)


STACKS = [
    [Layer("soft", 10)],
    [Layer("soft", 5), Layer("bone", 1), Layer("soft", 5)],
    [Layer("adipose", 4), Layer("lung", 12), Layer("muscle", 3)],
]


@pytest.mark.parametrize("layers", STACKS, ids=["soft", "bone", "lung"])
@pytest.mark.parametrize("energy", [40.0, 90.0])
def test_energy_is_conserved_and_the_primary_is_the_exponential(layers, energy):
    tally = at(layers, energy)
    assert tally.balance == pytest.approx(1, abs=0.005)
    depth = sum(
        coefficients(layer.material, np.array([energy]))["total"][0] * layer.density * layer.thickness_cm for layer in layers
    )
    assert tally.transmitted == pytest.approx(math.exp(-depth), rel=1e-3)


def test_the_seed_does_not_matter_within_the_stated_error():
    found = [at([Layer("soft", 15)], 60.0, seed=seed) for seed in range(1, 7)]
    sums = np.array([tally.number[0, 0].sum() for tally in found])
    error = found[0].error
    assert sums.std(ddof=1) / sums.mean() < 2.5 * error
    assert len(set(sums)) == len(sums)


def test_a_slab_of_another_density_is_the_unit_slab_with_other_lengths():
    light = run([Layer("soft", 20, 0.5)], (np.array([70.0]), np.array([1.0])), 60_000, 3, GAPS, SOURCES)
    unit = run([Layer("soft", 10)], (np.array([70.0]), np.array([1.0])), 60_000, 4, GAPS / 2, SOURCES / 2)
    radii = transport.FIELD_EDGES_CM
    whole = [light.number[:, :, : int(np.searchsorted(radii, r))].sum(axis=(2, 3)) for r in (7, 32)]
    half = unit.number[:, :, : int(np.searchsorted(radii, 3.5))].sum(axis=(2, 3)), unit.number[:, :, :8].sum(axis=(2, 3))
    assert whole[0] == pytest.approx(half[0], rel=0.06)
    assert whole[1] == pytest.approx(half[1], rel=0.05)


@pytest.mark.parametrize(("thickness", "energy"), [(2.0, 36.0), (10.0, 63.0), (20.0, 95.0)])
def test_scatter_cells_made_again_are_those_that_ship(thickness, energy):
    t = int(np.flatnonzero(thickness == scatter.THICKNESSES_CM)[0])
    e = int(np.flatnonzero(energy == scatter.ENERGIES_KEV)[0])
    _, _, tally = scatter.base_run((t, e, 60_000))
    data = tables()
    gaps, rings = len(scatter.GAPS_CM), len(transport.FIELD_EDGES_CM) - 1
    angles = len(transport.ANGLE_EDGES_DEG) - 1
    shipped = data.moments[0, :, t].reshape(gaps, len(scatter.ENERGIES_KEV), angles, 4, rings)[:, e]
    # Far behind the exit the field's outer rings are seen by few histories.
    made, kept = tally.number.sum(axis=(2, 3)), shipped.sum(axis=(1, 3))
    assert made[:4] == pytest.approx(kept[:4], rel=6 * tally.error + 0.01)
    assert made[4:] == pytest.approx(kept[4:], rel=0.15)
    mean = tally.energy.sum() / tally.number.sum() / energy
    share = data.moments[1, :, t].reshape(gaps, len(scatter.ENERGIES_KEV), angles, 4, rings)[:, e].sum() / shipped.sum()
    assert share == pytest.approx(mean, rel=0.01)


@given(
    st.floats(5, 16),
    st.floats(28, 75),
    st.floats(0.025, 0.07),
    st.sampled_from(["aluminium", "fibre"]),
    st.sampled_from([45.5, 60.5, 80.5, 95.5, 115.5]),
    st.integers(0, 6),
)
@settings(max_examples=15, derandomize=True, deadline=None)
def test_any_grid_by_monte_carlo_is_as_the_formula_and_the_tables_say(ratio, lines, lead, between, kev, entry):
    """What passes untouched, against the strips' geometry; what is made, against the tables between their nodes."""
    grid = GridStrips(ratio, lines, lead, between, cover_mm_al=0.0)
    straight, made, mean, _ = grid_transport.run(grid, kev, entry, 60_000, 1)
    e = int(np.flatnonzero(tables().energies_kev == kev)[0])
    formula = primary_transmission(grid)[e] if entry == 0 else scatter_transmission(grid)[e, entry - 1]
    assert straight == pytest.approx(formula, rel=0.03, abs=0.006)
    kept = made_in_grid(grid)
    assert kept.number[e, entry] == pytest.approx(made, rel=0.15, abs=0.002)
    assert kept.share[:, e, entry].mean() == pytest.approx(mean, rel=0.03)


def test_spectra_and_coefficients_made_again_are_those_that_ship():
    data = tables()
    for kvp in (60.0, 121.0):
        made = spectra.spectrum(kvp, 12.0)
        kept = data.spectra[1, int(kvp - data.kvps[0])]
        assert kept == pytest.approx(made, rel=1e-5, abs=made.max() * 1e-7)
    tabled = attenuation()
    for place, name in enumerate(MATERIALS):
        assert data.mu[name] == pytest.approx(tabled["total"][place], rel=1e-6)
        assert data.absorption[name] == pytest.approx(tabled["absorption"][place], rel=1e-6)


def test_the_axes_in_the_manifest_are_the_makers():
    data = tables()
    for name, values in axes().items():
        if hasattr(data, name):
            assert np.array_equal(getattr(data, name), np.array(values)), name


@pytest.mark.parametrize(("thickness_cm", "width_cm", "most"), [(6, 6, 1.06), (12, 12, 1.06), (12, 6, 1.12)])
def test_cutting_the_field_to_a_narrow_part_is_what_a_box_does_but_for_what_leaves_by_its_sides(
    thickness_cm, width_cm, most
):
    box, cut, wide = (
        scatter_over_primary(50.0, thickness_cm, beam_cm, box, int(histories), seed=3)
        for beam_cm, box, histories in ((width_cm, True, 2e5), (width_cm, False, 2e5), (30, False, 2e5 * 30 / width_cm))
    )
    assert 0.98 < cut / box < most
    assert box < 0.9 * wide
