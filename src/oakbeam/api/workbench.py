"""The chart workbench over HTTP: versions and their lines, building, proving, agreeing, carrying. See `benchwork`."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import Response

from oakbeam.api import benchwork, operations, problems
from oakbeam.api import schemas as s
from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.files import as_file, written
from oakbeam.core.chart import ChartLine, Link
from oakbeam.core.schools import SchoolView
from oakbeam.formats import chart_csv, chart_json, chart_pdf, chart_xlsx
from oakbeam.store import charts, comments, history, local, people, rooms

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["charts"])

AnyId = s.Id
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@router.get("/charts", response_model=list[s.ChartOut])
def list_charts(
    store: StoreHere, room: Annotated[str | None, Query(max_length=60, description="Only this room")] = None
) -> Response:
    """Chart versions with their lines, newest first."""
    return written(benchwork.CHARTS, [benchwork.chart_out(chart) for chart in charts.of_room(store, room)])


@router.post("/charts", status_code=201)
def new_chart(store: StoreHere, who: Actor, asked: s.NewChart) -> s.ChartOut:
    """A new draft of a room's next version: empty, with the lines of another version, or with lines given."""
    return benchwork.chart_out(benchwork.new_chart(store, asked, who))


@router.post("/charts/import", status_code=201)
def import_chart(store: StoreHere, who: Actor, asked: s.ImportRequest) -> s.ChartOut:
    """A new draft from CSV text in our own columns. Where any cell is wrong nothing is imported, and `faults` names each row
    and column. Other files: preview, then a new chart with its lines."""
    return benchwork.chart_out(operations.import_chart(store, asked.room, asked.name, asked.csv, who))


@router.post("/charts/import/preview")
def preview_import(store: StoreHere, asked: benchwork.ImportFile) -> benchwork.PreviewOut:
    """How a file's columns are read, what was guessed, the lines it gives or every bad cell. Nothing is kept."""
    return benchwork.preview_import(store, asked)


@router.get("/charts/{chart_id}")
def get_chart(store: StoreHere, chart_id: AnyId) -> s.ChartOut:
    """One chart version with its lines."""
    return benchwork.chart_out(charts.get(store, chart_id))


@router.put("/charts/{chart_id}")
def change_heading(store: StoreHere, who: Actor, chart_id: AnyId, asked: s.Heading) -> s.ChartOut:
    """Change a draft's name, grid table and note."""
    return benchwork.chart_out(charts.change_heading(store, chart_id, who, asked.name, asked.grid_table, asked.note))


@router.delete("/charts/{chart_id}", status_code=204)
def discard_chart(store: StoreHere, who: Actor, chart_id: AnyId) -> None:
    """Discard a draft."""
    charts.discard(store, chart_id, who)


@router.post("/charts/{chart_id}/propose")
def propose_chart(store: StoreHere, who: Actor, chart_id: AnyId) -> s.ChartOut:
    """Hand a draft in for approval; it does not change while it waits."""
    return benchwork.chart_out(charts.propose(store, chart_id, who))


@router.post("/charts/{chart_id}/give-back")
def give_back(store: StoreHere, who: Actor, chart_id: AnyId, asked: benchwork.GiveBack) -> s.ChartOut:
    """Make a proposed version a draft again, with the reason."""
    return benchwork.chart_out(charts.give_back(store, chart_id, who, asked.why))


@router.post("/charts/{chart_id}/approve")
def approve_chart(store: StoreHere, who: Actor, chart_id: AnyId) -> s.ChartOut:
    """Approve a proposed version: from now on the Desk uses it, and it never changes again."""
    another = people.agreement(store).another_approves
    return benchwork.chart_out(charts.approve(store, chart_id, who, another))


@router.get("/charts/{chart_id}/history")
def chart_history(store: StoreHere, chart_id: AnyId) -> list[history.Change]:
    """The audit rows of a chart, newest first."""
    return history.of(store, f"chart:{chart_id}")


@router.get("/charts/{chart_id}/comments")
def list_comments(store: StoreHere, chart_id: AnyId) -> list[comments.Comment]:
    """What was said of a chart and its lines, oldest first."""
    charts.get(store, chart_id)
    return comments.of_chart(store, chart_id)


@router.post("/charts/{chart_id}/comments", status_code=201)
def add_comment(store: StoreHere, who: Actor, chart_id: AnyId, asked: benchwork.CommentIn) -> comments.Comment:
    """Say something of a chart, or of one of its lines."""
    return comments.add(store, chart_id, asked.line_key, asked.text, who)


@router.post("/comments/{comment_id}/resolve")
def resolve_comment(store: StoreHere, who: Actor, comment_id: AnyId) -> comments.Comment:
    """Call a comment settled."""
    return comments.resolve(store, comment_id, who)


@router.get("/charts/{chart_id}/csv", response_class=Response)
def export_csv(store: StoreHere, chart_id: AnyId) -> Response:
    """The chart as CSV (docs/chart-csv.md)."""
    chart = charts.get(store, chart_id)
    return as_file(chart_csv.write(chart.lines), "text/csv; charset=utf-8", f"chart-{chart.room}-v{chart.version}.csv")


@router.get("/charts/{chart_id}/xlsx", response_class=Response)
def export_xlsx(store: StoreHere, chart_id: AnyId) -> Response:
    """The chart as a spreadsheet with the columns of the CSV."""
    chart = charts.get(store, chart_id)
    return as_file(chart_xlsx.write(chart), XLSX, f"chart-{chart.room}-v{chart.version}.xlsx")


@router.get("/charts/{chart_id}/pdf", response_class=Response)
def export_pdf(
    store: StoreHere,
    chart_id: AnyId,
    kind: Annotated[chart_pdf.Kind, Query(description="Wall chart, booklet (A5) or pocket card (A6)")] = "wall",
    paper: Annotated[chart_pdf.Paper, Query(description="The wall chart's")] = "a4",
    across: Annotated[bool, Query(description="The wall chart in landscape")] = False,
) -> Response:
    """The chart for the wall, as a booklet, or as a card for the pocket; each page with version, approval and a QR code."""
    name, content = benchwork.printed(store, chart_id, kind, paper, across)
    return as_file(content, "application/pdf", name)


@router.get("/schemas/chart")
def chart_schema() -> dict[str, Any]:
    """The JSON Schema of an exported chart."""
    return chart_json.schema()


@router.get("/charts/{chart_id}/json")
def export_json(store: StoreHere, chart_id: AnyId) -> dict[str, Any]:
    """The chart as a JSON document that names its format and version."""
    return chart_json.write(charts.get(store, chart_id))


@router.get("/charts/{chart_id}/tables", response_model=list[s.LineTable])
def chart_tables(store: StoreHere, chart_id: AnyId) -> Response:
    """Every line of a chart over its range, on the room's stations."""
    chart = charts.get(store, chart_id)
    room, known = rooms.get(store, chart.room), local.catalogue_of(store)
    return written(benchwork.TABLES, [operations.line_table(known, room, line) for line in chart.lines])


@router.get("/charts/{chart_id}/lines/{line_id}/table")
def line_table(store: StoreHere, chart_id: AnyId, line_id: AnyId) -> s.LineTable:
    """One line of a chart over its range, on the room's stations."""
    chart = charts.get(store, chart_id)
    return operations.line_table(local.catalogue_of(store), rooms.get(store, chart.room), charts.line_of(chart, line_id))


@router.post("/rooms/{room_id}/line-preview")
def preview_line(store: StoreHere, room_id: str, asked: s.AcceptedExposureIn) -> s.LineTable:
    """The line that would come of one accepted exposure, as a table on the room's stations. Nothing is kept."""
    return operations.preview(local.catalogue_of(store), rooms.get(store, room_id), asked)


@router.post("/charts/{chart_id}/changes", response_model=benchwork.ChangedOut)
def change_lines(store: StoreHere, who: Actor, chart_id: AnyId, asked: benchwork.ChangesIn) -> Response:
    """Several changes of a draft, all or none. Where somebody changed a line meanwhile: 409, with the lines as they are."""
    return written(benchwork.CHANGED, benchwork.change_lines(store, chart_id, asked, who))


@router.post("/charts/{chart_id}/lines/from-exposure", status_code=201)
def add_line_from_exposure(store: StoreHere, who: Actor, chart_id: AnyId, asked: s.AcceptedExposureIn) -> ChartLine:
    """Add a line to a draft from one accepted exposure."""
    room = rooms.get(store, charts.get(store, chart_id).room)
    return charts.add_line(store, chart_id, operations.line_from_accepted(local.catalogue_of(store), room, asked), who)


@router.post("/charts/{chart_id}/lines", status_code=201)
def add_line(store: StoreHere, who: Actor, chart_id: AnyId, asked: s.LineIn) -> ChartLine:
    """Add a line to a draft, its law given outright."""
    return benchwork.one_line(store, chart_id, benchwork.ChangeIn(to=asked), who)


@router.put("/charts/{chart_id}/lines/{line_id}")
def change_line(store: StoreHere, who: Actor, chart_id: AnyId, line_id: AnyId, asked: s.LineIn) -> ChartLine:
    """Replace a line of a draft."""
    return benchwork.one_line(store, chart_id, benchwork.ChangeIn(line=line_id, to=asked), who)


@router.delete("/charts/{chart_id}/lines/{line_id}", status_code=204)
def remove_line(store: StoreHere, who: Actor, chart_id: AnyId, line_id: AnyId) -> None:
    """Take a line out of a draft."""
    benchwork.change_lines(store, chart_id, benchwork.ChangesIn(changes=[benchwork.ChangeIn(line=line_id)]), who)


@router.get("/charts/{chart_id}/level", response_model=list[benchwork.StripOut])
def level_check(store: StoreHere, chart_id: AnyId) -> Response:
    """The expected deviation index of every line over its thickness."""
    return written(benchwork.STRIPS, benchwork.level_check(store, chart_id))


@router.post("/charts/{chart_id}/level")
def level_it(store: StoreHere, chart_id: AnyId, asked: benchwork.WhichLines) -> list[benchwork.Proposal]:
    """The smallest changes that hold lines level. Nothing is kept."""
    return benchwork.level_it(store, chart_id, asked)


@router.get("/charts/{chart_id}/lint")
def lint_chart(store: StoreHere, chart_id: AnyId) -> list[benchwork.FindingOut]:
    """What is wrong with a chart, why, and what to do."""
    return benchwork.lint_chart(store, chart_id)


@router.post("/charts/{chart_id}/adjust")
def adjust(store: StoreHere, chart_id: AnyId, asked: benchwork.Adjustment) -> list[benchwork.Proposal]:
    """What a change of many lines at once would make of them. Nothing is kept."""
    return benchwork.adjust(store, chart_id, asked)


@router.get("/charts/{chart_id}/lines/{line_id}/schools")
def schools_of(store: StoreHere, chart_id: AnyId, line_id: AnyId) -> list[SchoolView]:
    """One line in every school, with DI, dose, contrast and time over thickness."""
    return benchwork.schools_of(store, chart_id, line_id)


@router.get("/charts/{chart_id}/lines/{line_id}/link")
def link_of(
    store: StoreHere,
    chart_id: AnyId,
    line_id: AnyId,
    to: Annotated[s.Id, Query(description="Key of the line to follow")],
) -> Link:
    """The link that would make a line follow another and leave its own technique as it is."""
    return benchwork.link_of(store, chart_id, line_id, to)


@router.get("/charts/{chart_id}/compare/{other_id}")
def compare_charts(store: StoreHere, chart_id: AnyId, other_id: AnyId) -> list[benchwork.ComparedOut]:
    """Two charts line by line: what changed, and what it does to the expected index and to dose."""
    return benchwork.compare_charts(store, chart_id, other_id)


@router.post("/rooms/{room_id}/build")
def build_chart(store: StoreHere, room_id: str, asked: benchwork.BuildIn) -> benchwork.BuiltOut:
    """A whole chart from a few test exposures, with where each line comes from and how sure it is. Nothing is kept."""
    return benchwork.build_chart(store, room_id, asked)


@router.post("/rooms/{room_id}/carry")
def carry_chart(store: StoreHere, room_id: str, asked: benchwork.CarryIn) -> list[benchwork.CarriedOut]:
    """A chart of another room carried to this one, each line with its factors and their reasons. Nothing is kept."""
    return benchwork.carry_chart(store, room_id, asked)
