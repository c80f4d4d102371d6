"""Charts on paper: as PDF, and as pictures to look at before they are printed."""

from __future__ import annotations

import base64
from dataclasses import replace
from typing import Annotated, Literal

from fastapi import Depends, Query
from fastapi.responses import Response
from pydantic import BaseModel

from oakbeam.api.access import StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.chart_making import chart_with_room
from oakbeam.api.resource import resource
from oakbeam.api.types import Id
from oakbeam.catalogue import Catalogue
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.charts.printed_page import sheet
from oakbeam.core.dates import day_of
from oakbeam.core.equipment.room import Room
from oakbeam.core.lengths import LengthUnit
from oakbeam.formats import chart_pdf
from oakbeam.formats.chart_pdf import Printing
from oakbeam.store import Store, charts, department, exposures, local, reviews, tally

router = resource("charts")

Which = Literal["all", "used"]
"""All lines, or those of the views that the room uses: as a keeper ticked them, else as its log says."""


class Paged(BaseModel):
    """A page as a picture: PNG in base64, its sides [mm]."""

    width_mm: float
    height_mm: float
    png: str


class PrintPreview(BaseModel):
    """How many pages a print has, the first of them as pictures, how many lines are on them and how many there are."""

    pages: int
    shown: list[Paged]
    lines: int
    of: int


def how(
    kind: Annotated[
        chart_pdf.Kind, Query(description="Wall chart, booklet (A5), or pocket card (A7, folded from A4)")
    ] = "wall",
    paper: Annotated[chart_pdf.Paper, Query(description="The wall chart's")] = "a4",
    across: Annotated[bool, Query(description="The wall chart in landscape")] = False,
    rows: Annotated[
        chart_pdf.Rows, Query(description="The wall chart's: three sizes of patients, or every step of thickness")
    ] = "sizes",
    pages: Annotated[chart_pdf.Pages, Query(description="The wall chart's: as few as fit, or one for each region")] = "few",
    unit: Annotated[LengthUnit | None, Query(description="Of lengths; the room's own unless given")] = None,
) -> tuple[Printing, LengthUnit | None]:
    """How a chart is printed, as a request says it."""
    return Printing(kind, paper, across, rows, pages), unit


How = Annotated[tuple[Printing, LengthUnit | None], Depends(how)]
Only = Annotated[Which, Query(description="All lines, or those of the views that the room uses")]


def lines_printed(store: Store, chart: Chart, room: Room, only: Which) -> tuple[ChartLine, ...]:
    """The lines of a chart that are printed."""
    if only == "all":
        return chart.lines
    used = set(local.ticked(store, room.id)) or set(tally.made(store, room.id))
    return tuple(line for line in chart.lines if line.projection in used)


def printed(
    store: Store,
    where: tuple[Chart, Room, Catalogue],
    printing: Printing,
    unit: LengthUnit | None = None,
    only: Which = "all",
) -> bytes:
    """The PDF of a chart with its room and the catalogue; without a unit its lengths are in the room's own."""
    chart, room, known = where
    printing = replace(printing, unit=unit or room.length_unit, printed=day_of(reviews.today().isoformat()))
    trust = {line: found for line, (found, _) in exposures.trusts(store, room, known, chart.lines).items()}
    earlier = charts.replaced_by(store, chart)
    before = earlier.lines if earlier else ()
    lines = sheet(lines_printed(store, chart, room, only), room, known.projections, printing.unit, trust, before)
    return chart_pdf.write(chart, place_of(store, room), lines, printing)


def place_of(store: Store, room: Room) -> str:
    """Where a chart hangs, in its head: the department, once it has a name, and the room."""
    return ", ".join(filter(None, (department.read(store).name, room.name)))


@router.get("/charts/{chart_id}/pdf", response_class=Response)
def export_pdf(store: StoreHere, chart_id: Id, asked: How, only: Only = "all") -> Response:
    """The chart for the wall, as a booklet, or as a card for the pocket; each page with version, approval and a QR code."""
    where = chart_with_room(store, chart_id)
    printing, unit = asked
    chart = where[0]
    name = f"chart-{chart.room}-v{chart.version}-{printing.kind}.pdf"
    return as_file(printed(store, where, printing, unit, only), "application/pdf", name)


@router.get("/charts/{chart_id}/print-preview")
def preview_print(store: StoreHere, chart_id: Id, asked: How, only: Only = "all") -> PrintPreview:
    """The same pages as pictures, in the greys of a printer without colours."""
    where = chart_with_room(store, chart_id)
    count, shown = chart_pdf.pictures(printed(store, where, *asked, only))
    return PrintPreview(
        pages=count,
        shown=[
            Paged(width_mm=one.width_mm, height_mm=one.height_mm, png=base64.b64encode(one.png).decode()) for one in shown
        ],
        lines=len(lines_printed(store, where[0], where[1], only)),
        of=len(where[0].lines),
    )
