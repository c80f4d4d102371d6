"""Projections, exams, search, the lists to pick from, and what the department makes its own."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import Query
from pydantic import BaseModel, Field, StringConstraints

from oakbeam import catalogue
from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.types import RequestBody
from oakbeam.catalogue import Catalogue
from oakbeam.catalogue import search as searching
from oakbeam.catalogue.glossary import Term, glossary
from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.anatomy.composition import Composition
from oakbeam.core.charts.line import (
    usual_range_cm,
)
from oakbeam.core.charts.links import KvpHabit
from oakbeam.core.equipment.generator import PREFERRED
from oakbeam.core.equipment.room import USUAL_DETENTS, USUAL_TRAVEL_CM
from oakbeam.core.exam.order import ExamStep
from oakbeam.core.image_review import (
    FINDINGS,
    QUESTIONS,
)
from oakbeam.core.lengths import LengthUnit
from oakbeam.core.patient.conditions import Modifier
from oakbeam.core.patient.thickness import LIMB_SHARE, usual_child_cm
from oakbeam.core.projection import Angulation, DigitNote, DoseLevel, Projection, SidChoice, SpotChoice, SupportId, Variant
from oakbeam.store import NotFound, Store, local

router = resource("catalogue")


class ThicknessRange(BaseModel):
    """Usual adult thickness [cm]."""

    small: float
    average: float
    large: float


class ProjectionOut(BaseModel):
    """A projection of the catalogue. Every number is a textbook-typical starting point, to be confirmed locally.

    breathing, marker and shields: codes whose words stand in the choices. local: the department's own, or changed. The list
    leaves out what only the Guide shows; one projection by its id has it all.
    """

    id: str
    exam: str
    name: str
    short: str
    region: str
    shows: str
    also: list[str]
    measure: str
    direction: str
    ages: list[AgeBand]
    thickness_cm: ThicknessRange
    usual_range_cm: tuple[float, float]
    sid_cm: float
    sid_choices: list[SidChoice]
    minimum_sid_cm: float | None
    supports: list[str]
    detector_grid: bool
    grid_over_cm: float | None
    kvp_window: tuple[float, float]
    kvp_on: list[tuple[str, tuple[float, float]]]
    aec_cells: str
    focal_spot: SpotChoice
    posture: str
    beam: str
    angles: list[Angulation]
    turns: list[Angulation]
    central_ray: str
    receptor_cm: tuple[float, float]
    field_cm: tuple[float, float]
    collimate: str
    position: str
    exposures: int
    breathing: list[str]
    time_ceiling_ms: float
    marker: str
    marker_note: str
    shields: list[str]
    structure_cm: float
    digits: list[DigitNote]
    dose_levels: list[DoseLevel]
    local: bool = False


class ProjectionPage(ProjectionOut):
    """Everything the catalogue knows of one projection, for its page in the Guide."""

    look_for: list[str]
    faults: list[tuple[str, str]]
    variants: list[Variant]
    composition: Composition
    child_cm: dict[str, float]
    exams: list[str]


class ExamOut(BaseModel):
    """An exam: its projections in working order."""

    id: str
    name: str
    steps: list[ExamStep]
    projections: list[str]
    why: str
    age_band: AgeBand | None
    local: bool = False


class RoomHabits(BaseModel):
    """What is usual of rooms, where nobody said: the series that stations are built in, each by its numbers from 1 to under
    10; how near and far a tube travels over each support; where it clicks into place, by the unit on the machine."""

    preferred_numbers: dict[str, list[float]]
    tube_travel_cm: dict[SupportId, tuple[float, float]]
    detents: dict[LengthUnit, list[float]]


class Choices(BaseModel):
    """The lists a person picks from: conditions, casts, what can be seen in an image, why an image is rejected."""

    modifiers: list[Modifier]
    findings: dict[str, str]
    questions: list[tuple[str, list[str]]]
    reject_reasons: dict[str, str]
    general_cautions: list[str]
    words: dict[str, dict[str, str]]
    checks: list[str]
    kvp_habits: list[KvpHabit]
    rooms: RoomHabits


GENERAL_CAUTIONS = [
    "A technique shown here is a starting point. Local protocol, the supervising radiologist and licensed staff decide.",
    "Check identity, side and the request before anything else; ask about pregnancy by local rule.",
    "Collimate to the part. Never open the field to match the light on a thick patient.",
    "Numbers of the catalogue are textbook-typical and unconfirmed until your department signs them.",
    "No patient is identified here: keep names and numbers out of notes and study keys.",
]
Hit = searching.Hit
EntryId = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,59}$")]
CheckText = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]


class LocalIn(RequestBody):
    """A department's change: only the fields that differ, named as in the catalogue's files; `like` in a new entry names the
    one it starts from. revision: the one that was read, for a change."""

    body: dict[str, Any]
    revision: Annotated[int, Field(ge=1)] | None = None


class LocalEntryIn(BaseModel):
    """An entry as `LocalOut` writes it; what it says of revision and time is not taken over."""

    kind: local.Kind
    id: EntryId
    body: dict[str, Any]


class LocalOut(BaseModel):
    """A department's change as kept."""

    kind: local.Kind
    id: str
    body: dict[str, Any]
    revision: int
    changed_at: str
    changed_by: str


class Checks(RequestBody):
    """The department's pre-exposure checks, in order."""

    checks: Annotated[list[CheckText], Field(max_length=20)]


def projections(known: Catalogue) -> list[ProjectionOut]:
    """All projections, without what only the Guide shows."""
    return [ProjectionOut(**_fields(known, one, ProjectionOut)) for one in known.projections.values()]


def page(known: Catalogue, projection_id: str) -> ProjectionPage:
    """Everything of one projection; NotFound otherwise."""
    if projection_id not in known.projections:
        raise NotFound(f"There is no projection '{projection_id[:60]}'.")
    one = known.projections[projection_id]
    child_cm: dict[str, float] = {band: cm for band in LIMB_SHARE if (cm := usual_child_cm(one, band)) is not None}
    holding = [exam.id for exam in known.exams.values() if any(one.id in step.projections for step in exam.steps)]
    return ProjectionPage(**_fields(known, one, ProjectionPage), child_cm=child_cm, exams=holding)


def exams(known: Catalogue) -> list[ExamOut]:
    """All exam sets."""
    return [
        ExamOut(
            id=exam.id,
            name=exam.name,
            steps=list(exam.steps),
            projections=list(exam.projections),
            why=exam.why,
            age_band=exam.age_band,
            local=exam.id in known.local,
        )
        for exam in known.exams.values()
    ]


def find(known: Catalogue, query: str, limit: int) -> list[Hit]:
    """What a query finds, best first."""
    return searching.find(known, query, limit)


def local_entries(store: Store) -> list[LocalOut]:
    """What the department added or changed."""
    return [LocalOut(**asdict(entry)) for entry in local.entries(store)]


def save_local(store: Store, kind: local.Kind, entry_id: str, asked: LocalIn, actor: str) -> LocalOut:
    """Keep a change. Refusal where the catalogue would not hold with it."""
    return LocalOut(**asdict(local.save_entry(store, kind, entry_id, asked.body, actor, asked.revision)))


def _fields(known: Catalogue, one: Projection, shape: type[BaseModel]) -> dict[str, Any]:
    whole = {
        **asdict(one),
        "thickness_cm": dict(zip(("small", "average", "large"), one.thickness_cm, strict=True)),
        "usual_range_cm": usual_range_cm(one),
        "local": one.id in known.local,
    }
    return {name: value for name, value in whole.items() if name in shape.model_fields}


@router.get("/choices", tags=["catalogue"])
def list_choices(store: StoreHere) -> Choices:
    """The lists to pick from: conditions and casts, findings, reject reasons; and the general cautions."""
    return Choices(
        modifiers=list(catalogue.modifiers().values()),
        findings={str(key): text for key, text in FINDINGS.items()},
        questions=[(question, [str(key) for key in keys]) for question, keys in QUESTIONS],
        reject_reasons=dict(catalogue.reject_reasons()),
        general_cautions=GENERAL_CAUTIONS,
        words={kind: dict(texts) for kind, texts in catalogue.words().items()},
        checks=list(local.checks(store)),
        kvp_habits=list(catalogue.kvp_habits()),
        rooms=RoomHabits(
            preferred_numbers={name: list(numbers) for name, numbers in PREFERRED.items()},
            tube_travel_cm=dict(USUAL_TRAVEL_CM),
            detents={unit: list(places) for unit, places in USUAL_DETENTS.items()},
        ),
    )


@router.get("/glossary", tags=["catalogue"])
def list_terms() -> list[Term]:
    """The words of Oakbeam, each explained in a sentence or two."""
    return list(glossary())


@router.get("/projections", tags=["catalogue"])
def list_projections(store: StoreHere) -> list[ProjectionOut]:
    """The catalogue's projections, the department's own among them."""
    return projections(local.catalogue_of(store))


@router.get("/projections/{projection_id}", tags=["catalogue"])
def get_projection(store: StoreHere, projection_id: str) -> ProjectionPage:
    """Everything the catalogue knows of one projection."""
    return page(local.catalogue_of(store), projection_id)


@router.get("/exams", tags=["catalogue"])
def list_exams(store: StoreHere) -> list[ExamOut]:
    """The exam sets: steps in working order."""
    return exams(local.catalogue_of(store))


@router.get("/search", tags=["catalogue"])
def search(
    store: StoreHere, q: Annotated[str, Query(max_length=100)], limit: Annotated[int, Query(ge=1, le=50)] = 12
) -> list[Hit]:
    """Exams and projections by what somebody types: names, abbreviations, other names; spelling is forgiven."""
    return find(local.catalogue_of(store), q, limit)


@router.get("/catalogue/local", tags=["catalogue"])
def list_local(store: StoreHere) -> list[LocalOut]:
    """What the department added to the catalogue or changed in it."""
    return local_entries(store)


@router.put("/catalogue/local/{kind}/{entry_id}", tags=["catalogue"])
def put_local(store: StoreHere, who: Actor, kind: local.Kind, entry_id: EntryId, asked: LocalIn) -> LocalOut:
    """Change a projection or exam, or add one of the department's own; only the fields given differ from the shipped."""
    return save_local(store, kind, entry_id, asked, who)


@router.delete("/catalogue/local/{kind}/{entry_id}", status_code=204, tags=["catalogue"])
def remove_local(store: StoreHere, who: Actor, kind: local.Kind, entry_id: EntryId) -> None:
    """Take the department's change away: the shipped entry rules again."""
    local.remove_entry(store, kind, entry_id, who)


@router.put("/checks", tags=["catalogue"])
def set_checks(store: StoreHere, who: Actor, asked: Checks) -> Checks:
    """Set the department's pre-exposure checks."""
    return Checks(checks=list(local.set_checks(store, tuple(asked.checks), who)))
