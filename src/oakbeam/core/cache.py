"""The one cache of the core: answers that cost more to work out than to remember.

An answer is kept by what its arguments say. Lines, rooms, projections and beams are frozen values, so a changed one is
another key: nothing that is kept can go stale, and nothing has to be invalidated. What was not asked for longest goes
first, once a function holds its `most`. `forget_all` empties every function at once, for benchmarks and tests.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import lru_cache, wraps
from typing import Any, ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")

_FORGET: list[Callable[[], None]] = []


def cached(most: int) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Keep the last `most` answers of a function of hashable arguments."""

    def decorate(work: Callable[P, T]) -> Callable[P, T]:
        by_value: Any = lru_cache(maxsize=most)(work)
        _FORGET.append(by_value.cache_clear)
        return by_value  # type: ignore[no-any-return]

    return decorate


def cached_by_object(most: int) -> Callable[[Callable[..., T]], Callable[..., T]]:
    """As `cached`, and before that by which objects the arguments are: for a line, a room and a projection of which
    comparing the values costs more than the answer. Of threads that ask at once one works it out and the others wait: the
    parts of a chart's page ask for the same of every line at the same moment."""

    def decorate(work: Callable[..., T]) -> Callable[..., T]:
        by_value = cached(most)(work)
        by_object: dict[tuple[int, ...], tuple[tuple[object, ...], T]] = {}
        one_at_a_time = threading.RLock()
        _FORGET.append(by_object.clear)

        @wraps(work)
        def answer(*arguments: Any) -> T:
            key = tuple(map(id, arguments))
            found = by_object.get(key)
            # The objects are kept with the answer, so that none of these numbers can come to mean another object.
            if found is not None and all(a is b for a, b in zip(found[0], arguments, strict=True)):
                return found[1]
            with one_at_a_time:
                worked_out = by_value(*arguments)
            if len(by_object) >= most:
                by_object.clear()
            by_object[key] = (arguments, worked_out)
            return worked_out

        return answer

    return decorate


def cached_beside(objects: int, most: int) -> Callable[[Callable[..., T]], Callable[..., T]]:
    """Keep answers by which objects the first `objects` arguments are and by the values of the others: for a room and its
    parts, of which hashing the values costs more than the answer."""

    def decorate(work: Callable[..., T]) -> Callable[..., T]:
        # The objects are kept with the answer, so that none of their numbers can come to mean another object.
        kept: dict[tuple[object, ...], tuple[tuple[object, ...], T]] = {}
        _FORGET.append(kept.clear)

        @wraps(work)
        def answer(*arguments: Any) -> T:
            key = (*map(id, arguments[:objects]), *arguments[objects:])
            found = kept.get(key)
            if found is None:
                if len(kept) >= most:
                    kept.clear()
                found = kept[key] = (arguments[:objects], work(*arguments))
            return found[1]

        return answer

    return decorate


def forget_all() -> None:
    """Empty the cache."""
    for forget in _FORGET:
        forget()
