"""What logged images say of a chart line as it stands today.

An image was made with the line of its day, on a patient of some thickness. What it says of today's line is its deviation
index, moved by how much more or less today's line gives at its own thickness than that line gave there, by the physics
model, and by how much the target moved. So a line that was corrected does not carry the images of the old one on as a bias,
and a rule that goes wrong with thickness is not taken for a wrong line.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from oakbeam.core.cache import cached
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import Projection
from oakbeam.core.technique.forecast import NOTHING_SEEN, Seen


@dataclass(frozen=True, slots=True)
class LoggedImage:
    """An accepted image with a reliable index, made at the suggested kVp under a line's own conditions.

    di: as it came out, against target_ei (None: not kept with it), moved by what calibrations did to the room since.
    mas and suggested_mas: set, and suggested that day.
    line: the chart line it was suggested from, None where it cannot be told.
    """

    thickness_cm: float
    di: float
    mas: float
    suggested_mas: float
    target_ei: float | None
    line: ChartLine | None


def seen_of(images: Iterable[LoggedImage], line: ChartLine, room: Room, projection: Projection) -> Seen:
    """How many images count for a line, the mean of what they say of it [DI], and the standard deviation about it."""
    said = [di for image in images if (di := di_today(image, line, room, projection)) is not None]
    return Seen(len(said), statistics.fmean(said), statistics.pstdev(said)) if said else NOTHING_SEEN


def di_today(image: LoggedImage, line: ChartLine, room: Room, projection: Projection) -> float | None:
    """The deviation index that an image says of today's line at its own thickness; None where it says nothing of it."""
    then, cm = image.line, image.thickness_cm
    if then is None or any(not one.range_cm[0] <= cm <= one.range_cm[1] for one in (then, line)):
        return None
    target_ei = room.receptor(line.receptor).target_for(projection.region, line.target_ei)
    moved = image.target_ei / target_ei if image.target_ei and target_ei else 1.0
    try:
        if then.law != line.law or cm != line.thickness_cm:
            moved *= _given(line, room, projection, line.thickness_cm) / _given(then, room, projection, cm)
    except Refusal:
        return None
    return image.di + 10 * math.log10(moved * image.suggested_mas / image.mas)


@cached(4096)
def _given(line: ChartLine, room: Room, projection: Projection, thickness_cm: float) -> float:
    """What a line gives the receptor at a thickness, RQA5-equivalent kerma [µGy], by the physics model."""
    kvp, mas = line.law.at(thickness_cm)
    return float(mas * signals_per_mas(line, room, projection, np.array([thickness_cm]), np.array([kvp]))[0])
