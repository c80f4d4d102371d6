"""After a calibration: which lines of a chart are off since, and one draft with their corrections."""

from __future__ import annotations

from dataclasses import dataclass

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.chart_making import chart_with_room
from oakbeam.api.charts import ChartOut, chart_out
from oakbeam.api.resource import resource
from oakbeam.api.types import Id
from oakbeam.core.charts.calibration_effect import corrected, moved_lines, what_to_do
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.charts.validation import check_line
from oakbeam.core.dates import day_of
from oakbeam.core.errors import Refusal
from oakbeam.store import Store, calibrations, charts, local, rooms
from oakbeam.store.charts import LineChange

router = resource("charts")

AUTHOR = "calibration"
"""Who a corrected draft is by: its numbers are computed, so that whoever accepted the calibration may still approve them."""


@dataclass(frozen=True, slots=True)
class OffLine:
    """A line that calibrations moved: by how much its images [DI] and the dose shown [%]; corrected: the line brought back,
    None where mAs is not what corrects it; why: what is done about it, in words."""

    line: int
    since: str
    di_change: float
    kerma_change_percent: float
    mas_factor: float | None
    corrected: ChartLine | None
    why: str


def off_lines(store: Store, chart_id: int) -> list[OffLine]:
    """The lines of a chart that are off since a calibration, the furthest first."""
    chart, room, _ = chart_with_room(store, chart_id)
    found = []
    for line, moved in moved_lines(chart.lines, calibrations.moved_by_key(store, room.id, chart.lines)):
        back = corrected(line, moved, room)
        found.append(
            OffLine(
                line.id or 0,
                moved.since,
                moved.di_change,
                moved.kerma_change_percent,
                back.mas_factor if back else None,
                back.line if back else None,
                what_to_do(line, moved, back),
            )
        )
    return found


def corrected_draft(store: Store, room_id: str, asked_by: str) -> Chart:
    """The corrections of a room's chart in one draft: the open one, else a new one from the approved version."""
    room, known = rooms.get(store, room_id), local.catalogue_of(store)
    draft = next((one for one in charts.in_use(store, room_id) if one.status != "approved"), None)
    base = draft or charts.newest_approved(store, room_id)
    by_key = calibrations.moved_by_key(store, room_id, base.lines)
    back = {line.key: made.line for line, moved in moved_lines(base.lines, by_key) if (made := corrected(line, moved, room))}
    if not back:
        raise Refusal("Nothing to correct", "No line of this chart is off since a calibration by what mAs corrects.")

    def check(line: ChartLine) -> ChartLine:
        return check_line(line, known.projection(line.projection), room)

    for line in back.values():
        check(line)
    if draft is None:
        draft = charts.next_draft(store, base.id, AUTHOR)
    changes = [LineChange(line.id, back[line.key], line.revision) for line in draft.lines if line.key in back]
    why = f"Corrected for the calibration of {day_of(room.calibration.at)}" if room.calibration else "Corrected"
    return charts.change_lines(store, draft.id, changes, AUTHOR, check, f"{why}, asked for by {asked_by}").chart


@router.get("/charts/{chart_id}/since-calibration")
def get_off_lines(store: StoreHere, chart_id: Id) -> list[OffLine]:
    """The lines that are off since a calibration of the room, the furthest first, each with its correction."""
    return off_lines(store, chart_id)


@router.post("/rooms/{room_id}/corrected-draft", status_code=201)
def post_corrected_draft(store: StoreHere, who: Actor, room_id: str) -> ChartOut:
    """The lines that are off since a calibration, corrected: in the open draft, else in a new one. By 'calibration', so that
    whoever accepted the calibration may approve it once a keeper has proposed it."""
    return chart_out(corrected_draft(store, room_id, who))
