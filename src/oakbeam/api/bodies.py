"""A request's body as it comes: bounded, not too slow, and without a NUL in a text."""

from __future__ import annotations

import asyncio

from starlette.types import Message, Receive

from oakbeam.core.errors import Refusal

MOST_PAUSE_S = 20.0
"""How long a body may pause."""
_NUL = b"\\u0000"
"""A NUL as JSON writes it; a bare one is no JSON."""
KB = 1024


class NulInText(Refusal):
    """A text with a NUL character: it ends there for some readers and goes on for others."""

    def __init__(self) -> None:
        super().__init__("Not a text", "A text holds a NUL character, which no text here may have.", None, "body")


class TooSlow(Refusal):
    """A body of which nothing came for too long."""

    def __init__(self) -> None:
        super().__init__("Too slow", f"Nothing of the body came for {MOST_PAUSE_S:g} s; send it again.", None, "body")


class TooLarge(Refusal):
    """A body over the operation's limit."""

    def __init__(self, most: int) -> None:
        super().__init__("Too large", f"This takes at most {most // KB} kB.", {"max": float(most), "unit": "bytes"}, "body")


class Body:
    """A body as it comes; refused where more comes than there may be, nothing for too long, or a NUL in a text."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive, self._most = receive, most
        self._seen, self._tail, self._whole = 0, b"", False
        self.refusal: Refusal | None = None

    async def receive(self) -> Message:
        """The next part. Raises TooLarge, TooSlow or NulInText, which `refusal` then holds."""
        try:
            # Once it is whole, what is waited for is that the client goes: that may take as long as it likes.
            async with asyncio.timeout(None if self._whole else MOST_PAUSE_S):
                message = await self._receive()
        except TimeoutError:
            self.refusal = TooSlow()
            raise self.refusal from None
        self._whole = not message.get("more_body", False)
        part: bytes = message.get("body", b"")
        self._seen += len(part)
        if self._seen > self._most:
            self.refusal = TooLarge(self._most)
        elif _NUL in self._tail + part:
            self.refusal = NulInText()
        if self.refusal is not None:
            raise self.refusal
        self._tail = part[-len(_NUL) :]
        return message
