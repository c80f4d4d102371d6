"""The glossary: the field's words, explained once. Help shows it, and screens explain their terms from it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from oakbeam.catalogue.loader import CatalogueError, read_toml


@dataclass(frozen=True, slots=True)
class Term:
    """One term. whole: what its letters stand for. also: what else people say, and labels that mean it. instead_of: words
    that are not used for it."""

    term: str
    says: str
    whole: str = ""
    also: tuple[str, ...] = ()
    instead_of: tuple[str, ...] = ()


@cache
def glossary() -> tuple[Term, ...]:
    """All terms in the order of their file. Raises CatalogueError where a word would lead to two of them."""
    terms = tuple(
        Term(one["term"], one["says"], one.get("whole", ""), tuple(one.get("also", ())), tuple(one.get("not", ())))
        for one in read_toml("glossary.toml")["term"]
    )
    owner: dict[str, str] = {}
    for one in terms:
        for word in {word.lower() for word in (one.term, one.whole, *one.also) if word}:
            if owner.setdefault(word, one.term) != one.term:
                raise CatalogueError(f"glossary: '{word}' is of both {owner[word]} and {one.term}")
    return terms
