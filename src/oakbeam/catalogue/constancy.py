"""The constancy tests that ship (data/constancy.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from oakbeam.catalogue.loader import CatalogueError, read_toml
from oakbeam.core.equipment.constancy import RULES, ConstancyTest, SheetColumn


@cache
def constancy_tests() -> Mapping[str, ConstancyTest]:
    """By id, in the order of a physicist's day: tube, receptor, AEC, grid, distances."""
    found: dict[str, ConstancyTest] = {}
    for entry in read_toml("constancy.toml")["test"]:
        columns = tuple(SheetColumn(key, name, unit, "zero" in more) for key, name, unit, *more in entry["columns"])
        one = ConstancyTest(**{**entry, "columns": columns, "limit": float(entry["limit"])})
        if one.id in found or one.rule not in RULES:
            raise CatalogueError(f"constancy test {one.id}: stands twice, or its rule is none")
        found[one.id] = one
    return found
