"""Charts as files: CSV, spreadsheet, JSON out; our own files and other people's in."""

from __future__ import annotations

import base64
from dataclasses import replace
from typing import Annotated, Any

from fastapi.responses import Response
from pydantic import BaseModel, Field, StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.charts import ChartOut, chart_out
from oakbeam.api.resource import resource
from oakbeam.api.technique_request import room_of
from oakbeam.api.types import Id, Key, Name, RequestBody
from oakbeam.core.charts.line import (
    Chart,
    ChartLine,
)
from oakbeam.core.charts.validation import check_line
from oakbeam.core.errors import Refusal
from oakbeam.formats import chart_csv, chart_import, chart_json, chart_xlsx
from oakbeam.store import Store, charts, local

router = resource("charts")


class ImportRequest(RequestBody):
    """A CSV file's text, to become a draft of the room's next version."""

    room: Key
    name: Name = "Imported chart"
    csv: Annotated[str, StringConstraints(max_length=2_000_000)]


Answers = dict[Annotated[str, StringConstraints(max_length=200)], Annotated[str, StringConstraints(max_length=200)]]
KeptAnswers = Annotated[Answers, Field(max_length=local.MOST_IMPORT_ANSWERS)]


class ImportFile(RequestBody):
    """A file of another origin: CSV text, a spreadsheet, or any of both as the bytes of a file (base64). mapping: our column
    by the file's name (null leaves it out); defaults: what every line has where the file does not say it; answers: by the
    question's id, `row:N` with "leave out" for a row."""

    room: Key
    csv: Annotated[str, StringConstraints(max_length=2_000_000)] | None = None
    xlsx: Annotated[str, StringConstraints(max_length=7_000_000)] | None = None
    file: Annotated[str, StringConstraints(max_length=7_000_000)] | None = None
    mapping: Annotated[dict[str, str | None], Field(default_factory=dict, max_length=200)]
    defaults: Annotated[dict[str, Annotated[str, StringConstraints(max_length=60)]], Field(default_factory=dict)]
    answers: Annotated[Answers, Field(default_factory=dict, max_length=2000)]


class PreviewOut(BaseModel):
    """How a file is read (see `chart_import.Preview`). ready: nothing is open; ours: what a column can be."""

    columns: tuple[chart_import.Column, ...]
    taken: tuple[chart_import.Taken, ...]
    lines: tuple[ChartLine, ...]
    faults: tuple[chart_csv.BadCell, ...]
    questions: tuple[chart_import.Question, ...]
    made: tuple[chart_import.Made, ...]
    decided: tuple[str, ...]
    sheets: tuple[chart_import.SheetSeen, ...]
    unread: tuple[int, ...]
    ready: bool
    ours: tuple[str, ...]


def preview_import(store: Store, asked: ImportFile) -> PreviewOut:
    """How a file is read. What the department answered of its own words before stands unless it is answered anew."""
    room, known = room_of(store, asked.room), local.catalogue_of(store)
    answers = {**local.import_answers(store), **asked.answers}
    found = chart_import.preview(_file_of(asked), room, known, asked.mapping, asked.defaults, answers)
    values = {name: getattr(found, name) for name in PreviewOut.model_fields if name != "ours"}
    return PreviewOut(**values, ours=chart_import.MEANINGS)


def _file_of(asked: ImportFile) -> chart_import.File:
    given = [one for one in (asked.csv, asked.xlsx, asked.file) if one is not None]
    if len(given) != 1:
        raise Refusal(
            "One file", "Give the text of a CSV file, a spreadsheet, or a file as base64: one of them.", None, "csv"
        )
    if asked.csv is not None:
        return chart_import.text_of(asked.csv)
    field = "file" if asked.xlsx is None else "xlsx"
    try:
        content = base64.b64decode(given[0], validate=True)
    except ValueError:
        raise Refusal("Not base64", "The file is not given as base64.", None, field) from None
    if asked.xlsx is not None and not content.startswith(chart_import.ZIP):
        chart_xlsx.sheets_of(content)
    return chart_import.file_of(content)


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
    if chart.room != room.id:
        # Exposures in another room say nothing of this one.
        lines = tuple(replace(line, origin="typed", origin_spread_di=None) for line in lines)
    return charts.add_draft(store, room.id, name, actor, lines, chart.grid_table)


@router.post("/charts/import", status_code=201)
def post_import(store: StoreHere, who: Actor, asked: ImportRequest) -> ChartOut:
    """A new draft from CSV text in our own columns. Where any cell is wrong nothing is imported, and `faults` names each row
    and column. Other files: preview, then a new chart with its lines."""
    return chart_out(import_chart(store, asked.room, asked.name, asked.csv, who))


@router.post("/charts/import/preview")
def post_import_preview(store: StoreHere, asked: ImportFile) -> PreviewOut:
    """How a file's columns are read, what was guessed, the lines it gives or every bad cell. Nothing is kept."""
    return preview_import(store, asked)


@router.get("/charts/import/answers")
def get_import_answers(store: StoreHere) -> Answers:
    """What the department answered of its own words in charts' files: names of projections, places, receptors."""
    return local.import_answers(store)


@router.put("/charts/import/answers")
def put_import_answers(store: StoreHere, who: Actor, answers: KeptAnswers) -> Answers:
    """Keep answers for the next file, in place of those kept; questions that are about one file alone are not kept."""
    return local.remember_import_answers(store, _of_the_department(answers), who)


@router.post("/charts/import/answers")
def add_import_answers(store: StoreHere, who: Actor, answers: KeptAnswers) -> Answers:
    """Keep more answers for the next file beside those kept; one that was answered before is answered anew."""
    return local.remember_import_answers(store, {**local.import_answers(store), **_of_the_department(answers)}, who)


def _of_the_department(answers: Answers) -> Answers:
    return {key: answer for key, answer in answers.items() if key.partition(":")[0] in chart_import.REMEMBERED}


@router.get("/charts/{chart_id}/csv", response_class=Response)
def export_csv(store: StoreHere, chart_id: Id) -> Response:
    """The chart as CSV (docs/chart-csv.md)."""
    chart = charts.get(store, chart_id)
    return as_file(chart_csv.write(chart.lines), "text/csv; charset=utf-8", f"chart-{chart.room}-v{chart.version}.csv")


@router.get("/charts/{chart_id}/xlsx", response_class=Response)
def export_xlsx(store: StoreHere, chart_id: Id) -> Response:
    """The chart as a spreadsheet with the columns of the CSV."""
    chart = charts.get(store, chart_id)
    return as_file(chart_xlsx.write(chart), chart_xlsx.XLSX, f"chart-{chart.room}-v{chart.version}.xlsx")


@router.get("/schemas/chart")
def chart_schema() -> dict[str, Any]:
    """The JSON Schema of an exported chart."""
    return chart_json.schema()


@router.get("/charts/{chart_id}/json")
def export_json(store: StoreHere, chart_id: Id) -> dict[str, Any]:
    """The chart as a JSON document that names its format and version."""
    return chart_json.write(charts.get(store, chart_id))
