"""How far a long piece of work is, told to whoever waits for it."""

from __future__ import annotations

from collections.abc import Callable

_TOLD: list[Callable[[int, int], None]] = []


def tell_to(listener: Callable[[int, int], None]) -> None:
    """Have `tell` tell somebody: done, of how many."""
    _TOLD[:] = [listener]


def tell(done: int, of: int) -> None:
    """Say how far it is; nobody may be listening."""
    for listener in _TOLD:
        listener(done, of)
