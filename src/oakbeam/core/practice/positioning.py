"""A body brought under the tube: turned, centred, laid on its support, as thick as it was measured, and agreeing with what
the physics model takes for its part."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.anatomy.composition import BONE_PER_MM
from oakbeam.core.physics.beam.model import BeamSetup, Part, evaluate
from oakbeam.core.physics.beam.receptor import signal_per_ugy_rqa5
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.practice.beam_bins import SoftMix, primary_signal
from oakbeam.core.practice.bodies.frame import Build
from oakbeam.core.practice.computed_body import Maps, Material, Screen, Tissue
from oakbeam.core.practice.solids import Solid, spans, union_length

Outline = Callable[[Build], list[Solid]]
Anatomy = Callable[[Build], list[Tissue]]
FLESH_RANGE = (0.35, 2.2)


@dataclass(frozen=True)
class Pose:
    """How a part lies under the tube. turned (3, 3): from the anatomical frame to the room's (x to the right of the image, y
    up it, z to the tube); centre: the anatomical point that the central ray goes through; angle_deg: tube toward the head
    positive."""

    turned: Array
    centre: tuple[float, float, float]
    angle_deg: float = 0.0


def focus_at(sid_cm: float, angle_deg: float, at: tuple[float, float] = (0.0, 0.0)) -> Array:
    """The focus of a tube at an SID along its ray, turned toward the head, whose central ray meets a point of the
    receptor."""
    angle = math.radians(angle_deg)
    return np.array([at[0], at[1] - sid_cm * math.sin(angle), sid_cm * math.cos(angle)])


def _through(solids: Sequence[Solid], focus: Array, target: Array) -> tuple[float, float]:
    """Where the ray from the focus through a point enters and leaves some solids for good, in shares of that way."""
    first, last = spans(solids, focus, (target - focus).astype(np.float32)[:, None])
    met = last > first
    return (float(first[met].min()), float(last[met].max())) if met.any() else (0.0, 0.0)


def _path_cm(solids: Sequence[Solid], focus: Array, target: Array) -> float:
    ray = (target - focus).astype(np.float32)[:, None]
    return float(union_length(*spans(solids, focus, ray))[0]) * float(np.linalg.norm(ray))


def placed(
    outline: Outline,
    anatomy: Anatomy,
    build: Build,
    pose: Pose,
    thickness_cm: float,
    sid_cm: float,
    gap_cm: float,
    follows: float = 0.35,
) -> list[Tissue]:
    """The tissues of a body in the room's frame: as thick along the central ray as was measured, its skin on the support.

    The flesh is made as much as it takes; the skeleton follows about the centre with a power of it: 0.35 as bones do among
    adults; with 1 the part is sized as a whole, as a head is.
    """
    focus = focus_at(sid_cm, pose.angle_deg)
    how, centre = pose.turned, np.asarray(pose.centre, float)
    whole = follows >= 1

    def sized(solid: Solid, size: float) -> Solid:
        # About the centre, which comes to lie at 0.
        return solid.moved(size * how, -size * how @ centre)

    def skin(flesh: float) -> list[Solid]:
        made = outline(replace(build, flesh=1.0 if whole else flesh))
        return [sized(one, flesh if whole else 1.0) for one in made]

    def path(flesh: float) -> float:
        # Centred on the ray whatever its height: looked at from as far as it will lie.
        up = gap_cm + thickness_cm / 2
        at = focus * (up / focus[2])
        return _path_cm([one.moved(np.eye(3), at) for one in skin(flesh)], focus, at)

    flesh = _flesh_for(thickness_cm, path)
    made = anatomy(replace(build, flesh=1.0 if whole else flesh))
    size = flesh**follows
    outer = [sized(one, size if whole else 1.0) for one in made[0].solids]
    # Down to the support along the central ray.
    height = gap_cm + thickness_cm / 2
    for _ in range(3):
        at = focus * (height / focus[2])
        _, left = _through([one.moved(np.eye(3), at) for one in outer], focus, at)
        height += gap_cm - float(focus[2] + left * (at[2] - focus[2]))
    at = focus * (height / focus[2])

    def laid(tissue: Tissue, grown: float) -> Tissue:
        return tissue.moved(grown * how, at - grown * how @ centre)

    return [laid(made[0], size if whole else 1.0), *(laid(one, size) for one in made[1:])]


def _flesh_for(thickness_cm: float, path: Callable[[float], float]) -> float:
    """How much flesh makes a path so long; the nearer end of FLESH_RANGE where none does. By the chord, halving where that
    is slow: the path grows all but evenly."""
    low, high = FLESH_RANGE
    short, long = path(low), path(high)
    if not short < thickness_cm < long:
        return low if thickness_cm <= short else high
    for turn in range(20):
        share = (thickness_cm - short) / (long - short) if turn % 3 < 2 else 0.5
        flesh = low + share * (high - low)
        made = path(flesh)
        if abs(made - thickness_cm) < PATH_WITHIN_CM:
            break
        if made < thickness_cm:
            low, short = flesh, made
        else:
            high, long = flesh, made
    return flesh


PATH_WITHIN_CM = 0.002


@dataclass(frozen=True)
class ComputedPart:
    """A body as the rays meet it: how much [cm] of each material; the share of its soft tissue that is fat; the pixels
    that a receptor which recognises the part forms its index of; and how high [cm] over the receptor lies what is seen
    there, where that is known."""

    maps: Maps
    soft: SoftMix
    region: NDArray[np.bool_]
    height_cm: NDArray[np.float32] | None = None


def agreeing(maps: Maps, screen: Screen, part: Part, field_cm: tuple[float, float], setup: BeamSetup) -> ComputedPart:
    """The maps of a body made to agree with what the physics model takes for its part in the index region: its bone, its
    lung, its fat.

    Bone is scaled so that it attenuates over the region as the part's does, lung so that its mean is the part's; what is
    left is settled on the soft tissue, so that the mean signal there is the model's at the set-up's quality.
    """
    maps = {name: found.copy() for name, found in maps.items()}
    thickness, fat = float(part.thickness_cm[0]), float(np.mean(part.tissues.get("adipose", 0.0)))
    whole = sum(maps.values(), np.zeros(screen.shape, np.float32))
    region = index_region(screen, field_cm) & (whole > THICK[0] * thickness) & (whole < THICK[1] * thickness)
    if "lung" in maps and region.any():
        if part.lung_fraction > LUNG_IS_LOOKED_AT:
            region &= maps["lung"] > 0.5 * float(maps["lung"][region].max())
        elif (beside := region & (maps["lung"] < 0.15 * thickness)).any():
            region = beside
    if not region.any():
        return ComputedPart(maps, SoftMix(fat), region)
    _scale_bone(maps, region, float(part.bones_mm[0]))
    if "lung" in maps and part.lung_fraction > 0:
        has = float(maps["lung"][region].mean())
        times = np.clip(part.lung_fraction * thickness / max(has, 1e-3), *LUNG_SCALE)
        maps["soft"] = maps["soft"] + np.float32(1 - times) * maps["lung"]
        maps["lung"] = np.float32(times) * maps["lung"]

    def mean(material: Material) -> float:
        return float(maps[material][region].mean()) if material in maps else 0.0

    soft_cm = max(mean("soft"), 0.1)
    layer = mean("adipose")
    share = (fat * (soft_cm + mean("muscle") + layer) - layer) / soft_cm
    mix = SoftMix(float(np.clip(share, 0.02, 0.98)))
    plain = replace(setup, grid=None, primary_loss=0.0)
    wanted = float(evaluate(plain, part).primary_signal_kev[0]) / signal_per_ugy_rqa5(setup.receptor)
    seen, times = {m: found[region] for m, found in maps.items()}, 1.0
    for _ in range(5):
        tried: Maps = {**seen, "soft": np.float32(times) * seen["soft"]}
        typical = {m: float(found.mean()) for m, found in tried.items()}
        given = float(primary_signal(plain, tried, mix, typical).mean())
        times = float(np.clip(times + math.log(given / wanted) / SOFT_PER_CM / soft_cm, *SOFT_SCALE))
    maps["soft"] = np.float32(times) * maps["soft"]
    return ComputedPart(maps, mix, region)


THICK = (0.65, 1.4)
"""The index is of what is about as thick as was measured: neither the part's edge nor what lies before or behind it."""
LUNG_IS_LOOKED_AT = 0.3
"""Share of lung from which the index is of the lungs."""
LUNG_SCALE, SOFT_SCALE = (0.6, 1.5), (0.7, 1.5)
SOFT_PER_CM = 0.21
"""Attenuation of a cm of tissue in the middle of the diagnostic range."""


def _scale_bone(maps: Maps, region: NDArray[np.bool_], wanted_mm: float) -> None:
    """Scale the bone so that it attenuates over a region as a layer of that many mm does."""
    if "bone" not in maps:
        return
    found_mm = 10 * maps["bone"][region]
    low, high = 0.2, 5.0
    for _ in range(24):
        times = math.sqrt(low * high)
        given = -math.log(float(np.exp(-BONE_PER_MM * times * found_mm).mean())) / BONE_PER_MM
        low, high = (times, high) if given < wanted_mm else (low, times)
    times = float(np.clip(math.sqrt(low * high), *BONE_SCALE))
    maps["soft"] = maps["soft"] + np.float32(1 - times) * maps["bone"]
    maps["bone"] = np.float32(times) * maps["bone"]


BONE_SCALE = (0.5, 1.9)


def index_region(screen: Screen, field_cm: tuple[float, float], share: float = 0.5) -> NDArray[np.bool_]:
    """(rows, columns): about the middle of a field, so large a share of its sides."""
    x = np.abs(screen.x_cm() - screen.middle_cm[0]) < share * field_cm[0] / 2
    y = np.abs(screen.y_cm() - screen.middle_cm[1]) < share * field_cm[1] / 2
    return np.asarray(y[:, None] & x[None, :])
