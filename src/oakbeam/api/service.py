"""Is it ready, and what every view begins with."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import Query, Request, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel

import oakbeam
from oakbeam.api.access import StoreHere
from oakbeam.api.catalogue import Choices, ExamOut, ProjectionOut, exams, list_choices, projections
from oakbeam.api.people import SessionOut, WhoIsHere, session_out
from oakbeam.api.resource import resource
from oakbeam.api.rules import METHODS
from oakbeam.core.equipment.room import Room
from oakbeam.store import NotFound, Store, charts, department, local, rooms
from oakbeam.store.department import Department

router = resource("service")


class Health(BaseModel):
    """Ready to serve."""

    status: Literal["ok"]
    version: str


class RoomSummary(BaseModel):
    """A room without its equipment. typical_output: nobody has read its tube's output."""

    id: str
    name: str
    typical_output: bool


class Start(BaseModel):
    """What every view begins with, in one answer that stays short however many rooms there are. room: the one asked for,
    with its equipment, else the first; charted: the projections that its approved chart has lines for, None without one.
    demo: an invented clinic, whose accounts have a published password."""

    rooms: list[RoomSummary]
    room: Room | None
    charted: list[str] | None
    session: SessionOut
    department: Department
    demo: bool


class Lists(BaseModel):
    """What is picked from in every room: the catalogue's projections and exams, and the lists of choices."""

    projections: list[ProjectionOut]
    exams: list[ExamOut]
    choices: Choices


def start(store: Store, session: SessionOut, asked: str | None = None) -> Start:
    """What every view begins with, in the room that is asked for where there is such a one."""
    known = rooms.summaries(store)
    here = next((row["id"] for row in known if row["id"] == asked), known[0]["id"] if known else None)
    return Start(
        room=rooms.get(store, here) if here else None,
        charted=charts.charted(store, here).get(here) if here else None,
        rooms=[RoomSummary(**dict(row)) for row in known],
        session=session,
        department=department.read(store),
        demo=local.offered_accounts(store) is not None,
    )


@router.head("/health", include_in_schema=False)
@router.get("/health", tags=["service"])
def health() -> Health:
    """Ready to serve, and which version."""
    return Health(status="ok", version=oakbeam.__version__)


@router.get("/start", tags=["service"])
def get_start(
    store: StoreHere,
    who: WhoIsHere,
    request: Request,
    room: Annotated[
        str | None, Query(max_length=60, description="The room in hand; the first where there is no such one")
    ] = None,
) -> Start:
    """What every view begins with: the rooms by name, the one in hand whole, who is signed in, the department."""
    return start(store, session_out(store, who.session, request), room)


@router.get("/lists", tags=["service"])
def get_lists(store: StoreHere) -> Lists:
    """What is picked from in every room, in one answer: projections, exams, and the lists of choices."""
    known = local.catalogue_of(store)
    found = store.remembered("projections", lambda: projections(known))
    return Lists(projections=found, exams=exams(known), choices=list_choices(store))


@router.get("/openapi.json", include_in_schema=False)
def describe(request: Request) -> Response:
    """The API's description of itself."""
    return JSONResponse(request.app.openapi())


@router.api_route("", methods=list(METHODS), include_in_schema=False)
@router.api_route("/{rest:path}", methods=list(METHODS), include_in_schema=False)
def nothing_here(rest: str = "") -> None:
    """An unknown address below /api is a 404 of the API, not the front end's page."""
    raise NotFound(f"There is nothing at /api/{rest[:80]}.")
