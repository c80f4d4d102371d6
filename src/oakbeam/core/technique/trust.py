"""How far a chart line can be trusted: proven by its images, supported by exposures, or not seen by any image yet."""

from __future__ import annotations

import math
from collections.abc import Mapping

from oakbeam.core.charts.line import ChartLine, Origin, Trust
from oakbeam.core.technique.forecast import BAND_80, Seen

PROVEN_FROM = 10
PROVEN_WITHIN_DI = 0.5


def trust_of(line: ChartLine, seen: Seen) -> Trust:
    """proven: at least PROVEN_FROM reliable images of the line as it stands today, the 80 % interval of whose mean lies
    within ±PROVEN_WITHIN_DI; supported: an image of its own, or made from accepted or test exposures; model: neither,
    whoever wrote its numbers.
    """
    if seen.count >= PROVEN_FROM:
        half = BAND_80 * seen.spread_di / math.sqrt(seen.count)
        if abs(seen.mean_di) + half <= PROVEN_WITHIN_DI:
            return "proven"
    return "supported" if seen.count or line.origin in ("exposure", "tests") else "model"


UNSEEN: Mapping[Origin, str] = {
    "typed": "Typed or imported",
    "model": "From the physics model only",
    "tests": "From test exposures of related lines",
    "exposure": "From one accepted exposure",
}


def trust_words(line: ChartLine, seen: Seen) -> str:
    """The trust of a line in words, with what to do where no image of its own stands behind it."""
    trust, mean = trust_of(line, seen), f"{seen.mean_di:+.1f} DI on average".replace("-", "−")
    if trust == "proven":
        return f"Proven by {seen.count} images, {mean}."
    if seen.count:
        return f"{seen.count} {'image' if seen.count == 1 else 'images'} logged, {mean}."
    return f"{UNSEEN[line.origin]}, no image logged yet: watch the first image."
