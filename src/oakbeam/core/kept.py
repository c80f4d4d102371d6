"""What was worked out once for the same line, room and projection is kept."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache, wraps
from typing import Any, TypeVar

from oakbeam.core.chart import ChartLine
from oakbeam.core.projection import Projection
from oakbeam.core.room import Room

T = TypeVar("T")
MOST = 4096


def kept(work: Callable[[ChartLine, Room, Projection], T]) -> Callable[[ChartLine, Room, Projection], T]:
    """The function with its last MOST answers kept: by what its arguments say, and before that by which objects they are,
    since comparing a line, a room and a projection by value costs more than reading the answer."""
    by_value = lru_cache(maxsize=MOST)(work)
    by_object: dict[tuple[int, int, int], tuple[ChartLine, Room, Projection, T]] = {}

    @wraps(work)
    def answer(line: ChartLine, room: Room, projection: Projection) -> T:
        key = (id(line), id(room), id(projection))
        found = by_object.get(key)
        # The objects are kept with the answer, so that none of these numbers can come to mean another object.
        if found is not None and found[0] is line and found[1] is room and found[2] is projection:
            return found[3]
        worked_out = by_value(line, room, projection)
        if len(by_object) >= MOST:
            by_object.clear()
        by_object[key] = (line, room, projection, worked_out)
        return worked_out

    def forget() -> None:
        by_value.cache_clear()
        by_object.clear()

    whole: Any = answer
    whole.forget = forget
    return answer
