"""Dose levels: all of them, and the department's own from a file."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from fastapi.responses import Response
from pydantic import BaseModel, StringConstraints

from oakbeam.api import problems
from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.types import RequestBody
from oakbeam.core.projection import DoseLevel
from oakbeam.formats import dose_levels_csv, rows_csv
from oakbeam.store import Store, local

router = APIRouter(prefix="/api", responses=problems.RESPONSES, tags=["catalogue"])


class DoseLevelOut(BaseModel):
    """A dose level of a projection. local: the projection is the department's own, or changed."""

    projection: str
    name: str
    level: DoseLevel
    local: bool


class LevelsIn(RequestBody):
    """A file of levels (see `dose_levels_csv.read`)."""

    csv: Annotated[str, StringConstraints(max_length=500_000)]


def levels(store: Store) -> list[DoseLevelOut]:
    """All dose levels that hold, each of its own quantity."""
    known = local.catalogue_of(store)
    return [
        DoseLevelOut(projection=one.id, name=f"{one.exam} {one.name}", level=level, local=one.id in known.local)
        for one in known.projections.values()
        for level in one.dose_levels
    ]


def take(store: Store, asked: LevelsIn, actor: str) -> list[DoseLevelOut]:
    """The department's levels from a file: they take the places of those of the same quantity for the same people."""
    found = dose_levels_csv.read(asked.csv, local.catalogue_of(store))
    local.change_projections(store, {projection: {"dose_levels": own} for projection, own in found.items()}, actor)
    return levels(store)


@router.get("/dose-levels")
def list_dose_levels(store: StoreHere) -> list[DoseLevelOut]:
    """All dose levels, each of its own quantity. They are examples until the department sets its own: `dose_levels` of a
    projection's local entry, where a level takes the place of that of the same quantity for the same people."""
    return levels(store)


@router.get("/dose-levels/csv", response_class=Response)
def dose_levels_as_csv(store: StoreHere) -> Response:
    """All dose levels that hold, as CSV: to be changed and read back."""
    rows = (
        {
            "projection": one.projection,
            "quantity": one.level.quantity,
            "value": one.level.value,
            "kg_from": one.level.kg[0] if one.level.kg else None,
            "kg_to": one.level.kg[1] if one.level.kg else None,
            "source": one.level.source,
        }
        for one in levels(store)
    )
    return as_file(rows_csv.write(dose_levels_csv.COLUMNS, rows), "text/csv; charset=utf-8", "dose-levels.csv")


@router.put("/dose-levels")
def put_dose_levels(store: StoreHere, who: Actor, asked: LevelsIn) -> list[DoseLevelOut]:
    """Take the department's dose levels from CSV, all or none: columns projection, quantity, value, kg_from, kg_to, source.
    Projections that the file does not name keep theirs."""
    return take(store, asked, who)
