"""The physics model: from tube to receptor for a part of given thicknesses, per mAs. `evaluate` is the whole of it.

    spectrum -> part and support (exponential law) -> primary at the receptor
                                                    + scatter (Monte Carlo tables) -> grid -> receptor signal

One call answers for any number of thicknesses of one set-up: a chart line is one call. Lengths cm, potentials kV, kerma µGy.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.cache import cached
from oakbeam.core.errors import OutOfRange, within
from oakbeam.core.physics.beam.grid import GridStrips, made_in_grid, mean_cosines, primary_transmission, scatter_transmission
from oakbeam.core.physics.beam.receptor import ReceptorKind, absorbed_kev, signal_per_ugy_rqa5
from oakbeam.core.physics.beam.scatter import (
    SKIN_NODES_CM,
    SUPPORT_AS_TISSUE,
    View,
    backscattered,
    composition_ratio,
    narrowing,
    scattered,
    thickness_nodes,
    tissue_back_ratio,
)
from oakbeam.core.physics.beam.spectrum import beam_quality, kerma_per_photon, spectrum
from oakbeam.core.physics.beam.tables import Array, between, tables
from oakbeam.core.physics.geometry import source_to_skin_cm

KVP_RANGE = (40.0, 150.0)
THICKNESS_RANGE_CM = (0.5, 45.0)
SID_RANGE_CM = (40.0, 400.0)
GAP_RANGE_CM = (0.0, 60.0)
FIELD_RANGE_CM = (1.0, 43.0)
FILTRATION_RANGE_MM_AL = (0.5, 20.0)
FILTRATION_RANGE_MM_CU = (0.0, 2.0)
SUPPORT_RANGE_MM_AL = (0.0, 10.0)
BONE_RANGE_MM = (0.0, 60.0)
LUNG_RANGE = (0.0, 0.9)
GRID_RATIO_RANGE = (2.0, 20.0)
GRID_LINES_RANGE = (20.0, 100.0)
GRID_COVER_RANGE_MM_AL = (0.0, 5.0)
ANODE_ANGLE_RANGE_DEG = (8.0, 16.0)
OUTPUT_SCALE_RANGE = (0.001, 1000.0)
TISSUE_DENSITY = {"soft": 1.0, "adipose": 0.95, "muscle": 1.05}
LUNG_DENSITY = 0.26
BONE_DENSITY = 1.85


@dataclass(frozen=True)
class Part:
    """What is in the beam, for n thicknesses at once.

    thickness_cm (n): caliper thickness. tissues: share of each tissue kind (soft, adipose, muscle) in what is neither bone
    nor lung, one number or (n), adding up to 1. bone_mm: cortical bone, replaces tissue. lung_fraction of the thickness is
    lung. overlay: (material, cm) of what lies on the part, such as a cast; it is not counted in the thickness.
    width_cm (n): across the beam, halfway between the skins; None where the part fills the field.
    """

    thickness_cm: Array
    tissues: dict[str, Array | float] = field(default_factory=lambda: {"soft": 1.0})
    bone_mm: Array | float = 0.0
    lung_fraction: float = 0.0
    overlay: tuple[tuple[str, float], ...] = ()
    width_cm: Array | None = None

    @cached_property
    def density(self) -> float:
        """Mean density of tissue and lung relative to 1 g/cm³ (bone is counted as a ratio)."""
        return self.tissue_density * (1 - self.lung_fraction) + LUNG_DENSITY * self.lung_fraction

    @cached_property
    def tissue_density(self) -> float:
        """Mean density of what is neither bone nor lung."""
        return sum(float(np.mean(share)) * TISSUE_DENSITY[kind] for kind, share in self.tissues.items())

    def attenuation(self) -> Array:
        """(n, energy): optical depth of the part and what lies on it."""
        data = tables()
        bone_cm = self.bones_mm / 10
        lung_cm = self.lung_fraction * self.thickness_cm
        tissue_cm = self.thickness_cm - bone_cm - lung_cm
        depth = np.outer(bone_cm, data.mu["bone"]) + np.outer(lung_cm, data.mu["lung"])
        for kind, share in self.tissues.items():
            depth += np.outer(tissue_cm * share, data.mu[kind])
        for material, cm in self.overlay:
            depth += data.mu[material] * cm
        return np.asarray(depth)

    @cached_property
    def bones_mm(self) -> Array:
        """(n): bone for each thickness."""
        return np.zeros_like(self.thickness_cm) + self.bone_mm


@dataclass(frozen=True, slots=True)
class BeamSetup:
    """Tube, distances, field, grid and receptor. gap_cm: exit surface to receptor; support_mm_al lies in that gap.

    field_cm: at the receptor. output_scale: the room's measured output over the model's. primary_loss: share of the primary
    that a grid used off its focus takes away (0 for a grid used as it should be).
    """

    kvp: float
    sid_cm: float
    field_cm: tuple[float, float]
    filtration_mm_al: float = 3.0
    filtration_mm_cu: float = 0.0
    anode_angle_deg: float = 12.0
    gap_cm: float = 0.0
    support_mm_al: float = 0.0
    grid: GridStrips | None = None
    receptor: ReceptorKind = "dr_csi"
    output_scale: float = 1.0
    primary_loss: float = 0.0


@dataclass(frozen=True)
class Beam:
    """What `evaluate` gives, per mAs; arrays are (n), one entry for each thickness.

    Kerma at the receptor is planar air kerma (photon current x E x µ_en/ρ). spr_*: scatter over primary before the grid, in
    crossing energy, planar kerma and absorbed energy. signal_kev and variance_kev2 [1/cm²]: absorbed energy behind the grid
    and the sum of its squares (quantum noise); primary_signal_kev: the primary's part; primary_kev (n, energy): that part by
    energy bin. energy_imparted_mj: what the beam leaves in the part.
    """

    k100_ugy: float
    hvl_mm_al: float
    ssd_cm: Array
    incident_air_kerma_ugy: Array
    backscatter_factor: Array
    kap_mgycm2: Array
    primary_kerma_ugy: Array
    spr_energy: Array
    spr_kerma: Array
    spr_receptor: Array
    grid_tp: Array
    grid_ts: Array
    bucky_factor: Array
    bucky_factor_receptor: Array
    contrast_improvement: Array
    receptor_kerma_ugy: Array
    rqa5_equivalent_kerma_ugy: Array
    exposure_index: Array
    signal_kev: Array
    primary_signal_kev: Array
    variance_kev2: Array
    primary_kev: Array
    energy_imparted_mj: Array


def check(setup: BeamSetup, part: Part) -> None:
    """Raise OutOfRange, with what is allowed, for anything outside the range the tables hold for."""
    _check_setup(setup)
    thickness, bones = part.thickness_cm, part.bones_mm
    for value in (float(thickness.min()), float(thickness.max())):
        within("thickness_cm", value, *THICKNESS_RANGE_CM, "cm")
    source_to_skin_cm(setup.sid_cm, float(thickness.max()), setup.gap_cm)
    within("lung_fraction", part.lung_fraction, *LUNG_RANGE, "")
    for value in (float(bones.min()), float(bones.max())):
        within("bone_mm", value, *BONE_RANGE_MM, "mm")
    room_mm = 10 * thickness * (1 - part.lung_fraction)
    if (bones > room_mm + 1e-9).any():
        most = float(room_mm.min())
        raise OutOfRange(
            "More bone than part",
            f"Bone and lung are thicker than the part; here bone can be 0 to {most:g} mm.",
            {"min": 0.0, "max": most, "unit": "mm"},
            "bone_mm",
        )


@cached(512)
def _check_setup(setup: BeamSetup) -> None:
    within("kvp", setup.kvp, *KVP_RANGE, "kVp")
    within("filtration_mm_al", setup.filtration_mm_al, *FILTRATION_RANGE_MM_AL, "mm Al")
    within("filtration_mm_cu", setup.filtration_mm_cu, *FILTRATION_RANGE_MM_CU, "mm Cu")
    within("anode_angle_deg", setup.anode_angle_deg, *ANODE_ANGLE_RANGE_DEG, "deg")
    within("sid_cm", setup.sid_cm, *SID_RANGE_CM, "cm")
    within("gap_cm", setup.gap_cm, *GAP_RANGE_CM, "cm")
    within("support_mm_al", setup.support_mm_al, *SUPPORT_RANGE_MM_AL, "mm Al")
    within("primary_loss", setup.primary_loss, 0.0, 1.0, "")
    within("output_scale", setup.output_scale, *OUTPUT_SCALE_RANGE, "")
    for side, value in zip(("width", "height"), setup.field_cm, strict=True):
        within(f"field_cm.{side}", value, *FIELD_RANGE_CM, "cm")
    if setup.grid:
        check_grid(setup.grid)


def check_grid(grid: GridStrips) -> None:
    """Raise OutOfRange for a grid that cannot be made or lies outside what the strip geometry holds for."""
    within("grid.ratio", grid.ratio, *GRID_RATIO_RANGE, "")
    within("grid.lines_per_cm", grid.lines_per_cm, *GRID_LINES_RANGE, "1/cm")
    within("grid.lead_mm", grid.lead_mm, 0.005, 0.6 * 10 / grid.lines_per_cm, "mm")
    within("grid.cover_mm_al", grid.cover_mm_al, *GRID_COVER_RANGE_MM_AL, "mm Al")


def evaluate(setup: BeamSetup, part: Part) -> Beam:
    """Everything the model knows of one set-up and n thicknesses of a part, per mAs. Raises OutOfRange (see `check`).

    Source: spectrum after SpekPy, attenuation after NIST data, scatter by the project's own Monte Carlo, grid by strip
    geometry, receptor by absorbed energy; docs/validation.md compares each with published values.
    """
    check(setup, part)
    data = tables()
    ssd_cm = setup.sid_cm - setup.gap_cm - part.thickness_cm
    k100, hvl = beam_quality(setup.kvp, setup.filtration_mm_al, setup.filtration_mm_cu, setup.anode_angle_deg)
    k100 *= setup.output_scale
    primary = _primary(setup, part)
    scatter = _scatter(setup, part, primary)
    if setup.grid:
        # What the grid makes of the primary is scatter too.
        scatter[_KERMA:] += (primary @ _made(setup.grid, setup.receptor)[:, :, 0].T).T
    caught = absorbed_kev(setup.receptor)
    behind = primary * _grid_primary(setup)
    primary_kerma, primary_signal_before = primary @ kerma_per_photon(), primary @ caught
    grid_tp = (behind @ kerma_per_photon()) / primary_kerma
    primary_signal = behind @ caught
    signal = primary_signal + scatter[_SIGNAL]
    receptor_kerma = primary_kerma * grid_tp + scatter[_KERMA]
    with_scatter = scatter[_KERMA_BEFORE] > 0
    grid_ts = np.where(with_scatter, scatter[_KERMA] / np.where(with_scatter, scatter[_KERMA_BEFORE], 1.0), 1.0)
    rqa5 = signal / signal_per_ugy_rqa5(setup.receptor)
    incident = k100 * (100 / ssd_cm) ** 2
    area_cm2 = setup.field_cm[0] * setup.field_cm[1] * (ssd_cm / setup.sid_cm) ** 2
    bucky = (primary_kerma + scatter[_KERMA_BEFORE]) / receptor_kerma
    return Beam(
        k100_ugy=k100,
        hvl_mm_al=hvl,
        ssd_cm=ssd_cm,
        incident_air_kerma_ugy=incident,
        backscatter_factor=1 + _back(setup, part),
        kap_mgycm2=incident * area_cm2 / 1000,
        primary_kerma_ugy=primary_kerma,
        spr_energy=scatter[_ENERGY_BEFORE] / (primary @ data.energies_kev),
        spr_kerma=scatter[_KERMA_BEFORE] / primary_kerma,
        spr_receptor=scatter[_SIGNAL_BEFORE] / primary_signal_before,
        grid_tp=grid_tp,
        grid_ts=grid_ts,
        bucky_factor=bucky,
        bucky_factor_receptor=(primary_signal_before + scatter[_SIGNAL_BEFORE]) / signal,
        contrast_improvement=grid_tp * bucky,
        receptor_kerma_ugy=receptor_kerma,
        rqa5_equivalent_kerma_ugy=rqa5,
        exposure_index=100 * rqa5,
        signal_kev=signal,
        primary_signal_kev=primary_signal,
        variance_kev2=behind @ caught**2 + scatter[_VARIANCE],
        primary_kev=behind * caught,
        energy_imparted_mj=_imparted(setup, part),
    )


def rqa5_equivalent_ugy(setup: BeamSetup, part: Part) -> Array:
    """(n): only the RQA5-equivalent kerma [µGy/mAs] of `evaluate`, for the steps of a technique, which ask for nothing
    else."""
    check(setup, part)
    primary = _primary(setup, part)
    scatter = _scatter(setup, part, primary, _SIGNAL)
    of_primary = _grid_primary(setup) * absorbed_kev(setup.receptor)
    if setup.grid:
        of_primary = of_primary + _made(setup.grid, setup.receptor)[1, :, 0]
    signal = primary @ of_primary + scatter
    return np.asarray(signal / signal_per_ugy_rqa5(setup.receptor))


MJ_PER_KEV = 1.602177e-13


def _imparted(setup: BeamSetup, part: Part) -> Array:
    """(n): energy [mJ/mAs] that the beam leaves in the part.

    Share of each photon energy that an endless slab of the part's mass per area keeps, by the project's own Monte Carlo;
    bone counts by its mass. What leaves a narrow part by its sides is counted as kept.
    """
    data = tables()
    tube = spectrum(setup.kvp, setup.filtration_mm_al, setup.filtration_mm_cu, setup.anode_angle_deg) * setup.output_scale
    # Per photon at the focus the same, wherever the skin is: the area grows as the fluence falls.
    short, long = sorted(setup.field_cm)
    shadow = _shadow(setup, part)
    area_at_100_cm2 = (short if shadow is None else shadow) * long * (100 / setup.sid_cm) ** 2
    mass = part.thickness_cm * part.density + part.bones_mm / 10 * (BONE_DENSITY - part.tissue_density)
    low, share = between(thickness_nodes(), mass)
    per_node = data.imparted[low] * (1 - share[:, None]) + data.imparted[low + 1] * share[:, None]
    energy = (tube * data.energies_kev) @ data.hats
    return np.asarray(per_node @ energy * area_at_100_cm2 * MJ_PER_KEV)


# What scatter counts for at the receptor: before the grid energy, kerma and signal; behind it kerma, signal and variance.
_ENERGY_BEFORE, _KERMA_BEFORE, _SIGNAL_BEFORE, _KERMA, _SIGNAL, _VARIANCE = range(6)
_RATIO = np.array([0, 1, 0, 1, 0, 0])
"""Which of the composition's ratios each takes: that in energy or that in kerma. Absorbed energy goes with energy."""


def _primary(setup: BeamSetup, part: Part) -> Array:
    """(n, energy): unscattered photons per cm² at the receptor, before the grid."""
    tube = spectrum(setup.kvp, setup.filtration_mm_al, setup.filtration_mm_cu, setup.anode_angle_deg)
    depth = part.attenuation()
    if setup.support_mm_al:
        depth += tables().mu["aluminium"] * (setup.support_mm_al / 10)
    return np.asarray(tube * np.exp(-depth) * (setup.output_scale * (100 / setup.sid_cm) ** 2))


def _grid_primary(setup: BeamSetup) -> Array | float:
    return primary_transmission(setup.grid) * (1 - setup.primary_loss) if setup.grid else 1.0


def _shadow(setup: BeamSetup, part: Part) -> Array | None:
    """(n): how wide the part's shadow is at the receptor, at most the field's shorter side; None where it fills that."""
    short = min(setup.field_cm)
    if part.width_cm is None:
        return None
    shadow = part.width_cm * setup.sid_cm / (setup.sid_cm - setup.gap_cm - part.thickness_cm / 2)
    return None if (shadow >= short).all() else np.minimum(shadow, short)


def _scatter(setup: BeamSetup, part: Part, primary: Array, only: int | None = None) -> Array:
    """(6, n): what the scatter counts for (see above); with `only`, that one row as (n)."""
    view = View(setup.field_cm, setup.gap_cm, setup.sid_cm, part.density).rounded()
    of_part, of_support = _responses(view, setup.support_mm_al, setup.grid, setup.receptor)
    low, share = between(thickness_nodes(), part.thickness_cm * part.density)
    ratio = composition_ratio(part.thickness_cm, setup.field_cm, part.tissues, part.bones_mm, part.lung_fraction)
    shadow = _shadow(setup, part)
    if shadow is not None:
        ratio = ratio * narrowing(view, part.thickness_cm * part.density, shadow)
    weights = _weighted_hats(setup.receptor)
    upper = share[:, None]
    if only is not None:
        table = of_part[only]
        per_primary = (table[low] * (1 - upper) + table[low + 1] * upper) * ratio[_RATIO[only]] + of_support[only]
        return np.asarray(((primary @ weights[only]) * per_primary).sum(axis=1))
    own = of_part[:, low] * (1 - upper) + of_part[:, low + 1] * upper
    per_primary = own * ratio[_RATIO] + of_support[:, None]
    return np.asarray(((primary @ weights) * per_primary).sum(axis=2))


@cached(8)
def _weighted_hats(receptor: ReceptorKind) -> Array:
    """(6, energy, node): what an unscattered photon counts for, shared between the two scatter energies next to it.

    The tables are asked for scatter over primary of the same kind, which changes little from node to node, not for scatter.
    """
    data = tables()
    kinds = np.array(_kinds(data.energies_kev, kerma_per_photon(), absorbed_kev(receptor)))
    return kinds[:, :, None] * data.hats


def _kinds(energy: Array, kerma: Array, signal: Array) -> tuple[Array, ...]:
    """The six things that are counted, of an unscattered photon (those behind the grid without it)."""
    return energy, kerma, signal, kerma, signal, signal**2


@cached(256)
def _responses(view: View, support_mm_al: float, grid: GridStrips | None, receptor: ReceptorKind) -> tuple[Array, Array]:
    """What scatter counts for over what the unscattered photon does: of the part (6, thickness node, energy node), to be
    multiplied by the composition's ratio, and what the support adds (6, energy node)."""
    data = tables()
    found = scattered(view)
    node_kev = data.scatter_kev[:, None]
    number, energy = found.number, found.share * node_kev
    unscattered = _unscattered(receptor)
    if support_mm_al == 0:
        own = _counted(number, energy, grid, receptor) / unscattered[:, None]
        return own, np.zeros_like(unscattered)
    # The primary already carries the support's attenuation; oblique and softened scatter loses more of it. The support
    # itself scatters as a thin layer that meets primary and scatter alike.
    mu = data.mu["aluminium"] * support_mm_al / 10
    number = number * np.exp(_at(mu, node_kev) - _at(mu, energy.mean(axis=0)) / mean_cosines())
    own = _counted(number, energy, grid, receptor) / unscattered[:, None]
    thin = scattered(View(view.field_cm, view.gap_cm, view.sid_cm))
    share = SUPPORT_AS_TISSUE * support_mm_al / 10 / data.thicknesses_cm[0]
    layer = _counted(thin.number[1] * share, thin.share[:, 1] * node_kev, grid, receptor) / unscattered
    return own + layer[:, None] * number.sum(axis=2), layer


@cached(8)
def _unscattered(receptor: ReceptorKind) -> Array:
    """(6, energy node): what an unscattered photon of each scatter energy counts for."""
    nodes = tables().scatter_kev
    return np.array(_kinds(nodes, _at(kerma_per_photon(), nodes), _at(absorbed_kev(receptor), nodes)))


def _counted(number: Array, energies: Array, grid: GridStrips | None, receptor: ReceptorKind) -> Array:
    """(6, ..., energy node): photons (..., energy node, angle) weighted by what each counts for, summed over angles.

    energies (2, ..., energy node, angle): half of the photons have each.
    """
    bins = _bins(energies)
    kerma, signal = _at(kerma_per_photon(), energies, bins), _at_angles(_absorbed_by_angle(receptor), bins)
    half = number / 2
    before = [np.einsum("...a,h...a->...", half, one) for one in (energies, kerma, signal)]
    if grid is None:
        return np.array([*before, *before[1:], np.einsum("...a,h...a,h...a->...", half, signal, signal)])
    behind = [np.einsum("...a,h...a->...", half, _at_angles(one, bins)) for one in behind_grid(grid, receptor)]
    return np.array([*before, *behind])


@cached(64)
def behind_grid(grid: GridStrips, receptor: ReceptorKind) -> Array:
    """(3, energy bin, angle bin): planar kerma, absorbed energy and its square behind a grid, of a scattered photon that
    enters it: what passes and what the grid makes of it."""
    passed, signal = scatter_transmission(grid), _absorbed_by_angle(receptor)
    own = np.array([passed * kerma_per_photon()[:, None], passed * signal, passed * signal**2])
    return np.asarray(own + _made(grid, receptor)[:, :, 1:])


MADE_AT_COSINE = 0.85
"""How what a grid makes meets the receptor on the whole: forward scatter near 1, fluorescence near 2/3."""


@cached(64)
def _made(grid: GridStrips, receptor: ReceptorKind) -> Array:
    """(3, energy bin, entry): kerma, absorbed energy and its square of what a grid makes of a photon."""
    made = made_in_grid(grid)
    energies = made.share * tables().energies_kev[:, None]
    kerma, signal = _at(kerma_per_photon(), energies), _at(absorbed_kev(receptor, MADE_AT_COSINE), energies)
    return np.asarray([(made.number / 2 * one).sum(axis=0) for one in (kerma, signal, signal**2)])


def _back(setup: BeamSetup, part: Part) -> Array:
    """(n): backscattered over incident air kerma. Lung lies too deep to change the size of what scatters back."""
    view = View(setup.field_cm, setup.gap_cm, setup.sid_cm, part.tissue_density).rounded()
    table = backscattered(view)
    skin, a = between(SKIN_NODES_CM, part.thickness_cm)
    low, b = between(thickness_nodes(), part.thickness_cm * part.density)
    tube = spectrum(setup.kvp, setup.filtration_mm_al, setup.filtration_mm_cu, setup.anode_angle_deg)
    incident = tube * kerma_per_photon()
    weights = (incident @ tables().hats) / incident.sum()
    a, b = a[:, None], b[:, None]
    near = table[skin, low] * (1 - b) + table[skin, low + 1] * b
    far = table[skin + 1, low] * (1 - b) + table[skin + 1, low + 1] * b
    of_soft = near * (1 - a) + far * a
    shadow = _shadow(setup, part)
    if shadow is not None:
        of_soft = of_soft * narrowing(view, part.thickness_cm * part.density, shadow, part.thickness_cm)
    return np.asarray((of_soft * tissue_back_ratio(part.thickness_cm, setup.field_cm, part.tissues)) @ weights)


@cached(8)
def _absorbed_by_angle(receptor: ReceptorKind) -> Array:
    """(energy bin, angle bin) absorbed energy of a photon."""
    return np.stack([absorbed_kev(receptor, float(cosine)) for cosine in mean_cosines()], axis=1)


def _at(values: Array, energy_kev: Array, bins: Bins | None = None) -> Array:
    """values (energy bin) at any energies, linear between bins, the ends held; bins where they are known already."""
    place, share = bins or _bins(energy_kev)
    return np.asarray(values[place] * (1 - share) + values[place + 1] * share)


def _at_angles(values: Array, bins: Bins) -> Array:
    """values (energy bin, angle) in the bins of energies (..., angle)."""
    place, share = bins
    angles = values.shape[1]
    flat, place = values.ravel(), place * angles + np.arange(angles)
    low = flat[place]
    return np.asarray(low + (flat[place + angles] - low) * share)


Bins = tuple[NDArray[np.intp], Array]


def _bins(energy_kev: Array) -> Bins:
    """(lower bin, share of the upper) in the 1 keV bins."""
    energies = tables().energies_kev
    place = np.minimum(np.maximum(energy_kev - energies[0], 0.0), len(energies) - 1.000001)
    low = place.astype(np.intp)
    return low, place - low
