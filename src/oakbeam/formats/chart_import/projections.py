"""Which projection a name means: exactly one, or a question with a list to pick from.

A name is taken as a set of words in the catalogue's language. It is exact where that set is one projection's name and no
other's; posture may be said or left out where the projection's own posture is meant. Anything less is asked.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from oakbeam.catalogue import Catalogue, search
from oakbeam.core.projection import Projection
from oakbeam.formats.chart_import.words import names, plain, said, silent, vague

MOST_NAME = 100
"""Characters of a name that are looked for."""
PICKED = 8
"""Projections offered for a name."""
LOOKED_FOR = 2
"""Ways of saying a name that are searched by, where none is exact: each search costs milliseconds."""
LIKELY = 80.0
"""A likeness from which the first of the list is the guess."""
POSTURES = {"upright": "standing", "supine": "supine", "prone": "prone"}
_SET_UP = re.compile(r"(?i)\b\d+(?:[.,]\d+)? ?(?:cm|in|inches|kvp?|mas|m)\b|\b\d+ ?: ?1\b|\b(?:sid|ffd|fid)\b")
"""What a name says of the set-up beside the projection."""
Words = frozenset[str]


@dataclass(frozen=True, slots=True)
class Match:
    """projection: where it is exact; None where it has to be asked. offered: what to pick from, the likeliest first; likely:
    the first is a guess worth showing. said: the way of saying it that was taken."""

    projection: str | None
    offered: tuple[str, ...] = ()
    likely: bool = False
    said: str = ""


@lru_cache(maxsize=10_000)
def words_of(text: str) -> Words:
    """A name as a set of the catalogue's words."""
    bare = f" {plain(_SET_UP.sub(' ', text[:MOST_NAME]))} "
    for word, ours in said().items():
        if f" {word} " in bare:
            bare = bare.replace(f" {word} ", f" {ours} ")
    return frozenset(bare.split()) - silent()


def match(texts: Iterable[str], known: Catalogue) -> Match:
    """The projection that the first exact of several ways to say it means; else what to pick from, by the first."""
    ways = [text for text in dict.fromkeys(" ".join(one.split()) for one in texts) if text]
    for text in ways:
        if found := exact(text[:MOST_NAME], known):
            return Match(found, said=text)
    for text in ways[:LOOKED_FOR]:
        ours = " ".join(sorted(words_of(text[:MOST_NAME]))) or text[:MOST_NAME]
        hits = [hit for hit in search.find(known, ours, 2 * PICKED) if hit.kind == "projection"][:PICKED]
        if hits:
            # Of those found, what has the words in its own id goes first: an exam's name says more than one part.
            asked = words_of(text)
            hits.sort(key=lambda hit: -len(asked & set(hit.id.split("-"))))
            return Match(None, tuple(hit.id for hit in hits), hits[0].score >= LIKELY, text)
    return Match(None)


def exact(text: str, known: Catalogue) -> str | None:
    """The projection whose name this is; None where it is none's, or more than one's."""
    if text in known.projections:
        return text
    asked = words_of(text)
    if not asked or any(words_of(name) == asked for name in vague()):
        return None
    by_name = _names(_key(known))
    for name, projection in names().items():
        if words_of(name) == asked and projection in known.projections:
            return projection
    if len(found := by_name.get(asked, frozenset())) == 1:
        return next(iter(found))
    if found:
        return None
    return _with_posture(asked, known)


def _with_posture(asked: Words, known: Catalogue) -> str | None:
    """A name that says the posture which the projection has anyway."""
    said_posture = asked & set(POSTURES)
    if len(said_posture) != 1:
        return None
    posture = POSTURES[next(iter(said_posture))]
    found = _names(_key(known)).get(asked - said_posture, frozenset())
    same = [one for one in found if known.projections[one].posture == posture]
    return same[0] if len(same) == 1 == len(found) else None


Key = tuple[tuple[str, tuple[str, ...]], ...]


def _key(known: Catalogue) -> Key:
    return tuple((one.id, tuple(_ways_to_say(one))) for one in known.projections.values())


def _ways_to_say(one: Projection) -> Iterable[str]:
    without = re.sub(r"\([^)]*\)", " ", one.name)
    parts = [re.sub(r"\([^)]*\)", " ", one.exam), *re.findall(r"\(([^)]*)\)", one.exam)]
    for part in parts:
        yield f"{part} {one.name}"
        yield f"{part} {without}"
        for other in one.also:
            yield f"{part} {other}"
    # Another name alone may be several projections': then it is nobody's.
    yield from one.also
    yield one.id.replace("-", " ")


@lru_cache(maxsize=4)
def _names(key: Key) -> dict[Words, frozenset[str]]:
    found: defaultdict[Words, set[str]] = defaultdict(set)
    for projection, ways in key:
        for way in ways:
            if words := words_of(way):
                found[words].add(projection)
    return {words: frozenset(ids) for words, ids in found.items()}
