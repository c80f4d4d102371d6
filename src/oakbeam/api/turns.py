"""Taking turns: a line with a few places at its head, in which nobody who asks for much keeps the others waiting."""

from __future__ import annotations

import asyncio
from collections import OrderedDict, deque
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from oakbeam.core.errors import Refusal

MOST_WAITING = 100
"""How many wait in all."""
MOST_WAIT_S = 20.0


class TooMany(Refusal):
    """More heavy requests of one caller than may wait. wait_s: after how long to try again [s]."""

    wait_s = 5

    def __init__(self, most: int) -> None:
        text = f"{most} of your requests for images, files or reports wait already; wait for one of them."
        super().__init__("One after the other", text, {"max": float(most), "unit": "waiting"})


class Full(Refusal):
    """The line is full, or moves too slowly. wait_s: after how long to try again [s]."""

    wait_s = 10

    def __init__(self) -> None:
        super().__init__("Busy with others", "Images, files and reports are asked for more than can be made now. Try again.")


class Line:
    """A line with some places at its head. Callers take turns: who has been served goes behind the others that wait."""

    def __init__(self, places: int, most_of_one: int = 1) -> None:
        self.places, self.most_of_one = places, most_of_one
        self._waiting: OrderedDict[str, deque[asyncio.Future[None]]] = OrderedDict()
        self._inside: dict[str, int] = {}

    @property
    def waiting(self) -> int:
        """How many wait."""
        return sum(map(len, self._waiting.values()))

    @asynccontextmanager
    async def place(self, caller: str, most: int, most_wait_s: float = MOST_WAIT_S) -> AsyncIterator[None]:
        """A place for a caller of whom `most` may wait. Raises TooMany or Full."""
        if len(self._waiting.get(caller, ())) >= most:
            raise TooMany(most)
        if self.waiting >= MOST_WAITING:
            raise Full
        turn = asyncio.get_running_loop().create_future()
        self._waiting.setdefault(caller, deque()).append(turn)
        self._admit()
        try:
            try:
                async with asyncio.timeout(most_wait_s):
                    await asyncio.shield(turn)
            except TimeoutError:
                raise Full from None
            yield
        finally:
            if turn.done():
                self._inside[caller] -= 1
                if not self._inside[caller]:
                    del self._inside[caller]
            else:
                turn.cancel()
                self._forget(caller, turn)
            self._admit()

    def _forget(self, caller: str, turn: asyncio.Future[None]) -> None:
        self._waiting[caller].remove(turn)
        if not self._waiting[caller]:
            del self._waiting[caller]

    def _admit(self) -> None:
        while sum(self._inside.values()) < self.places:
            due = next((one for one in self._waiting if self._inside.get(one, 0) < self.most_of_one), None)
            if due is None:
                return
            turns = self._waiting[due]
            turns.popleft().set_result(None)
            self._inside[due] = self._inside.get(due, 0) + 1
            if turns:
                self._waiting.move_to_end(due)
            else:
                del self._waiting[due]
