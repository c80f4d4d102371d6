"""Words of other people's charts: compared without accents, case and punctuation."""

from __future__ import annotations

import re
import tomllib
import unicodedata
from collections.abc import Mapping
from functools import cache
from importlib import resources

from rapidfuzz import fuzz, process

from oakbeam.catalogue.search import ABBREVIATIONS

SURE = 88.0
"""A likeness below this is no reading of a column's name."""
SHORT = 4
"""Words of no more letters are compared whole: one letter more or less makes another word."""


def plain(text: str) -> str:
    """Lower case, letters and digits only, one blank between words."""
    bare = unicodedata.normalize("NFKD", text.replace("ß", "ss").replace("°", " ")).encode("ascii", "ignore").decode()
    return " ".join(re.sub(r"[^a-z0-9]+", " ", bare.lower()).split())


@cache
def _file() -> Mapping[str, Mapping[str, list[str] | str]]:
    text = resources.files("oakbeam.formats.chart_import").joinpath("words.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


@cache
def spellings(table: str) -> Mapping[str, str]:
    """Of a table that lists words by meaning, the meaning of each word."""
    found: dict[str, str] = {}
    for meaning, words in _file()[table].items():
        for word in words:
            found.setdefault(plain(word), meaning)
    return found


@cache
def said() -> Mapping[str, str]:
    """The catalogue's words for words within names, the longest first: the search's shorthand and more."""
    found = {plain(word): plain(ours) for word, ours in ABBREVIATIONS.items()}
    found |= {plain(word): str(ours) for word, ours in _file()["said"].items()}
    return dict(sorted(found.items(), key=lambda pair: -len(pair[0].split())))


@cache
def names() -> Mapping[str, str]:
    """Projections by whole names."""
    return {plain(name): str(projection) for name, projection in _file()["names"].items()}


def meaning(table: str, text: str) -> str | None:
    """What a word means in a table; None where it is not there."""
    return spellings(table).get(plain(text))


def column_meaning(text: str) -> tuple[str, float] | None:
    """(what a column's name means, how like it is to the word: 0 to 100); None where it means nothing here."""
    name = plain(text)
    known = spellings("columns")
    if not name or name.isdigit():
        return None
    if name in known:
        return known[name], 100.0
    if len(name) <= SHORT:
        return None
    best = process.extractOne(name, [word for word in known if len(word) > SHORT], scorer=fuzz.ratio, score_cutoff=SURE)
    return (known[best[0]], float(best[1])) if best else None


@cache
def vague() -> tuple[str, ...]:
    """Names that are asked wherever they stand, though one projection alone is found by them."""
    return tuple(_file()["vague"]["names"])


@cache
def silent() -> frozenset[str]:
    """Words of a name that do not say which projection it is."""
    return frozenset(_file()["silent"]["words"])
