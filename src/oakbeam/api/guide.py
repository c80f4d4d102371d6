"""The catalogue over the API: projections, exams, search, and what the department makes its own."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import asdict
from typing import Annotated, Any

from pydantic import BaseModel, Field, StringConstraints

from oakbeam.api import schemas as s
from oakbeam.catalogue import Catalogue
from oakbeam.catalogue import search as searching
from oakbeam.core.chart import usual_range_cm
from oakbeam.core.measurement import LIMB_SHARE, usual_child_cm
from oakbeam.core.projection import Projection
from oakbeam.store import NotFound, Store, charts, local, rooms

Hit = searching.Hit
EntryId = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,59}$")]
CheckText = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]


class LocalIn(s.Request):
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


class Checks(s.Request):
    """The department's pre-exposure checks, in order."""

    checks: Annotated[list[CheckText], Field(max_length=20)]


def projections(known: Catalogue) -> list[s.ProjectionOut]:
    """All projections, without what only the Guide shows."""
    return [s.ProjectionOut(**_fields(known, one, s.ProjectionOut)) for one in known.projections.values()]


def start(store: Store, choices: s.Choices, session: s.SessionOut) -> s.Start:
    """What every view begins with."""
    known, there = local.catalogue_of(store), rooms.all_rooms(store)
    charted = {}
    for room in there:
        with suppress(NotFound):
            lines = charts.newest_approved(store, room.id).lines
            charted[room.id] = list(dict.fromkeys(line.projection for line in lines))
    return s.Start(
        rooms=there,
        projections=store.remembered("projections", lambda: projections(known)),
        exams=exams(known),
        choices=choices,
        charted=charted,
        session=session,
    )


def page(known: Catalogue, projection_id: str) -> s.ProjectionPage:
    """Everything of one projection; NotFound otherwise."""
    if projection_id not in known.projections:
        raise NotFound(f"There is no projection '{projection_id[:60]}'.")
    one = known.projections[projection_id]
    child_cm: dict[str, float] = {band: cm for band in LIMB_SHARE if (cm := usual_child_cm(one, band)) is not None}
    holding = [exam.id for exam in known.exams.values() if any(one.id in step.projections for step in exam.steps)]
    return s.ProjectionPage(**_fields(known, one, s.ProjectionPage), child_cm=child_cm, exams=holding)


def exams(known: Catalogue) -> list[s.ExamOut]:
    """All exam sets."""
    return [
        s.ExamOut(
            id=exam.id,
            name=exam.name,
            steps=list(exam.steps),
            projections=list(exam.projections),
            why=exam.why,
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
