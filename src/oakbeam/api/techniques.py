"""One technique, what else would do, and the simulated index."""

from __future__ import annotations

import math
from dataclasses import dataclass

from pydantic import TypeAdapter

from oakbeam.api.access import StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.technique_request import AngleAdvice, Asked, SetupRequest, TechniqueRequest, look_up
from oakbeam.api.types import ChartReference
from oakbeam.core.caution import Caution
from oakbeam.core.charts.line import Trust
from oakbeam.core.dates import day_of
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.thickness import Thickness as MeasuredThickness
from oakbeam.core.technique.alternatives import DoseAxis, WhatIf, what_if
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.result import Derived, Figures, Forecast, Step, Technique
from oakbeam.core.technique.trust import trust_of, trust_words
from oakbeam.core.technique.ways import Way, ways
from oakbeam.demo import detector
from oakbeam.store import Store, exposures
from oakbeam.store.reviews import overdue

router = resource("desk")


@dataclass(frozen=True, slots=True)
class TechniqueResponse:
    """The technique with its running, forecast and cautions. A starting point under local protocol, never an order."""

    technique: Technique
    exact_kvp: float
    exact_mas: float
    residual_log2: float
    steps: tuple[Step, ...]
    forecast: Forecast
    cautions: tuple[Caution, ...]
    chart: ChartReference
    thickness: MeasuredThickness
    figures: Figures
    angle: AngleAdvice
    turn: AngleAdvice | None
    trust: Trust
    trust_words: str


@dataclass(frozen=True, slots=True)
class WayResponse:
    """One way of a view with its technique; technique, di and skin kerma [mGy] are None, with why in refused, where there is
    none. clears: what of the set-up goes where it is taken. current: as things are set now. warned: the first warning that
    its technique comes with."""

    way: Way
    clears: tuple[str, ...]
    current: bool
    technique: Technique | None
    di: float | None
    incident_air_kerma_mgy: float | None
    unsharpness_mm: float | None
    refused: str | None
    warned: str | None = None


TECHNIQUE_RESPONSE = TypeAdapter(TechniqueResponse)
"""Writes a response as JSON: `TECHNIQUE_RESPONSE.dump_json(response)`."""


def technique(store: Store, asked: TechniqueRequest) -> TechniqueResponse:
    """The technique for a request, from the chart it names or the room's newest approved one."""
    found, derived, reference = derive_asked(store, asked)
    seen = exposures.seen(store, found.room, found.projection, found.line)
    cautions = derived.cautions
    if overdue(found.chart):
        text = f"Chart version {found.chart.version} was to be looked at again by {day_of(found.chart.review_by)}."
        cautions = (*cautions, Caution("note", text, "chart review"))
    trust = trust_of(found.line, seen)
    return TechniqueResponse(
        derived.technique,
        derived.exact_kvp,
        derived.exact_mas,
        derived.residual_log2,
        derived.steps,
        derived.forecast,
        cautions,
        reference,
        found.thickness,
        derived.figures,
        found.angle,
        found.turn,
        trust,
        trust_words(found.line, seen),
    )


def choices(store: Store, asked: TechniqueRequest, dose: DoseAxis = "skin_kerma") -> WhatIf:
    """What else would give the receptor the same for a patient (see `what_if`)."""
    found = look_up(store, asked)
    return what_if(found.line, found.room, found.projection, found.patient, found.setup, found.chart.grid_table, dose)


def derive_asked(store: Store, asked: TechniqueRequest) -> tuple[Asked, Derived, ChartReference]:
    """What a request names, looked up, what `derive` makes of it, and the chart version it came from."""
    found = look_up(store, asked)
    line, chart = found.line, found.chart
    seen = exposures.seen(store, found.room, found.projection, line)
    derived = derive(line, found.room, found.projection, found.patient, found.setup, chart.grid_table, asked.school, seen)
    return found, derived, ChartReference(chart.id, chart.version, chart.status, line)


@router.post("/what-if", tags=["desk"])
def what_else(store: StoreHere, asked: TechniqueRequest, dose: DoseAxis = "skin_kerma") -> WhatIf:
    """The choices of kVp, grid, filter and SID that give the receptor the same, with what each gains and gives, by the
    physics model. dose: the figure by which the best are picked."""
    return choices(store, asked, dose)


def other_ways(store: Store, asked: TechniqueRequest) -> list[WayResponse]:
    """The ways between which departments choose for the view of a request, each with its technique."""
    found, now, _ = derive_asked(store, asked)
    here, given = now.technique, asked.setup or SetupRequest()
    answers = []
    for way in ways(found.projection, found.room, found.room.support(here.support)):
        own = {key: value for key in SET_BY_A_WAY if (value := getattr(way, key)) is not None}
        current = all(_alike(getattr(here, key), value) for key, value in own.items())
        cleared = {name: SetupRequest.model_fields[name].default for name in way.clears}
        setup = given if current else given.model_copy(update=cleared | own)
        try:
            _, other, _ = derive_asked(store, asked.model_copy(update={"setup": setup}))
        except Refusal as refused:
            answers.append(WayResponse(way, way.clears, current, None, None, None, None, refused.detail))
            continue
        expected = other.forecast
        kerma, unsharp = expected.incident_air_kerma_mgy, expected.unsharpness_mm
        warned = next((one.text for one in other.cautions if one.level == "warning"), None)
        answers.append(WayResponse(way, way.clears, current, other.technique, expected.di, kerma, unsharp, None, warned))
    return answers


SET_BY_A_WAY = ("exposure_control", "support", "sid_cm")
SAME_SID = 0.02


def _alike(here: object, other: object) -> bool:
    """The same; of distances within what an indicator is off by."""
    if isinstance(here, float) and isinstance(other, float):
        return math.isclose(here, other, rel_tol=SAME_SID)
    return here == other


@router.post("/ways", tags=["desk"])
def list_ways(store: StoreHere, asked: TechniqueRequest) -> list[WayResponse]:
    """Breathing or held, by hand or by AEC, on which support, at which SID: the ways of the view beside each other."""
    return other_ways(store, asked)


@router.post("/read-outs", tags=["technique"])
def read_out(store: StoreHere, asked: TechniqueRequest) -> detector.ReadOut:
    """What the simulated receptor shows for an exposure with this technique: a stand-in for a read-out of the real one."""
    found, derived, _ = derive_asked(store, asked)
    receptor = found.room.receptor(derived.technique.receptor)
    return detector.read_out(derived.forecast, receptor, exposures.count(store))
