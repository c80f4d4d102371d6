"""The board of the log for a period and a room, its trend over any time, and incidents."""

from __future__ import annotations

import calendar
import json
import sqlite3
from collections import Counter
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Annotated

from fastapi import Query
from pydantic import StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.exposures import why_far_over
from oakbeam.api.resource import resource
from oakbeam.api.types import Id, RequestBody
from oakbeam.core.errors import Refusal
from oakbeam.core.log.board import Board, board
from oakbeam.core.log.repeats import Repeats, Try, repeats, share_of_kap
from oakbeam.core.log.said import repeats_said
from oakbeam.store import Store, evidence, exposures, local, rooms, tally
from oakbeam.store.evidence import Incident
from oakbeam.store.tally import Day

router = resource("log")
MOST_INCIDENTS, MOST_REJECTED = 50, 5000
EARLIEST = date(1900, 1, 1)
"""No log ends before."""


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
    if last < EARLIEST:
        raise Refusal("No such period", f"Choose a last day from {EARLIEST} on.", None, "until")
    first = since or (last.replace(day=1) - timedelta(days=1)).replace(day=1)
    if first > last:
        raise Refusal("No such period", f"{first} is after {last}.", None, "since")
    return first.isoformat(), last.isoformat()


def _month_end(day: str) -> str:
    year, month = int(day[:4]), int(day[5:7])
    return f"{day[:8]}{calendar.monthrange(year, month)[1]:02}"


def _counted(store: Store, room_id: str, since: str, until: str) -> tally.Bins:
    # Nothing was taken after today: the month that is not over is whole as far as it goes.
    whole = _month_end(until) if until >= datetime.now(UTC).date().isoformat() else until
    return tally.bins(store, room_id, since, whole)


def board_of(store: Store, room_id: str, since: str, until: str) -> BoardOut:
    """The board of a room, or of all."""
    if room_id:
        rooms.get(store, room_id)
    counted = _counted(store, room_id, since, until)
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
    notes, known = evidence.noted(store, [one.id for one in found]), local.catalogue_of(store)
    return [
        IncidentRow(one.id, one.taken_at, one.room, one.projection, why_far_over(one, known), notes.get(one.id))
        for one in found
    ]


@router.get("/log/board")
def get_board(store: StoreHere, room: RoomWanted = "", since: Since = None, until: Until = None) -> BoardOut:
    """What a period was like."""
    return board_of(store, room, *period(since, until))


@dataclass(frozen=True, slots=True)
class RepeatsOut:
    """What the rejected images of a period cost. kap_share: of all KAP of the period, 0 to 1; None where not known. newest:
    of how many rejected images at most this is said, None where of all; said: in words."""

    repeats: Repeats
    kap_share: float | None
    newest: int | None
    said: list[str]


def repeats_of(store: Store, room_id: str, since: str, until: str) -> RepeatsOut:
    """What the rejected images of a room, or of all, cost."""
    found = exposures.rejected(store, room_id, since, until, MOST_REJECTED)
    cost = repeats([(_try(one), _try(then) if then else None) for one, then in found])
    if len(found) == MOST_REJECTED:
        return RepeatsOut(cost, None, MOST_REJECTED, repeats_said(cost, None))
    made = sum(tally.made_between(store, room_id, since, until).values())
    known, kaps = 0, Counter[int]()
    for (_, what), bins in _counted(store, room_id, since, until).items():
        if what == "made by":
            known += sum(bins.values())
        if what == "kap":
            kaps.update({int(at): n for at, n in bins.items()})
    share = share_of_kap(cost, known == made, kaps, tally.DOSE_BINS)
    return RepeatsOut(cost, share, None, repeats_said(cost, share))


def _try(one: sqlite3.Row) -> Try:
    return Try(
        mas=one["mas"],
        di=one["di"] if one["reliable"] else None,
        by_hand=one["exposure_control"] == "manual",
        conditions=tuple(
            one[name] for name in ("kvp", "sid_cm", "support", "grid_ratio", "receptor", "filter", "target_ei")
        ),
        kap_mgycm2=one["kap"],
        reason=one["reject_reason"] or "",
        findings=frozenset(json.loads(one["findings"])),
    )


@router.get("/log/repeats")
def get_repeats(store: StoreHere, room: RoomWanted = "", since: Since = None, until: Until = None) -> RepeatsOut:
    """What rejected images cost, and what the advice at Judge would have spared."""
    if room:
        rooms.get(store, room)
    return repeats_of(store, room, *period(since, until))


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
