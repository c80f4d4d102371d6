"""A chart line written out over its range: what the law says and what the room's stations make of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core.cache import cached_by_object
from oakbeam.core.charts.line import ChartLine, even_steps_cm
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.charts.systems import Banded
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.settings import GeneratorSetting, nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import Projection

MOST_ROWS = 100


@dataclass(frozen=True, slots=True)
class Row:
    """One thickness. The station fields are None where the room cannot deliver the setting; refusal then says why.

    drift_di: the deviation index that the physics model expects of the exact setting, the line being on target at its own
    thickness; None where the model has no answer.
    """

    thickness_cm: float
    exact_kvp: float
    exact_mas: float
    kvp: float | None
    mas: float | None
    ma: float | None
    time_ms: float | None
    focal_spot: str | None
    residual_di: float | None
    over_time_ceiling: bool
    refusal: str | None
    drift_di: float | None = None


@cached_by_object(4096)
def tabulate(line: ChartLine, projection: Projection, room: Room) -> tuple[Row, ...]:
    """The line at its range's ends, every whole (or half, for short ranges) centimetre between, and the usual patients.

    A banded line has a row at each start of a band as well, since that is where it steps.
    """
    inner = even_steps_cm(line.range_cm)[:MOST_ROWS]
    starts = [band.min_cm for band in line.law.bands] if isinstance(line.law, Banded) else [line.law.thickness_cm]
    low, high = line.range_cm
    usual = [cm for cm in projection.thickness_cm if low <= cm <= high]
    places = sorted({low, *inner, *starts, *usual, high})
    rows = (_row(line, projection, room, place) for place in places)
    return tuple(replace(row, drift_di=di) for row, di in zip(rows, drift_di(line, projection, room, places), strict=True))


def drift_di(line: ChartLine, projection: Projection, room: Room, places: Sequence[float]) -> list[float | None]:
    """The deviation index that the physics model expects at each thickness, the line being on target at its own."""
    thickness = np.array([line.thickness_cm, *places])
    settings = np.array([line.law.at(float(t)) for t in thickness])
    try:
        given = settings[:, 1] * signals_per_mas(line, room, projection, thickness, settings[:, 0])
    except Refusal:
        return [None] * len(places)
    return [float(di) for di in 10 * np.log10(given[1:] / given[0])]


def _row(line: ChartLine, projection: Projection, room: Room, thickness_cm: float) -> Row:
    kvp, mas = line.at(thickness_cm)
    try:
        on = _setting(line, projection, room, kvp, mas)
    except Refusal as refusal:
        return Row(thickness_cm, kvp, mas, None, None, None, None, None, None, False, refusal.detail)
    return Row(
        thickness_cm,
        kvp,
        mas,
        on.kvp,
        on.mas,
        on.loading.ma,
        on.loading.time_ms,
        on.loading.focal_spot,
        10 * math.log10(on.mas / on.mas_at_kvp),
        line.exposure_control != "breathing" and on.loading.time_ms > projection.time_ceiling_ms,
        None,
    )


def _setting(line: ChartLine, projection: Projection, room: Room, kvp: float, mas: float) -> GeneratorSetting:
    """The room's setting; of a breathing line with the breath held where the kVp of the line has no such time."""
    if line.exposure_control == "breathing":
        with suppress(Refusal):
            return nearest_generator_setting(room, projection, kvp, mas, "breathing")
    return nearest_generator_setting(room, projection, kvp, mas)
