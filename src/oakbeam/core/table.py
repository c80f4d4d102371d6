"""A chart line written out over its range: what the law says and what the room's stations make of it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from oakbeam.core.chart import Banded, ChartLine
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Room
from oakbeam.core.stations import put_on_stations

MOST_ROWS = 100


@dataclass(frozen=True, slots=True)
class Row:
    """One thickness. The station fields are None where the room cannot deliver the setting; refusal then says why."""

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


def tabulate(line: ChartLine, projection: Projection, room: Room) -> tuple[Row, ...]:
    """The line at its range's ends and every whole (or half, for short ranges) centimetre between.

    A banded line has a row at each start of a band as well, since that is where it steps.
    """
    low, high = line.range_cm
    step = 0.5 if high - low <= 12 else 1.0
    first = math.ceil(low / step)
    inner = [step * i for i in range(first, math.floor(high / step) + 1)][:MOST_ROWS]
    starts = [band.min_cm for band in line.law.bands] if isinstance(line.law, Banded) else [line.law.thickness_cm]
    return tuple(_row(line, projection, room, t) for t in sorted({low, *inner, *starts, high}))


def _row(line: ChartLine, projection: Projection, room: Room, thickness_cm: float) -> Row:
    kvp, mas = line.at(thickness_cm)
    try:
        on = put_on_stations(room, projection, kvp, mas)
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
        on.loading.time_ms > projection.time_ceiling_ms,
        None,
    )
