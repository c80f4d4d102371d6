"""Chart versions: drafts, their lines, proposals, approval, comments, history."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from datetime import date
from typing import Annotated, Any

from fastapi import Query
from fastapi.responses import Response
from pydantic import BaseModel, Field, StringConstraints, TypeAdapter

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import written
from oakbeam.api.lines import LineIn, line_of
from oakbeam.api.resource import resource
from oakbeam.api.technique_request import room_of
from oakbeam.api.types import Id, Key, Name, RequestBody, Text
from oakbeam.core.chart_check.register import CHECKS
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.charts.line import (
    Chart,
    ChartLine,
    Status,
)
from oakbeam.core.charts.validation import check_line
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.rules_of_thumb import GridTable
from oakbeam.core.projection import SupportId
from oakbeam.store import Store, calibrations, charts, comments, history, local, people, rooms
from oakbeam.store.charts import LineChange

router = resource("charts")


class ChartSummary(BaseModel):
    """A chart version without its lines."""

    id: int
    room: str
    name: str
    version: int
    status: Status
    grid_table: GridTable
    author: str
    approver: str
    created_at: str
    approved_at: str
    note: str
    revision: int
    proposed_by: str
    proposed_at: str
    review_by: str


class ChartOut(ChartSummary):
    """A chart version."""

    lines: list[ChartLine]


class ListedVersion(ChartSummary):
    """A chart version in a list of them: how many lines it has, not the lines."""

    line_count: int


class LineHead(BaseModel):
    """A line without its law: what it is for."""

    id: int
    key: int
    projection: str
    receptor: str
    support: SupportId
    grid_ratio: int
    sid_cm: float
    range_cm: tuple[float, float]


class ListedChart(ListedVersion):
    """A chart version in a list of them, with what its lines are for; `GET /api/charts/{chart_id}` has the lines whole."""

    lines: list[LineHead]


class NewChart(RequestBody):
    """A new draft: empty, with the lines of another version (`from_chart`), or with the lines given."""

    room: Key
    name: Name = "Chart"
    from_chart: Id | None = None
    lines: Annotated[list[LineIn], Field(max_length=1000)] | None = None
    note: Text = ""


class Heading(RequestBody):
    """A draft's name, grid table (left out: as it is) and note."""

    name: Name
    grid_table: GridTable | None = None
    note: Text = ""


class ProposeIn(RequestBody):
    """Why what the chart check calls unusable stands all the same, by the check's id."""

    reasons: Annotated[
        dict[Key, Annotated[str, StringConstraints(min_length=1, max_length=300, strip_whitespace=True)]],
        Field(max_length=50),
    ]


class ReturnIn(RequestBody):
    """Why a proposed version goes back."""

    why: Annotated[str, StringConstraints(min_length=1, max_length=500, strip_whitespace=True)]


class ApproveIn(RequestBody):
    """By when an approved version is to be looked at again; a year from now where left out."""

    review_by: date | None = None


class CommentIn(RequestBody):
    """A comment on a chart, or on the line of a key."""

    text: Annotated[str, StringConstraints(min_length=1, max_length=1000, strip_whitespace=True)]
    line_key: Id | None = None


class ChangeIn(RequestBody):
    """One change: of `line`, or a new line where that is left out; without `to` the line is taken out."""

    line: Id | None = None
    revision: int | None = None
    to: LineIn | None = None
    position: Annotated[int, Field(ge=0, le=2000)] | None = None


class ChangesIn(RequestBody):
    """Changes that belong together, and why they are made."""

    changes: Annotated[list[ChangeIn], Field(min_length=1, max_length=1000)]
    why: Text = ""


class ChangeOut(BaseModel):
    """A change as it could be sent again: the one that undoes what was done."""

    line: int | None
    revision: int | None
    to: ChartLine | None
    position: int | None


class ChangedOut(BaseModel):
    """The chart after changes, the lines touched, and what would undo them."""

    chart: ChartOut
    touched: list[int]
    undo: list[ChangeOut]


CHANGED = TypeAdapter(ChangedOut)
CHARTS = TypeAdapter(list[ListedChart])
MOST_LISTED = 200


def _heading(chart: Chart) -> dict[str, Any]:
    return {name: getattr(chart, name) for name in ChartSummary.model_fields}


def chart_out(chart: Chart) -> ChartOut:
    """A chart as it goes out."""
    return ChartOut(**_heading(chart), lines=list(chart.lines))


def listed_chart(chart: Chart) -> ListedChart:
    """A chart as it stands in a list."""
    heads = [LineHead.model_validate(line, from_attributes=True) for line in chart.lines]
    return ListedChart(**_heading(chart), line_count=len(heads), lines=heads)


def new_chart(store: Store, asked: NewChart, actor: str) -> Chart:
    """A new draft (see the operation)."""
    if asked.lines is not None:
        room, known = room_of(store, asked.room), local.catalogue_of(store)
        lines = tuple(line_of(known, room, line) for line in asked.lines)
        return charts.add_draft(store, room.id, asked.name, actor, lines, note=asked.note)
    if asked.from_chart is None:
        return charts.add_draft(store, asked.room, asked.name, actor)
    base = charts.get(store, asked.from_chart)
    if base.room != asked.room:
        raise Refusal("Chart of another room", f"Chart {base.id} belongs to room '{base.room}'.", field="from_chart")
    return charts.next_draft(store, base.id, actor)


def change_lines(store: Store, chart_id: int, asked: ChangesIn, actor: str) -> ChangedOut:
    """Several changes, all or none."""
    room, known = rooms.get(store, charts.get(store, chart_id).room), local.catalogue_of(store)
    wanted = []
    for change in asked.changes:
        if change.line is None and change.to is None:
            raise Refusal("Nothing to change", "A change names a line, gives a new one, or both.", None, "changes")
        to = line_of(known, room, change.to) if change.to else None
        wanted.append(LineChange(change.line, to, change.revision, change.position))

    def check(line: ChartLine) -> ChartLine:
        return check_line(line, known.projection(line.projection), room)

    return changed_out(charts.change_lines(store, chart_id, wanted, actor, check, asked.why))


def changed_out(done: charts.Changed) -> ChangedOut:
    """What a change left, as it goes out."""
    undo = [ChangeOut(**{name: getattr(one, name) for name in ChangeOut.model_fields}) for one in done.undo]
    return ChangedOut(chart=chart_out(done.chart), touched=list(done.touched), undo=undo)


def one_line(store: Store, chart_id: int, change: ChangeIn, actor: str) -> ChartLine:
    """One change that leaves a line: the line."""
    done = change_lines(store, chart_id, ChangesIn(changes=[change]), actor)
    return next(line for line in done.chart.lines if line.id == done.touched[0])


OfRoom = Annotated[str | None, Query(max_length=60, description="Only this room")]
Before = Annotated[
    int | None,
    Query(ge=1, le=2**63 - 1, description="Only what is older than the version of this id: the next page"),
]


@router.get("/charts", response_model=list[ListedChart])
def list_charts(
    store: StoreHere,
    room: OfRoom = None,
    before: Before = None,
    limit: Annotated[int, Query(ge=1, le=MOST_LISTED)] = 20,
) -> Response:
    """Chart versions and what their lines are for, newest first, a page at a time: where `limit` came, there may be more."""
    found = [charts.get(store, heading.id) for heading, _ in charts.listed(store, room, before, limit)]
    return written(CHARTS, [listed_chart(chart) for chart in found])


@router.get("/chart-versions")
def list_versions(
    store: StoreHere,
    room: OfRoom = None,
    before: Before = None,
    in_use: Annotated[bool, Query(description="Only what is approved, or not approved yet")] = False,
    limit: Annotated[int, Query(ge=1, le=MOST_LISTED)] = 50,
) -> list[ListedVersion]:
    """Chart versions without their lines, newest first, a page at a time: where `limit` came, there may be more."""
    return [
        ListedVersion(**_heading(chart), line_count=count)
        for chart, count in charts.listed(store, room, before, limit, in_use=in_use)
    ]


@router.get("/charted")
def list_charted(
    store: StoreHere,
    room: OfRoom = None,
    projection: Annotated[str | None, Query(max_length=60, description="Only this projection")] = None,
) -> dict[str, list[str]]:
    """The projections that each room's approved chart has lines for, by room."""
    return charts.charted(store, room, projection)


@router.post("/charts", status_code=201)
def post_chart(store: StoreHere, who: Actor, asked: NewChart) -> ChartOut:
    """A new draft of a room's next version: empty, with the lines of another version, or with lines given."""
    return chart_out(new_chart(store, asked, who))


@router.get("/charts/{chart_id}")
def get_chart(store: StoreHere, chart_id: Id) -> ChartOut:
    """One chart version with its lines."""
    return chart_out(charts.get(store, chart_id))


@router.put("/charts/{chart_id}")
def change_heading(store: StoreHere, who: Actor, chart_id: Id, asked: Heading) -> ChartOut:
    """Change a draft's name, grid table and note."""
    return chart_out(charts.change_heading(store, chart_id, who, asked.name, asked.grid_table, asked.note))


@router.delete("/charts/{chart_id}", status_code=204)
def discard_chart(store: StoreHere, who: Actor, chart_id: Id) -> None:
    """Discard a draft."""
    charts.discard(store, chart_id, who)


def proposed(store: Store, chart_id: int, actor: str, reasons: Mapping[str, str]) -> Chart:
    """The draft handed in; Refusal with the checks whose errors were neither mended nor given a reason."""
    chart = charts.get(store, chart_id)
    room, moved = rooms.get(store, chart.room), calibrations.moved_by_key(store, chart.room, chart.lines)
    found = check_chart(chart.lines, room, local.catalogue_of(store).projections, moved)
    open_ = Counter(one.rule for one in found if one.severity == "error" and one.rule not in reasons)
    if open_ and chart.status == "draft":
        shown = "; ".join(f"{CHECKS[rule].title} ({count})" for rule, count in open_.items())
        text = f"The chart check finds what cannot be used: {shown}. Mend it, or say why it stands."
        raise Refusal("Mend it, or say why it stands", text, list(open_), "reasons")
    return charts.propose(store, chart_id, actor, reasons)


@router.post("/charts/{chart_id}/propose")
def propose_chart(store: StoreHere, who: Actor, chart_id: Id, asked: ProposeIn | None = None) -> ChartOut:
    """Hand a draft in for approval; it does not change while it waits. What the chart check calls an error has to be mended,
    or needs a reason."""
    return chart_out(proposed(store, chart_id, who, asked.reasons if asked else {}))


@router.post("/charts/{chart_id}/return")
def return_to_author(store: StoreHere, who: Actor, chart_id: Id, asked: ReturnIn) -> ChartOut:
    """Make a proposed version a draft again, with the reason."""
    return chart_out(charts.return_to_author(store, chart_id, who, asked.why))


@router.post("/charts/{chart_id}/approve")
def approve_chart(store: StoreHere, who: Actor, chart_id: Id, asked: ApproveIn | None = None) -> ChartOut:
    """Approve a proposed version: from now on the Desk uses it, and it never changes again."""
    another = people.agreement(store).another_approves
    return chart_out(charts.approve(store, chart_id, who, another, asked.review_by if asked else None))


@router.get("/charts/{chart_id}/history")
def chart_history(store: StoreHere, chart_id: Id) -> list[history.Change]:
    """The audit rows of a chart, newest first."""
    return history.of(store, f"chart:{chart_id}")


@router.get("/charts/{chart_id}/comments")
def list_comments(store: StoreHere, chart_id: Id) -> list[comments.Comment]:
    """What was said of a chart and its lines, oldest first."""
    charts.get(store, chart_id)
    return comments.of_chart(store, chart_id)


@router.post("/charts/{chart_id}/comments", status_code=201)
def add_comment(store: StoreHere, who: Actor, chart_id: Id, asked: CommentIn) -> comments.Comment:
    """Say something of a chart, or of one of its lines."""
    return comments.add(store, chart_id, asked.line_key, asked.text, who)


@router.post("/comments/{comment_id}/resolve")
def resolve_comment(store: StoreHere, who: Actor, comment_id: Id) -> comments.Comment:
    """Call a comment settled."""
    return comments.resolve(store, comment_id, who)


@router.post("/charts/{chart_id}/changes", response_model=ChangedOut)
def post_changes(store: StoreHere, who: Actor, chart_id: Id, asked: ChangesIn) -> Response:
    """Several changes of a draft, all or none. Where somebody changed a line meanwhile: 409, with the lines as they are."""
    return written(CHANGED, change_lines(store, chart_id, asked, who))


@router.post("/charts/{chart_id}/lines", status_code=201)
def add_line(store: StoreHere, who: Actor, chart_id: Id, asked: LineIn) -> ChartLine:
    """Add a line to a draft, its law given outright."""
    return one_line(store, chart_id, ChangeIn(to=asked), who)


@router.put("/charts/{chart_id}/lines/{line_id}")
def change_line(store: StoreHere, who: Actor, chart_id: Id, line_id: Id, asked: LineIn) -> ChartLine:
    """Replace a line of a draft."""
    return one_line(store, chart_id, ChangeIn(line=line_id, to=asked), who)


@router.delete("/charts/{chart_id}/lines/{line_id}", status_code=204)
def remove_line(store: StoreHere, who: Actor, chart_id: Id, line_id: Id) -> None:
    """Take a line out of a draft."""
    change_lines(store, chart_id, ChangesIn(changes=[ChangeIn(line=line_id)]), who)
