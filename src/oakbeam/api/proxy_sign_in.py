"""Signing in by the proxy in front: it knows who is there and says so in a header, which is believed from it alone.

Off unless a department names the header. Whoever else sends that header has it taken off before anything reads it, whatever
addresses are forwarded: what counts is the other end of the connection.
"""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import Request
from starlette.types import ASGIApp, Receive, Scope, Send
from uvicorn.middleware.proxy_headers import ProxyHeadersMiddleware

from oakbeam.core.errors import Refusal
from oakbeam.store import Store, people
from oakbeam.store.people import Person


class NobodySaid(Refusal):
    """Signing in by a proxy that names nobody who may."""

    def __init__(self) -> None:
        super().__init__("Nobody was named", "No proxy names anybody here who has an account: sign in with a password.")


class FromProxy:
    """ASGI, outermost: takes the header off requests that a trusted proxy did not make, then the forwarded address in."""

    def __init__(self, app: ASGIApp, proxies: Sequence[str], header: str = "") -> None:
        forwarded = ProxyHeadersMiddleware(app, list(proxies))  # type: ignore[arg-type]
        self.forwarded, self.proxies = forwarded, forwarded.trusted_hosts
        self.header = header.lower().encode()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and self.header:
            peer = scope.get("client")
            if peer is None or peer[0] not in self.proxies:
                scope = {**scope, "headers": [one for one in scope["headers"] if one[0].lower() != self.header]}
        await self.forwarded(scope, receive, send)  # type: ignore[arg-type]


def person_said(store: Store, request: Request) -> Person | None:
    """Who the proxy says is there, where they have an account that may sign in; None without a proxy that says so."""
    header: str = request.app.state.person_header
    said = request.headers.getlist(header) if header else []
    # Two of them: somebody added one on the way.
    name = said[0].strip().lower() if len(said) == 1 else ""
    return next((one for one in people.everybody(store) if one.id == name and one.active), None) if name else None
