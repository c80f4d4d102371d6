"""The board of the log for a period and a room, its trend over any time, and incidents."""

from __future__ import annotations

import calendar
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import StringConstraints

from oakbeam.api import problems
from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.types import Id, RequestBody
from oakbeam.core.errors import Refusal
from oakbeam.core.log.board import Board, board
from oakbeam.core.log.incidents import far_over
from oakbeam.store import Store, evidence, exposures, local, rooms, tally
from oakbeam.store.evidence import Incident
from oakbeam.store.tally import Day

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["log"])
MOST_INCIDENTS = 50


@dataclass(frozen=True, slots=True)
class LevelOf:
    """The example or local level of the usual patient of a view: incident air kerma [mGy]."""

    projection: str
    kerma_mgy: float


@dataclass(frozen=True, slots=True)
class IncidentRow:
    """An exposure that wants an incident note, why, and the note; None where nobody wrote one."""

    exposure: int
    taken_at: str
    room: str
    projection: str
    why: str
    note: Incident | None


@dataclass(frozen=True, slots=True)
class BoardOut:
    """A room's board from one day to another, both counted in; room "" for all. levels: of the views on it."""

    room: str
    since: str
    until: str
    board: Board
    levels: list[LevelOf]
    incidents: list[IncidentRow]


class IncidentIn(RequestBody):
    """What happened, and who was told."""

    happened: Annotated[str, StringConstraints(min_length=1, max_length=1000, strip_whitespace=True)]
    told: Annotated[str, StringConstraints(min_length=1, max_length=200, strip_whitespace=True)]


class CloseIn(RequestBody):
    """What an incident is closed with."""

    outcome: Annotated[str, StringConstraints(min_length=1, max_length=500, strip_whitespace=True)]


RoomWanted = Annotated[str, Query(max_length=60, description="A room; all where empty")]
Since = Annotated[date | None, Query(description="From this day on; the first of last month where it is not said")]
Until = Annotated[date | None, Query(description="Up to this day, counted in; today where it is not said")]


def period(since: date | None, until: date | None) -> tuple[str, str]:
    """The days asked for. Refusal where the end is before the beginning."""
    last = until or datetime.now(UTC).date()
    first = since or (last.replace(day=1) - timedelta(days=1)).replace(day=1)
    if first > last:
        raise Refusal("No such period", f"{first} is after {last}.", None, "since")
    return first.isoformat(), last.isoformat()


def _month_end(day: str) -> str:
    year, month = int(day[:4]), int(day[5:7])
    return f"{day[:8]}{calendar.monthrange(year, month)[1]:02}"


def board_of(store: Store, room_id: str, since: str, until: str) -> BoardOut:
    """The board of a room, or of all."""
    if room_id:
        rooms.get(store, room_id)
    # Nothing was taken after today: the month that is not over is whole as far as it goes.
    whole = _month_end(until) if until >= datetime.now(UTC).date().isoformat() else until
    counted = tally.bins(store, room_id, since, whole)
    made = tally.made_between(store, room_id, since, until)
    known = local.catalogue_of(store).projections
    levels = [
        LevelOf(one, level) for one in made if (view := known.get(one)) and (level := view.usual_kerma_mgy) is not None
    ]
    found = board(counted, made, tally.DI_BINS, tally.DOSE_BINS)
    return BoardOut(room_id, since, until, found, levels, incidents(store, room_id, since, until))


def incidents(store: Store, room_id: str, since: str, until: str) -> list[IncidentRow]:
    """The exposures of a period that want an incident note, the newest first."""
    found = exposures.far_over(store, room_id, since, until, MOST_INCIDENTS)
    notes, known = evidence.noted(store, [one.id for one in found]), local.catalogue_of(store).projections
    rows = []
    for one in found:
        view = known.get(one.projection)
        why = far_over(one.di, one.reliable, one.incident_air_kerma_mgy, view.usual_kerma_mgy if view else None)
        rows.append(IncidentRow(one.id, one.taken_at, one.room, one.projection, why or "far over then", notes.get(one.id)))
    return rows


@router.get("/log/board")
def get_board(store: StoreHere, room: RoomWanted = "", since: Since = None, until: Until = None) -> BoardOut:
    """What a period was like."""
    return board_of(store, room, *period(since, until))


@router.get("/log/days")
def get_days(
    store: StoreHere,
    room: RoomWanted = "",
    projection: Annotated[str, Query(max_length=60, description="A projection; all where empty")] = "",
    since: Annotated[date | None, Query()] = None,
    until: Annotated[date | None, Query()] = None,
) -> list[Day]:
    """The log day by day, over any time, oldest first."""
    return tally.days(store, room, projection, str(since or ""), str(until or "9999"))


@router.post("/exposures/{exposure_id}/incident", status_code=201)
def post_incident(store: StoreHere, who: Actor, exposure_id: Id, asked: IncidentIn) -> Incident | None:
    """Write down what happened with an exposure far too high, and who was told."""
    exposures.get(store, exposure_id)
    evidence.note_incident(store, exposure_id, who, asked.happened, asked.told)
    return evidence.incident(store, exposure_id)


@router.post("/exposures/{exposure_id}/incident/close")
def post_close_incident(store: StoreHere, who: Actor, exposure_id: Id, asked: CloseIn) -> Incident | None:
    """Close an incident."""
    evidence.close_incident(store, exposure_id, who, asked.outcome)
    return evidence.incident(store, exposure_id)
