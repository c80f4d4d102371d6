"""The shipped projections, exam sets, modifiers and reject reasons: reviewed data files and the loader that checks them.

Numbers are textbook-typical starting points, to be confirmed locally. The loader refuses an entry that is incomplete or
contradicts itself, by name.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import cache
from importlib.resources import files
from typing import Any, TypeVar

from oakbeam.core.projection import Composition, Modifier, Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import SUPPORTS

T = TypeVar("T")
_SPOTS = ("small", "small_or_large", "large")


class CatalogueError(ValueError):
    """A catalogue entry that cannot be right; says which and why."""


@dataclass(frozen=True, slots=True)
class Exam:
    """An ordered set of projections, with the reason for the order."""

    id: str
    name: str
    projections: tuple[str, ...]
    why: str


@cache
def projections() -> Mapping[str, Projection]:
    """All projections by id, in catalogue order."""
    return {entry["id"]: _projection(entry) for entry in _unique("projections.json")}


@cache
def exams() -> Mapping[str, Exam]:
    """All exam sets by id, in catalogue order."""
    loaded = {}
    for entry in _unique("exams.json"):
        exam = Exam(entry["id"], entry["name"], tuple(entry["projections"]), entry["why"])
        for missing in set(exam.projections) - set(projections()):
            raise CatalogueError(f"exam {exam.id}: no projection '{missing}'")
        loaded[exam.id] = exam
    return loaded


@cache
def modifiers() -> Mapping[str, Modifier]:
    """Conditions and casts by id."""
    loaded = {}
    for entry in _unique("modifiers.json"):
        overlay = entry.get("overlay")
        modifier = Modifier(**{**entry, "overlay": (overlay[0], float(overlay[1])) if overlay else None})
        if [modifier.mas_factor, modifier.kvp_percent, modifier.kvp_added].count(None) != 2:
            raise CatalogueError(f"modifier {modifier.id}: exactly one of mas_factor, kvp_percent, kvp_added")
        loaded[modifier.id] = modifier
    return loaded


@cache
def reject_reasons() -> Mapping[str, str]:
    """Reject reasons: code to name."""
    return {entry["code"]: entry["name"] for entry in _read("reject_reasons.json")}


def projection(projection_id: str) -> Projection:
    """The projection of that id; Refusal otherwise."""
    return _pick("projection", projection_id, projections())


def modifier(modifier_id: str, *kinds: str) -> Modifier:
    """The modifier of that id and one of those kinds; Refusal with the list otherwise."""
    return _pick(kinds[0] if kinds == ("cast",) else "condition", modifier_id, _of_kind(kinds))


@cache
def _of_kind(kinds: tuple[str, ...]) -> Mapping[str, Modifier]:
    return {key: value for key, value in modifiers().items() if value.kind in kinds}


def _pick(what: str, key: str, known: Mapping[str, T]) -> T:
    if key in known:
        return known[key]
    raise Refusal(f"Unknown {what}", f"There is no {what} '{key[:60]}' in the catalogue.", sorted(known), what)


def _projection(entry: dict[str, Any]) -> Projection:
    name = entry.get("id", "?")
    wanted = {field.name for field in fields(Projection)}
    if wrong := wanted.symmetric_difference(entry):
        raise CatalogueError(f"projection {name}: missing or unknown {', '.join(sorted(wrong))}")
    thickness = entry["thickness_cm"]
    small, average, large = thickness["small"], thickness["average"], thickness["large"]
    low, high = entry["kvp_window"]
    composition = entry["composition"]
    checks = {
        "thickness_cm must rise from small to large": 0 < small < average < large,
        "kvp_window must rise": 40 <= low < high <= 150,
        "supports must be known": bool(entry["supports"]) and set(entry["supports"]) <= set(SUPPORTS),
        "focal_spot must be known": entry["focal_spot"] in _SPOTS,
        "time_ceiling_ms must be above 0": entry["time_ceiling_ms"] > 0,
        "minimum_sid_cm must not exceed sid_cm": (entry["minimum_sid_cm"] or 0) <= entry["sid_cm"],
        "composition must be of whole shares": all(0 <= composition[k] < 1 for k in ("lung_fraction", "fat", "extra_fat")),
        "composition: bone must leave room for tissue": 0 <= composition["bone_mm"] < 5 * small,
        "field_cm must be two lengths": len(entry["field_cm"]) == 2 and min(entry["field_cm"]) > 0,
    }
    for rule, holds in checks.items():
        if not holds:
            raise CatalogueError(f"projection {name}: {rule}")
    return Projection(
        **{
            **entry,
            "thickness_cm": (float(small), float(average), float(large)),
            "synonyms": tuple(entry["synonyms"]),
            "supports": tuple(entry["supports"]),
            "kvp_window": (float(low), float(high)),
            "composition": Composition(**composition),
            "field_cm": (float(entry["field_cm"][0]), float(entry["field_cm"][1])),
        }
    )


def _unique(name: str) -> list[dict[str, Any]]:
    entries = _read(name)
    seen: set[str] = set()
    for entry in entries:
        if entry["id"] in seen:
            raise CatalogueError(f"{name}: '{entry['id']}' stands twice")
        seen.add(entry["id"])
    return entries


def _read(name: str) -> list[dict[str, Any]]:
    text = (files(__package__) / "data" / name).read_text(encoding="utf-8")
    entries: list[dict[str, Any]] = json.loads(text)
    return entries
