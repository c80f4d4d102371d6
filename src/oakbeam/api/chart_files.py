"""Charts as files: CSV, spreadsheet, JSON and paper out; our own files and other people's in."""

from __future__ import annotations

import base64
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field, StringConstraints

from oakbeam.api import problems
from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.chart_making import chart_with_room
from oakbeam.api.charts import ChartOut, chart_out
from oakbeam.api.technique_request import room_of
from oakbeam.api.types import Id, Key, Name, RequestBody
from oakbeam.catalogue import Catalogue
from oakbeam.core.charts.line import (
    Chart,
    ChartLine,
)
from oakbeam.core.charts.printed_page import sheet
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import LengthUnit
from oakbeam.formats import chart_csv, chart_import, chart_json, chart_pdf, chart_xlsx
from oakbeam.store import Store, charts, exposures, local

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["charts"])


class ImportRequest(RequestBody):
    """A CSV file's text, to become a draft of the room's next version."""

    room: Key
    name: Name = "Imported chart"
    csv: Annotated[str, StringConstraints(max_length=2_000_000)]


class ImportFile(RequestBody):
    """A file of another origin: CSV text, or a spreadsheet as base64. mapping: our column by the file's name (null leaves it
    out); defaults: what every row has where the file has no such column."""

    room: Key
    csv: Annotated[str, StringConstraints(max_length=2_000_000)] | None = None
    xlsx: Annotated[str, StringConstraints(max_length=7_000_000)] | None = None
    mapping: Annotated[dict[str, str | None], Field(default_factory=dict, max_length=200)]
    defaults: Annotated[dict[str, Annotated[str, StringConstraints(max_length=60)]], Field(default_factory=dict)]


class PreviewOut(BaseModel):
    """How a file is read (see `chart_import.Preview`)."""

    columns: tuple[chart_import.Column, ...]
    taken: tuple[chart_import.Taken, ...]
    lines: tuple[ChartLine, ...]
    faults: tuple[chart_csv.BadCell, ...]
    ours: tuple[str, ...]


def preview_import(store: Store, asked: ImportFile) -> PreviewOut:
    """How a file is read."""
    room, known = room_of(store, asked.room), local.catalogue_of(store)
    if (asked.csv is None) == (asked.xlsx is None):
        raise Refusal("One file", "Give the text of a CSV file, or a spreadsheet as base64.", None, "csv")
    if asked.csv is not None:
        rows = chart_csv.rows_of(asked.csv)
    else:
        try:
            content = base64.b64decode(asked.xlsx or "", validate=True)
        except ValueError:
            raise Refusal("Not base64", "The spreadsheet is not given as base64.", None, "xlsx") from None
        rows = chart_xlsx.rows_of(content)
    found = chart_import.preview(rows, room, known, asked.mapping, asked.defaults)
    values = {name: getattr(found, name) for name in PreviewOut.model_fields if name != "ours"}
    return PreviewOut(**values, ours=chart_csv.COLUMNS)


def printed(
    store: Store,
    where: tuple[Chart, Room, Catalogue],
    kind: chart_pdf.Kind,
    paper: chart_pdf.Paper,
    across: bool,
    unit: LengthUnit | None,
) -> bytes:
    """The PDF of a chart with its room and the catalogue; without a unit its lengths are in the room's own."""
    chart, room, known = where
    unit = unit or room.length_unit
    found = exposures.trusts(store, room, known, chart.lines)
    unseen = {line for line, (trust, _) in found.items() if trust == "model"}
    lines = sheet(chart.lines, room, known.projections, unseen, unit)
    return chart_pdf.write(chart, room.name, lines, kind, paper, across, unit)


def import_chart(store: Store, room_id: str, name: str, text: str, actor: str) -> Chart:
    """A new draft from CSV; BadFile with every fault, and nothing changed, where any cell is wrong."""
    lines = chart_csv.read(text, room_of(store, room_id), local.catalogue_of(store))
    return charts.add_draft(store, room_id, name, actor, lines)


def import_chart_json(store: Store, room_id: str, name: str, text: str, actor: str) -> Chart:
    """A new draft from an exported JSON document; each line is checked against the room it comes to."""
    room = room_of(store, room_id)
    chart = chart_json.read(text)
    known = local.catalogue_of(store)
    lines = tuple(check_line(line, known.projection(line.projection), room) for line in chart.lines)
    return charts.add_draft(store, room.id, name, actor, lines, chart.grid_table)


XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@router.post("/charts/import", status_code=201)
def post_import(store: StoreHere, who: Actor, asked: ImportRequest) -> ChartOut:
    """A new draft from CSV text in our own columns. Where any cell is wrong nothing is imported, and `faults` names each row
    and column. Other files: preview, then a new chart with its lines."""
    return chart_out(import_chart(store, asked.room, asked.name, asked.csv, who))


@router.post("/charts/import/preview")
def post_import_preview(store: StoreHere, asked: ImportFile) -> PreviewOut:
    """How a file's columns are read, what was guessed, the lines it gives or every bad cell. Nothing is kept."""
    return preview_import(store, asked)


@router.get("/charts/{chart_id}/csv", response_class=Response)
def export_csv(store: StoreHere, chart_id: Id) -> Response:
    """The chart as CSV (docs/chart-csv.md)."""
    chart = charts.get(store, chart_id)
    return as_file(chart_csv.write(chart.lines), "text/csv; charset=utf-8", f"chart-{chart.room}-v{chart.version}.csv")


@router.get("/charts/{chart_id}/xlsx", response_class=Response)
def export_xlsx(store: StoreHere, chart_id: Id) -> Response:
    """The chart as a spreadsheet with the columns of the CSV."""
    chart = charts.get(store, chart_id)
    return as_file(chart_xlsx.write(chart), XLSX, f"chart-{chart.room}-v{chart.version}.xlsx")


@router.get("/charts/{chart_id}/pdf", response_class=Response)
def export_pdf(
    store: StoreHere,
    chart_id: Id,
    kind: Annotated[chart_pdf.Kind, Query(description="Wall chart, booklet (A5) or pocket card (A6)")] = "wall",
    paper: Annotated[chart_pdf.Paper, Query(description="The wall chart's")] = "a4",
    across: Annotated[bool, Query(description="The wall chart in landscape")] = False,
    unit: Annotated[LengthUnit | None, Query(description="Of lengths; the room's own unless given")] = None,
) -> Response:
    """The chart for the wall, as a booklet, or as a card for the pocket; each page with version, approval and a QR code."""
    where = chart_with_room(store, chart_id)
    content = printed(store, where, kind, paper, across, unit)
    chart = where[0]
    return as_file(content, "application/pdf", f"chart-{chart.room}-v{chart.version}-{kind}.pdf")


@router.get("/schemas/chart")
def chart_schema() -> dict[str, Any]:
    """The JSON Schema of an exported chart."""
    return chart_json.schema()


@router.get("/charts/{chart_id}/json")
def export_json(store: StoreHere, chart_id: Id) -> dict[str, Any]:
    """The chart as a JSON document that names its format and version."""
    return chart_json.write(charts.get(store, chart_id))
