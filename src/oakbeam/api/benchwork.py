"""What the workbench's operations do: they join store, catalogue and core. Nothing is computed here."""

from __future__ import annotations

import base64
from dataclasses import asdict, replace
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints, TypeAdapter

from oakbeam.api import operations
from oakbeam.api import schemas as s
from oakbeam.api.asked import room_of
from oakbeam.catalogue import Catalogue
from oakbeam.core import carrying, charting, comparing, families, levelcheck, linting, schools
from oakbeam.core.adjusting import Adjust, adjusted
from oakbeam.core.chart import Chart, ChartLine, Link, check_line
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Room, SupportId
from oakbeam.core.schools import ChartSchool
from oakbeam.core.sheet import sheet
from oakbeam.formats import chart_csv, chart_import, chart_pdf, chart_xlsx
from oakbeam.store import NotFound, Store, charts, local, rooms
from oakbeam.store.charts import LineChange


class GiveBack(s.Request):
    """Why a proposed version goes back."""

    why: Annotated[str, StringConstraints(min_length=1, max_length=500, strip_whitespace=True)]


class CommentIn(s.Request):
    """A comment on a chart, or on the line of a key."""

    text: Annotated[str, StringConstraints(min_length=1, max_length=1000, strip_whitespace=True)]
    line_key: s.Id | None = None


class ChangeIn(s.Request):
    """One change: of `line`, or a new line where that is left out; without `to` the line is taken out."""

    line: s.Id | None = None
    revision: int | None = None
    to: s.LineIn | None = None
    position: Annotated[int, Field(ge=0, le=2000)] | None = None


class ChangesIn(s.Request):
    """Changes that belong together, and why they are made."""

    changes: Annotated[list[ChangeIn], Field(min_length=1, max_length=1000)]
    why: s.Text = ""


class ChangeOut(BaseModel):
    """A change as it could be sent again: the one that undoes what was done."""

    line: int | None
    revision: int | None
    to: ChartLine | None
    position: int | None


class ChangedOut(BaseModel):
    """The chart after changes, the lines touched, and what would undo them."""

    chart: s.ChartOut
    touched: list[int]
    undo: list[ChangeOut]


class StripOut(BaseModel):
    """A line's strip (see `levelcheck.Strip`); places_cm empty where the model has no answer."""

    line: int
    places_cm: tuple[float, ...]
    exact_di: tuple[float, ...]
    station_di: tuple[float | None, ...]
    offset_di: float | None
    worst_di: float | None
    level: bool


class WhichLines(s.Request):
    """Some of a chart's lines; None for all."""

    lines: Annotated[list[s.Id], Field(max_length=1000)] | None = None


class Proposal(BaseModel):
    """A line as a change would leave it; line None where it is refused, and refusal says why."""

    id: int
    revision: int
    line: ChartLine | None
    what: str
    worst_before_di: float | None = None
    worst_after_di: float | None = None
    refusal: str | None = None


class FindingOut(BaseModel):
    """A finding of the lint, its lines by id."""

    rule: linting.Rule
    severity: linting.Severity
    lines: list[int]
    what: str
    why: str
    fix: str
    proposal: ChartLine | None


class Adjustment(WhichLines):
    """One change of many lines. Each left out stays. hold: keep the receptor exposure by the beam model, so that mAs follows
    kVp, grid, SID and receptor; otherwise only what is named changes."""

    kvp_added: Annotated[s.Number, Field(ge=-60, le=60)] | None = None
    mas_percent: Annotated[s.Number, Field(ge=-90, le=900)] | None = None
    grid_ratio: s.GridRatio | None = None
    sid_cm: s.Sid | None = None
    support: SupportId | None = None
    receptor: s.Key | None = None
    school: ChartSchool | None = None
    on_stations: bool = False
    hold: bool = True


class ComparedOut(BaseModel):
    """A line in two charts."""

    change: comparing.Change
    before: ChartLine | None
    after: ChartLine | None
    what: tuple[str, ...]
    sizes: tuple[comparing.Size, ...]


class TestExposureIn(s.Request):
    """A test exposure (see `charting.TestExposure`)."""

    projection: s.Key
    receptor: s.Key
    support: SupportId
    grid_ratio: s.GridRatio
    sid_cm: s.Sid
    thickness_cm: s.Thickness
    kvp: s.Kvp
    mas: s.Mas
    ei: s.Ei
    field_cm: tuple[s.Length, s.Length] | None = None
    layers: Annotated[list[tuple[s.Key, s.Number]], Field(max_length=12)] | None = None


class BuildIn(s.Request):
    """Test exposures, the projections wanted (None: all that the room can serve), and the school to write them in."""

    exposures: Annotated[list[TestExposureIn], Field(min_length=charting.FEWEST, max_length=charting.MOST)]
    projections: Annotated[list[s.Key], Field(max_length=500)] | None = None
    school: ChartSchool = "levelled"


class BuiltOut(BaseModel):
    """A whole chart as drafted."""

    drafts: tuple[charting.Draft, ...]
    readings: tuple[charting.Reading, ...]
    suggestions: tuple[charting.Suggestion, ...]
    left_out: tuple[str, ...]


class CarryIn(s.Request):
    """A chart of another room."""

    chart: s.Id


class CarriedOut(BaseModel):
    """A line carried to another room (see `carrying.Carried`)."""

    source: ChartLine
    line: ChartLine | None
    factors: tuple[carrying.Factor, ...]
    factor: float
    test: tuple[str, ...]
    refusal: str | None
    change: Literal["carried", "refused"]


class ImportFile(s.Request):
    """A file of another origin: CSV text, or a spreadsheet as base64. mapping: our column by the file's name (null leaves it
    out); defaults: what every row has where the file has no such column."""

    room: s.Key
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


STRIPS = TypeAdapter(list[StripOut])
CHANGED = TypeAdapter(ChangedOut)
CHARTS = TypeAdapter(list[s.ChartOut])
TABLES = TypeAdapter(list[s.LineTable])


def chart_out(chart: Chart) -> s.ChartOut:
    """A chart as it goes out."""
    return s.ChartOut(**{name: getattr(chart, name) for name in s.ChartOut.model_fields})


def new_chart(store: Store, asked: s.NewChart, actor: str) -> Chart:
    """A new draft (see the operation)."""
    if asked.lines is not None:
        room, known = room_of(store, asked.room), local.catalogue_of(store)
        lines = tuple(operations.line_of(known, room, line) for line in asked.lines)
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
        to = operations.line_of(known, room, change.to) if change.to else None
        wanted.append(LineChange(change.line, to, change.revision, change.position))

    def check(line: ChartLine) -> ChartLine:
        return check_line(line, known.projection(line.projection), room)

    done = charts.change_lines(store, chart_id, wanted, actor, check, asked.why)
    undo = [ChangeOut(**{name: getattr(one, name) for name in ChangeOut.model_fields}) for one in done.undo]
    return ChangedOut(chart=chart_out(done.chart), touched=list(done.touched), undo=undo)


def one_line(store: Store, chart_id: int, change: ChangeIn, actor: str) -> ChartLine:
    """One change that leaves a line: the line."""
    done = change_lines(store, chart_id, ChangesIn(changes=[change]), actor)
    return next(line for line in done.chart.lines if line.id == done.touched[0])


def level_check(store: Store, chart_id: int) -> list[StripOut]:
    """Every line's strip."""
    chart, room, known = _whole(store, chart_id)
    found = []
    for line in chart.lines:
        strip = levelcheck.strip(line, room, known.projection(line.projection))
        found.append(_strip_out(line.id or 0, strip))
    return found


def _strip_out(line_id: int, strip: levelcheck.Strip | None) -> StripOut:
    if strip is None:
        return StripOut(line=line_id, places_cm=(), exact_di=(), station_di=(), offset_di=None, worst_di=None, level=True)
    # Built without a second look at its numbers: they come from the core.
    return StripOut.model_construct(
        line=line_id,
        places_cm=strip.places_cm,
        exact_di=strip.exact_di,
        station_di=strip.station_di,
        offset_di=strip.offset_di,
        worst_di=strip.worst_di,
        level=strip.level,
    )


def level_it(store: Store, chart_id: int, asked: WhichLines) -> list[Proposal]:
    """The smallest changes that hold lines level."""
    chart, room, known = _whole(store, chart_id)
    found = []
    for line in _chosen(chart, asked):
        proposal = levelcheck.level_it(line, room, known.projection(line.projection))
        if proposal:
            found.append(
                Proposal(
                    id=line.id or 0,
                    revision=line.revision,
                    line=replace(proposal.line, link=None),
                    what=proposal.what,
                    worst_before_di=proposal.worst_before_di,
                    worst_after_di=proposal.worst_after_di,
                )
            )
    return found


def lint_chart(store: Store, chart_id: int) -> list[FindingOut]:
    """What the lint finds, lines by id."""
    chart, room, known = _whole(store, chart_id)
    ids = [line.id or 0 for line in chart.lines]
    return [
        FindingOut(**{**asdict(one), "lines": [ids[at] for at in one.lines], "proposal": one.proposal})
        for one in linting.lint(chart.lines, room, known.projections)
    ]


def adjust(store: Store, chart_id: int, asked: Adjustment) -> list[Proposal]:
    """What one change would make of many lines."""
    chart, room, known = _whole(store, chart_id)
    wanted = Adjust(**asked.model_dump(exclude={"lines"}))
    found = []
    for line in _chosen(chart, asked):
        projection = known.projection(line.projection)
        try:
            made, what = adjusted(line, room, projection, wanted)
        except Refusal as refusal:
            found.append(Proposal(id=line.id or 0, revision=line.revision, line=None, what="", refusal=refusal.detail))
            continue
        found.append(Proposal(id=line.id or 0, revision=line.revision, line=made, what=what))
    return found


def schools_of(store: Store, chart_id: int, line_id: int) -> list[schools.SchoolView]:
    """A line in every school."""
    chart, room, known = _whole(store, chart_id)
    line = charts.line_of(chart, line_id)
    return list(schools.side_by_side(line, room, known.projection(line.projection)))


def link_of(store: Store, chart_id: int, line_id: int, to: int) -> Link:
    """The link that leaves a line's technique as it is; the same patient measures more or less as the average adults do."""
    chart, _, known = _whole(store, chart_id)
    line = charts.line_of(chart, line_id)
    parent = next((one for one in chart.lines if one.key == to), None)
    if parent is None or parent is line:
        raise NotFound(f"Chart {chart_id} has no other line of key {to}.")
    own, other = (known.projection(one.projection).thickness_cm[1] for one in (line, parent))
    return families.link_between(parent, line, round(own - other, 2))


def compare_charts(store: Store, chart_id: int, other_id: int) -> list[ComparedOut]:
    """Two charts line by line."""
    (before, room_before, known), (after, room_after, _) = _whole(store, chart_id), _whole(store, other_id)
    found = comparing.compare(before.lines, room_before, after.lines, room_after, known.projections)
    return [ComparedOut(**{name: getattr(one, name) for name in ComparedOut.model_fields}) for one in found]


def build_chart(store: Store, room_id: str, asked: BuildIn) -> BuiltOut:
    """A whole chart from test exposures."""
    room, known = room_of(store, room_id), local.catalogue_of(store)
    exposures = [
        charting.TestExposure(**{**one.model_dump(), "layers": tuple(one.layers) if one.layers else None})
        for one in asked.exposures
    ]
    everything = list(known.projections.values())
    wanted = everything if asked.projections is None else [known.projection(one) for one in asked.projections]
    built = charting.build(exposures, room, wanted, asked.school, everything)
    return BuiltOut(**{name: getattr(built, name) for name in BuiltOut.model_fields})


def carry_chart(store: Store, room_id: str, asked: CarryIn) -> list[CarriedOut]:
    """A chart carried to a room."""
    chart, source, known = _whole(store, asked.chart)
    target = room_of(store, room_id)
    if target.id == source.id:
        raise Refusal("The same room", f"The chart is {source.name}'s own.", None, "chart")
    return [
        CarriedOut(
            **{name: getattr(one, name) for name in CarriedOut.model_fields if name != "change"},
            change="carried" if one.line else "refused",
        )
        for one in carrying.carry(chart.lines, source, target, known.projections)
    ]


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


def printed(store: Store, chart_id: int, kind: chart_pdf.Kind, paper: chart_pdf.Paper, across: bool) -> tuple[str, bytes]:
    """(file name, PDF) of a chart."""
    chart, room, known = _whole(store, chart_id)
    lines = sheet(chart.lines, room, known.projections)
    return f"chart-{chart.room}-v{chart.version}-{kind}.pdf", chart_pdf.write(chart, room.name, lines, kind, paper, across)


def _whole(store: Store, chart_id: int) -> tuple[Chart, Room, Catalogue]:
    chart = charts.get(store, chart_id)
    return chart, rooms.get(store, chart.room), local.catalogue_of(store)


def _chosen(chart: Chart, asked: WhichLines) -> list[ChartLine]:
    if asked.lines is None:
        return list(chart.lines)
    return [charts.line_of(chart, line_id) for line_id in asked.lines]
