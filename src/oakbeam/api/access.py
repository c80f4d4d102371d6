"""Who may call what: each route asks its own rule before a byte of the body is read.

The framework finds the route, and the route found is the one that asks (`RuledRoute.handle`): there is no second reading of
an address that could find another operation than the one that answers, or none (docs/decisions/0054). Which rule an
operation has stands in `rules`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from http.cookies import CookieError, SimpleCookie
from typing import Annotated, Any, cast

from fastapi import Depends, Request
from fastapi.routing import APIRoute
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.routing import BaseRoute
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from oakbeam.api.bodies import Body, TooLarge
from oakbeam.api.rules import BODIES, HEAVY, RULES, USUAL_BODY, Rule
from oakbeam.core.errors import Refusal
from oakbeam.store import Store, people
from oakbeam.store.people import Person, Role

COOKIE = "oakbeam_session"
TOKEN_HEADER = "X-Oakbeam-Token"
READING = frozenset(("GET", "HEAD"))


class NotSignedIn(Refusal):
    """Nobody is signed in, or the session ended."""

    def __init__(self, reading: bool = False) -> None:
        kept = "This is kept with a name: sign in, then do it again. Nothing is lost."
        read = "The department's log, comments and histories are read by its own people: sign in to see them."
        super().__init__("Sign in first", read if reading else kept)


class NotYourRole(Refusal):
    """Somebody is signed in who does not have the role."""

    def __init__(self, roles: list[str]) -> None:
        super().__init__("Not your role", f"This is for: {', '.join(roles)}.", roles, "role")


class ChangePasswordFirst(Refusal):
    """Somebody is signed in with a generated password."""

    def __init__(self) -> None:
        super().__init__("Set your own password", "Your password was generated: set your own first, then do it again.")


class Forged(Refusal):
    """A request that did not come from the application's own pages."""

    def __init__(self) -> None:
        super().__init__("Not from here", f"The request lacks the session's {TOKEN_HEADER}, or comes from another site.")


@dataclass(frozen=True, slots=True)
class Here:
    """Who asks: the session, or None."""

    session: people.Session | None


def check(store: Store, rule: Rule, scope: Scope) -> None:
    """Refuse what the caller may not do: Forged, NotSignedIn, ChangePasswordFirst or NotYourRole. Who asks stands in the
    scope as soon as it had to be looked up, for the log."""
    method, headers = scope["method"], Headers(scope=scope)
    if method not in READING and headers.get("sec-fetch-site") == "cross-site":
        raise Forged
    if rule == "anyone" or (rule == "records" and people.agreement(store).open_records):
        return
    session = session_in(store, headers, scope["app"].state.person_header)
    if rule == "session" and session is None:
        return
    if session is None:
        raise NotSignedIn(method in READING)
    scope["person"] = session.person.id
    if method not in READING and headers.get(TOKEN_HEADER) != session.csrf:
        raise Forged
    if rule in ("signed_in", "session", "records"):
        return
    if session.person.must_change:
        raise ChangePasswordFirst
    if not cast("frozenset[Role]", rule) & set(session.person.roles):
        raise NotYourRole(sorted(cast("frozenset[Role]", rule)))


def session_in(store: Store, headers: Headers, person_header: str = "") -> people.Session | None:
    """The session that a request's cookie names. One that does not go with whom a trusted proxy names ends: a console is
    shared, and what is kept must not go on under the name of whoever was there before."""
    try:
        cookie = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return None
    session = people.session_of(store, cookie.value) if cookie else None
    if cookie and session and not _vouched(store, session, headers.getlist(person_header) if person_header else []):
        people.sign_out(store, cookie.value)
        return None
    return session


def _vouched(store: Store, session: people.Session, said: list[str]) -> bool:
    """Whether a session may go on beside what a proxy says: one that it opened, while it names that person; one opened by a
    password, while it names nobody else who has an account here."""
    names = {one.strip().lower() for one in said}
    if session.by_proxy:
        return names == {session.person.id}
    return names <= {session.person.id} or names.isdisjoint(one.id for one in people.everybody(store))


class NoRule(LookupError):
    """A route without a rule, or a rule without a route: the application does not start."""


class RuledRoute(APIRoute):
    """A route that carries its rule and the most bytes of its body, and asks them of whoever comes. Raises NoRule when it is
    made where the table has no rule for it."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **more: Any) -> None:
        super().__init__(path, endpoint, **more)
        self.operations = {method: f"{method} {path}" for method in self.methods or ()}
        if missing := [one for one in self.operations.values() if one not in RULES]:
            raise NoRule(f"No rule in api/rules.py for: {', '.join(missing)}")

    async def handle(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request that the router found to be this route's."""
        operation = self.operations.get(scope["method"])
        if operation is None:  # the framework answers which methods there are
            await super().handle(scope, receive, send)
        else:
            await admit(operation, scope, receive, send, super().handle)


def all_ruled(routes: Sequence[BaseRoute]) -> None:
    """Raise NoRule where a route is not of the kind that asks, or a rule has no route."""
    plain = [repr(one) for one in routes if not isinstance(one, RuledRoute)]
    left = RULES.keys() - {name for one in routes if isinstance(one, RuledRoute) for name in one.operations.values()}
    if plain or left:
        raise NoRule(f"Routes without a rule: {plain}; rules without a route: {sorted(left)}")


async def admit(operation: str, scope: Scope, receive: Receive, send: Send, answer: ASGIApp) -> None:
    """Pass a request on to what answers an operation, where its rule lets the caller and its limit lets the body."""
    scope["operation"] = operation
    rule, headers, most = RULES[operation], Headers(scope=scope), BODIES.get(operation, USUAL_BODY)
    # A rule that asks for nobody needs no database, and no thread.
    if rule != "anyone" or headers.get("sec-fetch-site") == "cross-site":
        store: Store = scope["app"].state.store
        try:
            await run_in_threadpool(check, store, rule, scope)
        except Refusal as refusal:
            scope["refused"] = refusal.title
            raise
    length = headers.get("content-length", "0")
    if not length.isdigit() or int(length) > most:
        raise TooLarge(most)
    body = Body(receive, most)

    async def unless_refused(message: Message) -> None:
        # The framework answers a body that breaks off in its own words; ours say what is allowed.
        if body.refusal is None:
            await send(message)

    heavy = scope["app"].state.heavy if operation in HEAVY else None
    await (heavy.answer if heavy else answer)(scope, body.receive, unless_refused)
    if body.refusal is not None:
        raise body.refusal


def the_store(request: Request) -> Store:
    """The database of this application."""
    return cast(Store, request.app.state.store)


def here(request: Request) -> Here:
    """Who asks."""
    return Here(session_in(the_store(request), request.headers, request.app.state.person_header))


NAMES: frozenset[Role] = frozenset({"keeper", "physicist", "admin"})
"""Who sees who recorded an exposure; everybody sees their own."""


def sees_names(who: Here) -> bool:
    """Whether somebody sees the names of those who recorded exposures."""
    return who.session is not None and not NAMES.isdisjoint(who.session.person.roles)


def person(who: Annotated[Here, Depends(here)]) -> Person:
    """Who asks, with their roles."""
    if who.session is None:
        raise NotSignedIn
    return who.session.person


def actor(who: Annotated[Here, Depends(here)]) -> str:
    """The id of who asks, for audit rows."""
    return person(who).id


StoreHere = Annotated[Store, Depends(the_store)]
WhoHere = Annotated[Here, Depends(here)]
Actor = Annotated[str, Depends(actor)]
SignedIn = Annotated[Person, Depends(person)]
