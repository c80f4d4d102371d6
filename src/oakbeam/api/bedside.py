"""A room's approved chart as a device keeps it, to be read where there is no network."""

from __future__ import annotations

from pydantic import BaseModel

from oakbeam.api.access import StoreHere
from oakbeam.api.resource import resource
from oakbeam.core.charts.line import Trust
from oakbeam.core.charts.printed_page import Setting, sheet
from oakbeam.core.lengths import LengthUnit
from oakbeam.store import Store, charts, exposures, local, rooms

router = resource("charts")


class BedsideLine(BaseModel):
    """A line in words, with its settings over its range on the room's stations."""

    exam: str
    name: str
    conditions: str
    control: str
    receptor: str
    target: str
    trust: Trust
    settings: list[Setting]


class BedsideChart(BaseModel):
    """An approved chart version of a room."""

    room: str
    room_name: str
    unit: LengthUnit
    version: int
    approved_at: str
    approver: str
    review_by: str
    lines: list[BedsideLine]


def bedside(store: Store, room_id: str) -> BedsideChart:
    """The room's approved chart as it is read without a network. NotFound where it has none."""
    room, known = rooms.get(store, room_id), local.catalogue_of(store)
    chart = charts.newest_approved(store, room_id)
    trust = {line: found for line, (found, _) in exposures.trusts(store, room, known, chart.lines).items()}
    lines = sheet(chart.lines, room, known.projections, room.length_unit, trust)
    words = ("exam", "name", "conditions", "control", "receptor", "target", "trust")
    return BedsideChart(
        room=room.id,
        room_name=room.name,
        unit=room.length_unit,
        version=chart.version,
        approved_at=chart.approved_at or "",
        approver=chart.approver or "",
        review_by=chart.review_by or "",
        lines=[BedsideLine(**{name: getattr(one, name) for name in words}, settings=list(one.along)) for one in lines],
    )


@router.get("/rooms/{room_id}/bedside")
def get_bedside(store: StoreHere, room_id: str) -> BedsideChart:
    """A room's approved chart in words and settings, for a device to keep and to show without a network."""
    return bedside(store, room_id)
