"""The shipped projections, exam sets, modifiers and reject reasons: reviewed data files and the loader that checks them.

Numbers are textbook-typical starting points, to be confirmed locally. A department's own entries and choices are laid over
the shipped ones by `Catalogue.with_local`; the shipped data is never touched.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Any, TypeVar

from oakbeam.catalogue.loader import (
    REGIONS,
    CatalogueError,
    Entry,
    exams_of,
    overlaid,
    projections_of,
    read_toml,
    shipped_entries,
)
from oakbeam.core.charts.links import KvpHabit
from oakbeam.core.errors import Refusal
from oakbeam.core.exam.order import Exam
from oakbeam.core.patient.conditions import Modifier
from oakbeam.core.projection import Projection

__all__ = [
    "Catalogue",
    "CatalogueError",
    "Words",
    "kvp_habits",
    "modifier",
    "modifiers",
    "projection",
    "reject_reasons",
    "shipped",
    "words",
]
T = TypeVar("T")
Words = Mapping[str, Mapping[str, str]]
"""What the codes of the projections mean: kind -> code -> words."""


@dataclass(frozen=True)
class Catalogue:
    """Projections and exams, shipped or with a department's own laid over them.

    entries and exam_entries: the plain data behind them. local: ids of what the department added or changed.
    """

    entries: Mapping[str, Entry]
    exam_entries: Mapping[str, Entry]
    projections: Mapping[str, Projection]
    exams: Mapping[str, Exam]
    local: frozenset[str] = field(default_factory=frozenset)

    def projection(self, projection_id: str) -> Projection:
        """The projection of that id; Refusal otherwise."""
        return _pick("projection", projection_id, self.projections)

    def exam(self, exam_id: str) -> Exam:
        """The exam set of that id; Refusal otherwise."""
        return _pick("exam", exam_id, self.exams)

    def with_local(self, projections: Mapping[str, Entry], exams: Mapping[str, Entry]) -> Catalogue:
        """This catalogue with a department's changes: for a known id the fields given take the place of the shipped ones,
        an unknown id is a new entry (`like` names the one it starts from). Raises CatalogueError, by name."""
        entries, exam_entries = dict(self.entries), dict(self.exam_entries)
        for key, change in projections.items():
            base = entries.get(str(change.get("like", key)), {})
            own = {name: value for name, value in change.items() if name != "like"}
            entries[key] = overlaid(base, {**own, "id": key})
        for key, change in exams.items():
            exam_entries[key] = {**exam_entries.get(key, {}), **change, "id": key}
        return _whole(entries, exam_entries, frozenset((*projections, *exams)))


def _whole(entries: Mapping[str, Entry], exam_entries: Mapping[str, Entry], local: frozenset[str]) -> Catalogue:
    projections = projections_of(entries.values())
    return Catalogue(entries, exam_entries, projections, exams_of(exam_entries.values(), projections), local)


@cache
def shipped() -> Catalogue:
    """The catalogue as it ships."""
    entries, exams = shipped_entries(), read_toml("exams.toml")["exam"]
    for name, found in (("projection", entries), ("exam", exams)):
        if len({entry["id"] for entry in found}) != len(found):
            raise CatalogueError(f"a shipped {name} stands twice")
    return _whole({entry["id"]: entry for entry in entries}, {entry["id"]: entry for entry in exams}, frozenset())


def projection(projection_id: str) -> Projection:
    """A shipped projection; Refusal otherwise."""
    return shipped().projection(projection_id)


@cache
def words() -> Words:
    """What the codes of the projections mean."""
    found: Words = read_toml("words.toml")
    return found


@cache
def modifiers() -> Mapping[str, Modifier]:
    """Conditions and casts by id."""
    loaded: dict[str, Modifier] = {}
    for entry in _read("modifiers.json"):
        overlay, window = entry.get("overlay"), entry.get("kvp_window")
        modifier = Modifier(
            **{
                **entry,
                "overlay": (overlay[0], float(overlay[1])) if overlay else None,
                "kvp_window": (float(window[0]), float(window[1])) if window else None,
                "regions": tuple(entry.get("regions", ())),
            }
        )
        if modifier.id in loaded:
            raise CatalogueError(f"modifier {modifier.id}: stands twice")
        if [modifier.mas_factor, modifier.kvp_percent, modifier.kvp_added, modifier.kvp_window].count(None) != 3:
            raise CatalogueError(f"modifier {modifier.id}: exactly one of mas_factor, kvp_percent, kvp_added, kvp_window")
        if (modifier.kind == "contrast") != (modifier.kvp_window is not None):
            raise CatalogueError(f"modifier {modifier.id}: a kvp_window is for contrast media, and they have nothing else")
        if (modifier.kind == "hardware") != (0 < modifier.shadows < 1 and modifier.overlay is not None):
            raise CatalogueError(f"modifier {modifier.id}: metal, and only that, shadows a share of the field")
        if not set(modifier.regions) <= set(REGIONS):
            raise CatalogueError(f"modifier {modifier.id}: regions must be some of {', '.join(REGIONS)}")
        loaded[modifier.id] = modifier
    return loaded


@cache
def kvp_habits() -> tuple[KvpHabit, ...]:
    """What departments often add to the kVp of one view for another."""
    return tuple(KvpHabit(**entry) for entry in read_toml("kvp_habits.toml")["habit"])


@cache
def reject_reasons() -> Mapping[str, str]:
    """Reject reasons: code to name."""
    return {entry["code"]: entry["name"] for entry in _read("reject_reasons.json")}


def modifier(modifier_id: str, *kinds: str) -> Modifier:
    """The modifier of that id and one of those kinds; Refusal with the list otherwise."""
    return _pick(kinds[0] if len(kinds) == 1 else "condition", modifier_id, _of_kind(kinds))


@cache
def _of_kind(kinds: tuple[str, ...]) -> Mapping[str, Modifier]:
    return {key: value for key, value in modifiers().items() if value.kind in kinds}


def _pick(what: str, key: str, known: Mapping[str, T]) -> T:
    if key in known:
        return known[key]
    raise Refusal(f"Unknown {what}", f"There is no {what} '{key[:60]}' in the catalogue.", sorted(known), what)


def _read(name: str) -> list[dict[str, Any]]:
    text = (files(__package__) / "data" / name).read_text(encoding="utf-8")
    entries: list[dict[str, Any]] = json.loads(text)
    return entries
