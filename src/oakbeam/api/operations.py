"""The operations that the API and the command line share: they join store, catalogue and core."""

from __future__ import annotations

import statistics
from dataclasses import replace

from oakbeam import catalogue
from oakbeam.api import schemas as s
from oakbeam.api.asked import Asked, look_up, room_of
from oakbeam.catalogue import Catalogue
from oakbeam.core import rules
from oakbeam.core.builder import AcceptedExposure, line_from_exposure
from oakbeam.core.chart import (
    Band,
    Banded,
    Chart,
    ChartLine,
    FixedKvp,
    Law,
    Levelled,
    Link,
    Point,
    VariableKvp,
    check_line,
    usual_range_cm,
)
from oakbeam.core.derived import Derived
from oakbeam.core.evaluation import corrected_mas, deviation_from_density, deviation_index, evaluate
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Receptor, Room
from oakbeam.core.stations import put_on_stations
from oakbeam.core.table import tabulate
from oakbeam.core.technique import derive
from oakbeam.core.whatif import WhatIf, what_if
from oakbeam.formats import chart_csv, chart_json
from oakbeam.store import Store, charts, exposures, local
from oakbeam.store.exposures import Exposure


def technique(store: Store, asked: s.TechniqueRequest) -> s.TechniqueResponse:
    """The technique for a request, from the chart it names or the room's newest approved one."""
    found, derived, reference = _derive(store, asked)
    return s.TechniqueResponse(
        derived.technique,
        derived.exact_kvp,
        derived.exact_mas,
        derived.residual_log2,
        derived.steps,
        derived.forecast,
        derived.cautions,
        reference,
        found.thickness,
        derived.figures,
        found.angle,
        found.turn,
    )


def line_of(known: Catalogue, room: Room, asked: s.LineIn) -> ChartLine:
    """A checked chart line from a request that gives its law outright."""
    given = asked.law
    law: Law
    if given.name == "banded":
        if extra := [name for name in ("thickness_cm", "kvp", "mas") if getattr(given, name) is not None]:
            raise Refusal("Not for a banded law", f"A banded law takes bands only, not {', '.join(extra)}.", field=extra[0])
        law = Banded(tuple(Band(b.name, b.min_cm, b.max_cm, b.kvp, b.mas) for b in given.bands))
    elif given.name == "levelled":
        base_cm = given.base_cm if given.thickness_cm is None else given.thickness_cm
        if base_cm is None or not given.points or given.bands:
            raise Refusal("Incomplete law", "A levelled law takes thickness_cm and points, and no bands.", field="law")
        law = Levelled(tuple(Point(p.thickness_cm, p.kvp, p.mas) for p in given.points), base_cm)
    else:
        if given.thickness_cm is None or given.kvp is None or given.mas is None or given.bands or given.points:
            raise Refusal("Incomplete law", "This law takes thickness_cm, kvp and mas, no bands and no points.", field="law")
        if given.name == "fixed_kvp":
            law = FixedKvp(given.thickness_cm, given.kvp, given.mas, given.doubling_cm or rules.DEFAULT_DOUBLING_CM)
        else:
            law = VariableKvp(given.thickness_cm, given.kvp, given.mas, given.kvp_per_cm or rules.DEFAULT_KVP_PER_CM)
    line, projection = _conditions(known, asked)
    link = Link(**asked.link.model_dump()) if asked.link else None
    return check_line(replace(line, law=law, link=link, key=asked.key), projection, room)


def line_from_accepted(known: Catalogue, room: Room, asked: s.AcceptedExposureIn) -> ChartLine:
    """A checked chart line through one accepted exposure."""
    line, projection = _conditions(known, asked.line)
    exposure = AcceptedExposure(asked.thickness_cm, asked.kvp, asked.mas, asked.ei)
    return line_from_exposure(exposure, line, projection, room, asked.school, asked.parameter)


def preview(known: Catalogue, room: Room, asked: s.AcceptedExposureIn) -> s.LineTable:
    """The line that would come of an accepted exposure, over its range on the room's stations."""
    line = line_from_accepted(known, room, asked)
    target = _target(room.receptor(line.receptor), line.target_ei, known.projection(line.projection))
    table = line_table(known, room, line)
    if asked.ei is not None and target is not None:
        table.base_di = deviation_index(asked.ei, target)
        table.base_mas = corrected_mas(asked.mas, table.base_di)
    return table


def line_table(known: Catalogue, room: Room, line: ChartLine) -> s.LineTable:
    """A line over its range on the room's stations."""
    return s.LineTable(line=line, rows=tabulate(line, known.projection(line.projection), room))


def import_chart(store: Store, room_id: str, name: str, text: str, actor: str) -> Chart:
    """A new draft from CSV; BadFile with every fault, and nothing changed, where any cell is wrong."""
    lines = chart_csv.read(text, room_of(store, room_id), local.catalogue_of(store))
    return charts.add_draft(store, room_id, name, actor, lines)


def import_chart_json(store: Store, room_id: str, name: str, text: str, actor: str) -> Chart:
    """A new draft from an exported JSON document; each line is checked against the room it comes to."""
    room = room_of(store, room_id)
    chart = chart_json.read(text)
    known = local.catalogue_of(store)
    lines = tuple(check_line(line, known.projection(line.projection), room) for line in chart.lines)
    return charts.add_draft(store, room.id, name, actor, lines, chart.grid_table)


def judge(store: Store, asked: s.ResultRequest) -> s.Judgement:
    """The judgement of one image and the corrected technique."""
    room, projection = room_of(store, asked.room), local.catalogue_of(store).projection(asked.projection)
    receptor = room.receptor(asked.receptor)
    target = _target(receptor, asked.target_ei, projection)
    di = _deviation(receptor, target, asked.ei, asked.optical_density)
    evaluation = evaluate(di, frozenset(asked.findings), film=not receptor.digital)
    corrected, refused = None, None
    if evaluation.reliable:
        exact = corrected_mas(asked.mas, di)
        try:
            on = put_on_stations(room, projection, asked.kvp, exact, asked.exposure_control)
        except Refusal as refusal:
            refused = refusal.detail
        else:
            loading = on.loading
            corrected = s.Corrected(
                kvp=on.kvp,
                exact_mas=exact,
                mas=on.mas,
                ma=loading.ma,
                time_ms=loading.time_ms,
                focal_spot=loading.focal_spot,
            )
    return s.Judgement(evaluation=evaluation, target_ei=target, corrected=corrected, correction_refused=refused)


def record(store: Store, asked: s.ExposureRequest, actor: str) -> s.Recorded:
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
    found, derived, reference = _derive(store, asked.technique)
    if reference.status == "draft":
        raise Refusal("Draft chart", "Exposures are recorded against an approved chart.", field="technique.chart")
    # What was really set may be off the suggestion: the dose is that of the real setting.
    setup = asked.technique.setup or s.SetupRequest()
    real = setup.model_copy(update={"kvp": asked.kvp, "mas": asked.mas})
    _, done, _ = _derive(store, asked.technique.model_copy(update={"setup": real}))
    at_stations = done.technique
    scale = asked.mas / at_stations.mas if at_stations.kvp == asked.kvp else None
    kerma, kap = done.forecast.incident_air_kerma_mgy, done.forecast.kap_mgycm2
    judgement = None
    if asked.ei is not None or asked.optical_density is not None:
        judgement = judge(
            store,
            s.ResultRequest(
                room=asked.technique.room,
                projection=asked.technique.projection,
                receptor=at_stations.receptor,
                kvp=asked.kvp,
                mas=asked.mas,
                exposure_control=at_stations.exposure_control,
                target_ei=derived.forecast.target_ei,
                ei=asked.ei,
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
        ei=asked.ei,
        target_ei=derived.forecast.target_ei,
        optical_density=asked.optical_density,
        di=judgement.evaluation.di if judgement else None,
        incident_air_kerma_mgy=kerma * scale if kerma is not None and scale is not None else None,
        kap_mgycm2=kap * scale if kap is not None and scale is not None else None,
        reject_reason=asked.reject_reason,
        findings=tuple(asked.findings),
        reliable=judgement.evaluation.reliable if judgement else True,
        age_band=asked.technique.patient.age_band if asked.technique.patient else None,
        study_key=asked.study_key,
        note=asked.note,
    )
    return s.Recorded(exposure=exposures.add(store, exposure, actor), judgement=judgement)


def trend(found: list[Exposure]) -> s.Trend:
    """DI over time of the exposures found (newest first), oldest first, with median, share within ±1 and reject rate."""
    with_di = [(exposure, exposure.di) for exposure in reversed(found) if exposure.di is not None]
    deviations = [di for _, di in with_di]
    rejected = sum(exposure.outcome == "rejected" for exposure in found)
    return s.Trend(
        points=[
            s.TrendPoint(id=e.id, taken_at=e.taken_at, projection=e.projection, di=di, outcome=e.outcome)
            for e, di in with_di
        ],
        count=len(found),
        rejected=rejected,
        reject_rate=rejected / len(found) if found else None,
        median_di=statistics.median(deviations) if deviations else None,
        within_acceptable=sum(abs(di) <= 1 for di in deviations) / len(deviations) if deviations else None,
    )


def choices(store: Store, asked: s.TechniqueRequest) -> WhatIf:
    """What else would give the receptor the same for a patient (see `whatif`)."""
    asked_for = look_up(store, asked)
    return what_if(
        asked_for.line, asked_for.room, asked_for.projection, asked_for.patient, asked_for.setup, asked_for.chart.grid_table
    )


def _derive(store: Store, asked: s.TechniqueRequest) -> tuple[Asked, Derived, s.ChartReference]:
    found = look_up(store, asked)
    line, chart = found.line, found.chart
    seen = exposures.seen(store, found.room.id, line)
    derived = derive(line, found.room, found.projection, found.patient, found.setup, chart.grid_table, asked.school, seen)
    return found, derived, s.ChartReference(chart.id, chart.version, chart.status, line)


def _conditions(known: Catalogue, asked: s.ConditionsIn) -> tuple[ChartLine, Projection]:
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
        note=asked.note,
    )
    return line, projection


def _target(receptor: Receptor, line_target: float | None, projection: Projection) -> float | None:
    return (line_target or receptor.target_for(projection.region)) if receptor.digital else None


def _deviation(receptor: Receptor, target: float | None, ei: float | None, optical_density: float | None) -> float:
    if receptor.digital:
        if ei is None or optical_density is not None or target is None:
            raise Refusal("Exposure index needed", "A digital receptor is judged by its exposure index.", field="ei")
        return deviation_index(ei, target)
    if optical_density is None or ei is not None:
        raise Refusal("Optical density needed", "A film is judged by its optical density.", field="optical_density")
    return deviation_from_density(optical_density)
