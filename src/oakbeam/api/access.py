"""Who may call what: one rule for each operation, and the check in front of all of them.

Looking things up and computing a technique is open to whoever stands at the console, signed in or not: the Desk must answer
in a hurry. Whatever is kept needs a person with the role for it. An operation without a rule is refused for everybody, and
a test asks for a rule for each (docs/decisions/0018).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Literal, cast

from fastapi import Depends, Request

from oakbeam.core.errors import Refusal
from oakbeam.store import Store, people
from oakbeam.store.people import Role

COOKIE = "oakbeam_session"
TOKEN_HEADER = "X-Oakbeam-Token"
Rule = Literal["anyone", "signed_in"] | frozenset[Role]

ANYONE: Rule = "anyone"
SIGNED_IN: Rule = "signed_in"
LOG: Rule = frozenset({"technologist", "keeper", "physicist"})
CHART: Rule = frozenset({"keeper", "physicist"})
ROOM: Rule = frozenset({"physicist"})
PEOPLE: Rule = frozenset({"admin"})
DEPARTMENT: Rule = frozenset({"keeper", "physicist", "admin"})

RULES: Mapping[str, Rule] = {
    # looking up
    "GET /api/health": ANYONE,
    "GET /api/start": ANYONE,
    "GET /api/rooms": ANYONE,
    "GET /api/rooms/{room_id}": ANYONE,
    "GET /api/rooms/{room_id}/history": ANYONE,
    "GET /api/projections": ANYONE,
    "GET /api/projections/{projection_id}": ANYONE,
    "GET /api/exams": ANYONE,
    "GET /api/search": ANYONE,
    "GET /api/choices": ANYONE,
    "GET /api/waiting": ANYONE,
    "GET /api/clearances": ANYONE,
    "GET /api/catalogue/local": ANYONE,
    "GET /api/charts": ANYONE,
    "GET /api/charts/{chart_id}": ANYONE,
    "GET /api/charts/{chart_id}/tables": ANYONE,
    "GET /api/charts/{chart_id}/history": ANYONE,
    "GET /api/charts/{chart_id}/comments": ANYONE,
    "GET /api/charts/{chart_id}/level": ANYONE,
    "GET /api/charts/{chart_id}/lint": ANYONE,
    "GET /api/charts/{chart_id}/lines/{line_id}/table": ANYONE,
    "GET /api/charts/{chart_id}/lines/{line_id}/systems": ANYONE,
    "GET /api/charts/{chart_id}/lines/{line_id}/link": ANYONE,
    "GET /api/charts/{chart_id}/compare/{other_id}": ANYONE,
    "GET /api/charts/{chart_id}/csv": ANYONE,
    "GET /api/charts/{chart_id}/xlsx": ANYONE,
    "GET /api/charts/{chart_id}/json": ANYONE,
    "GET /api/charts/{chart_id}/pdf": ANYONE,
    "GET /api/schemas/chart": ANYONE,
    "GET /api/chart-checks": ANYONE,
    "GET /api/exposures": ANYONE,
    "GET /api/exposures/trend": ANYONE,
    "GET /api/exposures/csv": ANYONE,
    # computing, nothing kept
    "POST /api/techniques": ANYONE,
    "POST /api/what-if": ANYONE,
    "POST /api/beam": ANYONE,
    "POST /api/run-sheets": ANYONE,
    "POST /api/read-outs": ANYONE,
    "POST /api/judgements": ANYONE,
    "POST /api/rooms/{room_id}/line-preview": ANYONE,
    # computing what only a chart keeper needs
    "POST /api/rooms/{room_id}/build": CHART,
    "POST /api/rooms/{room_id}/adapt": CHART,
    "POST /api/charts/{chart_id}/adjust": CHART,
    "POST /api/charts/{chart_id}/level": CHART,
    "POST /api/charts/import/preview": CHART,
    "POST /api/rooms/{room_id}/calibration/fit": ROOM,
    # the log
    "POST /api/exposures": LOG,
    "POST /api/exposures/{exposure_id}/undo": LOG,
    "POST /api/clearances": LOG,
    # charts
    "POST /api/charts": CHART,
    "POST /api/charts/import": CHART,
    "PUT /api/charts/{chart_id}": CHART,
    "DELETE /api/charts/{chart_id}": CHART,
    "POST /api/charts/{chart_id}/changes": CHART,
    "POST /api/charts/{chart_id}/lines": CHART,
    "POST /api/charts/{chart_id}/lines/from-exposure": CHART,
    "PUT /api/charts/{chart_id}/lines/{line_id}": CHART,
    "DELETE /api/charts/{chart_id}/lines/{line_id}": CHART,
    "POST /api/charts/{chart_id}/propose": CHART,
    "POST /api/charts/{chart_id}/return": CHART,
    "POST /api/charts/{chart_id}/approve": ROOM,
    "POST /api/charts/{chart_id}/comments": LOG,
    "POST /api/comments/{comment_id}/resolve": CHART,
    # rooms and the department
    "POST /api/rooms": ROOM,
    "PUT /api/rooms/{room_id}": ROOM,
    "POST /api/rooms/{room_id}/calibration": ROOM,
    "PUT /api/catalogue/local/{kind}/{entry_id}": DEPARTMENT,
    "DELETE /api/catalogue/local/{kind}/{entry_id}": DEPARTMENT,
    "PUT /api/checks": DEPARTMENT,
    "GET /api/agreement": ANYONE,
    "PUT /api/agreement": PEOPLE,
    # people
    "GET /api/session": ANYONE,
    "POST /api/session": ANYONE,
    "DELETE /api/session": ANYONE,
    "PUT /api/session/password": SIGNED_IN,
    "GET /api/people": PEOPLE,
    "POST /api/people": PEOPLE,
    "PUT /api/people/{person_id}": PEOPLE,
}


class NotSignedIn(Refusal):
    """Nobody is signed in, or the session ended."""

    def __init__(self) -> None:
        super().__init__("Sign in first", "This is kept with a name: sign in, then do it again. Nothing is lost.")


class NotYourRole(Refusal):
    """Somebody is signed in who does not have the role."""

    def __init__(self, roles: list[str]) -> None:
        super().__init__("Not your role", f"This is for: {', '.join(roles)}.", roles, "role")


class Forged(Refusal):
    """A request that did not come from the application's own pages."""

    def __init__(self) -> None:
        super().__init__("Not from here", f"The request lacks the session's {TOKEN_HEADER}, or comes from another site.")


@dataclass(frozen=True, slots=True)
class Here:
    """Who asks: the session, or None."""

    session: people.Session | None


def the_store(request: Request) -> Store:
    """The database of this application."""
    return cast(Store, request.app.state.store)


def here(request: Request) -> Here:
    """The session that the request's cookie names."""
    token = request.cookies.get(COOKIE)
    return Here(people.session_of(the_store(request), token) if token else None)


def allowed(request: Request, who: Annotated[Here, Depends(here)]) -> None:
    """Refuse what the caller may not do. In front of every operation."""
    route = request.scope.get("route")
    if route is not None and not getattr(route, "include_in_schema", True):
        return
    rule = RULES.get(f"{request.method} {getattr(route, 'path', '')}", frozenset[Role]())
    if request.method != "GET" and request.headers.get("sec-fetch-site") == "cross-site":
        raise Forged
    if rule == "anyone":
        return
    if who.session is None:
        raise NotSignedIn
    if request.method != "GET" and request.headers.get(TOKEN_HEADER) != who.session.csrf:
        raise Forged
    if rule != "signed_in" and not rule & set(who.session.person.roles):
        raise NotYourRole(sorted(rule))


def actor(who: Annotated[Here, Depends(here)]) -> str:
    """The id of who asks, for audit rows."""
    if who.session is None:
        raise NotSignedIn
    return who.session.person.id


StoreHere = Annotated[Store, Depends(the_store)]
Actor = Annotated[str, Depends(actor)]
