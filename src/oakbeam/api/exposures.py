"""Image review and the log: judge an image, record an exposure, take it back, look at the trend."""

from __future__ import annotations

import statistics
from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field, StringConstraints

from oakbeam import catalogue
from oakbeam.api import problems
from oakbeam.api.access import CHART, Actor, SignedIn, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.technique_request import SetupRequest, TechniqueRequest, room_of
from oakbeam.api.techniques import derive_asked
from oakbeam.api.types import Ei, Id, Key, Kvp, Mas, Number, RequestBody, ShownIndexIn, Text
from oakbeam.core.equipment.generator import ExposureControl, SpotName
from oakbeam.core.equipment.room import Receptor
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.image_review import (
    FINDINGS,
    Evaluation,
    Finding,
    corrected_mas,
    deviation_from_density,
    deviation_index,
    evaluate,
    unlikely,
)
from oakbeam.core.projection import Side
from oakbeam.core.technique.steps import METAL
from oakbeam.formats import rows_csv
from oakbeam.store import Conflict, Store, exposures, local
from oakbeam.store.exposures import Exposure, Outcome

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["log"])


Findings = Annotated[list[Finding], Field(max_length=len(FINDINGS), default_factory=list)]
"""What was seen in an image: each of the findings that the image critique offers may be named."""


class ResultRequest(RequestBody):
    """What came back from an exposure: the exposure index, or a film's optical density, and what was seen."""

    room: Key
    projection: Key
    receptor: Key
    kvp: Kvp
    mas: Mas
    exposure_control: ExposureControl = "manual"
    target_ei: Annotated[Number, Field(ge=50, le=5000)] | None = None
    ei: Ei | None = None
    shown_index: ShownIndexIn | None = None
    optical_density: Annotated[Number, Field(ge=0, le=5)] | None = None
    findings: Findings
    suggested_mas: Mas | None = None


class Corrected(BaseModel):
    """The technique that would have been on target, on the room's stations."""

    kvp: float
    exact_mas: float
    mas: float
    ma: float
    time_ms: float
    focal_spot: SpotName


class Judgement(BaseModel):
    """The evaluation of an image, and the corrected technique for a repeat or the next patient where one follows. ei: the
    exposure index judged, worked out of what the console shows where that is another. asks: what to read once more before it
    is recorded, since it is unlikely."""

    evaluation: Evaluation
    ei: float | None
    target_ei: float | None
    corrected: Corrected | None
    correction_refused: str | None
    asks: tuple[str, ...]


class ExposureRequest(RequestBody):
    """One exposure to record: what was asked, what was really set, what came back, and the outcome."""

    technique: TechniqueRequest
    kvp: Kvp
    mas: Mas
    ei: Ei | None = None
    shown_index: ShownIndexIn | None = None
    optical_density: Annotated[Number, Field(ge=0, le=5)] | None = None
    outcome: Outcome
    reject_reason: Key | None = None
    findings: Findings
    side: Side = ""
    attempt: Annotated[int, Field(ge=1, le=20, description="which try of the view in its exam")] = 1
    held_by: Annotated[
        str, StringConstraints(max_length=80, strip_whitespace=True), Field(description="who held the patient, by role")
    ] = ""
    study_key: Annotated[str, StringConstraints(max_length=20, pattern=r"^[A-Za-z0-9-]*$", strip_whitespace=True)] = ""
    note: Text = ""


class Recorded(BaseModel):
    """A recorded exposure with its judgement (None where no index came back)."""

    exposure: Exposure
    judgement: Judgement | None


class TakeBack(RequestBody):
    """Why a record is taken back; needed for another's."""

    why: Text = ""


class TrendPoint(BaseModel):
    """One exposure on the trend."""

    id: int
    taken_at: str
    projection: str
    di: float
    outcome: Outcome


class Trend(BaseModel):
    """DI over time (oldest first), with its spread and the share of rejects of the exposures chosen."""

    points: list[TrendPoint]
    count: int
    rejected: int
    reject_rate: float | None
    median_di: float | None
    within_acceptable: float | None


RoomQuery = Annotated[str | None, Query(max_length=60, description="Only this room")]
ProjectionQuery = Annotated[str | None, Query(max_length=60, description="Only this projection")]
OutcomeQuery = Annotated[Outcome | None, Query(description="Only this outcome")]


def judge(store: Store, asked: ResultRequest) -> Judgement:
    """The judgement of one image and the corrected technique."""
    room, projection = room_of(store, asked.room), local.catalogue_of(store).projection(asked.projection)
    receptor = room.receptor(asked.receptor)
    target = receptor.target_for(projection.region, asked.target_ei)
    ei = receptor.ei_read(asked.ei, asked.shown_index)
    di = _deviation(receptor, target, ei, asked.optical_density)
    by_aec = room.aec if asked.exposure_control == "aec" else None
    step = by_aec.density_step if by_aec else None
    evaluation = evaluate(di, frozenset(asked.findings), film=not receptor.digital, density_step=step)
    corrected, refused = None, None
    if evaluation.reliable and evaluation.change != "aec":
        exact = corrected_mas(asked.mas, di)
        try:
            on = nearest_generator_setting(room, projection, asked.kvp, exact, asked.exposure_control)
        except Refusal as refusal:
            refused = refusal.detail
        else:
            loading = on.loading
            corrected = Corrected(
                kvp=on.kvp,
                exact_mas=exact,
                mas=on.mas,
                ma=loading.ma,
                time_ms=loading.time_ms,
                focal_spot=loading.focal_spot,
            )
    asks = unlikely(ei, target, asked.mas, asked.suggested_mas, receptor.shown)
    return Judgement(
        evaluation=evaluation, ei=ei, target_ei=target, corrected=corrected, correction_refused=refused, asks=asks
    )


def record(store: Store, asked: ExposureRequest, actor: str) -> Recorded:
    """Record an exposure with what was suggested for it and the judgement of its image."""
    if (asked.outcome == "rejected") != (asked.reject_reason is not None):
        raise Refusal(
            "Reason for a reject",
            "A rejected image needs a reason; an accepted one has none.",
            sorted(catalogue.reject_reasons()),
            "reject_reason",
        )
    if asked.reject_reason is not None and asked.reject_reason not in catalogue.reject_reasons():
        raise Refusal(
            "Unknown reason", "This reject reason is not known.", sorted(catalogue.reject_reasons()), "reject_reason"
        )
    found, derived, reference = derive_asked(store, asked.technique)
    if reference.status == "draft":
        raise Refusal("Draft chart", "Exposures are recorded against an approved chart.", field="technique.chart")
    if reference.status == "superseded":
        raise Conflict(
            "Another chart by now",
            f"Version {reference.version} was on screen; another version was approved meanwhile. Look at its numbers, then "
            "record what was really set.",
        )
    # What was really set may be off the suggestion: the dose is that of the real setting.
    setup = asked.technique.setup or SetupRequest()
    real = setup.model_copy(update={"kvp": asked.kvp, "mas": asked.mas})
    _, done, _ = derive_asked(store, asked.technique.model_copy(update={"setup": real}))
    at_stations = done.technique
    scale = asked.mas / at_stations.mas if at_stations.kvp == asked.kvp else None
    kerma, kap = done.forecast.incident_air_kerma_mgy, done.forecast.kap_mgycm2
    judgement = None
    if any(one is not None for one in (asked.ei, asked.shown_index, asked.optical_density)):
        judgement = judge(
            store,
            ResultRequest(
                room=asked.technique.room,
                projection=asked.technique.projection,
                receptor=at_stations.receptor,
                kvp=asked.kvp,
                mas=asked.mas,
                exposure_control=at_stations.exposure_control,
                target_ei=derived.forecast.target_ei,
                ei=asked.ei,
                shown_index=asked.shown_index,
                optical_density=asked.optical_density,
                findings=asked.findings,
            ),
        )
    exposure = Exposure(
        room=asked.technique.room,
        chart=reference.id,
        chart_version=reference.version,
        projection=asked.technique.projection,
        thickness_cm=found.thickness.cm,
        suggested_kvp=derived.technique.kvp,
        suggested_mas=derived.technique.mas,
        kvp=asked.kvp,
        mas=asked.mas,
        sid_cm=at_stations.sid_cm,
        support=at_stations.support,
        grid_ratio=at_stations.grid_ratio,
        receptor=at_stations.receptor,
        exposure_control=at_stations.exposure_control,
        outcome=asked.outcome,
        ei=judgement.ei if judgement else None,
        shown_index=asked.shown_index,
        target_ei=derived.forecast.target_ei,
        optical_density=asked.optical_density,
        di=judgement.evaluation.di if judgement else None,
        incident_air_kerma_mgy=kerma * scale if kerma is not None and scale is not None else None,
        kap_mgycm2=kap * scale if kap is not None and scale is not None else None,
        reject_reason=asked.reject_reason,
        findings=tuple(asked.findings),
        # Of a thickness or a distance that was only estimated, or with metal in it, an image says nothing sure of the line.
        reliable=(judgement.evaluation.reliable if judgement else True)
        and not found.thickness.estimated
        and not setup.sid_guessed
        and not any(one.cites == METAL for one in derived.cautions),
        age_band=asked.technique.patient.age_band if asked.technique.patient else None,
        study_key=asked.study_key,
        note=asked.note,
        filter=at_stations.filter,
        side=asked.side,
        digit=asked.technique.digit,
        thickness_from=found.thickness.source,
        attempt=asked.attempt,
        held_by=asked.held_by,
    )
    return Recorded(exposure=exposures.add(store, exposure, actor), judgement=judgement)


def trend(found: list[Exposure]) -> Trend:
    """DI over time of the exposures found (newest first), oldest first, with median, share within ±1 and reject rate."""
    with_di = [(exposure, exposure.di) for exposure in reversed(found) if exposure.di is not None]
    deviations = [di for _, di in with_di]
    rejected = sum(exposure.outcome == "rejected" for exposure in found)
    return Trend(
        points=[
            TrendPoint(id=e.id, taken_at=e.taken_at, projection=e.projection, di=di, outcome=e.outcome) for e, di in with_di
        ],
        count=len(found),
        rejected=rejected,
        reject_rate=rejected / len(found) if found else None,
        median_di=statistics.median(deviations) if deviations else None,
        within_acceptable=sum(abs(di) <= 1 for di in deviations) / len(deviations) if deviations else None,
    )


def _deviation(receptor: Receptor, target: float | None, ei: float | None, optical_density: float | None) -> float:
    if receptor.digital:
        if ei is None or optical_density is not None or target is None:
            raise Refusal("Exposure index needed", "A digital receptor is judged by its exposure index.", field="ei")
        return deviation_index(ei, target)
    if optical_density is None or ei is not None:
        raise Refusal("Optical density needed", "A film is judged by its optical density.", field="optical_density")
    return deviation_from_density(optical_density)


@router.post("/judgements", tags=["desk"])
def post_judgement(store: StoreHere, asked: ResultRequest) -> Judgement:
    """Judge an image by its exposure index or density. Nothing is kept."""
    return judge(store, asked)


@router.post("/exposures", status_code=201, tags=["log"])
def record_exposure(store: StoreHere, who: Actor, asked: ExposureRequest) -> Recorded:
    """Record an exposure with its outcome."""
    return record(store, asked, who)


@router.get("/exposures", tags=["log"])
def list_exposures(
    store: StoreHere,
    room: RoomQuery = None,
    projection: ProjectionQuery = None,
    outcome: OutcomeQuery = None,
    before_id: Annotated[int | None, Query(ge=1, le=2**63 - 1, description="Continue below this exposure")] = None,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
    recorded_by: Annotated[str | None, Query(max_length=40, description="Only what this person recorded")] = None,
) -> list[Exposure]:
    """Recorded exposures, newest first."""
    return exposures.find(store, room, projection, outcome, before_id, limit, recorded_by)


@router.get("/exposures/trend", tags=["log"])
def exposure_trend(
    store: StoreHere, room: RoomQuery = None, projection: ProjectionQuery = None, outcome: OutcomeQuery = None
) -> Trend:
    """DI over time, of the newest 1000 exposures chosen."""
    return trend(exposures.find(store, room, projection, outcome, limit=1000))


@router.get("/exposures/csv", tags=["log"], response_class=Response)
def exposures_as_csv(
    store: StoreHere, room: RoomQuery = None, projection: ProjectionQuery = None, outcome: OutcomeQuery = None
) -> Response:
    """The log as CSV, with the same filters."""
    found = exposures.find(store, room, projection, outcome, limit=1_000_000)
    text = rows_csv.write(Exposure.__dataclass_fields__, map(asdict, found))
    return as_file(text, "text/csv; charset=utf-8", "exposures.csv")


@router.post("/exposures/{exposure_id}/undo", tags=["log"])
def undo_exposure(store: StoreHere, who: SignedIn, exposure_id: Id, asked: TakeBack | None = None) -> Exposure:
    """Take a record back: one's own; another's as a chart keeper or physicist, with a reason."""
    return exposures.undo(store, exposure_id, who.id, asked.why if asked else "", not CHART.isdisjoint(who.roles))
