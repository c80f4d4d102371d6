"""Is it ready, and what every view begins with."""

from __future__ import annotations

from contextlib import suppress
from typing import Literal

from fastapi import APIRouter, Request
from pydantic import BaseModel

import oakbeam
from oakbeam.api import problems
from oakbeam.api.access import StoreHere
from oakbeam.api.catalogue import Choices, ExamOut, ProjectionOut, exams, list_choices, projections
from oakbeam.api.people import SessionOut, WhoIsHere, session_out
from oakbeam.core.equipment.room import Room
from oakbeam.store import NotFound, Store, charts, department, local, rooms
from oakbeam.store.department import Department

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["service"])


class Health(BaseModel):
    """Ready to serve."""

    status: Literal["ok"]
    version: str


class Start(BaseModel):
    """What every view begins with, in one answer. charted: the projections that each room's approved chart has lines for.
    demo: an invented clinic, whose accounts have a published password."""

    rooms: list[Room]
    projections: list[ProjectionOut]
    exams: list[ExamOut]
    choices: Choices
    charted: dict[str, list[str]]
    session: SessionOut
    department: Department
    demo: bool


def start(store: Store, choices: Choices, session: SessionOut) -> Start:
    """What every view begins with."""
    known, there = local.catalogue_of(store), rooms.all_rooms(store)
    charted = {}
    for room in there:
        with suppress(NotFound):
            lines = charts.newest_approved(store, room.id).lines
            charted[room.id] = list(dict.fromkeys(line.projection for line in lines))
    return Start(
        rooms=there,
        projections=store.remembered("projections", lambda: projections(known)),
        exams=exams(known),
        choices=choices,
        charted=charted,
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
def get_start(store: StoreHere, who: WhoIsHere, request: Request) -> Start:
    """What every view begins with, in one answer: rooms, catalogue, lists to pick from, and what is charted."""
    return start(store, list_choices(store), session_out(store, who.session, request))


@router.api_route("/{rest:path}", methods=["GET", "POST", "PUT", "PATCH", "DELETE"], include_in_schema=False)
def nothing_here(rest: str) -> None:
    """An unknown address below /api is a 404 of the API, not the front end's page."""
    raise NotFound(f"There is nothing at /api/{rest[:80]}.")
