"""The target index of a view, chosen from a room's accepted images and put into a draft."""

from __future__ import annotations

from typing import Annotated

from fastapi.responses import Response
from pydantic import Field

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import written
from oakbeam.api.chart_making import chart_with_room
from oakbeam.api.charts import CHANGED, ChangedOut, changed_out
from oakbeam.api.resource import resource
from oakbeam.api.types import Id, Key, Number, RequestBody
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.target_choice import TARGET_RANGE, Accepted, TargetChoices, retargeted, target_choices
from oakbeam.core.charts.validation import check_line
from oakbeam.core.errors import Refusal
from oakbeam.store import Store, charts, exposures
from oakbeam.store.charts import LineChange

router = resource("charts")


class TargetIn(RequestBody):
    """A target index for the lines of a view on a receptor; their mAs follows."""

    projection: Key
    receptor: Key
    target_ei: Annotated[Number, Field(ge=TARGET_RANGE[0], le=TARGET_RANGE[1])]


def choices_of(store: Store, chart_id: int) -> list[TargetChoices]:
    """What the accepted images of the chart's room speak for, by view and receptor, in the chart's order."""
    chart, room, known = chart_with_room(store, chart_id)
    found: dict[tuple[str, str], TargetChoices] = {}
    images = exposures.accepted_indices(store, room.id)
    for line in chart.lines:
        key = (line.projection, line.receptor)
        target = room.receptor(line.receptor).target_for(known.projection(line.projection).region, line.target_ei)
        if key in found or target is None:
            continue
        seen = [Accepted(ei, noisy) for ei, noisy in images.get(key, ())]
        if choices := target_choices(*key, target, seen):
            found[key] = choices
    return list(found.values())


def retarget(store: Store, chart_id: int, asked: TargetIn, actor: str) -> ChangedOut:
    """Put another target index into a draft; Refusal where it has no such line of its own."""
    chart, room, known = chart_with_room(store, chart_id)
    projection = known.projection(asked.projection)
    changes = []
    for line in chart.lines:
        if (line.projection, line.receptor) != (asked.projection, asked.receptor) or line.link:
            continue
        now = room.receptor(line.receptor).target_for(projection.region, line.target_ei)
        if now is None:
            raise Refusal("No index on film", "A film has no target index.", None, "receptor")
        changes.append(LineChange(line.id, retargeted(line, now, asked.target_ei), line.revision))
    if not changes:
        raise Refusal(
            "No such line", f"The chart has no line of {projection.exam} {projection.name} there.", None, "projection"
        )

    def check(line: ChartLine) -> ChartLine:
        return check_line(line, known.projection(line.projection), room)

    why = f"target index {asked.target_ei:g}, from accepted images"
    return changed_out(charts.change_lines(store, chart_id, changes, actor, check, why))


@router.get("/charts/{chart_id}/target-choices")
def get_choices(store: StoreHere, chart_id: Id) -> list[TargetChoices]:
    """Of each view and receptor with enough accepted images: their index, and what each target would cost in dose."""
    return choices_of(store, chart_id)


@router.post("/charts/{chart_id}/target", response_model=ChangedOut)
def post_target(store: StoreHere, who: Actor, chart_id: Id, asked: TargetIn) -> Response:
    """Put another target index into a draft: of every line of a view on a receptor, its mAs with it."""
    return written(CHANGED, retarget(store, chart_id, asked, who))
