"""Chart lines as they come in and go out, and one line over its range."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, TypeAdapter

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import written
from oakbeam.api.resource import resource
from oakbeam.api.types import (
    Ei,
    GridRatio,
    Id,
    Key,
    Kvp,
    Length,
    Mas,
    Number,
    RequestBody,
    ShownIndexIn,
    Sid,
    Text,
    ThicknessCm,
)
from oakbeam.catalogue import Catalogue
from oakbeam.core.chart_making.from_exposure import AcceptedExposure, line_from_exposure
from oakbeam.core.charts.line import (
    ChartLine,
    Link,
    Origin,
    usual_range_cm,
)
from oakbeam.core.charts.links import MOST_WHY
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, MasRule, Point, SystemName, VariableKvp
from oakbeam.core.charts.table import Row, tabulate
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.image_review import (
    corrected_mas,
    deviation_index,
)
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.projection import Projection, SupportId
from oakbeam.store import charts, local, rooms

router = resource("charts")


class BandIn(RequestBody):
    """One band of a banded line."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True)]
    min_cm: ThicknessCm
    max_cm: ThicknessCm
    kvp: Kvp
    mas: Mas


class PointIn(RequestBody):
    """One point of a levelled line."""

    thickness_cm: ThicknessCm
    kvp: Kvp
    mas: Mas


class LawIn(RequestBody):
    """A line's law, given outright. Fixed and variable kVp need thickness_cm, kvp and mas; banded needs bands; levelled
    needs points, and as thickness_cm (or base_cm) the point it was levelled from."""

    name: SystemName
    thickness_cm: ThicknessCm | None = None
    kvp: Kvp | None = None
    mas: Mas | None = None
    base_cm: ThicknessCm | None = None
    doubling_cm: Annotated[Number, Field(gt=0, le=50)] | None = None
    kvp_per_cm: Annotated[Number, Field(gt=0, le=50)] | None = None
    bands: Annotated[list[BandIn], Field(max_length=40, default_factory=list)]
    points: Annotated[list[PointIn], Field(max_length=200, default_factory=list)]


class ConditionsIn(RequestBody):
    """The conditions a line is made for. Left out: the projection's usual range, the receptor's target index."""

    projection: Key
    receptor: Key
    support: SupportId
    grid_ratio: GridRatio
    sid_cm: Sid
    range_cm: tuple[ThicknessCm, ThicknessCm] | None = None
    target_ei: Annotated[Number, Field(ge=50, le=5000)] | None = None
    field_cm: tuple[Length, Length] | None = None
    filter: Key | None = None
    exposure_control: ExposureControl = "manual"
    aec_cells: Annotated[str, Field(max_length=20)] | None = None
    aec_density: Annotated[int, Field(ge=-4, le=4)] = 0
    note: Text = ""


class LinkIn(RequestBody):
    """How a line follows another; `to` is that line's key."""

    to: Id
    kvp_added: Number = 0
    mas_factor: Number = 1
    thicker_cm: Number = 0
    why: Annotated[str, Field(max_length=MOST_WHY)] = ""


class LineIn(ConditionsIn):
    """A line with its law given outright. With a link the law follows another line of the chart; what is given here stands
    until it is derived. origin: where its numbers come from; what is typed says so. key: which line this is, where it was
    known by one."""

    law: LawIn
    origin: Origin = "typed"
    origin_spread_di: Annotated[Number, Field(gt=0, le=10)] | None = None
    link: LinkIn | None = None
    key: Id | None = None


class AcceptedExposureIn(RequestBody):
    """One exposure that gave an accepted image, and the technique system that makes a line of it.

    With ei, the mAs is first brought to the target. parameter: doubling thickness [cm], or kVp per cm for
    variable kVp, or for levelled the kVp per cm it steps with (0 keeps the kVp).
    """

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {
                    "line": {
                        "projection": "knee-ap",
                        "receptor": "panel-24",
                        "support": "tabletop",
                        "grid_ratio": 0,
                        "sid_cm": 100,
                    },
                    "thickness_cm": 12.5,
                    "kvp": 66,
                    "mas": 6.3,
                    "ei": 460,
                    "school": "fixed_kvp",
                    "parameter": 4.5,
                }
            ]
        },
    )

    line: ConditionsIn
    thickness_cm: ThicknessCm
    kvp: Kvp
    mas: Mas
    ei: Ei | None = None
    shown_index: ShownIndexIn | None = None
    school: SystemName = "fixed_kvp"
    parameter: Annotated[Number, Field(ge=0, le=50)] | None = None


class LineTable(BaseModel):
    """A line and what the room's stations make of it over its range.

    base_di and base_mas: the deviation of the accepted exposure it was made from, and its mAs brought to the target.
    """

    line: ChartLine
    rows: tuple[Row, ...]
    base_di: float | None = None
    base_mas: float | None = None


TABLES = TypeAdapter(list[LineTable])


def line_of(known: Catalogue, room: Room, asked: LineIn) -> ChartLine:
    """A checked chart line from a request that gives its law outright."""
    given = asked.law
    law: MasRule
    if given.name == "banded":
        if extra := [name for name in ("thickness_cm", "kvp", "mas") if getattr(given, name) is not None]:
            raise Refusal(
                "Not for a banded line", f"A banded line takes bands only, not {', '.join(extra)}.", field=extra[0]
            )
        law = Banded(tuple(Band(b.name, b.min_cm, b.max_cm, b.kvp, b.mas) for b in given.bands))
    elif given.name == "levelled":
        base_cm = given.base_cm if given.thickness_cm is None else given.thickness_cm
        if base_cm is None or not given.points or given.bands:
            raise Refusal("Incomplete mAs rule", "A levelled line has a base thickness and points, no bands.", field="law")
        law = Levelled(tuple(Point(p.thickness_cm, p.kvp, p.mas) for p in given.points), base_cm)
    else:
        if given.thickness_cm is None or given.kvp is None or given.mas is None or given.bands or given.points:
            raise Refusal(
                "Incomplete mAs rule", "This line has one thickness, kVp and mAs, no bands and no points.", field="law"
            )
        if given.name == "fixed_kvp":
            law = FixedKvp(given.thickness_cm, given.kvp, given.mas, given.doubling_cm or rules_of_thumb.DEFAULT_DOUBLING_CM)
        else:
            law = VariableKvp(
                given.thickness_cm, given.kvp, given.mas, given.kvp_per_cm or rules_of_thumb.DEFAULT_KVP_PER_CM
            )
    line, projection = _conditions(known, asked)
    link = Link(**asked.link.model_dump()) if asked.link else None
    origin, spread_di = asked.origin, asked.origin_spread_di
    made = replace(line, law=law, link=link, key=asked.key, origin=origin, origin_spread_di=spread_di)
    return check_line(made, projection, room)


def line_from_accepted(known: Catalogue, room: Room, asked: AcceptedExposureIn) -> ChartLine:
    """A checked chart line through one accepted exposure."""
    line, projection = _conditions(known, asked.line)
    exposure = AcceptedExposure(asked.thickness_cm, asked.kvp, asked.mas, _ei_of(room, asked))
    return line_from_exposure(exposure, line, projection, room, asked.school, asked.parameter)


def preview(known: Catalogue, room: Room, asked: AcceptedExposureIn) -> LineTable:
    """The line that would come of an accepted exposure, over its range on the room's stations."""
    line = line_from_accepted(known, room, asked)
    target = room.receptor(line.receptor).target_for(known.projection(line.projection).region, line.target_ei)
    table = line_table(known, room, line)
    ei = _ei_of(room, asked)
    if ei is not None and target is not None:
        table.base_di = deviation_index(ei, target)
        table.base_mas = corrected_mas(asked.mas, table.base_di)
    return table


def _ei_of(room: Room, asked: AcceptedExposureIn) -> float | None:
    return room.receptor(asked.line.receptor).ei_read(asked.ei, asked.shown_index)


def line_table(known: Catalogue, room: Room, line: ChartLine) -> LineTable:
    """A line over its range on the room's stations."""
    return LineTable(line=line, rows=tabulate(line, known.projection(line.projection), room))


def _conditions(known: Catalogue, asked: ConditionsIn) -> tuple[ChartLine, Projection]:
    """The conditions of a line, its law still open, and the projection."""
    projection = known.projection(asked.projection)
    line = ChartLine(
        projection=projection.id,
        receptor=asked.receptor,
        support=asked.support,
        grid_ratio=asked.grid_ratio,
        sid_cm=asked.sid_cm,
        range_cm=asked.range_cm or usual_range_cm(projection),
        law=Banded(()),
        target_ei=asked.target_ei,
        field_cm=asked.field_cm,
        filter=asked.filter,
        exposure_control=asked.exposure_control,
        aec_cells=asked.aec_cells,
        aec_density=asked.aec_density,
        note=asked.note,
    )
    return line, projection


@router.get("/charts/{chart_id}/tables", response_model=list[LineTable])
def chart_tables(store: StoreHere, chart_id: Id) -> Response:
    """Every line of a chart over its range, on the room's stations."""
    chart = charts.get(store, chart_id)
    room, known = rooms.get(store, chart.room), local.catalogue_of(store)
    return written(TABLES, [line_table(known, room, line) for line in chart.lines])


@router.get("/charts/{chart_id}/lines/{line_id}/table")
def get_line_table(store: StoreHere, chart_id: Id, line_id: Id) -> LineTable:
    """One line of a chart over its range, on the room's stations."""
    chart = charts.get(store, chart_id)
    return line_table(local.catalogue_of(store), rooms.get(store, chart.room), charts.line_of(chart, line_id))


@router.post("/rooms/{room_id}/line-preview")
def preview_line(store: StoreHere, room_id: str, asked: AcceptedExposureIn) -> LineTable:
    """The line that would come of one accepted exposure, as a table on the room's stations. Nothing is kept."""
    return preview(local.catalogue_of(store), rooms.get(store, room_id), asked)


@router.post("/charts/{chart_id}/lines/from-exposure", status_code=201)
def add_line_from_exposure(store: StoreHere, who: Actor, chart_id: Id, asked: AcceptedExposureIn) -> ChartLine:
    """Add a line to a draft from one accepted exposure."""
    room = rooms.get(store, charts.get(store, chart_id).room)
    return charts.add_line(store, chart_id, line_from_accepted(local.catalogue_of(store), room, asked), who)
