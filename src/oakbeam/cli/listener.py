"""A storage listener: machines send it images, dose reports and reject notes; what they say goes into the log, and the
objects, with their pixels, are let go of at once."""

from __future__ import annotations

import logging
import signal
import sqlite3
import ssl
import threading
from collections.abc import Sequence
from contextlib import suppress
from socketserver import TCPServer

from pynetdicom import AE, ALL_TRANSFER_SYNTAXES, evt

from oakbeam.api.image_import import one_way, read_all
from oakbeam.api.taking_in import Unread, take_in
from oakbeam.cli.bounded_peer import IDLE_S, MOST_CONNECTIONS, MOST_PDU_S, BoundedServer, handlers, title_of
from oakbeam.cli.charts import ACTOR
from oakbeam.core.errors import Refusal
from oakbeam.formats.image_header import STORED_CLASSES
from oakbeam.store import Store, images

VERIFICATION = "1.2.840.10008.1.1"
TAKEN, NOT_UNDERSTOOD, NOT_NOW = 0x0000, 0xC000, 0xA700
"""Statuses of a C-STORE: taken in; it tells of no exposure; it cannot be kept now, to be sent again."""

# What a library writes of an association may quote what was sent.
for _name in ("pynetdicom", "pydicom"):
    logging.getLogger(_name).disabled = True


class Listener:
    """Takes in what the callers it knows send, from the moment it is made until it is closed."""

    def __init__(
        self,
        store: Store,
        host: str,
        port: int,
        title: str,
        callers: Sequence[str],
        room: str | None = None,
        tls: ssl.SSLContext | None = None,
    ) -> None:
        self.store, self.room = store, room
        entity = AE(ae_title=title)
        entity.require_called_aet = True
        entity.require_calling_aet = list(callers)
        entity.add_supported_context(VERIFICATION)
        for one in STORED_CLASSES:
            entity.add_supported_context(one, ALL_TRANSFER_SYNTAXES)
        entity.maximum_associations = MOST_CONNECTIONS
        entity.acse_timeout = entity.dimse_timeout = MOST_PDU_S
        entity.network_timeout = IDLE_S
        self._turn = threading.Lock()
        self.server = entity.make_server(
            (host, port),
            ssl_context=tls,
            evt_handlers=[(evt.EVT_C_STORE, self._store), *handlers(self._refuse)],
            server_class=BoundedServer,
        )
        assert self.server.socket is not None
        self.port = int(self.server.socket.getsockname()[1])
        self._serving = threading.Thread(target=self.server.serve_forever, daemon=True)
        self._serving.start()

    def close(self) -> None:
        """End every association and listen no more."""
        for one in self.server.active_associations:
            one.abort() if one.is_established else one.kill()
        TCPServer.shutdown(self.server)
        self.server.server_close()
        self._serving.join()

    def _refuse(self, caller: str, address: str, why: str) -> None:
        with suppress(Refusal, sqlite3.Error):  # the journal is for people; what is refused stays so
            images.refuse(self.store, caller, address, why)

    def _store(self, event: evt.Event) -> int:
        data = event.encoded_dataset()
        (found,) = read_all([data], one_way(self.store))
        if isinstance(found, Unread):
            where = event.assoc.requestor.address_info
            self._refuse(title_of(event.assoc), where.address if where else "", found.why)
            return NOT_UNDERSTOOD
        try:
            # One at a time: associations are threads, and each would wait for the database anyway.
            with self._turn:
                take_in(self.store, [found], ACTOR, self.room)
        except (Refusal, sqlite3.Error):
            return NOT_NOW
        return TAKEN


def listen(
    store: Store,
    host: str,
    port: int,
    title: str,
    callers: Sequence[str],
    room: str | None,
    tls: ssl.SSLContext | None = None,
) -> int:
    """Listen until the process is told to stop."""
    listener = Listener(store, host, port, title, callers, room, tls)
    how = " by TLS" if tls else ""
    print(f"Listening as {title} on {host}:{listener.port}{how} for {', '.join(callers)}  (Ctrl-C stops)", flush=True)
    wait_for_the_end()
    listener.close()
    return 0


def wait_for_the_end() -> None:
    """Wait until the process is told to stop."""
    stopped = threading.Event()
    for one in (signal.SIGINT, signal.SIGTERM):
        signal.signal(one, lambda *_: stopped.set())
    stopped.wait()
