"""From how much of each material the rays meet to the image that a receptor gives of it: primary, scatter, grid, blur,
noise, index. Signals are RQA5-equivalent air kerma [µGy] at the receptor: 100 times that is the exposure index.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.equipment.aec import CELL_CENTRES_CM, CELL_CM
from oakbeam.core.physics.beam.heel import kerma_along_tube
from oakbeam.core.physics.beam.model import BeamSetup, Part, evaluate
from oakbeam.core.physics.beam.receptor import PHOSPHORS, ReceptorKind, signal_per_ugy_rqa5
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.physics.geometry import magnification
from oakbeam.core.practice.beam_bins import primary_signal
from oakbeam.core.practice.computed_body import Maps, Material, Screen
from oakbeam.core.practice.positioning import ComputedPart

Image = NDArray[np.float32]
SATURATES_UGY: dict[ReceptorKind, float] = {"dr_csi": 60.0, "dr_gos": 60.0, "cr": 120.0, "film_screen": math.inf}
"""Signal at which a receptor gives no more; usual sizes, makers differ."""
ELECTRONIC_UGY: dict[ReceptorKind, float] = {"dr_csi": 0.1, "dr_gos": 0.12, "cr": 0.25, "film_screen": 0.3}
"""Signal whose quantum noise is as large as what electronics, phosphor structure or film grain add. Estimates."""
OWN_PIXEL_CM = 0.03
"""A pixel of the image is one of the receptor's own, of which there are more than are shown: its noise is theirs."""
SCATTER_NODES = 7
COARSE = 4
"""Scatter is worked out on pixels so many times as large: it has no fine structure."""


@dataclass(frozen=True, slots=True)
class Collimation:
    """The light field at the receptor: middle [cm], sides [cm], turned [deg]."""

    middle_cm: tuple[float, float] = (0.0, 0.0)
    size_cm: tuple[float, float] = (24.0, 30.0)
    turned_deg: float = 0.0

    def from_middle(self, screen: Screen) -> tuple[Array, Array]:
        """(rows, columns) each: how far [cm] a pixel lies from the middle of the field, along its width and its height."""
        y, x = np.meshgrid(screen.y_cm() - self.middle_cm[1], screen.x_cm() - self.middle_cm[0], indexing="ij")
        c, s = math.cos(math.radians(self.turned_deg)), math.sin(math.radians(self.turned_deg))
        return np.asarray(c * x + s * y), np.asarray(-s * x + c * y)


@dataclass(frozen=True, slots=True)
class GridFault:
    """How a grid is used other than as it should be: offset_cm across its strips, tilt_deg, focal_cm (None: parallel or used
    at its focus), upside_down; stationary: its strips are seen."""

    offset_cm: float = 0.0
    tilt_deg: float = 0.0
    focal_cm: float | None = None
    upside_down: bool = False
    stationary: bool = False


@dataclass(frozen=True, slots=True)
class Motion:
    """How the part moves during the exposure: by so much [mm] along the image, or as breathing does, up and down."""

    mm: float = 0.0
    along_deg: float = 90.0


@dataclass(frozen=True)
class Exposure:
    """One exposure of a computed body. setup: as the physics model takes it; part: what the model takes for the part;
    structure_cm: from the receptor to what is looked at, where a body does not say it itself; the grid's strips run up the
    image."""

    setup: BeamSetup
    mas: float
    part: Part
    collimation: Collimation
    spot_mm: float = 1.0
    structure_cm: float = 5.0
    grid_fault: GridFault = field(default_factory=GridFault)
    motion: Motion = field(default_factory=Motion)
    seed: int = 0
    cathode_up: bool = True


@dataclass(frozen=True)
class Radiograph:
    """What the receptor gives: signal [µGy] with noise; clean: without; primary: the primary's part; lit: within the light
    field; spr: scatter over primary for the part's own thickness, behind the grid. open_beam_ugy: where nothing is in the
    beam. incident_air_kerma_mgy, kap_mgycm2: at the skin."""

    signal: Image
    clean: Image
    primary: Image
    lit: NDArray[np.bool_]
    spr: float
    open_beam_ugy: float
    incident_air_kerma_mgy: float
    kap_mgycm2: float
    screen: Screen
    collimation: Collimation
    receptor: ReceptorKind


def expose(body: ComputedPart, screen: Screen, shot: Exposure) -> Radiograph:
    """The image of an exposure. Deterministic by its seed. Raises OutOfRange outside the physics model's range."""
    setup = replace(shot.setup, field_cm=shot.collimation.size_cm, primary_loss=0.0)
    beam = evaluate(setup, shot.part)
    maps, soft = body.maps, body.soft
    light = _light_field(screen, shot.collimation)
    geometry = _falls_off(screen, setup, shot.cathode_up) * light
    passed = _grid_pattern(screen, setup, shot.grid_fault)
    before_grid = primary_signal(setup, maps, soft, _typical(maps, light)) * geometry
    scatter, spr = _scatter(body, before_grid, light, screen, setup, shot.part)
    primary = _blurred(before_grid * passed, body, screen, shot)
    clean = np.float32(shot.mas) * (primary + scatter * _grid_scatter(passed))
    kev2_per_kev = float(beam.variance_kev2[0] / beam.signal_kev[0])
    noisy = _with_noise(clean, setup.receptor, kev2_per_kev, shot.seed)
    signal = np.clip(noisy, 0, SATURATES_UGY[setup.receptor])
    open_beam = float(primary_signal(setup, {m: np.zeros((1, 1), np.float32) for m in maps}, soft, {})[0, 0])
    ssd = float(beam.ssd_cm[0])
    incident = float(beam.incident_air_kerma_ugy[0]) * shot.mas / 1000
    area = shot.collimation.size_cm[0] * shot.collimation.size_cm[1] * (ssd / setup.sid_cm) ** 2
    return Radiograph(
        signal.astype(np.float32),
        clean,
        np.float32(shot.mas) * primary,
        light > 0.5,
        spr,
        open_beam * shot.mas,
        incident,
        incident * area,
        screen,
        shot.collimation,
        setup.receptor,
    )


def _light_field(screen: Screen, light: Collimation) -> Image:
    """1 within the light field and 0 outside, with an edge of a pixel; what is beside it is leakage."""
    across, along = (np.abs(one) for one in light.from_middle(screen))
    edge = 1.5 * screen.pixel_cm
    inside = np.clip((light.size_cm[0] / 2 - across) / edge + 0.5, 0, 1)
    inside = inside * np.clip((light.size_cm[1] / 2 - along) / edge + 0.5, 0, 1)
    return np.maximum(inside, LEAKAGE).astype(np.float32)


LEAKAGE = 0.002
"""What reaches the receptor beside the light field, over what reaches it within."""


HEEL_ANODE_DEG = 14.0
"""Anode that the heel is of: it covers 43 cm at 100 cm, as tubes of general rooms do; one of 12° would cut the end off."""


def _falls_off(screen: Screen, setup: BeamSetup, cathode_up: bool) -> Image:
    """Distance, slant and heel over the central ray's."""
    y = screen.y_cm() - screen.focus[1]
    x = screen.x_cm() - screen.focus[0]
    height = float(screen.focus[2])
    away = np.sqrt(height**2 + x[None, :] ** 2 + y[:, None] ** 2)
    central = math.hypot(height, math.hypot(screen.focus[0] - screen.middle_cm[0], screen.focus[1] - screen.middle_cm[1]))
    # The anode turns with the tube: counted from where the central ray goes.
    central_y = screen.y_cm() - screen.middle_cm[1]
    toward_cathode = central_y if cathode_up else -central_y
    heel = kerma_along_tube(
        setup.kvp, setup.filtration_mm_al, setup.filtration_mm_cu, HEEL_ANODE_DEG, height, toward_cathode
    )
    heel = heel * (height**2 + central_y**2) / height**2
    return np.asarray((central / away) ** 3 * heel[:, None], np.float32)


def _grid_pattern(screen: Screen, setup: BeamSetup, fault: GridFault) -> Image:
    """Share of the primary that a grid lets through, over one used as it should be; strips run up the image.

    At x from the middle a ray misses the strips' direction by x (1/SID − 1/f0) + offset/f0 + tan tilt, and the strips take
    the ratio times that: what `geometry.grid_loss` averages. Upside down the strips lean the wrong way: by twice x/f0.
    """
    if setup.grid is None:
        return np.ones(screen.shape, np.float32)
    x = screen.x_cm() - screen.middle_cm[0]
    focal = fault.focal_cm or setup.sid_cm
    misses = x * (1 / setup.sid_cm - 1 / focal) + fault.offset_cm / focal + math.tan(math.radians(fault.tilt_deg))
    if fault.upside_down:
        misses = misses + 2 * x / focal
    passed = np.clip(1 - setup.grid.ratio * np.abs(misses), 0.02, 1)
    if fault.stationary:
        passed = passed * (1 - 0.12 * np.cos(2 * math.pi * x * setup.grid.lines_per_cm / STRIPS_SEEN))
    return np.broadcast_to(passed.astype(np.float32), screen.shape).copy()


STRIPS_SEEN = 5.0
"""On the pixels of a practice image strips of 40 a cm alias to so many times their pitch: moiré, as read-outs show it."""


def _grid_scatter(passed: Image) -> Image:
    """Scatter meets the strips from all sides: it hardly knows how the grid stands."""
    return np.asarray(0.6 + 0.4 * passed, np.float32)


def _typical(maps: Maps, light: Image) -> dict[Material, float]:
    within = light > 0.5
    soft = maps.get("soft")
    inside = within & (soft > 0.2 * float(soft[within].max())) if soft is not None and within.any() else within
    if not inside.any():
        return {}
    return {m: float(found[inside].mean()) for m, found in maps.items()}


def _scatter(
    body: ComputedPart, primary: Image, light: Image, screen: Screen, setup: BeamSetup, part: Part
) -> tuple[Image, float]:
    """Scatter at the receptor behind the grid, per mAs, and scatter over primary on the central ray.

    Each pixel's primary times what a slab as thick as the part is there would scatter, spread by a kernel that widens with
    the thickness and the gap; scaled so that the region that the index is of has the physics model's scatter over primary.
    """
    maps, at = body.maps, float(part.thickness_cm[0])
    whole = sum((maps[m] for m in maps if m not in ("air", "titanium", "lead")), np.zeros(screen.shape, np.float32))
    nodes = np.linspace(max(0.5, 0.1 * at), min(1.6 * at, 45.0), SCATTER_NODES)
    bone = np.minimum(float(part.bones_mm[0]) * nodes / at, 0.5 * 10 * nodes * (1 - part.lung_fraction))
    width = None if part.width_cm is None else np.full(SCATTER_NODES, float(part.width_cm[0]))
    slabs = Part(nodes, {k: float(np.mean(v)) for k, v in part.tissues.items()}, bone, part.lung_fraction, (), width)
    beam = evaluate(setup, slabs)
    ratios = (beam.signal_kev - beam.primary_signal_kev) / beam.primary_signal_kev
    ratio = np.interp(whole, np.concatenate([[0.0], nodes]), np.concatenate([[0.0], ratios]))
    source = _coarse(primary * ratio)
    lit = _coarse(light)
    pixel = screen.pixel_cm * COARSE
    near, far = 0.3 + 0.10 * at + 0.25 * setup.gap_cm, 1.0 + 0.30 * at + 0.6 * setup.gap_cm
    spread, lit_spread = np.zeros_like(source), np.zeros_like(source)
    for share, sigma in ((0.35, near), (0.65, far)):
        spread = spread + share * _gaussian(source, sigma / pixel)
        lit_spread = lit_spread + share * _gaussian(lit, sigma / pixel)
    # The model's figure already knows how large the field is.
    found = _fine(spread / max(float(lit_spread.max()), 1e-6), screen.shape)
    spr = float(np.interp(at, nodes, ratios))
    seen = body.region & (light > 0.5)
    if seen.any() and found[seen].mean() > 0:
        found = found * (spr * float(primary[seen].mean()) / float(found[seen].mean()))
    return found.astype(np.float32), spr


def _coarse(image: Image) -> Image:
    rows, columns = image.shape
    padded = np.pad(image, ((0, -rows % COARSE), (0, -columns % COARSE)), mode="edge")
    r, c = padded.shape
    return np.asarray(padded.reshape(r // COARSE, COARSE, c // COARSE, COARSE).mean(axis=(1, 3)))


def _fine(image: Image, shape: tuple[int, int]) -> Image:
    """Back to the full pixels, linear between the coarse ones."""
    for axis, size in enumerate(shape):
        at = np.clip((np.arange(size) + 0.5) / COARSE - 0.5, 0, image.shape[axis] - 1)
        low = np.minimum(at.astype(int), max(image.shape[axis] - 2, 0))
        high = np.minimum(low + 1, image.shape[axis] - 1)
        share = (at - low).reshape((-1, 1) if axis == 0 else (1, -1))
        image = np.take(image, low, axis) * (1 - share) + np.take(image, high, axis) * share
    return np.asarray(image)


def _gaussian(image: Image, sigma: float) -> Image:
    """Blurred by a Gaussian of a width in pixels; nothing comes from beyond the edge."""
    pad = int(3 * sigma) + 1
    padded = np.pad(image, pad)
    return np.asarray(_filtered(padded, lambda u, v: np.exp(-2 * math.pi**2 * sigma**2 * (u**2 + v**2)))[pad:-pad, pad:-pad])


def _filtered(image: Image, transfer: Callable[[Array, Array], Array]) -> Image:
    """An image times a transfer of the spatial frequencies (cycles per pixel) down and across it."""
    spectrum = np.fft.rfft2(image)
    down = np.asarray(np.fft.fftfreq(image.shape[0])[:, None], float)
    across = np.asarray(np.fft.rfftfreq(image.shape[1])[None, :], float)
    return np.asarray(np.fft.irfft2(spectrum * transfer(down, across), s=image.shape), np.float32)


def _blurred(image: Image, body: ComputedPart, screen: Screen, shot: Exposure) -> Image:
    """The focal spot's, the receptor's and the part's own unsharpness together. What lies higher over the receptor is drawn
    larger, and the spot's image with it: as it is for the lowest and for the highest structure, and between the two by how
    high a pixel's own lies."""
    if body.height_cm is None or not np.isfinite(body.height_cm).any():
        return _unsharp(image, screen, shot, shot.structure_cm)
    height = _around(body.height_cm, EDGE_CM / screen.pixel_cm)
    low, high = (max(float(one), 0.0) for one in np.percentile(height, [2, 98]))
    if high - low < NEARLY_FLAT_CM:
        return _unsharp(image, screen, shot, (low + high) / 2)
    share = _fine(np.clip((height - low) / (high - low), 0, 1), image.shape)
    return np.asarray(
        _unsharp(image, screen, shot, low) * (1 - share) + _unsharp(image, screen, shot, high) * share, np.float32
    )


EDGE_CM = 0.4
"""So far beside a structure its edge is blurred as it is."""


def _around(known: Image, sigma: float) -> Image:
    """Heights on coarse pixels, where none is known those of what lies next to it."""
    there = np.isfinite(known)
    whole, weight = _coarse(np.where(there, known, 0)), _coarse(there.astype(np.float32))
    spread, by = _gaussian(whole, sigma / COARSE), _gaussian(weight, sigma / COARSE)
    mean = float(whole.sum() / weight.sum())
    return np.asarray(np.where(by > 1e-3, spread / np.maximum(by, 1e-3), mean))


NEARLY_FLAT_CM = 1.5
"""Structures that differ by less in height are blurred alike to the eye."""


def _unsharp(image: Image, screen: Screen, shot: Exposure, height_cm: float) -> Image:
    """Blurred as a structure so high [cm] over the receptor is."""
    pixel_mm = 10 * screen.pixel_cm
    times = magnification(shot.setup.sid_cm, min(height_cm, 0.6 * shot.setup.sid_cm))
    spot = shot.spot_mm * (times - 1)
    sigma = math.hypot(spot, PHOSPHORS[shot.setup.receptor].blur_mm) / 2.355 / pixel_mm
    moved = shot.motion.mm * times / pixel_mm
    angle = math.radians(shot.motion.along_deg)

    def transfer(down: Array, across: Array) -> Array:
        along = down * math.sin(angle) + across * math.cos(angle)
        return np.asarray(np.exp(-2 * math.pi**2 * sigma**2 * (down**2 + across**2)) * np.sinc(along * moved))

    if sigma < 0.1 and moved < 0.1:
        return image
    pad = int(3 * sigma + moved) + 2
    blurred = _filtered(np.pad(image, pad, mode="edge"), transfer)
    return np.maximum(blurred[pad:-pad, pad:-pad], 0)


def _with_noise(clean: Image, receptor: ReceptorKind, kev2_per_kev: float, seed: int) -> Image:
    """With the noise of the quanta that a pixel counts, by the energy each leaves, and the receptor's own."""
    chance = np.random.default_rng(seed)
    per_ugy = signal_per_ugy_rqa5(receptor) * OWN_PIXEL_CM**2
    variance = (clean + ELECTRONIC_UGY[receptor]) * (kev2_per_kev / per_ugy)
    white = chance.standard_normal(clean.shape, dtype=np.float32)
    return np.asarray(clean + np.sqrt(variance) * white)


@dataclass(frozen=True, slots=True)
class Index:
    """What the read-out finds: exposure index; recognised: whether the field's edges and the part were found."""

    ei: float
    recognised: bool


def index_of(radiograph: Radiograph, region: NDArray[np.bool_]) -> Index:
    """The exposure index of the image itself: 100 times the mean signal of the part's region within the light field. Where
    less than half of the region is lit, or direct exposure or metal fills much of it, it was not recognised, and everything
    lit is taken."""
    open_beam = radiograph.open_beam_ugy
    lit = radiograph.lit
    direct = radiograph.clean > DIRECT * open_beam
    seen = region & lit & ~direct
    if seen.sum() < max(50, 0.5 * region.sum()):
        whole = lit if lit.any() else np.ones_like(lit)
        return Index(100 * float(radiograph.signal[whole].mean()), False)
    return Index(100 * float(radiograph.signal[seen].mean()), True)


DIRECT = 0.85
"""Signal over the open beam's from which a pixel is of direct exposure."""


def chamber_signal(radiograph: Radiograph, chamber: str) -> float:
    """Mean signal [µGy] that a chamber behind the part is given."""
    (x, y), (width, height) = CELL_CENTRES_CM[chamber], CELL_CM
    columns = np.abs(radiograph.screen.x_cm() - x) <= width / 2
    rows = np.abs(radiograph.screen.y_cm() - y) <= height / 2
    if not rows.any() or not columns.any():
        return 0.0
    return float(radiograph.clean[np.ix_(rows, columns)].mean())
