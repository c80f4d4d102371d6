"""Finds exams and projections by what somebody types: names, abbreviations, other names; spelling is forgiven."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from rapidfuzz import fuzz, process

from oakbeam.catalogue import Catalogue

ABBREVIATIONS: Mapping[str, str] = {
    "c spine": "cervical spine",
    "cspine": "cervical spine",
    "c-spine": "cervical spine",
    "t spine": "thoracic spine",
    "tspine": "thoracic spine",
    "t-spine": "thoracic spine",
    "l spine": "lumbar spine",
    "lspine": "lumbar spine",
    "l-spine": "lumbar spine",
    "ls spine": "lumbar spine",
    "cxr": "chest",
    "axr": "abdomen",
    "aas": "acute abdomen",
    "pns": "sinuses",
    "si": "sacroiliac",
    "sij": "sacroiliac",
    "ac": "acromioclavicular",
    "tib fib": "tibia fibula leg",
    "tibfib": "tibia fibula leg",
    "obl": "oblique",
    "lat": "lateral",
    "xtl": "horizontal beam lateral",
    "xtable": "horizontal beam",
    "crosstable": "horizontal beam",
    "cross table": "horizontal beam",
    "wb": "weight-bearing",
    "peds": "child",
    "paed": "child",
    "paeds": "child",
    "pediatric": "child",
    "paediatric": "child",
    "fx": "trauma",
}
"""What a console's shorthand stands for."""
LEAST = 60.0
"""A score below this is not shown."""
OTHER_WORDS = 0.94
"""A word found among the other names and not in the title counts a little less."""
COUNTED_OUT = frozenset(("view", "views", "1", "2", "3", "4", "5"))
"""Words of a title that say nothing of what is meant."""


@dataclass(frozen=True, slots=True)
class Hit:
    """An exam or projection found, best first; score 0 to 100."""

    kind: Literal["exam", "projection"]
    id: str
    title: str
    score: float


@dataclass(frozen=True, slots=True)
class _Entry:
    kind: Literal["exam", "projection"]
    id: str
    title: str
    own: frozenset[str]
    others: frozenset[str]
    spellings: tuple[str, ...]


def find(known: Catalogue, query: str, limit: int = 12) -> list[Hit]:
    """The best matches of a query, exams before projections of the same score; empty for an empty query.

    Every word of the query counts by its best likeness to a word of the entry (a beginning counts as whole), so that order
    does not matter and one wrong letter costs little.
    """
    asked, whole = _asked_words(query), _plain(query)
    if not all(asked):
        return []
    hits = []
    for entry in _index(known):
        score = max(_score(words, entry) for words in asked)
        if whole in entry.spellings:
            score += 10
        if score >= LEAST:
            # Of two that hold every word, the shorter name is the one meant.
            hits.append(Hit(entry.kind, entry.id, entry.title, score - 0.3 * len(entry.own - COUNTED_OUT)))
    return sorted(hits, key=lambda hit: (-round(hit.score), hit.kind, hit.title))[:limit]


def _score(words: list[str], entry: _Entry) -> float:
    each = (max(_likeness(word, entry.own), OTHER_WORDS * _likeness(word, entry.others)) for word in words)
    return sum(each) / len(words)


@lru_cache(maxsize=20_000)
def _likeness(word: str, words: frozenset[str]) -> float:
    if len(word) <= 2:
        return 100.0 if any(other == word or (other.startswith(word) and len(word) == 2) for other in words) else 0.0
    if word in words:
        return 100.0
    if any(other.startswith(word) for other in words):
        return 96.0
    best = process.extractOne(word, words, scorer=fuzz.ratio, score_cutoff=66)
    return 0.0 if best is None else float(best[1]) * 0.95


def _asked_words(query: str) -> tuple[list[str], list[str]]:
    """The words as typed, and with what shorthand stands for."""
    text = plain = f" {_plain(query)} "
    for short, whole in ABBREVIATIONS.items():
        text = text.replace(f" {short} ", f" {whole} ")
    return _words(plain), _words(text)


@lru_cache(maxsize=4)
def _index_of(key: tuple[tuple[str, str, str, tuple[str, ...], str], ...]) -> tuple[_Entry, ...]:
    found = []
    for kind, entry_id, title, others, more in key:
        spellings = tuple(_plain(text) for text in (title, *others))
        words = frozenset(word for text in (*spellings, _plain(more), _plain(entry_id)) for word in _words(text))
        own = frozenset(_words(_plain(title)))
        found.append(_Entry("exam" if kind == "exam" else "projection", entry_id, title, own, words - own, spellings))
    return tuple(found)


def _index(known: Catalogue) -> tuple[_Entry, ...]:
    exams = (
        ("exam", exam.id, exam.name, exam.also, " ".join(known.projections[key].exam for key in exam.projections))
        for exam in known.exams.values()
    )
    projections = (
        ("projection", one.id, f"{one.exam} {one.name}", one.also, one.region.replace("_", " "))
        for one in known.projections.values()
    )
    return _index_of((*exams, *projections))


def _plain(text: str) -> str:
    """Lower case, without accents and punctuation."""
    bare = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return " ".join(re.sub(r"[^a-z0-9]+", " ", bare.lower()).split())


def _words(text: str) -> list[str]:
    return [word for word in text.split() if word not in ("of", "the", "and", "or", "in", "with", "for", "a")]
