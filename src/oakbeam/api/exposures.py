"""Image review and the log: judge an image, record an exposure, take it back, look at the trend."""

from __future__ import annotations

import hashlib
import statistics
from collections.abc import Iterable, Iterator
from dataclasses import replace
from datetime import date
from typing import Annotated, Any

from fastapi import Depends, Header, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field, StringConstraints

from oakbeam import catalogue
from oakbeam.api.access import Actor, Here, SignedIn, StoreHere, WhoHere, sees_names
from oakbeam.api.answers import as_stream
from oakbeam.api.resource import resource
from oakbeam.api.rules import CHART
from oakbeam.api.taking_in import join_record
from oakbeam.api.technique_request import SetupRequest, TechniqueRequest, room_of
from oakbeam.api.techniques import derive_asked
from oakbeam.api.types import Ei, Id, Key, Kvp, Mas, Number, RequestBody, ShownIndexIn, Text
from oakbeam.catalogue import Catalogue
from oakbeam.catalogue.search import find
from oakbeam.core.charts.line import ChartLine, find_line
from oakbeam.core.equipment.generator import ExposureControl, SpotName
from oakbeam.core.equipment.room import NO_FILTER, Receptor
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
from oakbeam.core.log.board import nearly_all
from oakbeam.core.log.incidents import far_over
from oakbeam.core.patient.patient import CALIPER_SPREAD_CM, Patient
from oakbeam.core.patient.thickness import ThicknessFrom
from oakbeam.core.projection import Side
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.result import Forecast
from oakbeam.core.technique.set_up import Setup
from oakbeam.core.technique.steps import METAL
from oakbeam.formats import rows_csv
from oakbeam.store import Store, charts, evidence, exposures, history, images, local, people, rooms
from oakbeam.store.database import now
from oakbeam.store.evidence import Incident
from oakbeam.store.exposures import Exposure, LogFilter, Outcome, RecordOrigin
from oakbeam.store.history import Change

router = resource("log")


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


def log_filter(
    store: StoreHere,
    room: Annotated[str | None, Query(max_length=60, description="Only this room")] = None,
    projection: Annotated[str | None, Query(max_length=60, description="Only this projection")] = None,
    outcome: Annotated[Outcome | None, Query(description="Only this outcome")] = None,
    reason: Annotated[str | None, Query(max_length=10, description="Only rejected for this reason")] = None,
    recorded_by: Annotated[str | None, Query(max_length=40, description="Only what this person recorded")] = None,
    recorded_as: Annotated[str | None, Query(max_length=20, description="Only recorded in this role")] = None,
    side: Annotated[Side | None, Query(description="Only this side")] = None,
    since: Annotated[date | None, Query(description="From this day on")] = None,
    until: Annotated[date | None, Query(description="Up to this day, counted in")] = None,
    thickness: Annotated[ThicknessFrom | None, Query(description="Only where the thickness is known so")] = None,
    origin: Annotated[RecordOrigin | None, Query(description="Only what the Desk, an image, or both told")] = None,
    chart: Annotated[int | None, Query(ge=1, le=2**63 - 1, description="Only of this chart version")] = None,
    line_key: Annotated[int | None, Query(ge=1, le=2**63 - 1, description="Only of this line of a chart")] = None,
    di_from: Annotated[float | None, Query(ge=-40, le=40, description="Deviation index at least this")] = None,
    di_to: Annotated[float | None, Query(ge=-40, le=40, description="Deviation index at most this")] = None,
    q: Annotated[str, Query(max_length=80, description="A view's name, a study key, or # and an exposure's number")] = "",
) -> LogFilter:
    """Which exposures are asked for."""
    asked = LogFilter(
        room=room,
        projection=projection,
        outcome=outcome,
        reason=reason,
        recorded_by=recorded_by,
        recorded_as=recorded_as,
        side=side,
        since=since.isoformat() if since else None,
        until=until.isoformat() if until else None,
        thickness=thickness,
        origin=origin,
        chart=chart,
        line_key=line_key,
        di_from=di_from,
        di_to=di_to,
    )
    return replace(asked, **_searched(store, q.strip())) if q.strip() else asked


def _searched(store: Store, words: str) -> dict[str, Any]:
    """What the words of a search ask for: one exposure by its number, a study by its key, else views by name."""
    if words.startswith("#") and words[1:].isascii() and words[1:].isdigit() and len(words) < 19:
        return {"id": int(words[1:])}
    if exposures.recorded_of(store, [words]):
        return {"study_key": words}
    known = local.catalogue_of(store)
    views: list[str] = []
    for hit in find(known, words, 12):
        views += (
            [hit.id]
            if hit.kind == "projection"
            else [view for step in known.exam(hit.id).steps for view in step.projections]
        )
    return {"projections": tuple(dict.fromkeys(views)) or ("",)}


Filter = Annotated[LogFilter, Depends(log_filter)]


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


def record(store: Store, asked: ExposureRequest, actor: str, key: str | None = None) -> Recorded:
    """Record an exposure with what was suggested for it and the judgement of its image; one row for one key, however often
    it is sent."""
    sent = exposures.Sent(actor, key, hashlib.sha256(asked.model_dump_json().encode()).hexdigest()) if key else None
    if sent and (before := exposures.of_key(store.db, sent)):
        return _again(store, asked, before)
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
    charts.for_recording(store, reference.id)
    # What was really set may be off the suggestion: the dose is that of the real setting.
    setup = asked.technique.setup or SetupRequest()
    real = setup.model_copy(update={"kvp": asked.kvp, "mas": asked.mas})
    _, done, _ = derive_asked(store, asked.technique.model_copy(update={"setup": real}))
    at_stations = done.technique
    scale = asked.mas / at_stations.mas if at_stations.kvp == asked.kvp else None
    kerma, kap = done.forecast.incident_air_kerma_mgy, done.forecast.kap_mgycm2
    judgement = _judged(store, asked, at_stations.receptor, at_stations.exposure_control, derived.forecast.target_ei)
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
        line_key=reference.line.key,
        weight_kg=asked.technique.patient.weight_kg if asked.technique.patient else None,
        height_cm=asked.technique.patient.height_cm if asked.technique.patient else None,
        sex=asked.technique.patient.sex if asked.technique.patient else None,
        thickness_spread_cm=found.thickness.spread_cm,
        recorded_as=people.role_of(store, actor),
    )
    level = found.projection.usual_kerma_mgy
    why = far_over(exposure.di, exposure.reliable, exposure.incident_air_kerma_mgy, level)
    exposure = replace(exposure, far_over=bool(why))
    with store.change() as db:
        # Once more, now that nobody else writes: another may have sent the same, or approved another version.
        if sent and (before := exposures.of_key(db, sent)):
            return _again(store, asked, before)
        charts.for_recording(store, reference.id)
        kept = join_record(db, replace(exposure, taken_at=now()), actor) or exposures.record(db, [exposure], actor)[0]
        if sent:
            exposures.keep_key(db, sent, kept.id)
    return Recorded(exposure=kept, judgement=judgement)


def _again(store: Store, asked: ExposureRequest, before: Exposure) -> Recorded:
    """The answer to a record that was sent before: its row, and its judgement."""
    receptor = before.receptor or ""
    return Recorded(exposure=before, judgement=_judged(store, asked, receptor, before.exposure_control, before.target_ei))


def _judged(
    store: Store, asked: ExposureRequest, receptor: str, control: ExposureControl, target_ei: float | None
) -> Judgement | None:
    """The judgement of a record; None where no index came back."""
    if all(one is None for one in (asked.ei, asked.shown_index, asked.optical_density)):
        return None
    return judge(
        store,
        ResultRequest(
            room=asked.technique.room,
            projection=asked.technique.projection,
            receptor=receptor,
            kvp=asked.kvp,
            mas=asked.mas,
            exposure_control=control,
            target_ei=target_ei,
            ei=asked.ei,
            shown_index=asked.shown_index,
            optical_density=asked.optical_density,
            findings=asked.findings,
        ),
    )


def trend(found: list[Exposure]) -> Trend:
    """DI over time of the exposures found (newest first), oldest first, with median, share within ±1 and reject rate."""
    with_di = [(exposure, exposure.di) for exposure in reversed(found) if exposure.di is not None]
    deviations = [di for _, di in with_di]
    rejected = sum(exposure.outcome == "rejected" for exposure in found)
    known = sum(exposure.rejects_known for exposure in found)
    return Trend(
        points=[
            TrendPoint(id=e.id, taken_at=e.taken_at, projection=e.projection, di=di, outcome=e.outcome) for e, di in with_di
        ],
        count=len(found),
        rejected=rejected,
        reject_rate=rejected / known if nearly_all(known, len(found)) else None,
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
def record_exposure(
    store: StoreHere,
    who: Actor,
    asked: ExposureRequest,
    idempotency_key: Annotated[
        str | None,
        Header(max_length=100, pattern=r"^[!-~]+$", description="the same record sent again under it is the same row"),
    ] = None,
) -> Recorded:
    """Record an exposure with its outcome; once, however often it is sent under one key."""
    return record(store, asked, who, idempotency_key)


def named(found: Iterable[Exposure], who: Here) -> Iterator[Exposure]:
    """Exposures as somebody may see them: the person only to who may, and to themselves."""
    person = who.session.person if who.session else None
    if sees_names(who):
        yield from found
        return
    for one in found:
        yield one if person and one.recorded_by == person.id else replace(one, recorded_by=None)


@router.get("/exposures", tags=["log"])
def list_exposures(
    store: StoreHere,
    who: WhoHere,
    asked: Filter,
    before_id: Annotated[int | None, Query(ge=1, le=2**63 - 1, description="Continue below this exposure")] = None,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> list[Exposure]:
    """Recorded exposures, newest first."""
    return list(named(exposures.find(store, asked, before_id, limit), who))


@router.get("/exposures/trend", tags=["log"])
def exposure_trend(store: StoreHere, asked: Filter) -> Trend:
    """DI over time, of the newest 1000 exposures chosen."""
    return trend(exposures.find(store, asked, limit=1000))


@router.get("/exposures/csv", tags=["log"], response_class=Response)
def exposures_as_csv(store: StoreHere, who: WhoHere, asked: Filter) -> Response:
    """The log as CSV, with the same filters, sent as it is read."""
    names = tuple(Exposure.__dataclass_fields__)
    # Not `asdict`, which copies each value of millions of rows.
    every = ({name: getattr(one, name) for name in names} for one in named(exposures.every(store, asked), who))
    rows = rows_csv.lines(names, every)
    return as_stream(rows, "text/csv; charset=utf-8", "exposures.csv")


class ExposureDetail(BaseModel):
    """One exposure with everything known of it: the line it was suggested from, what was forecast for what was set, the
    objects that told of it, and its history; why it wants an incident note, "" where it wants none; the rejected exposure it
    repeats, and the one that repeats it."""

    exposure: Exposure
    repeats: int | None
    repeated_by: int | None
    line: ChartLine | None
    forecast: Forecast | None
    images: int
    incident: Incident | None
    far_over: str
    history: list[Change]


def why_far_over(one: Exposure, known: Catalogue) -> str:
    """Why an exposure wants an incident note, in words; "" where it wants none."""
    if not one.far_over:
        return ""
    view = known.projections.get(one.projection)
    why = far_over(one.di, one.reliable, one.incident_air_kerma_mgy, view.usual_kerma_mgy if view else None)
    # The level may have been changed since.
    return why or "far over its level then"


def detail(store: Store, exposure_id: int, who: Here) -> ExposureDetail:
    """One exposure with everything known of it; NotFound."""
    (one,) = named([exposures.get(store, exposure_id)], who)
    line = line_of(store, one)
    seen = history.of(store, f"exposure:{exposure_id}")
    if one.recorded_by is None:
        seen = [replace(change, actor="") for change in seen]
    expected = forecast_of(store, one, line) if line else None
    told = images.of_exposure(store, exposure_id)
    repeats, repeated_by = exposures.tried(store, exposure_id)
    return ExposureDetail(
        exposure=one,
        repeats=repeats,
        repeated_by=repeated_by,
        line=line,
        forecast=expected,
        images=told,
        incident=evidence.incident(store, exposure_id),
        far_over=why_far_over(one, local.catalogue_of(store)),
        history=seen,
    )


def line_of(store: Store, one: Exposure) -> ChartLine | None:
    """The line of its chart version that an exposure was suggested from; None where it cannot be told."""
    if one.chart is None:
        return None
    chart, view = charts.get(store, one.chart), local.catalogue_of(store).projections.get(one.projection)
    if one.line_key is not None:
        return next((line for line in chart.lines if line.key == one.line_key), None)
    if view is None or one.support is None:
        return None
    try:
        return find_line(chart.lines, view, one.thickness_cm, one.support, one.receptor, one.grid_ratio)
    except Refusal:
        return None


def forecast_of(store: Store, one: Exposure, line: ChartLine) -> Forecast | None:
    """What the chart and the room as they are now forecast for what was set, with an AEC for what it is expected to end at;
    None where they have no answer."""
    room, view = rooms.get(store, one.room), local.catalogue_of(store).projection(one.projection)
    patient = Patient(
        one.thickness_cm,
        age_band=one.age_band,
        thickness_spread_cm=one.thickness_spread_cm or CALIPER_SPREAD_CM,
        thickness_confirmed=True,
        weight_kg=one.weight_kg,
    )
    setup = Setup(
        sid_cm=one.sid_cm,
        support=one.support,
        grid_ratio=one.grid_ratio,
        receptor=one.receptor,
        filter=one.filter or NO_FILTER,
        exposure_control=one.exposure_control,
        kvp=one.kvp,
        mas=None if one.exposure_control == "aec" else one.mas,
    )
    try:
        return derive(line, room, view, patient, setup, charts.get(store, one.chart or 0).grid_table).forecast
    except Refusal:
        return None


@router.get("/exposures/{exposure_id}", tags=["log"])
def get_exposure(store: StoreHere, who: WhoHere, exposure_id: Id) -> ExposureDetail:
    """One exposure with everything known of it."""
    return detail(store, exposure_id, who)


@router.post("/exposures/{exposure_id}/undo", tags=["log"])
def undo_exposure(store: StoreHere, who: SignedIn, exposure_id: Id, asked: TakeBack | None = None) -> Exposure:
    """Take a record back: one's own; another's as a chart keeper or physicist, with a reason."""
    return exposures.undo(store, exposure_id, who.id, asked.why if asked else "", not CHART.isdisjoint(who.roles))
