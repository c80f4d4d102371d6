"""A stand-in for a receptor that sends its exposure index: what it would show for a patient drawn from the forecast."""

from __future__ import annotations

import random
from dataclasses import dataclass

from oakbeam.core.equipment.room import Receptor
from oakbeam.core.technique.forecast import BAND_80
from oakbeam.core.technique.result import Forecast


@dataclass(frozen=True, slots=True)
class ReadOut:
    """What came back: an exposure index, or the optical density of a film; simulated, and says so.

    shown_index: the number that the console of the receptor shows for it; ei itself where it has no scale of its own.
    """

    ei: float | None
    shown_index: float | None
    optical_density: float | None
    simulated: bool = True


def read_out(forecast: Forecast, receptor: Receptor, seed: int) -> ReadOut:
    """Index or density of one patient on a receptor, spread as the forecast's band expects; the same for the same seed."""
    draw = random.Random(seed).gauss(0, 1)
    half = (forecast.di_high - forecast.di_low) / 2 if forecast.di_low is not None and forecast.di_high is not None else 0.8
    off = draw * half / BAND_80
    if forecast.ei is None:
        density = forecast.optical_density
        return ReadOut(None, None, None if density is None else round(min(max(density + 0.26 * off, 0.45), 2.2), 2))
    ei = float(f"{forecast.ei * 10 ** (off / 10):.3g}")
    return ReadOut(ei, float(f"{receptor.shown(ei):.4g}"), None)
