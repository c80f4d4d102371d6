"""The API's operations. Each parses, calls and shapes; see `operations` for what they join."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

import oakbeam
from oakbeam import catalogue
from oakbeam.api import beam, guide, lane, operations, problems, runsheet
from oakbeam.api import rooms as rooms_api
from oakbeam.api import schemas as s
from oakbeam.api.access import Actor, StoreHere, the_store
from oakbeam.api.files import as_file
from oakbeam.api.people import WhoIsHere, session_out
from oakbeam.core.evaluation import FINDINGS, QUESTIONS
from oakbeam.core.room import Room
from oakbeam.core.whatif import WhatIf
from oakbeam.formats import exposures_csv
from oakbeam.sim import detector
from oakbeam.store import NotFound, exposures, history, local, rooms
from oakbeam.store.exposures import Exposure, Outcome

router = APIRouter(prefix="/api", responses=problems.RESPONSES)

GENERAL_CAUTIONS = [
    "A technique shown here is a starting point. Local protocol, the supervising radiologist and licensed staff decide.",
    "Check identity, side and the request before anything else; ask about pregnancy by local rule.",
    "Collimate to the part. Never open the field to match the light on a thick patient.",
    "Numbers of the catalogue are textbook-typical and unconfirmed until your department signs them.",
    "No patient is identified here: keep names and numbers out of notes and study keys.",
]


AnyId = Annotated[int, s.Field(ge=1, le=2**63 - 1)]
RoomQuery = Annotated[str | None, Query(max_length=60, description="Only this room")]
ProjectionQuery = Annotated[str | None, Query(max_length=60, description="Only this projection")]
OutcomeQuery = Annotated[Outcome | None, Query(description="Only this outcome")]


@router.get("/health", tags=["service"])
def health() -> s.Health:
    """Ready to serve, and which version."""
    return s.Health(status="ok", version=oakbeam.__version__)


@router.get("/start", tags=["service"])
def start(store: StoreHere, who: WhoIsHere) -> s.Start:
    """What every view begins with, in one answer: rooms, catalogue, lists to pick from, and what is charted."""
    return guide.start(store, list_choices(store), session_out(store, who.session))


@router.get("/rooms", tags=["rooms"])
def list_rooms(store: StoreHere) -> list[Room]:
    """Every room with its equipment."""
    return rooms.all_rooms(store)


@router.get("/rooms/{room_id}", tags=["rooms"])
def get_room(store: StoreHere, room_id: str) -> Room:
    """One room with its equipment."""
    return rooms.get(store, room_id)


@router.post("/rooms", status_code=201, tags=["rooms"])
def new_room(store: StoreHere, who: Actor, asked: rooms_api.NewRoom) -> Room:
    """A new room with the equipment of another."""
    return rooms_api.add(store, asked, who)


@router.put("/rooms/{room_id}", tags=["rooms"])
def change_room(store: StoreHere, who: Actor, room_id: str, asked: Room) -> Room:
    """Change a room's equipment. `revision` must be the one that was read; the calibration record stays as it is."""
    return rooms_api.change(store, room_id, asked, who)


@router.post("/rooms/{room_id}/calibration/fit", tags=["rooms"])
def fit_readings(store: StoreHere, room_id: str, asked: rooms_api.Readings) -> rooms_api.FitOut:
    """Fit readings of output, half-value layer and exposure index, and show what they would change. Nothing is kept."""
    return rooms_api.fit(store, room_id, asked)


@router.post("/rooms/{room_id}/calibration", tags=["rooms"])
def accept_calibration(store: StoreHere, who: Actor, room_id: str, asked: rooms_api.Readings) -> Room:
    """Accept readings: the room takes the fitted outputs, filtration and index scales."""
    return rooms_api.calibrate(store, room_id, asked, who)


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
def save_local(
    store: StoreHere, who: Actor, kind: local.Kind, entry_id: guide.EntryId, asked: guide.LocalIn
) -> guide.LocalOut:
    """Change a projection or exam, or add one of the department's own; only the fields given differ from the shipped."""
    return guide.save_local(store, kind, entry_id, asked, who)


@router.delete("/catalogue/local/{kind}/{entry_id}", status_code=204, tags=["catalogue"])
def remove_local(store: StoreHere, who: Actor, kind: local.Kind, entry_id: guide.EntryId) -> None:
    """Take the department's change away: the shipped entry rules again."""
    local.remove_entry(store, kind, entry_id, who)


@router.put("/checks", tags=["catalogue"])
def set_checks(store: StoreHere, who: Actor, asked: guide.Checks) -> guide.Checks:
    """Set the department's pre-exposure checks."""
    return guide.Checks(checks=list(local.set_checks(store, tuple(asked.checks), who)))


@router.post("/run-sheets", tags=["technique"])
def run_sheet(store: StoreHere, asked: runsheet.RunSheetRequest) -> runsheet.RunSheet:
    """An exam's steps in working order, each with its technique and with what the hands must change on the way to it."""
    return runsheet.run_sheet(store, asked)


@router.post("/gates", status_code=201, tags=["technique"])
def record_gate(store: StoreHere, who: Actor, asked: runsheet.GateIn) -> local.GateRecord:
    """Keep who cleared a gate of an exam and when. Nothing is decided here."""
    return runsheet.record_gate(store, asked, who)


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


@router.post("/judgements", tags=["desk"])
def judge(store: StoreHere, asked: s.ResultRequest) -> s.Judgement:
    """Judge an image by its exposure index or density. Nothing is kept."""
    return operations.judge(store, asked)


@router.post("/exposures", status_code=201, tags=["log"])
def record_exposure(store: StoreHere, who: Actor, asked: s.ExposureRequest) -> s.Recorded:
    """Record an exposure with its outcome."""
    return operations.record(store, asked, who)


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
    return as_file(text, "text/csv; charset=utf-8", "exposures.csv")


@router.post("/exposures/{exposure_id}/undo", tags=["log"])
def undo_exposure(store: StoreHere, who: Actor, exposure_id: AnyId) -> Exposure:
    """Take the room's last record back."""
    return exposures.undo(store, exposure_id, who)


@router.api_route("/{rest:path}", methods=["GET", "POST", "PUT", "PATCH", "DELETE"], include_in_schema=False)
def nothing_here(rest: str) -> None:
    """An unknown address below /api is a 404 of the API, not the front end's page."""
    raise NotFound(f"There is nothing at /api/{rest[:80]}.")
