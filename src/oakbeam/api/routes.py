"""The API's operations. Each parses, calls and shapes; see `operations` for what they join."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, cast

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import Response

import oakbeam
from oakbeam import catalogue
from oakbeam.api import beam, guide, lane, operations, problems, runsheet
from oakbeam.api import rooms as rooms_api
from oakbeam.api import schemas as s
from oakbeam.core.chart import Chart, ChartLine
from oakbeam.core.evaluation import FINDINGS, QUESTIONS
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Room
from oakbeam.core.whatif import WhatIf
from oakbeam.formats import chart_csv, chart_json, exposures_csv
from oakbeam.sim import detector
from oakbeam.store import NotFound, Store, charts, exposures, history, local, rooms
from oakbeam.store.exposures import Exposure, Outcome

router = APIRouter(prefix="/api", responses=problems.RESPONSES)

GENERAL_CAUTIONS = [
    "A technique shown here is a starting point. Local protocol, the supervising radiologist and licensed staff decide.",
    "Check identity, side and the request before anything else; ask about pregnancy by local rule.",
    "Collimate to the part. Never open the field to match the light on a thick patient.",
    "Numbers of the catalogue are textbook-typical and unconfirmed until your department signs them.",
    "No patient is identified here: keep names and numbers out of notes and study keys.",
]


def the_store(request: Request) -> Store:
    """The database of this application."""
    return cast(Store, request.app.state.store)


StoreHere = Annotated[Store, Depends(the_store)]
AnyId = Annotated[int, s.Field(ge=1, le=2**63 - 1)]
RoomQuery = Annotated[str | None, Query(max_length=60, description="Only this room")]
ProjectionQuery = Annotated[str | None, Query(max_length=60, description="Only this projection")]
OutcomeQuery = Annotated[Outcome | None, Query(description="Only this outcome")]
# Until there are accounts, every change is made by "local".
ACTOR = "local"


@router.get("/health", tags=["service"])
def health() -> s.Health:
    """Ready to serve, and which version."""
    return s.Health(status="ok", version=oakbeam.__version__)


@router.get("/start", tags=["service"])
def start(store: StoreHere) -> s.Start:
    """What every view begins with, in one answer: rooms, catalogue, lists to pick from, and what is charted."""
    return guide.start(store, list_choices(store))


@router.get("/rooms", tags=["rooms"])
def list_rooms(store: StoreHere) -> list[Room]:
    """Every room with its equipment."""
    return rooms.all_rooms(store)


@router.get("/rooms/{room_id}", tags=["rooms"])
def get_room(store: StoreHere, room_id: str) -> Room:
    """One room with its equipment."""
    return rooms.get(store, room_id)


@router.post("/rooms", status_code=201, tags=["rooms"])
def new_room(store: StoreHere, asked: rooms_api.NewRoom) -> Room:
    """A new room with the equipment of another."""
    return rooms_api.add(store, asked, ACTOR)


@router.put("/rooms/{room_id}", tags=["rooms"])
def change_room(store: StoreHere, room_id: str, asked: Room) -> Room:
    """Change a room's equipment. `revision` must be the one that was read; the calibration record stays as it is."""
    return rooms_api.change(store, room_id, asked, ACTOR)


@router.post("/rooms/{room_id}/calibration/fit", tags=["rooms"])
def fit_readings(store: StoreHere, room_id: str, asked: rooms_api.Readings) -> rooms_api.FitOut:
    """Fit readings of output, half-value layer and exposure index, and show what they would change. Nothing is kept."""
    return rooms_api.fit(store, room_id, asked)


@router.post("/rooms/{room_id}/calibration", tags=["rooms"])
def accept_calibration(store: StoreHere, room_id: str, asked: rooms_api.Readings) -> Room:
    """Accept readings: the room takes the fitted outputs, filtration and index scales."""
    return rooms_api.calibrate(store, room_id, asked, ACTOR)


@router.get("/rooms/{room_id}/history", tags=["rooms"])
def room_history(store: StoreHere, room_id: str) -> list[history.Change]:
    """The audit rows of a room, newest first."""
    rooms.get(store, room_id)
    return history.of(store, f"room:{room_id}")


@router.get("/projections", tags=["catalogue"])
def list_projections(store: StoreHere) -> list[s.ProjectionOut]:
    """The catalogue's projections, the department's own among them."""
    return guide.projections(local.catalogue_of(store))


@router.get("/projections/{projection_id}", tags=["catalogue"])
def get_projection(store: StoreHere, projection_id: str) -> s.ProjectionPage:
    """Everything the catalogue knows of one projection."""
    return guide.page(local.catalogue_of(store), projection_id)


@router.get("/exams", tags=["catalogue"])
def list_exams(store: StoreHere) -> list[s.ExamOut]:
    """The exam sets: steps in working order."""
    return guide.exams(local.catalogue_of(store))


@router.get("/search", tags=["catalogue"])
def search(
    store: StoreHere, q: Annotated[str, Query(max_length=100)], limit: Annotated[int, Query(ge=1, le=50)] = 12
) -> list[guide.Hit]:
    """Exams and projections by what somebody types: names, abbreviations, other names; spelling is forgiven."""
    return guide.find(local.catalogue_of(store), q, limit)


@router.get("/catalogue/local", tags=["catalogue"])
def list_local(store: StoreHere) -> list[guide.LocalOut]:
    """What the department added to the catalogue or changed in it."""
    return guide.local_entries(store)


@router.put("/catalogue/local/{kind}/{entry_id}", tags=["catalogue"])
def save_local(store: StoreHere, kind: local.Kind, entry_id: guide.EntryId, asked: guide.LocalIn) -> guide.LocalOut:
    """Change a projection or exam, or add one of the department's own; only the fields given differ from the shipped."""
    return guide.save_local(store, kind, entry_id, asked, ACTOR)


@router.delete("/catalogue/local/{kind}/{entry_id}", status_code=204, tags=["catalogue"])
def remove_local(store: StoreHere, kind: local.Kind, entry_id: guide.EntryId) -> None:
    """Take the department's change away: the shipped entry rules again."""
    local.remove_entry(store, kind, entry_id, ACTOR)


@router.put("/checks", tags=["catalogue"])
def set_checks(store: StoreHere, asked: guide.Checks) -> guide.Checks:
    """Set the department's pre-exposure checks."""
    return guide.Checks(checks=list(local.set_checks(store, tuple(asked.checks), ACTOR)))


@router.post("/run-sheets", tags=["technique"])
def run_sheet(store: StoreHere, asked: runsheet.RunSheetRequest) -> runsheet.RunSheet:
    """An exam's steps in working order, each with its technique and with what the hands must change on the way to it."""
    return runsheet.run_sheet(store, asked)


@router.post("/gates", status_code=201, tags=["technique"])
def record_gate(store: StoreHere, asked: runsheet.GateIn) -> local.GateRecord:
    """Keep who cleared a gate of an exam and when. Nothing is decided here."""
    return runsheet.record_gate(store, asked, ACTOR)


@router.get("/gates", tags=["technique"])
def list_gates(store: StoreHere, study_key: Annotated[str | None, Query(max_length=60)] = None) -> list[local.GateRecord]:
    """Gate records, newest first."""
    return local.gate_records(store, study_key)


@router.post("/read-outs", tags=["technique"])
def read_out(store: StoreHere, asked: s.TechniqueRequest) -> detector.ReadOut:
    """What the simulated receptor shows for an exposure with this technique: a stand-in for a read-out of the real one."""
    return detector.read_out(operations.technique(store, asked).forecast, exposures.count(store))


@router.get("/waiting", tags=["technique"])
def waiting(store: StoreHere) -> list[runsheet.Waiting]:
    """The requests that wait, from the simulated worklist; nobody is identified."""
    return runsheet.waiting(store)


@router.get("/choices", tags=["catalogue"])
def list_choices(store: StoreHere) -> s.Choices:
    """The lists to pick from: conditions and casts, findings, reject reasons; and the general cautions."""
    return s.Choices(
        modifiers=list(catalogue.modifiers().values()),
        findings={str(key): text for key, text in FINDINGS.items()},
        questions=[(question, [str(key) for key in keys]) for question, keys in QUESTIONS],
        reject_reasons=dict(catalogue.reject_reasons()),
        general_cautions=GENERAL_CAUTIONS,
        words={kind: dict(texts) for kind, texts in catalogue.words().items()},
        checks=list(local.checks(store)),
    )


@router.post(
    "/techniques",
    tags=["desk"],
    response_model=s.TechniqueResponse,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"$ref": "#/components/schemas/TechniqueRequest"}}},
        }
    },
)
async def technique(request: Request) -> Response:
    """kVp, mAs, mA, time, focal spot, SID and grid for a measured patient, with the ladder behind them.

    Served by `lane` in front of the framework; described here.
    """
    return lane.answer(the_store(request), await request.body())


@router.post("/what-if", tags=["desk"])
def what_else(store: StoreHere, asked: s.TechniqueRequest) -> WhatIf:
    """The choices of kVp, grid and SID that give the receptor the same, with dose, contrast and time, by the beam model."""
    return operations.choices(store, asked)


@router.post("/beam", tags=["beam"])
def beam_model(cases: beam.Cases) -> list[beam.BeamResult]:
    """The beam model for each case: kerma, scatter, grid, receptor and dose, per mAs unless `mas` is given."""
    return beam.results(cases)


@router.get("/charts", tags=["charts"])
def list_charts(store: StoreHere, room: RoomQuery = None) -> list[s.ChartOut]:
    """Chart versions with their lines, newest first."""
    return [_chart(chart) for chart in charts.of_room(store, room)]


@router.post("/charts", status_code=201, tags=["charts"])
def new_chart(store: StoreHere, asked: s.NewChart) -> s.ChartOut:
    """A new draft of a room's next version: empty, or with the lines of another version."""
    if asked.from_chart is None:
        return _chart(charts.add_draft(store, asked.room, asked.name, ACTOR))
    base = charts.get(store, asked.from_chart)
    if base.room != asked.room:
        raise Refusal("Chart of another room", f"Chart {base.id} belongs to room '{base.room}'.", field="from_chart")
    return _chart(charts.next_draft(store, base.id, ACTOR))


@router.post("/charts/import", status_code=201, tags=["charts"])
def import_chart(store: StoreHere, asked: s.ImportRequest) -> s.ChartOut:
    """A new draft from CSV text. Where any cell is wrong nothing is imported, and `faults` names each row and column."""
    return _chart(operations.import_chart(store, asked.room, asked.name, asked.csv, ACTOR))


@router.get("/charts/{chart_id}", tags=["charts"])
def get_chart(store: StoreHere, chart_id: AnyId) -> s.ChartOut:
    """One chart version with its lines."""
    return _chart(charts.get(store, chart_id))


@router.put("/charts/{chart_id}", tags=["charts"])
def change_heading(store: StoreHere, chart_id: AnyId, asked: s.Heading) -> s.ChartOut:
    """Change a draft's name, grid table and note."""
    return _chart(charts.change_heading(store, chart_id, ACTOR, asked.name, asked.grid_table, asked.note))


@router.delete("/charts/{chart_id}", status_code=204, tags=["charts"])
def discard_chart(store: StoreHere, chart_id: AnyId) -> None:
    """Discard a draft."""
    charts.discard(store, chart_id, ACTOR)


@router.post("/charts/{chart_id}/approve", tags=["charts"])
def approve_chart(store: StoreHere, chart_id: AnyId) -> s.ChartOut:
    """Approve a draft: from now on the Desk uses it, and it never changes again."""
    return _chart(charts.approve(store, chart_id, ACTOR))


@router.get("/charts/{chart_id}/history", tags=["charts"])
def chart_history(store: StoreHere, chart_id: AnyId) -> list[history.Change]:
    """The audit rows of a chart, newest first."""
    return history.of(store, f"chart:{chart_id}")


@router.get("/charts/{chart_id}/csv", tags=["charts"], response_class=Response)
def export_csv(store: StoreHere, chart_id: AnyId) -> Response:
    """The chart as CSV (docs/chart-csv.md)."""
    chart = charts.get(store, chart_id)
    return _file(chart_csv.write(chart.lines), "text/csv; charset=utf-8", f"chart-{chart.room}-v{chart.version}.csv")


@router.get("/charts/{chart_id}/json", tags=["charts"])
def export_json(store: StoreHere, chart_id: AnyId) -> dict[str, Any]:
    """The chart as a JSON document that names its format and version."""
    return chart_json.write(charts.get(store, chart_id))


@router.get("/charts/{chart_id}/tables", tags=["charts"])
def chart_tables(store: StoreHere, chart_id: AnyId) -> list[s.LineTable]:
    """Every line of a chart over its range, on the room's stations."""
    chart = charts.get(store, chart_id)
    room, known = rooms.get(store, chart.room), local.catalogue_of(store)
    return [operations.line_table(known, room, line) for line in chart.lines]


@router.post("/rooms/{room_id}/line-preview", tags=["charts"])
def preview_line(store: StoreHere, room_id: str, asked: s.AcceptedExposureIn) -> s.LineTable:
    """The line that would come of one accepted exposure, as a table on the room's stations. Nothing is kept."""
    return operations.preview(local.catalogue_of(store), rooms.get(store, room_id), asked)


@router.post("/charts/{chart_id}/lines/from-exposure", status_code=201, tags=["charts"])
def add_line_from_exposure(store: StoreHere, chart_id: AnyId, asked: s.AcceptedExposureIn) -> ChartLine:
    """Add a line to a draft from one accepted exposure."""
    room = rooms.get(store, charts.get(store, chart_id).room)
    return charts.add_line(store, chart_id, operations.line_from_accepted(local.catalogue_of(store), room, asked), ACTOR)


@router.post("/charts/{chart_id}/lines", status_code=201, tags=["charts"])
def add_line(store: StoreHere, chart_id: AnyId, asked: s.LineIn) -> ChartLine:
    """Add a line to a draft, its law given outright."""
    room = rooms.get(store, charts.get(store, chart_id).room)
    return charts.add_line(store, chart_id, operations.line_of(local.catalogue_of(store), room, asked), ACTOR)


@router.put("/charts/{chart_id}/lines/{line_id}", tags=["charts"])
def change_line(store: StoreHere, chart_id: AnyId, line_id: AnyId, asked: s.LineIn) -> ChartLine:
    """Replace a line of a draft."""
    room = rooms.get(store, charts.get(store, chart_id).room)
    return charts.replace_line(store, chart_id, line_id, operations.line_of(local.catalogue_of(store), room, asked), ACTOR)


@router.delete("/charts/{chart_id}/lines/{line_id}", status_code=204, tags=["charts"])
def remove_line(store: StoreHere, chart_id: AnyId, line_id: AnyId) -> None:
    """Take a line out of a draft."""
    charts.remove_line(store, chart_id, line_id, ACTOR)


@router.post("/judgements", tags=["desk"])
def judge(store: StoreHere, asked: s.ResultRequest) -> s.Judgement:
    """Judge an image by its exposure index or density. Nothing is kept."""
    return operations.judge(store, asked)


@router.post("/exposures", status_code=201, tags=["log"])
def record_exposure(store: StoreHere, asked: s.ExposureRequest) -> s.Recorded:
    """Record an exposure with its outcome."""
    return operations.record(store, asked, ACTOR)


@router.get("/exposures", tags=["log"])
def list_exposures(
    store: StoreHere,
    room: RoomQuery = None,
    projection: ProjectionQuery = None,
    outcome: OutcomeQuery = None,
    before_id: Annotated[int | None, Query(ge=1, le=2**63 - 1, description="Continue below this exposure")] = None,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> list[Exposure]:
    """Recorded exposures, newest first."""
    return exposures.find(store, room, projection, outcome, before_id, limit)


@router.get("/exposures/trend", tags=["log"])
def exposure_trend(
    store: StoreHere, room: RoomQuery = None, projection: ProjectionQuery = None, outcome: OutcomeQuery = None
) -> s.Trend:
    """DI over time, of the newest 1000 exposures chosen."""
    return operations.trend(exposures.find(store, room, projection, outcome, limit=1000))


@router.get("/exposures/csv", tags=["log"], response_class=Response)
def exposures_as_csv(
    store: StoreHere, room: RoomQuery = None, projection: ProjectionQuery = None, outcome: OutcomeQuery = None
) -> Response:
    """The log as CSV, with the same filters."""
    found = exposures.find(store, room, projection, outcome, limit=1_000_000)
    text = exposures_csv.write(Exposure.__dataclass_fields__, map(asdict, found))
    return _file(text, "text/csv; charset=utf-8", "exposures.csv")


@router.post("/exposures/{exposure_id}/undo", tags=["log"])
def undo_exposure(store: StoreHere, exposure_id: AnyId) -> Exposure:
    """Take the room's last record back."""
    return exposures.undo(store, exposure_id, ACTOR)


@router.api_route("/{rest:path}", methods=["GET", "POST", "PUT", "PATCH", "DELETE"], include_in_schema=False)
def nothing_here(rest: str) -> None:
    """An unknown address below /api is a 404 of the API, not the front end's page."""
    raise NotFound(f"There is nothing at /api/{rest[:80]}.")


def _chart(chart: Chart) -> s.ChartOut:
    return s.ChartOut(**{name: getattr(chart, name) for name in s.ChartOut.model_fields})


def _file(text: str, media_type: str, name: str) -> Response:
    return Response(text, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})
