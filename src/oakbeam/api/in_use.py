"""An approved version in use: what changed with it for whoever works with it, who has read that, and its next review."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel

from oakbeam.api.access import Actor, Here, StoreHere, here
from oakbeam.api.chart_making import ComparedOut, compared_lines
from oakbeam.api.charts import ChartOut, chart_out
from oakbeam.api.resource import resource
from oakbeam.api.types import Id, RequestBody, Text
from oakbeam.store import Store, charts, in_use
from oakbeam.store.in_use import Reader
from oakbeam.store.people import Person

router = resource("charts")


class News(BaseModel):
    """What changed with the version in use since the one that a person last read. asked: whether they are to say that they
    have read it: not where nobody is signed in, it was said before, or there was no version before."""

    chart: int
    version: int
    approved_at: str
    approver: str
    since_version: int | None
    asked: bool
    changes: list[ComparedOut]


class ReviewIn(RequestBody):
    """An approved version was looked at again and stands; review_by: the next time, a year from now where left out."""

    review_by: date | None = None
    note: Text = ""


def news(store: Store, room_id: str, person: Person | None) -> News:
    """What is new in a room's chart for a person."""
    chart = charts.newest_approved(store, room_id)
    before = None
    if person and "technologist" in person.roles and not in_use.has_read(store, chart.id, person.id):
        before = in_use.last_read(store, chart, person.id)
    return News(
        chart=chart.id,
        version=chart.version,
        approved_at=chart.approved_at,
        approver=chart.approver,
        since_version=before.version if before else None,
        asked=before is not None,
        changes=compared_lines(store, before, chart) if before else [],
    )


@router.get("/rooms/{room_id}/chart-news")
def get_news(store: StoreHere, who: Annotated[Here, Depends(here)], room_id: str) -> News:
    """What changed with the version in use since the one that whoever is signed in last read."""
    return news(store, room_id, who.session.person if who.session else None)


@router.post("/charts/{chart_id}/read", status_code=204)
def post_read(store: StoreHere, who: Actor, chart_id: Id) -> None:
    """Say that you have read what changed with an approved version."""
    in_use.read(store, chart_id, who)


@router.get("/charts/{chart_id}/readers")
def get_readers(store: StoreHere, chart_id: Id) -> list[Reader]:
    """Everybody who records exposures, those first who have not said that they have read a version."""
    return in_use.readers(store, chart_id)


@router.post("/charts/{chart_id}/reviews")
def post_review(store: StoreHere, who: Actor, chart_id: Id, asked: ReviewIn) -> ChartOut:
    """Say that an approved version was looked at again and stands, and by when it is next."""
    return chart_out(in_use.review(store, chart_id, who, asked.review_by, asked.note))
