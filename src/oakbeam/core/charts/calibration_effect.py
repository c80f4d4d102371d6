"""What a calibration does to chart lines: how far their images move, and the line that holds them where they were."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.charts.systems import Banded
from oakbeam.core.equipment.generator import nearest_setting
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import Projection

OFF_FROM_DI = 0.5
"""A line that a calibration moves by this much or more is marked until it is corrected."""
CORRECTED_AT_MOST_DI = 3.0
"""A correction goes no further than a factor of two; what is left is for test exposures to find."""


@dataclass(frozen=True, slots=True)
class LineEffect:
    """What accepting the calibration would change at a chart line's own thickness: expected DI, and dose shown [%]. off:
    whether the line would be marked."""

    projection: str
    support: str
    di_change: float
    kerma_change_percent: float
    off: bool


@dataclass(frozen=True, slots=True)
class Moved:
    """What the calibrations since a line was last set have moved: its images [DI], the dose shown [%], and the time of the
    first of them."""

    since: str
    di_change: float
    kerma_change_percent: float

    @property
    def off(self) -> bool:
        """Whether the line is to be corrected."""
        return abs(self.di_change) >= OFF_FROM_DI


@dataclass(frozen=True, slots=True)
class Correction:
    """A line brought back to its exposure: the factor of its mAs, why, and the deviation index that is left [DI]."""

    line: ChartLine
    mas_factor: float
    why: str
    left_di: float


def effect(line: ChartLine, projection: Projection, before: Room, after: Room) -> LineEffect | None:
    """What a change of the room does to a chart line; None where the model has no answer for the line.

    AEC ends an exposure by what reaches its chambers: there only the receptor's index scale moves the index."""
    kvp, _ = line.at(line.thickness_cm)
    try:
        old, new = (
            (1.0 if line.exposure_control == "aec" else _signal(line, room, projection, kvp))
            * room.receptor(line.receptor).ei_scale
            for room in (before, after)
        )
        dose = after.output_ugy_per_mas(kvp) / before.output_ugy_per_mas(kvp)
    except Refusal:
        return None
    di_change = 10 * math.log10(new / old)
    return LineEffect(line.projection, line.support, di_change, 100 * (dose - 1), abs(di_change) >= OFF_FROM_DI)


def _signal(line: ChartLine, room: Room, projection: Projection, kvp: float) -> float:
    return float(signals_per_mas(line, room, projection, np.array([line.thickness_cm]), np.array([kvp]))[0])


def corrected(line: ChartLine, moved: Moved, room: Room) -> Correction | None:
    """The line with the mAs that brings its images back, by no more than CORRECTED_AT_MOST_DI; the settings of bands stay
    stations. None for a line that follows another (its parent is corrected) and under AEC, which mAs does not steer."""
    if line.link or line.exposure_control == "aec":
        return None
    taken = max(-CORRECTED_AT_MOST_DI, min(CORRECTED_AT_MOST_DI, moved.di_change))
    factor = 10 ** (-taken / 10)
    law = scaled(line.law, factor)
    if isinstance(law, Banded):
        law = Banded(tuple(replace(b, mas=nearest_setting("mas", b.mas, room.generator.mas, "mAs")) for b in law.bands))
    (_, mas), (_, new_mas) = (one.at(line.thickness_cm) for one in (line.law, law))
    left = moved.di_change + 10 * math.log10(new_mas / mas)
    why = f"Images moved by {_signed(moved.di_change)} DI: mAs ×{factor:.2f}."
    if taken != moved.di_change:
        why += f" A correction stops at a factor of two: {_signed(left)} DI are left; take a test exposure."
    return Correction(replace(line, law=law), factor, why, left)


def what_to_do(line: ChartLine, moved: Moved, correction: Correction | None) -> str:
    """Why a marked line is corrected, or how, in words."""
    if correction:
        return correction.why
    by = f"Images moved by {_signed(moved.di_change)} DI"
    if line.link:
        return f"{by}: it follows another line, and is corrected with that."
    return f"{by}: AEC steers this exposure, so its chambers are set anew, or the target index."


def moved_lines(lines: Iterable[ChartLine], moved: Mapping[int, Moved]) -> list[tuple[ChartLine, Moved]]:
    """The lines that are off since a calibration, the furthest first. moved: by key."""
    found = [(line, one) for line in lines if line.key is not None and (one := moved.get(line.key)) and one.off]
    return sorted(found, key=lambda one: -abs(one[1].di_change))


def _signed(di: float) -> str:
    return f"{di:+.1f}".replace("-", "−")
