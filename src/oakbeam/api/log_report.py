"""The monthly report of the log: what it is made of, as PDF and as a workbook."""

from __future__ import annotations

import calendar
from bisect import bisect_left
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Annotated

from fastapi import Query
from fastapi.responses import Response

from oakbeam import catalogue
from oakbeam.api.access import StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.log_board import board_of, repeats_of
from oakbeam.api.log_watch import alerts_of, charted, watched
from oakbeam.api.resource import resource
from oakbeam.core.dates import MONTHS, day_of
from oakbeam.core.errors import Refusal
from oakbeam.core.log.board import nearly_all
from oakbeam.formats import log_report
from oakbeam.formats.log_report import MonthOfLog, SeriesOfReport
from oakbeam.store import Store, department, evidence, local, rooms, tally

router = resource("log")
CHARTS, CHART_DAYS, CHART_LEAST = 6, 180.0, 20
"""Series whose control charts are printed, how far back they go, and images from which one is."""
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
A_MONTH = r"^20\d{2}-(0[1-9]|1[0-2])$"
MonthQuery = Annotated[str, Query(pattern=A_MONTH, description="The month, as 2026-10")]
RoomQuery = Annotated[str, Query(max_length=60, description="A room; the department where empty")]


def month_of_log(store: Store, room_id: str, month: str) -> MonthOfLog:
    """What a month was like in a room, or in all. Refusal for a month to come."""
    first = date.fromisoformat(f"{month}-01")
    if first > datetime.now(UTC).date():
        raise Refusal("Not yet", f"{month} is still to come.", None, "month")
    last = first.replace(day=calendar.monthrange(first.year, first.month)[1])
    found = board_of(store, room_id, first.isoformat(), last.isoformat())
    known = local.catalogue_of(store).projections
    wanted = [room_id] if room_id else [one.id for one in rooms.all_rooms(store)]
    names = {one: f"{view.exam} {view.name}" for one, view in known.items()}
    many = len(wanted) > 1
    alerts = [
        (
            one.alert.saw,
            " ".join(part for part in (one.room_name if many else "", one.note.note if one.note else "open") if part),
        )
        for room in wanted
        for one in alerts_of(store, room)
        if one.since[:10] <= last.isoformat()
    ]
    tuned = [
        (names.get(of, of), f"version {one.version}: {one.evidence['said']}")
        for room in wanted
        for one in evidence.tuned(store, room)
        if one.at.startswith(month)
        for of in [one.evidence.get("projection", "a line")]
    ]
    incidents = [
        (
            day_of(one.taken_at),
            f"{names.get(one.projection, one.projection)}: {one.why}",
            "nothing was written" if one.note is None else f"{one.note.happened} {one.note.outcome or 'Open.'}",
        )
        for one in found.incidents
    ]
    days = [
        (day.day, day.made, day.rejected if nearly_all(day.rejects_known, day.made) else None, day.mean_di)
        for day in tally.days(store, room_id, "", first.isoformat(), last.isoformat())
    ]
    where = rooms.get(store, room_id).name if room_id else department.read(store).name or "the department"
    return MonthOfLog(
        where,
        f"{MONTHS[first.month - 1]} {first.year}",
        day_of(first.isoformat()),
        day_of(last.isoformat()),
        found.board,
        names,
        catalogue.reject_reasons(),
        {one.projection: one.kerma_mgy for one in found.levels},
        repeats_of(store, room_id, first.isoformat(), last.isoformat()).said,
        series_of(store, wanted, last) if len(wanted) == 1 else (),
        alerts,
        incidents,
        tuned,
        days,
    )


def series_of(store: Store, wanted: list[str], last: date) -> list[SeriesOfReport]:
    """The control charts of the largest series, for the half year up to a day."""
    end = datetime(last.year, last.month, last.day, tzinfo=UTC).timestamp() / 86_400 + 1
    ticks = []
    for back in range(8):
        month = (last.replace(day=1) - timedelta(days=30 * back)).replace(day=1)
        ticks.append((datetime(month.year, month.month, 1, tzinfo=UTC).timestamp() / 86_400, MONTHS[month.month - 1]))
    found = []
    accepted = evidence.baselines(store, wanted[0])
    for one in watched(store, rooms.get(store, wanted[0])):
        days = [day for day in one.days if day < end]
        first = bisect_left(days, end - CHART_DAYS)
        if len(days) - first < CHART_LEAST:
            continue
        # Worked out over all there is, and shown from a day on.
        di = list(one.di[: len(days)])
        chart = charted(di, days, accepted.get(one.key)).since(first)
        found.append(SeriesOfReport(one.name, days[first:], di[first:], chart, ticks))
    found.sort(key=lambda one: -len(one.di))
    return [replace(one, ticks=tuple(dict.fromkeys(one.ticks))) for one in found[:CHARTS]]


@router.get("/log/report/pdf", response_class=Response)
def report_as_pdf(store: StoreHere, month: MonthQuery, room: RoomQuery = "") -> Response:
    """The report of a month as PDF, readable in black and white."""
    return as_file(log_report.as_pdf(month_of_log(store, room, month)), "application/pdf", f"log-{month}.pdf")


@router.get("/log/report/xlsx", response_class=Response)
def report_as_workbook(store: StoreHere, month: MonthQuery, room: RoomQuery = "") -> Response:
    """The report of a month as a workbook."""
    return as_file(log_report.as_xlsx(month_of_log(store, room, month)), XLSX, f"log-{month}.xlsx")
