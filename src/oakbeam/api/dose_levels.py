"""Dose levels: all of them, and the department's own from a file."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any

from fastapi.responses import Response
from pydantic import BaseModel, Field, StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.resource import resource
from oakbeam.api.types import RequestBody
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import DoseLevel, Quantity
from oakbeam.formats import dose_levels_csv, rows_csv
from oakbeam.store import Store, local

router = resource("catalogue")


class DoseLevelOut(BaseModel):
    """A dose level of a projection. local: the projection is the department's own, or changed. own: the level is the
    department's."""

    projection: str
    name: str
    level: DoseLevel
    local: bool
    own: bool


class LevelIn(RequestBody):
    """A level of the department's own, in the quantity's unit (mGy, mGy·cm²); without a value the shipped one holds again.
    kg: of a child, from and below which weight."""

    quantity: Quantity
    kg: tuple[Annotated[float, Field(ge=0, le=200)], Annotated[float, Field(gt=0, le=200)]] | None = None
    value: Annotated[float, Field(gt=0, le=100_000)] | None = None
    source: Annotated[str, StringConstraints(max_length=200, strip_whitespace=True)] = ""
    as_of: date | None = None


class LevelsIn(RequestBody):
    """A file of levels (see `dose_levels_csv.read`)."""

    csv: Annotated[str, StringConstraints(max_length=500_000)]


def levels(store: Store) -> list[DoseLevelOut]:
    """All dose levels that hold, each of its own quantity."""
    known, own = local.catalogue_of(store), _own(store)
    return [
        DoseLevelOut(
            projection=one.id,
            name=f"{one.exam} {one.name}",
            level=level,
            local=one.id in known.local,
            own=(level.quantity, level.kg) in {_of_what(mine) for mine in own.get(one.id, ())},
        )
        for one in known.projections.values()
        for level in one.dose_levels
    ]


def _own(store: Store) -> dict[str, list[dict[str, Any]]]:
    """The department's own levels, by projection, as its entries hold them."""
    return {one.id: one.body.get("dose_levels", []) for one in local.entries(store) if one.kind == "projection"}


def _of_what(level: dict[str, Any]) -> tuple[str, tuple[float, float] | None]:
    """Quantity and weights: a level takes the place of that of the same."""
    kg = level.get("kg")
    return level["quantity"], (float(kg[0]), float(kg[1])) if kg else None


def set_level(store: Store, projection: str, asked: LevelIn, actor: str) -> list[DoseLevelOut]:
    """One level of a projection (see the operation)."""
    local.catalogue_of(store).projection(projection)
    if asked.value is not None and not asked.source:
        raise Refusal("Source needed", "Say where the level is from: whoever reads it has to know.", None, "source")
    what = (asked.quantity, asked.kg)
    kept = [one for one in _own(store).get(projection, []) if _of_what(one) != what]
    if asked.value is not None:
        mine = asked.model_dump(mode="json", exclude_none=True)
        kept.append({**mine, "kg": list(asked.kg)} if asked.kg else mine)
    local.change_projections(store, {projection: {"dose_levels": kept}}, actor)
    return levels(store)


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
            "as_of": one.level.as_of,
        }
        for one in levels(store)
    )
    return as_file(rows_csv.write(dose_levels_csv.COLUMNS, rows), "text/csv; charset=utf-8", "dose-levels.csv")


@router.put("/projections/{projection_id}/dose-levels")
def put_dose_level(store: StoreHere, who: Actor, projection_id: str, asked: LevelIn) -> list[DoseLevelOut]:
    """Set one dose level of a projection, in the place of that of the same quantity for the same people; without a value the
    shipped one holds again."""
    return set_level(store, projection_id, asked, who)


@router.put("/dose-levels")
def put_dose_levels(store: StoreHere, who: Actor, asked: LevelsIn) -> list[DoseLevelOut]:
    """Take the department's dose levels from CSV, all or none. Columns: projection, quantity, value, kg_from, kg_to, source,
    as_of. Projections that the file does not name keep theirs."""
    return take(store, asked, who)
