"""Making and changing charts: from test exposures, many lines at once, another system, another room; two charts compared."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import Annotated, Literal

from fastapi import Query
from pydantic import BaseModel, Field, StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.charts import ChartOut, chart_out
from oakbeam.api.lines import LineIn, line_of
from oakbeam.api.resource import resource
from oakbeam.api.technique_request import room_of
from oakbeam.api.types import (
    Ei,
    GridRatio,
    Id,
    Key,
    Kvp,
    Length,
    Mas,
    Name,
    Number,
    RequestBody,
    ShownIndexIn,
    Sid,
    ThicknessCm,
)
from oakbeam.catalogue import Catalogue
from oakbeam.core.chart_making import adapt, compare, from_test_exposures, systems
from oakbeam.core.chart_making.bulk_edit import Adjust, Cell, CellValue, adjusted, with_cell
from oakbeam.core.chart_making.from_model import drafted_lines
from oakbeam.core.chart_making.systems import SystemView, TechniqueSystem
from oakbeam.core.charts import links
from oakbeam.core.charts.line import (
    Chart,
    ChartLine,
    Link,
)
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import LengthUnit
from oakbeam.core.projection import SupportId
from oakbeam.formats.typed_cells import NAMES, cell_value
from oakbeam.store import NotFound, Store, charts, local, rooms, tally

router = resource("charts")


class WhichLines(RequestBody):
    """Some of a chart's lines; None for all."""

    lines: Annotated[list[Id], Field(max_length=1000)] | None = None


class Proposal(BaseModel):
    """A line as a change would leave it; line None where it is refused, and refusal says why."""

    id: int
    revision: int
    line: ChartLine | None
    what: str
    worst_before_di: float | None = None
    worst_after_di: float | None = None
    refusal: str | None = None


class Adjustment(WhichLines):
    """One change of many lines. Each left out stays. hold: keep the receptor exposure by the physics model, so that mAs
    follows kVp, grid, SID and receptor; otherwise only what is named changes."""

    kvp_added: Annotated[Number, Field(ge=-60, le=60)] | None = None
    mas_percent: Annotated[Number, Field(ge=-90, le=900)] | None = None
    grid_ratio: GridRatio | None = None
    sid_cm: Sid | None = None
    support: SupportId | None = None
    receptor: Key | None = None
    school: TechniqueSystem | None = None
    on_stations: bool = False
    hold: bool = True


class CellIn(RequestBody):
    """What is typed or pasted into a line: a number (lengths cm), or a text as it was written, lengths that name no unit in
    `unit`."""

    cell: Cell
    value: Number | None = None
    text: Annotated[str, StringConstraints(max_length=120)] | None = None
    unit: LengthUnit = "cm"

    def said(self) -> CellValue:
        """What it says; Refusal where that is not understood."""
        if self.text is not None:
            return cell_value(self.cell, self.text, self.unit)
        if self.value is None or self.cell in ("range_cm", "exposure_control"):
            raise Refusal("Text needed", f"{NAMES[self.cell]} is given as text.", None, "text")
        return self.value


class TypedLine(RequestBody):
    """A line as it was read, and the cells typed or pasted into it, in the order in which they count."""

    line: Id
    read: LineIn
    cells: Annotated[list[CellIn], Field(min_length=1, max_length=20)]


class CellsIn(RequestBody):
    """Lines with cells typed or pasted into them."""

    lines: Annotated[list[TypedLine], Field(min_length=1, max_length=1000)]


class OtherLines(RequestBody):
    """Lines made elsewhere: drafted, adapted or read from a file."""

    lines: Annotated[list[LineIn], Field(min_length=1, max_length=1000)]


class ComparedOut(BaseModel):
    """A line in two charts."""

    change: compare.Change
    before: ChartLine | None
    after: ChartLine | None
    what: tuple[str, ...]
    sizes: tuple[compare.Size, ...]


class TestExposureIn(RequestBody):
    """A test exposure (see `from_test_exposures.TestExposure`)."""

    projection: Key
    receptor: Key
    support: SupportId
    grid_ratio: GridRatio
    sid_cm: Sid
    thickness_cm: ThicknessCm
    kvp: Kvp
    mas: Mas
    ei: Ei | None = None
    shown_index: ShownIndexIn | None = None
    field_cm: tuple[Length, Length] | None = None
    layers: Annotated[list[tuple[Key, Number]], Field(max_length=12)] | None = None


class UsedProjections(RequestBody):
    """The projections that a room uses, as its keeper ticked them; empty: nobody did, its log tells."""

    projections: Annotated[list[Key], Field(max_length=500)]


class BuildIn(RequestBody):
    """Test exposures, the projections wanted (None: all that the room can serve), and the technique system to write them
    in. used: how often the room uses a projection, for what to expose next; left out: as the keeper ticked, else as often as
    its log says."""

    exposures: Annotated[
        list[TestExposureIn], Field(min_length=from_test_exposures.FEWEST, max_length=from_test_exposures.MOST)
    ]
    projections: Annotated[list[Key], Field(max_length=500)] | None = None
    school: TechniqueSystem = "levelled"
    used: Annotated[dict[Key, Annotated[Number, Field(ge=0, le=1_000_000)]], Field(max_length=500)] | None = None


class BuiltOut(BaseModel):
    """A whole chart as drafted."""

    drafts: tuple[from_test_exposures.Draft, ...]
    readings: tuple[from_test_exposures.Reading, ...]
    suggestions: tuple[from_test_exposures.Suggestion, ...]
    left_out: tuple[str, ...]
    suspects: tuple[from_test_exposures.Suspect, ...]
    curve: tuple[from_test_exposures.ExpectedShare, ...]


class FromModelIn(RequestBody):
    """A whole chart as the physics model would have it: for which projections (None: all that the room can serve)."""

    name: Name
    projections: Annotated[list[Key], Field(max_length=500)] | None = None
    system: TechniqueSystem = "levelled"


class AdaptIn(RequestBody):
    """A chart of another room."""

    chart: Id


class AdaptedOut(BaseModel):
    """A line carried to another room (see `adapt.Adapted`)."""

    source: ChartLine
    line: ChartLine | None
    factors: tuple[adapt.Factor, ...]
    factor: float
    test: tuple[str, ...]
    refusal: str | None
    change: Literal["carried", "refused"]


def chart_with_room(store: Store, chart_id: int) -> tuple[Chart, Room, Catalogue]:
    """A chart, the room it is for, and the catalogue."""
    chart = charts.get(store, chart_id)
    return chart, rooms.get(store, chart.room), local.catalogue_of(store)


def lines_named(chart: Chart, asked: WhichLines) -> list[ChartLine]:
    """The lines that a request names; all where it names none."""
    if asked.lines is None:
        return list(chart.lines)
    return [charts.line_of(chart, line_id) for line_id in asked.lines]


def typed(store: Store, chart_id: int, asked: CellsIn) -> list[Proposal]:
    """What cells typed or pasted make of their lines, all cells of a line together, from the line as it was read."""
    chart, room, known = chart_with_room(store, chart_id)
    found = []
    for one in asked.lines:
        revision = charts.line_of(chart, one.line).revision
        try:
            made = line_of(known, room, one.read)
            for cell in one.cells:
                made = with_cell(made, cell.cell, cell.said())
            check_line(made, known.projection(made.projection), room)
        except Refusal as refusal:
            found.append(Proposal(id=one.line, revision=revision, line=None, what="", refusal=refusal.detail))
            continue
        found.append(Proposal(id=one.line, revision=revision, line=made, what=f"{len(one.cells)} cells"))
    return found


def adjust(store: Store, chart_id: int, asked: Adjustment) -> list[Proposal]:
    """What one change would make of many lines."""
    chart, room, known = chart_with_room(store, chart_id)
    wanted = Adjust(**asked.model_dump(exclude={"lines"}))
    found = []
    for line in lines_named(chart, asked):
        projection = known.projection(line.projection)
        try:
            made, what = adjusted(line, room, projection, wanted)
        except Refusal as refusal:
            found.append(Proposal(id=line.id or 0, revision=line.revision, line=None, what="", refusal=refusal.detail))
            continue
        found.append(Proposal(id=line.id or 0, revision=line.revision, line=made, what=what))
    return found


def schools_of(store: Store, chart_id: int, line_id: int) -> list[systems.SystemView]:
    """A line in every technique system."""
    chart, room, known = chart_with_room(store, chart_id)
    line = charts.line_of(chart, line_id)
    return list(systems.side_by_side(line, room, known.projection(line.projection)))


def link_of(store: Store, chart_id: int, line_id: int, to: int) -> Link:
    """The link that leaves a line's technique as it is; the same patient measures more or less as the average adults do."""
    chart, _, known = chart_with_room(store, chart_id)
    line = charts.line_of(chart, line_id)
    parent = next((one for one in chart.lines if one.key == to), None)
    if parent is None or parent is line:
        raise NotFound(f"Chart {chart_id} has no other line of key {to}.")
    own, other = (known.projection(one.projection).thickness_cm[1] for one in (line, parent))
    return links.link_between(parent, line, round(own - other, 2))


def compare_charts(store: Store, chart_id: int, other_id: int) -> list[ComparedOut]:
    """Two charts line by line."""
    (before, room_before, known), (after, room_after, _) = chart_with_room(store, chart_id), chart_with_room(store, other_id)
    return _compared(compare.compare(before.lines, room_before, after.lines, room_after, known.projections))


def compared_lines(store: Store, before: Chart, after: Chart) -> list[ComparedOut]:
    """What changed between two versions of a room's chart: only lines that are not the same."""
    known = local.catalogue_of(store).projections
    room = rooms.get(store, after.room)
    same = {one.key: one for one in before.lines}
    kept = {one.key for one in after.lines if one.key is not None and same.get(one.key) == one}
    lines = [[one for one in chart.lines if one.key not in kept] for chart in (before, after)]
    found = compare.compare(lines[0], room, lines[1], room, known)
    return _compared(one for one in found if one.change != "same")


def difference(store: Store, chart_id: int, asked: OtherLines) -> list[ComparedOut]:
    """What other lines would add to a chart, and what they would change in it; its other lines stay, and are not told."""
    chart, room, known = chart_with_room(store, chart_id)
    lines = [line_of(known, room, one) for one in asked.lines]
    found = compare.compare(chart.lines, room, lines, room, known.projections)
    return _compared(one for one in found if one.change != "removed")


def _compared(found: Iterable[compare.Compared]) -> list[ComparedOut]:
    return [ComparedOut(**{name: getattr(one, name) for name in ComparedOut.model_fields}) for one in found]


def build_chart(store: Store, room_id: str, asked: BuildIn) -> BuiltOut:
    """A whole chart from test exposures."""
    room, known = room_of(store, room_id), local.catalogue_of(store)
    exposures = [_test_exposure(room, known, one, at) for at, one in enumerate(asked.exposures)]
    everything = list(known.projections.values())
    wanted = everything if asked.projections is None else [known.projection(one) for one in asked.projections]
    built = from_test_exposures.build(exposures, room, wanted, asked.school, everything, used=_used(store, room.id, asked))
    return BuiltOut(**{name: getattr(built, name) for name in BuiltOut.model_fields})


def _test_exposure(room: Room, known: Catalogue, asked: TestExposureIn, at: int) -> from_test_exposures.TestExposure:
    receptor, shown = room.receptor(asked.receptor), asked.shown_index
    target = receptor.target_for(known.projection(asked.projection).region)
    if shown is not None and -from_test_exposures.MOST_DI <= shown < 1 and target and not receptor.index_scale:
        text = f"{shown:g} is no index. Is it a deviation index? Then the index was {target * 10 ** (shown / 10):.0f}."
        raise Refusal(f"Index (exposure {at + 1})", text.replace("-", "−"), None, f"exposures.{at}.shown_index")
    ei = receptor.ei_read(asked.ei, shown)
    if ei is None:
        raise Refusal("Index needed", "A test exposure needs the index that came of it.", None, f"exposures.{at}.ei")
    said = asked.model_dump(exclude={"ei", "shown_index", "layers"})
    return from_test_exposures.TestExposure(**said, ei=ei, layers=tuple(asked.layers) if asked.layers else None)


TICK_WORTH = 100.0
"""A ticked projection counts as much as this many exposures in the log; one that nobody ticked as one."""


def _used(store: Store, room_id: str, asked: BuildIn) -> Mapping[str, float]:
    """How much the room uses each projection: as asked, as the keeper ticked, or as often as its log says."""
    if asked.used is not None:
        return asked.used
    ticked = local.ticked(store, room_id)
    return dict.fromkeys(ticked, TICK_WORTH) if ticked else tally.made(store, room_id)


def tick_used(store: Store, room_id: str, asked: UsedProjections, actor: str) -> UsedProjections:
    """Keep what a room uses. Refusal with the list for a projection that the catalogue does not have."""
    room, known = rooms.get(store, room_id), local.catalogue_of(store)
    named = tuple(dict.fromkeys(known.projection(one).id for one in asked.projections))
    return UsedProjections(projections=list(local.tick(store, room.id, named, actor)))


def draft_from_model(store: Store, room_id: str, asked: FromModelIn, actor: str) -> Chart:
    """A draft of a room's chart from the physics model alone; a line that cannot be written in the system stays levelled."""
    room, known = room_of(store, room_id), local.catalogue_of(store)
    wanted = known.projections.values() if asked.projections is None else map(known.projection, asked.projections)
    lines = []
    for line in drafted_lines(wanted, room):
        if asked.system != "levelled":
            with suppress(Refusal):
                line = systems.in_system(line, room, known.projection(line.projection), asked.system)
        lines.append(line)
    if not lines:
        raise Refusal("No line", "The room serves none of these projections.", None, "projections")
    return charts.add_draft(store, room.id, asked.name, actor, tuple(lines))


def adapt_chart(store: Store, room_id: str, asked: AdaptIn) -> list[AdaptedOut]:
    """A chart carried to a room."""
    chart, source, known = chart_with_room(store, asked.chart)
    target = room_of(store, room_id)
    if target.id == source.id:
        raise Refusal("The same room", f"The chart is {source.name}'s own.", None, "chart")
    return [
        AdaptedOut(
            **{name: getattr(one, name) for name in AdaptedOut.model_fields if name != "change"},
            change="carried" if one.line else "refused",
        )
        for one in adapt.adapt(chart.lines, source, target, known.projections)
    ]


@router.post("/charts/{chart_id}/adjust")
def post_adjust(store: StoreHere, chart_id: Id, asked: Adjustment) -> list[Proposal]:
    """What a change of many lines at once would make of them. Nothing is kept."""
    return adjust(store, chart_id, asked)


@router.get("/charts/{chart_id}/lines/{line_id}/systems")
def get_systems(store: StoreHere, chart_id: Id, line_id: Id) -> list[SystemView]:
    """One line in every technique system, with DI, dose, contrast and time over thickness."""
    return schools_of(store, chart_id, line_id)


@router.get("/charts/{chart_id}/lines/{line_id}/link")
def get_link(
    store: StoreHere,
    chart_id: Id,
    line_id: Id,
    to: Annotated[Id, Query(description="Key of the line to follow")],
) -> Link:
    """The link that would make a line follow another and leave its own technique as it is."""
    return link_of(store, chart_id, line_id, to)


@router.get("/charts/{chart_id}/compare/{other_id}")
def get_comparison(store: StoreHere, chart_id: Id, other_id: Id) -> list[ComparedOut]:
    """Two charts line by line: what changed, and what it does to the expected index and to dose."""
    return compare_charts(store, chart_id, other_id)


@router.post("/charts/{chart_id}/difference")
def post_difference(store: StoreHere, chart_id: Id, asked: OtherLines) -> list[ComparedOut]:
    """What other lines would add to a chart or change in it, before they go into it as changes. Nothing is kept."""
    return difference(store, chart_id, asked)


@router.post("/rooms/{room_id}/draft-from-model", status_code=201)
def post_draft_from_model(store: StoreHere, who: Actor, room_id: str, asked: FromModelIn) -> ChartOut:
    """A draft of a room's chart from the physics model alone: every line is a starting point that no image stands behind."""
    return chart_out(draft_from_model(store, room_id, asked, who))


@router.post("/rooms/{room_id}/build")
def post_build(store: StoreHere, room_id: str, asked: BuildIn) -> BuiltOut:
    """A whole chart from a few test exposures, with where each line comes from and how sure it is. Nothing is kept."""
    return build_chart(store, room_id, asked)


@router.get("/rooms/{room_id}/used-projections")
def get_used(store: StoreHere, room_id: str) -> UsedProjections:
    """The projections that a keeper ticked as used in the room."""
    return UsedProjections(projections=list(local.ticked(store, rooms.get(store, room_id).id)))


@router.put("/rooms/{room_id}/used-projections")
def put_used(store: StoreHere, who: Actor, room_id: str, asked: UsedProjections) -> UsedProjections:
    """Tick the projections that the room uses: what to expose next is suggested for their lines."""
    return tick_used(store, room_id, asked, who)


@router.post("/rooms/{room_id}/adapt")
def post_adapt(store: StoreHere, room_id: str, asked: AdaptIn) -> list[AdaptedOut]:
    """A chart of another room carried to this one, each line with its factors and their reasons. Nothing is kept."""
    return adapt_chart(store, room_id, asked)


@router.post("/charts/{chart_id}/cells")
def post_cells(store: StoreHere, chart_id: Id, asked: CellsIn) -> list[Proposal]:
    """What typed or pasted cells would make of their lines, all cells of a line composed. Nothing is kept."""
    return typed(store, chart_id, asked)
