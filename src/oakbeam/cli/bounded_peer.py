"""What a peer of the listener may take of this machine: connections, time, and memory while it sends.

The library reads whatever length a peer announces, keeps an object whole until its last part has come, and takes any number
of connections. Here each of these has a bound. Of an object only the first part is kept, which holds the header: pixels are
counted and let go of as they come.
"""

from __future__ import annotations

import socket
import ssl
import time
from collections.abc import Callable
from typing import Any

from pynetdicom import evt
from pynetdicom.association import Association
from pynetdicom.pdu_primitives import P_DATA
from pynetdicom.transport import ThreadedAssociationServer

MB = 1024 * 1024
MOST_PDU = 1 * MB
"""The most bytes of one protocol data unit, whatever length it announces."""
MOST_PDU_S = 30.0
"""How long one may take to come [s]."""
MOST_COMMAND = 64 * 1024
MOST_KEPT = 8 * MB
"""Of an object: its header, or a whole dose report."""
MOST_OBJECT = 128 * MB
"""A larger object ends the association."""
MOST_QUEUED = 2
"""Objects that came whole and wait: a peer sends the next after the answer to the last."""
COMMAND, OBJECT = "command", "object"
MOST_CONNECTIONS, MOST_OF_ONE_ADDRESS = 32, 8
IDLE_S = 60.0
"""After so long without a word the connection ends [s]."""

Refuse = Callable[[str, str, str], None]
"""Writes down what was refused: the caller's title, its address, and why."""


class BoundedServer(ThreadedAssociationServer):
    """Takes so many connections, and so many of one address; a handshake never holds up who comes next."""

    def __init__(self, *given: Any, **more: Any) -> None:
        self._open: list[tuple[socket.socket, str]] = []
        super().__init__(*given, **more)

    def get_request(self) -> tuple[socket.socket, tuple[str, int]]:
        """The next connection. TLS is agreed on when its own thread first reads."""
        listening: Any = self.socket
        connection, address = listening.accept()
        connection.settimeout(MOST_PDU_S)
        if self.ssl_context:
            connection = self.ssl_context.wrap_socket(connection, server_side=True, do_handshake_on_connect=False)
        return connection, address

    def verify_request(self, request: Any, client_address: Any) -> bool:
        """Whether there is room for one more."""
        self._open = [(one, of) for one, of in self._open if one.fileno() >= 0]  # a closed one has no number
        of_one = sum(of == client_address[0] for _, of in self._open)
        if len(self._open) >= MOST_CONNECTIONS or of_one >= MOST_OF_ONE_ADDRESS:
            return False
        self._open.append((request, client_address[0]))
        return True


def bound(peer: Association, refuse: Refuse) -> None:
    """Hold a peer to the bounds; for when its connection has opened and nothing was read yet."""
    link, dimse = peer.dul.socket, peer.dimse
    assert link is not None
    wire: Any = link.socket

    def receive(wanted: int) -> bytearray:
        if wanted > MOST_PDU:
            _tell(peer, refuse, f"A message of more than {MOST_PDU // MB} MB was announced.")
            raise OSError("too long")
        found, until = bytearray(), time.monotonic() + MOST_PDU_S
        while len(found) < wanted:
            left = until - time.monotonic()
            if left <= 0:
                raise TimeoutError
            wire.settimeout(left)
            part = wire.recv(min(65_536, wanted - len(found)))
            if not part:
                break
            found += part
        return found

    link.recv = receive  # type: ignore[method-assign, assignment]
    as_before, size = dimse.receive_primitive, {COMMAND: 0, OBJECT: 0}

    def take(primitive: P_DATA) -> None:
        """A part of a message, without what is over MOST_KEPT of an object."""
        parts = list[Any]()
        for context, data in primitive.presentation_data_value_list:
            kind, last = (COMMAND if data[0] & 1 else OBJECT), bool(data[0] & 2)
            room = MOST_KEPT - size[kind]
            size[kind] += len(data) - 1
            if size[COMMAND] > MOST_COMMAND:
                return give_up("A command without end.")
            if size[OBJECT] > MOST_OBJECT:
                return give_up(f"An object of more than {MOST_OBJECT // MB} MB.")
            parts.append([context, data[: 1 + max(0, room)]])
            if last:
                size[kind] = 0
        if dimse.msg_queue.qsize() >= MOST_QUEUED:
            return give_up("It did not wait for answers.")
        primitive.presentation_data_value_list = parts
        return as_before(primitive)

    def give_up(why: str) -> None:
        _tell(peer, refuse, why)
        dimse.message = None
        peer.dul.event_queue.put("Evt19")  # as for what cannot be understood: the association is aborted

    dimse.receive_primitive = take  # type: ignore[method-assign]


def title_of(peer: Association) -> str:
    """The title that a peer gave, as plain letters; it may be anything at all."""
    said = peer.requestor.primitive.calling_ae_title if peer.requestor.primitive else ""
    return "".join(one for one in str(said or "") if one.isascii() and one.isprintable())[:16].strip()


def _tell(peer: Association, refuse: Refuse, why: str) -> None:
    where = peer.requestor.address_info
    refuse(title_of(peer), where.address if where else "", why)


def handlers(refuse: Refuse) -> list[Any]:
    """What an association server has to be told of: new connections, and those turned away."""

    def opened(event: evt.Event) -> None:
        bound(event.assoc, refuse)

    def turned_away(event: evt.Event) -> None:
        _tell(event.assoc, refuse, "A caller, or a title it called, that is not known here.")

    return [(evt.EVT_CONN_OPEN, opened), (evt.EVT_REJECTED, turned_away)]


def tls(certificate: str, key: str, callers: str | None) -> ssl.SSLContext:
    """TLS for the listener: its certificate and key, and the authorities whose certificates callers must have (None: any
    caller). OSError where a file cannot be read, ssl.SSLError (an OSError) where it is none."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.minimum_version = ssl.TLSVersion.TLSv1_2
    context.load_cert_chain(certificate, key)
    if callers is not None:
        context.load_verify_locations(callers)
        context.verify_mode = ssl.CERT_REQUIRED
    return context
