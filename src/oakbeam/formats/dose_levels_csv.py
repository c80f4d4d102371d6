"""A department's dose levels as CSV: one row a level, checked whole before any of it is taken."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from typing import Any

from oakbeam.catalogue import Catalogue
from oakbeam.catalogue.loader import DAY, DOSE_UNITS
from oakbeam.formats.chart_csv import BadCell, BadFile

COLUMNS = ("projection", "quantity", "value", "kg_from", "kg_to", "source", "as_of")
OWN_SOURCE = "the department's own, source not said"
MOST_ROWS = 2000
VALUE_RANGE = (0.0, 100_000.0)
KG_RANGE = (0.0, 200.0)
MOST_SOURCE = 200


def read(text: str, known: Catalogue) -> dict[str, list[dict[str, Any]]]:
    """The levels of each projection, as its local entry holds them. Raises BadFile with the row and column of every fault.

    projection: an id, or "exam name" as the Guide shows it. quantity: one of the three, in its own unit (mGy, mGy·cm²).
    kg_from and kg_to: of a child, both or neither. as_of: the day that the source states the level for.
    """
    names = {f"{one.exam} {one.name}".casefold(): one.id for one in known.projections.values()}
    table = csv.DictReader(io.StringIO(text.lstrip("\ufeff")), strict=True)
    faults: list[BadCell] = []
    found: dict[str, list[dict[str, Any]]] = {}
    try:
        if missing := [name for name in COLUMNS[:3] if name not in (table.fieldnames or ())]:
            raise BadFile([BadCell(1, missing[0], f"The first row names the columns: {', '.join(COLUMNS)}.")])
        for number, row in enumerate(table, 2):
            if number > MOST_ROWS:
                raise BadFile([BadCell(number, "", f"At most {MOST_ROWS} rows.")])
            cells = {name: (row.get(name) or "").strip() for name in COLUMNS}
            if any(cells.values()):
                _take(number, cells, known, names, found, faults)
    except csv.Error as error:
        raise BadFile([BadCell(max(2, table.line_num), "", f"This is no CSV: {error}.")]) from None
    if faults:
        raise BadFile(faults)
    if not found:
        raise BadFile([BadCell(1, "", "There is no level in it.")])
    return found


def _take(
    number: int,
    cells: Mapping[str, str],
    known: Catalogue,
    names: Mapping[str, str],
    found: dict[str, list[dict[str, Any]]],
    faults: list[BadCell],
) -> None:
    before = len(faults)
    named = cells["projection"]
    projection = named if named in known.projections else names.get(named.casefold())
    if projection is None:
        faults.append(BadCell(number, "projection", f"'{named[:60]}' is no projection of the catalogue."))
    if cells["quantity"] not in DOSE_UNITS:
        faults.append(BadCell(number, "quantity", f"One of {', '.join(DOSE_UNITS)}."))
    value = _number(number, "value", cells["value"], VALUE_RANGE, faults)
    kg = None
    if cells["kg_from"] or cells["kg_to"]:
        low, high = (_number(number, name, cells[name] or "-", KG_RANGE, faults) for name in ("kg_from", "kg_to"))
        if low is not None and high is not None and low >= high:
            faults.append(BadCell(number, "kg_to", "The weights rise: from below to above."))
        kg = [low, high]
    if len(cells["source"]) > MOST_SOURCE:
        faults.append(BadCell(number, "source", f"At most {MOST_SOURCE} characters."))
    if not DAY.fullmatch(cells["as_of"]):
        faults.append(BadCell(number, "as_of", "A day, as 2026-11-27."))
    if projection is None or len(faults) > before:
        return
    levels = found.setdefault(projection, [])
    if any(one["quantity"] == cells["quantity"] and one.get("kg") == kg for one in levels):
        faults.append(BadCell(number, "quantity", "The same quantity for the same people stands there twice."))
        return
    one: dict[str, Any] = {"quantity": cells["quantity"], "value": value}
    if kg is not None:
        one["kg"] = kg
    one["source"] = cells["source"] or OWN_SOURCE
    if cells["as_of"]:
        one["as_of"] = cells["as_of"]
    levels.append(one)


def _number(number: int, column: str, cell: str, allowed: tuple[float, float], faults: list[BadCell]) -> float | None:
    low, high = allowed
    try:
        value = float(cell.replace(",", "."))
    except ValueError:
        value = float("nan")
    if low < value <= high or (value == low and column == "kg_from"):
        return value
    faults.append(BadCell(number, column, f"'{cell[:20]}' is no number above {low:g}, at most {high:g}."))
    return None
