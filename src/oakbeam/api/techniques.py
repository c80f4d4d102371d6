"""One technique, what else would do, and the simulated index."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from pydantic import TypeAdapter

from oakbeam.api import problems
from oakbeam.api.access import StoreHere
from oakbeam.api.technique_request import AngleAdvice, Asked, TechniqueRequest, look_up
from oakbeam.api.types import ChartReference
from oakbeam.core.caution import Caution
from oakbeam.core.patient.thickness import Thickness as MeasuredThickness
from oakbeam.core.technique.alternatives import DoseAxis, WhatIf, what_if
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.result import Derived, Figures, Forecast, Step, Technique
from oakbeam.core.technique.trust import Trust, trust_of, trust_words
from oakbeam.demo import detector
from oakbeam.store import Store, exposures

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["desk"])


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


TECHNIQUE_RESPONSE = TypeAdapter(TechniqueResponse)
"""Writes a response as JSON: `TECHNIQUE_RESPONSE.dump_json(response)`."""


def technique(store: Store, asked: TechniqueRequest) -> TechniqueResponse:
    """The technique for a request, from the chart it names or the room's newest approved one."""
    found, derived, reference = derive_asked(store, asked)
    seen = exposures.seen(store, found.room, found.projection, found.line)
    trust = trust_of(found.line, seen)
    return TechniqueResponse(
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


@router.post("/read-outs", tags=["technique"])
def read_out(store: StoreHere, asked: TechniqueRequest) -> detector.ReadOut:
    """What the simulated receptor shows for an exposure with this technique: a stand-in for a read-out of the real one."""
    return detector.read_out(technique(store, asked).forecast, exposures.count(store))
