"""Is a chart right? The expected index of its lines over thickness, and the chart checks."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace

from fastapi.responses import Response
from pydantic import BaseModel, TypeAdapter

from oakbeam.api.access import StoreHere
from oakbeam.api.answers import written
from oakbeam.api.chart_making import Proposal, WhichLines, chart_with_room, lines_named
from oakbeam.api.resource import resource
from oakbeam.api.types import Id
from oakbeam.core.chart_check import level
from oakbeam.core.chart_check.expected_index import IndexOverThickness, index_over_thickness
from oakbeam.core.chart_check.register import CHECKS, Check, Severity
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.charts.line import ChartLine, Trust
from oakbeam.store import Store, calibrations, exposures

router = resource("charts")


class StripOut(BaseModel):
    """A line's strip (see `IndexOverThickness`); places_cm empty where the model has no answer."""

    line: int
    places_cm: tuple[float, ...]
    exact_di: tuple[float, ...]
    station_di: tuple[float | None, ...]
    offset_di: float | None
    worst_di: float | None
    level: bool


@dataclass(frozen=True, slots=True)
class LineTrust:
    """How far a line can be trusted, and that in words."""

    line: int
    trust: Trust
    said: str


class FindingOut(BaseModel):
    """A finding of the lint, its lines by id."""

    rule: str
    title: str
    severity: Severity
    lines: list[int]
    what: str
    why: str
    fix: str
    proposal: ChartLine | None


STRIPS = TypeAdapter(list[StripOut])


def level_check(store: Store, chart_id: int) -> list[StripOut]:
    """Every line's strip."""
    chart, room, known = chart_with_room(store, chart_id)
    found = []
    for line in chart.lines:
        strip = index_over_thickness(line, room, known.projection(line.projection))
        found.append(_strip_out(line.id or 0, strip))
    return found


def _strip_out(line_id: int, strip: IndexOverThickness | None) -> StripOut:
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
    chart, room, known = chart_with_room(store, chart_id)
    found = []
    for line in lines_named(chart, asked):
        proposal = level.level_it(line, room, known.projection(line.projection))
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
    chart, room, known = chart_with_room(store, chart_id)
    ids = [line.id or 0 for line in chart.lines]
    return [
        FindingOut(
            **{
                **asdict(one),
                "title": CHECKS[one.rule].title,
                "lines": [ids[at] for at in one.lines],
                "proposal": one.proposal,
            }
        )
        for one in check_chart(chart.lines, room, known.projections, calibrations.moved_by_key(store, room.id, chart.lines))
    ]


@router.get("/charts/{chart_id}/trust")
def get_trust(store: StoreHere, chart_id: Id) -> list[LineTrust]:
    """How far each line can be trusted: proven by its images, supported by exposures, or seen by none yet (model)."""
    chart, room, known = chart_with_room(store, chart_id)
    found = exposures.trusts(store, room, known, chart.lines)
    return [LineTrust(line, *trust) for line, trust in found.items()]


@router.get("/charts/{chart_id}/level", response_model=list[StripOut])
def get_level(store: StoreHere, chart_id: Id) -> Response:
    """The expected deviation index of every line over its thickness."""
    return written(STRIPS, level_check(store, chart_id))


@router.post("/charts/{chart_id}/level")
def post_level(store: StoreHere, chart_id: Id, asked: WhichLines) -> list[Proposal]:
    """The smallest changes that hold lines level. Nothing is kept."""
    return level_it(store, chart_id, asked)


@router.get("/charts/{chart_id}/lint")
def get_lint(store: StoreHere, chart_id: Id) -> list[FindingOut]:
    """What is wrong with a chart, why, and what to do."""
    return lint_chart(store, chart_id)


@router.get("/chart-checks")
def list_checks() -> list[Check]:
    """The chart checks there are: id, title, and what each looks for."""
    return list(CHECKS.values())
