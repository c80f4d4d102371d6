"""Connections that never get to asking: closed after a while, so that they do not take the places of those that do.

A body that comes too slowly is refused where it is read (see `access`). What is answered is read at the client's own pace:
the server's limit of connections, and the proxy in front, bound that.
"""

from __future__ import annotations

import asyncio

from uvicorn.protocols.http.auto import AutoHTTPProtocol

MOST_HEAD_S = 10.0
"""How long the head of a request may take, from the opening of the connection or the first byte after an answer."""


class Impatient(AutoHTTPProtocol):  # type: ignore[misc, valid-type]
    """The HTTP of uvicorn that closes a connection whose request does not come."""

    late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.cycle is not None and not self.cycle.response_complete:
            self._stop_waiting()
        else:
            self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_waiting()
        super().connection_lost(exc)

    def _wait(self) -> None:
        if self.late is None:
            self.late = asyncio.get_running_loop().call_later(MOST_HEAD_S, self._close)

    def _stop_waiting(self) -> None:
        if self.late is not None:
            self.late.cancel()
            self.late = None

    def _close(self) -> None:
        self.late = None
        if (self.cycle is None or self.cycle.response_complete) and not self.transport.is_closing():
            self.transport.close()
