"""How a radiograph is shown: grey by the logarithm of the signal, opened about the part as digital systems do; film by its
characteristic curve, which nothing opens."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.practice.positioning import ComputedPart
from oakbeam.core.practice.radiograph import Radiograph

SIGNAL_RANGE_UGY = (0.01, 200.0)
FILM_SPEED_UGY, FILM_BASE, FILM_MOST, FILM_STEEP = 2.5, 0.2, 3.2, 3.6
"""Signal at net density 1, density of base and fog, the most that development adds, and how steep the curve is: an average
gradient of 2.6, as `image_review` takes it."""
VIEWER_DENSITY = 3.4
"""Density beyond which a light box shows black alone."""


@dataclass(frozen=True)
class Shown:
    """An image to be shown. levels (rows, columns): 0 for nothing received to 65535; dark and light: the levels that are
    shown black and white (dark > light: what received more is darker)."""

    levels: NDArray[np.uint16]
    dark: int
    light: int


def shown(radiograph: Radiograph, body: ComputedPart) -> Shown:
    """A radiograph as its receptor's system shows it at first."""
    if radiograph.receptor == "film_screen":
        density = film_density(radiograph.signal)
        levels = np.clip(density / VIEWER_DENSITY * 65535, 0, 65535).astype(np.uint16)
        return Shown(levels, 65535, 0)
    levels = as_levels(radiograph.signal)
    # Beside the shutters a digital system shows black.
    levels[~radiograph.lit] = 65535
    seen = radiograph.lit & body.region
    if seen.sum() < 50:
        seen = radiograph.lit if radiograph.lit.any() else np.ones_like(radiograph.lit)
    thick = radiograph.lit & (radiograph.clean < 0.6 * radiograph.open_beam_ugy)
    low, high = np.percentile(levels[seen], [1, 99])
    lowest = float(np.percentile(levels[thick], 3)) if thick.sum() > 50 else low
    span = max(high - low, 0.10 * 65535)
    light = max(min(low - 0.15 * span, low - 0.9 * (low - lowest)), 0)
    return Shown(levels, int(min(high + 0.55 * span, 65535)), int(light))


def as_levels(signal: NDArray[np.float32]) -> NDArray[np.uint16]:
    """Levels of a signal [µGy]: its logarithm over SIGNAL_RANGE_UGY."""
    low, high = SIGNAL_RANGE_UGY
    share = np.log(np.maximum(signal, low) / low) / math.log(high / low)
    return np.asarray(np.clip(share, 0, 1) * 65535, np.uint16)


def film_density(signal: NDArray[np.float32]) -> NDArray[np.float64]:
    """Optical density of a film of speed class 400: a logistic curve of the logarithm of the exposure."""
    middle = math.log(FILM_MOST - 1) / FILM_STEEP
    exposure = np.log10(np.maximum(signal, 1e-4) / FILM_SPEED_UGY)
    return np.asarray(FILM_BASE + FILM_MOST / (1 + np.exp(-FILM_STEEP * (exposure - middle))))
