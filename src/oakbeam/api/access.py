"""Who may call what, and how large a body may be: one rule for each operation, and the check in front of all of them.

Looking things up and computing a technique is open to whoever stands at the console, signed in or not: the Desk must answer
in a hurry. Whatever is kept needs a person with the role for it. An operation without a rule is refused for everybody, and
a test asks for a rule for each (docs/decisions/0018). Both are decided before a byte of the body is read: `AccessControl`
stands in front of the framework.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from http.cookies import CookieError, SimpleCookie
from typing import Annotated, Literal, cast

from fastapi import Depends, Request
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from oakbeam.core.errors import Refusal
from oakbeam.store import Store, people
from oakbeam.store.people import Person, Role

COOKIE = "oakbeam_session"
TOKEN_HEADER = "X-Oakbeam-Token"
Rule = Literal["anyone", "signed_in", "records", "session"] | frozenset[Role]

ANYONE: Rule = "anyone"
SIGNED_IN: Rule = "signed_in"
RECORDS: Rule = "records"
"""Whoever is signed in; anyone where the department opened its records (`people.Agreement.open_records`)."""
OWN_SESSION: Rule = "session"
"""Anyone; whoever is signed in with their session's token."""
LOG: Rule = frozenset({"technologist", "keeper", "physicist"})
CHART: frozenset[Role] = frozenset({"keeper", "physicist"})
ROOM: frozenset[Role] = frozenset({"physicist"})
PEOPLE: Rule = frozenset({"admin"})
DEPARTMENT: Rule = frozenset({"keeper", "physicist", "admin"})

RULES: Mapping[str, Rule] = {
    # looking up
    "GET /api/health": ANYONE,
    "GET /api/start": ANYONE,
    "GET /api/lists": ANYONE,
    "GET /api/dose-levels": ANYONE,
    "GET /api/rooms": ANYONE,
    "GET /api/rooms/{room_id}": ANYONE,
    "GET /api/rooms/{room_id}/history": RECORDS,
    "GET /api/rooms/{room_id}/used-projections": ANYONE,
    "GET /api/rooms/{room_id}/chart-news": ANYONE,
    "GET /api/rooms/{room_id}/programs": RECORDS,
    "GET /api/rooms/{room_id}/programs/csv": RECORDS,
    "GET /api/projections": ANYONE,
    "GET /api/projections/{projection_id}": ANYONE,
    "GET /api/exams": ANYONE,
    "GET /api/search": ANYONE,
    "GET /api/glossary": ANYONE,
    "GET /api/choices": ANYONE,
    "GET /api/waiting": ANYONE,
    "GET /api/modality-worklist": DEPARTMENT,
    "PUT /api/modality-worklist": DEPARTMENT,
    "POST /api/modality-worklist/exams": LOG,
    "GET /api/clearances": RECORDS,
    "GET /api/catalogue/local": ANYONE,
    "GET /api/charts": ANYONE,
    "GET /api/chart-versions": ANYONE,
    "GET /api/charted": ANYONE,
    "GET /api/charts/{chart_id}": ANYONE,
    "GET /api/charts/{chart_id}/tables": ANYONE,
    "GET /api/charts/{chart_id}/history": RECORDS,
    "GET /api/charts/{chart_id}/readers": CHART,
    "GET /api/charts/{chart_id}/comments": RECORDS,
    "GET /api/charts/{chart_id}/level": ANYONE,
    "GET /api/charts/{chart_id}/trust": ANYONE,
    "GET /api/charts/{chart_id}/target-choices": RECORDS,
    "GET /api/charts/{chart_id}/since-calibration": ANYONE,
    "GET /api/charts/{chart_id}/lint": ANYONE,
    "GET /api/charts/{chart_id}/lines/{line_id}/table": ANYONE,
    "GET /api/charts/{chart_id}/lines/{line_id}/systems": ANYONE,
    "GET /api/charts/{chart_id}/lines/{line_id}/link": ANYONE,
    "GET /api/charts/{chart_id}/compare/{other_id}": ANYONE,
    "GET /api/charts/{chart_id}/csv": ANYONE,
    "GET /api/charts/{chart_id}/xlsx": ANYONE,
    "GET /api/charts/{chart_id}/json": ANYONE,
    "GET /api/charts/{chart_id}/pdf": ANYONE,
    "GET /api/charts/{chart_id}/print-preview": ANYONE,
    "GET /api/rooms/{room_id}/bedside": ANYONE,
    "GET /api/schemas/chart": ANYONE,
    "GET /api/chart-checks": ANYONE,
    "GET /api/rooms/{room_id}/readings/csv": RECORDS,
    "GET /api/constancy-tests": ANYONE,
    "PUT /api/constancy-tests/{test_id}": ROOM,
    "GET /api/rooms-due": RECORDS,
    "GET /api/rooms/{room_id}/constancy": RECORDS,
    "GET /api/rooms/{room_id}/constancy/csv": RECORDS,
    "GET /api/rooms/{room_id}/constancy/{test_id}/simulated": ROOM,
    "POST /api/rooms/{room_id}/constancy/outcome": ROOM,
    "POST /api/rooms/{room_id}/constancy": ROOM,
    "GET /api/exposures": RECORDS,
    "GET /api/exposures/trend": RECORDS,
    "GET /api/exposures/csv": RECORDS,
    "GET /api/exposures/{exposure_id}": RECORDS,
    "GET /api/log/images/waiting": RECORDS,
    "GET /api/log/board": RECORDS,
    "GET /api/log/days": RECORDS,
    "GET /api/log/repeats": RECORDS,
    "GET /api/log/report/pdf": RECORDS,
    "GET /api/log/report/xlsx": RECORDS,
    "GET /api/log/alerts": RECORDS,
    "GET /api/rooms/{room_id}/series": RECORDS,
    "GET /api/rooms/{room_id}/control-chart": RECORDS,
    "GET /api/rooms/{room_id}/learned": RECORDS,
    "GET /api/rooms/{room_id}/tuned": RECORDS,
    "GET /api/rooms/{room_id}/why-off": RECORDS,
    # computing, nothing kept
    "POST /api/techniques": ANYONE,
    "POST /api/what-if": ANYONE,
    "POST /api/ways": ANYONE,
    "POST /api/beam": ANYONE,
    "POST /api/run-sheets": ANYONE,
    "POST /api/read-outs": ANYONE,
    "POST /api/judgements": ANYONE,
    "POST /api/index-scales": ANYONE,
    "POST /api/rooms/{room_id}/line-preview": ANYONE,
    "GET /api/practice/lists": ANYONE,
    "POST /api/practice/usual": ANYONE,
    "POST /api/practice/light-field": ANYONE,
    "POST /api/practice/exposures": ANYONE,
    "GET /api/practice/guide/{projection_id}": ANYONE,
    "POST /api/practice/looks": ANYONE,
    "GET /api/practice/looks-like/{finding}": ANYONE,
    "GET /api/practice/drills": ANYONE,
    "GET /api/practice/next": ANYONE,
    "GET /api/practice/pack": ANYONE,
    "GET /api/practice/drills/{drill_id}": ANYONE,
    "GET /api/practice/drills/{drill_id}/image": ANYONE,
    "GET /api/practice/drills/{drill_id}/hint": ANYONE,
    "POST /api/practice/drills/{drill_id}/answers": OWN_SESSION,
    "GET /api/practice/confusions": SIGNED_IN,
    "GET /api/practice/classes": SIGNED_IN,
    "POST /api/practice/classes": DEPARTMENT,
    "GET /api/practice/classes/{class_id}/csv": DEPARTMENT,
    # computing what only a chart keeper needs
    "POST /api/rooms/{room_id}/build": CHART,
    "PUT /api/rooms/{room_id}/used-projections": CHART,
    "POST /api/rooms/{room_id}/adapt": CHART,
    "POST /api/rooms/{room_id}/draft-from-model": CHART,
    "POST /api/charts/{chart_id}/adjust": CHART,
    "POST /api/charts/{chart_id}/cells": CHART,
    "POST /api/charts/{chart_id}/level": CHART,
    "POST /api/charts/{chart_id}/difference": CHART,
    "POST /api/charts/import/preview": CHART,
    "GET /api/charts/import/answers": CHART,
    "PUT /api/charts/import/answers": CHART,
    "POST /api/charts/import/answers": CHART,
    "POST /api/rooms/{room_id}/calibration/fit": ROOM,
    # the log
    "POST /api/exposures": LOG,
    "POST /api/log/images": CHART,
    "POST /api/log/table/preview": CHART,
    "POST /api/log/table": CHART,
    "POST /api/log/images/answers": CHART,
    "POST /api/log/images/{key}/same": CHART,
    "POST /api/exposures/{exposure_id}/undo": LOG,
    "POST /api/exposures/{exposure_id}/incident": LOG,
    "POST /api/exposures/{exposure_id}/incident/close": CHART,
    "POST /api/rooms/{room_id}/alert-notes": CHART,
    "PUT /api/rooms/{room_id}/control-chart/baseline": CHART,
    "GET /api/log/filters": SIGNED_IN,
    "PUT /api/log/filters": SIGNED_IN,
    "DELETE /api/log/filters": SIGNED_IN,
    "POST /api/clearances": LOG,
    # charts
    "POST /api/charts": CHART,
    "POST /api/charts/import": CHART,
    "PUT /api/charts/{chart_id}": CHART,
    "DELETE /api/charts/{chart_id}": CHART,
    "POST /api/charts/{chart_id}/changes": CHART,
    "POST /api/charts/{chart_id}/target": CHART,
    "POST /api/charts/{chart_id}/lines": CHART,
    "POST /api/charts/{chart_id}/lines/from-exposure": CHART,
    "PUT /api/charts/{chart_id}/lines/{line_id}": CHART,
    "DELETE /api/charts/{chart_id}/lines/{line_id}": CHART,
    "POST /api/charts/{chart_id}/propose": CHART,
    "POST /api/charts/{chart_id}/return": CHART,
    "POST /api/charts/{chart_id}/approve": ROOM,
    "POST /api/charts/{chart_id}/reviews": ROOM,
    "POST /api/charts/{chart_id}/read": SIGNED_IN,
    "POST /api/charts/{chart_id}/comments": LOG,
    "POST /api/comments/{comment_id}/resolve": CHART,
    # rooms and the department
    "POST /api/rooms": ROOM,
    "POST /api/rooms/import": ROOM,
    "POST /api/rooms/import/xlsx": ROOM,
    "GET /api/rooms/{room_id}/xlsx": ANYONE,
    "GET /api/rooms/{room_id}/calibrations/{change_id}/pdf": RECORDS,
    "PUT /api/rooms/{room_id}": ROOM,
    "POST /api/rooms/{room_id}/calibration": ROOM,
    "POST /api/rooms/{room_id}/programs": CHART,
    "POST /api/rooms/{room_id}/corrected-draft": CHART,
    "POST /api/rooms/{room_id}/tuned-draft": CHART,
    "PUT /api/catalogue/local/{kind}/{entry_id}": DEPARTMENT,
    "DELETE /api/catalogue/local/{kind}/{entry_id}": DEPARTMENT,
    "PUT /api/checks": DEPARTMENT,
    "GET /api/agreement": ANYONE,
    "PUT /api/agreement": PEOPLE,
    "GET /api/setup": ANYONE,
    "POST /api/setup": ANYONE,
    "PUT /api/department": DEPARTMENT,
    "GET /api/room-templates": ANYONE,
    # people
    "GET /api/session": ANYONE,
    "POST /api/session": ANYONE,
    "POST /api/session/by-proxy": ANYONE,
    "DELETE /api/session": OWN_SESSION,
    "PUT /api/session/password": SIGNED_IN,
    "GET /api/session/all": SIGNED_IN,
    "DELETE /api/session/others": SIGNED_IN,
    "GET /api/people": PEOPLE,
    "POST /api/people": PEOPLE,
    "PUT /api/people/{person_id}": PEOPLE,
    "GET /api/dose-levels/csv": ANYONE,
    "PUT /api/dose-levels": DEPARTMENT,
    "PUT /api/projections/{projection_id}/dose-levels": DEPARTMENT,
    "GET /api/audit": PEOPLE,
    "GET /api/audit/chain": PEOPLE,
    "GET /api/audit/csv": PEOPLE,
    "GET /api/sign-ins": PEOPLE,
    "GET /api/ready": ANYONE,
    "GET /api/metrics": ANYONE,
}


KB = 1024
USUAL_BODY = 64 * KB
BODIES: Mapping[str, int] = {
    "POST /api/beam": 2048 * KB,
    "POST /api/charts": 4096 * KB,
    "POST /api/charts/import": 3072 * KB,
    "POST /api/charts/import/preview": 10_240 * KB,
    "PUT /api/charts/import/answers": 1024 * KB,
    "POST /api/charts/import/answers": 1024 * KB,
    "POST /api/charts/{chart_id}/cells": 4096 * KB,
    "POST /api/charts/{chart_id}/changes": 4096 * KB,
    "POST /api/charts/{chart_id}/difference": 4096 * KB,
    "POST /api/charts/{chart_id}/lines": 256 * KB,
    "PUT /api/charts/{chart_id}/lines/{line_id}": 256 * KB,
    "POST /api/rooms/{room_id}/calibration": 256 * KB,
    "POST /api/rooms/{room_id}/calibration/fit": 256 * KB,
    "PUT /api/rooms/{room_id}": 256 * KB,
    "POST /api/rooms/import": 256 * KB,
    "POST /api/rooms/import/xlsx": 1024 * KB,
    "POST /api/log/images": 65_536 * KB,
    "POST /api/log/table": 14_336 * KB,
    "POST /api/log/table/preview": 14_336 * KB,
    "PUT /api/dose-levels": 1024 * KB,
    "PUT /api/catalogue/local/{kind}/{entry_id}": 256 * KB,
}
"""The most bytes of a body, where an operation takes more than USUAL_BODY."""
MOST_PAUSE_S = 20.0
"""How long a body may pause."""
_NUL = b"\\u0000"
"""A NUL as JSON writes it; a bare one is no JSON."""
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


@dataclass(frozen=True, slots=True)
class Here:
    """Who asks: the session, or None."""

    session: people.Session | None


@cache
def _patterns() -> tuple[tuple[re.Pattern[str], str], ...]:
    """Each operation's address as a pattern; the one with fewer names in it first, so that /import is not an {id}."""
    ordered = sorted(RULES, key=lambda operation: operation.count("{"))
    return tuple((re.compile(re.sub(r"\\\{\w+\\\}", "[^/]+", re.escape(one))), one) for one in ordered)


def operation_of(method: str, path: str) -> str | None:
    """The operation that a request asks for; None where there is none of that address."""
    asked = f"{'GET' if method == 'HEAD' else method} {path}"
    return next((operation for pattern, operation in _patterns() if pattern.fullmatch(asked)), None)


def check(store: Store, operation: str, method: str, headers: Headers) -> str | None:
    """Refuse what the caller may not do: Forged, NotSignedIn, ChangePasswordFirst or NotYourRole. Gives who asks, where that
    had to be looked up."""
    rule = RULES[operation]
    if method not in READING and headers.get("sec-fetch-site") == "cross-site":
        raise Forged
    if rule == "anyone" or (rule == "records" and people.agreement(store).open_records):
        return None
    session = session_in(store, headers)
    if rule == "session" and session is None:
        return None
    if session is None:
        raise NotSignedIn(method in READING)
    if method not in READING and headers.get(TOKEN_HEADER) != session.csrf:
        raise Forged
    if rule in ("signed_in", "session", "records"):
        return session.person.id
    if session.person.must_change:
        raise ChangePasswordFirst
    if not cast("frozenset[Role]", rule) & set(session.person.roles):
        raise NotYourRole(sorted(cast("frozenset[Role]", rule)))
    return session.person.id


def session_in(store: Store, headers: Headers) -> people.Session | None:
    """The session that a request's cookie names."""
    try:
        cookie = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return None
    return people.session_of(store, cookie.value) if cookie else None


class AccessControl:
    """ASGI: decides who may call and how large the body may be before the framework sees the request."""

    def __init__(self, app: ASGIApp, store: Store) -> None:
        self.app, self.store = app, store

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        operation = operation_of(scope["method"], scope["path"]) if scope["type"] == "http" else None
        if operation is None:
            await self.app(scope, receive, send)
            return
        scope["operation"] = operation
        headers, most = Headers(scope=scope), BODIES.get(operation, USUAL_BODY)
        # A rule that asks for nobody needs no database, and no thread.
        if RULES[operation] != "anyone" or headers.get("sec-fetch-site") == "cross-site":
            scope["person"] = await run_in_threadpool(check, self.store, operation, scope["method"], headers)
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > most:
            raise TooLarge(most)
        body = _Body(receive, most)

        async def unless_refused(message: Message) -> None:
            # The framework answers a body that breaks off in its own words; ours say what is allowed.
            if body.refusal is None:
                await send(message)

        await self.app(scope, body.receive, unless_refused)
        if body.refusal is not None:
            raise body.refusal


class _Body:
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


def the_store(request: Request) -> Store:
    """The database of this application."""
    return cast(Store, request.app.state.store)


def here(request: Request) -> Here:
    """Who asks."""
    return Here(session_in(the_store(request), request.headers))


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
