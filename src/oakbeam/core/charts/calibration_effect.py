"""What accepting a calibration would do to a chart line."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import Projection


@dataclass(frozen=True, slots=True)
class LineEffect:
    """What accepting the calibration would change at a chart line's own thickness: expected DI, and dose shown [%]."""

    projection: str
    support: str
    di_change: float
    kerma_change_percent: float


def effect(line: ChartLine, projection: Projection, before: Room, after: Room) -> LineEffect | None:
    """What a change of the room does to a chart line; None where the model has no answer for the line."""
    kvp, _ = line.at(line.thickness_cm)
    try:
        old, new = (
            float(signals_per_mas(line, room, projection, np.array([line.thickness_cm]), np.array([kvp]))[0])
            * room.receptor(line.receptor).ei_scale
            for room in (before, after)
        )
        dose = after.output_ugy_per_mas(kvp) / before.output_ugy_per_mas(kvp)
    except Refusal:
        return None
    return LineEffect(line.projection, line.support, 10 * math.log10(new / old), 100 * (dose - 1))
