"""The programs of a room's generator: a list to type them from, ticked as they are entered and checked, and held against the
chart when it changes."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Annotated, Literal

from fastapi.responses import Response
from pydantic import Field, StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.resource import resource
from oakbeam.api.types import Id, RequestBody
from oakbeam.core.charts.programs import Program, differences, programs
from oakbeam.core.errors import Refusal
from oakbeam.formats import rows_csv
from oakbeam.store import NotFound, Store, charts, local, rooms
from oakbeam.store import programs as kept

router = resource("rooms")

State = Literal["to enter", "entered", "checked", "changed"]
COLUMNS = (
    *("exam", "view", "support", "size", "thickness_cm", "kvp", "mas", "ma", "time_ms", "focal_spot", "exposure_control"),
    *("aec_cells", "aec_density", "state", "differs", "entered_at", "entered_by", "checked_at", "checked_by"),
)


@dataclass(frozen=True, slots=True)
class ProgramRow:
    """A program as the chart says it, and where it stands: to enter; entered; checked; or changed, with what the generator
    holds otherwise."""

    program: Program
    exam: str
    view: str
    state: State
    differs: tuple[str, ...]
    entered_at: str | None
    entered_by: str | None
    checked_at: str | None
    checked_by: str | None


class Which(RequestBody):
    """A program, by the key of its line and its size."""

    line_key: Id
    size: Annotated[str, StringConstraints(min_length=1, max_length=20)]


class TickIn(RequestBody):
    """Programs that somebody entered at the generator, or read back there."""

    done: Literal["entered", "checked"]
    programs: Annotated[list[Which], Field(min_length=1, max_length=2000)]


def list_of(store: Store, room_id: str) -> list[ProgramRow]:
    """The programs of the room's approved chart."""
    room, known = rooms.get(store, room_id), local.catalogue_of(store)
    held, found = kept.of_room(store, room_id), []
    for one in programs(charts.newest_approved(store, room_id).lines, room, known.projections):
        entered = held.get((one.line_key, one.size))
        differs = differences(entered.stored, one.stored) if entered else ()
        state: State = (
            "to enter" if entered is None else "changed" if differs else "checked" if entered.checked_at else "entered"
        )
        projection = known.projection(one.projection)
        ticks = (entered.entered_at, entered.entered_by, entered.checked_at, entered.checked_by) if entered else (None,) * 4
        found.append(ProgramRow(one, projection.exam, projection.name, state, differs, *ticks))
    return found


def tick(store: Store, room_id: str, asked: TickIn, actor: str) -> list[ProgramRow]:
    """Keep what somebody did at the generator; the list as it then is. Refusal for a program that the chart has not."""
    rows = {(row.program.line_key, row.program.size): row.program for row in list_of(store, room_id)}
    wanted = [(one.line_key, one.size) for one in asked.programs]
    if missing := [one for one in wanted if one not in rows]:
        raise NotFound(f"The room's chart has no program '{missing[0][1]}' of line {missing[0][0]}.")
    if len(set(wanted)) < len(wanted):
        raise Refusal("Named twice", "A program is named twice.", None, "programs")
    done = kept.enter if asked.done == "entered" else kept.check
    done(store, room_id, [rows[one] for one in wanted], actor)
    return list_of(store, room_id)


@router.get("/rooms/{room_id}/programs")
def get_programs(store: StoreHere, room_id: str) -> list[ProgramRow]:
    """What is to be stored at the generator for each view and size of the approved chart, and what stands there."""
    return list_of(store, room_id)


@router.post("/rooms/{room_id}/programs")
def post_programs(store: StoreHere, who: Actor, room_id: str, asked: TickIn) -> list[ProgramRow]:
    """Tick programs as entered at the generator, or as checked there."""
    return tick(store, room_id, asked, who)


@router.get("/rooms/{room_id}/programs/csv", response_class=Response)
def export_programs(store: StoreHere, room_id: str) -> Response:
    """The list as CSV, to type from."""
    rows = [
        {**asdict(row), **asdict(row.program), **asdict(row.program.stored)} | {"differs": list(row.differs)}
        for row in list_of(store, room_id)
    ]
    return as_file(rows_csv.write(COLUMNS, rows), "text/csv; charset=utf-8", f"programs-{room_id}.csv")
