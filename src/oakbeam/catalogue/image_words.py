"""Which view an image says it is of: by the standard's codes and defined terms and by the words of its texts.

Of the texts of an image nothing is kept but words that stand in data/image_words.toml: what else they hold may be a name.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import get_args

from oakbeam.catalogue import shipped
from oakbeam.catalogue.loader import read_toml
from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.projection import Side

PHRASE = 3
"""Words of the longest phrase that is looked for."""
OTHER_REASON = "R21"
CHILDREN: tuple[AgeBand, ...] = get_args(AgeBand)[:-3]


@dataclass(frozen=True, slots=True)
class ViewSaid:
    """What an image says of its view: the part of the body and the view in words of the field, "" where it said nothing that
    is known; and the side."""

    words: str
    side: Side


@dataclass(frozen=True, slots=True)
class _Vocabulary:
    word: Mapping[str, tuple[str, str]]
    """What is said: (section, the field's word)."""
    order: Mapping[str, int]
    projection: Mapping[str, str]
    child: Mapping[str, tuple[str, ...]]
    reject: Mapping[str, str]


SECTIONS = ("body", "rough", "view", "side")


@cache
def _vocabulary() -> _Vocabulary:
    data = read_toml("image_words.toml")
    word = {said: (kind, name) for kind in SECTIONS for name, all_said in data[kind].items() for said in all_said}
    order = {name: at for at, name in enumerate(name for kind in SECTIONS for name in data[kind])}
    child = {view: tuple(ids) for view, ids in data["child"].items()}
    return _Vocabulary(word, order, data["projection"], child, data["reject"])


def side_said(text: str) -> Side:
    """The side that a field for it says, in a word or by a single letter; "" where that is not clear."""
    letter = {"R": "right", "L": "left", "B": "both"}.get(text.strip().upper(), "")
    return _SIDES.get(letter) or view_said((), [text]).side


def view_said(terms: Iterable[str] = (), texts: Iterable[str] = (), side: str = "") -> ViewSaid:
    """The view by defined terms and code keywords, and by free texts.

    A text adds to the terms only what they leave open: a second part of the body in a text is not believed over a term.
    """
    known, terms = _vocabulary().word, tuple(terms)
    found: dict[str, list[str]] = {kind: [] for kind in SECTIONS}

    def take(said: Iterable[tuple[str, str]]) -> None:
        kinds = {kind for kind in SECTIONS if found[kind]}
        for kind, name in said:
            if kind not in kinds or kind == "view":
                found[kind].append(name)

    take(known[one] for one in terms if one in known)
    sides = [{name for kind, name in (known[one] for one in terms if one in known) if kind == "side"}]
    for text in texts:
        words = _in_text(text)
        take(words)
        sides.append({name for kind, name in words if kind == "side"})
    parts = _distinct(found["body"]) or _distinct(found["rough"])
    which = _side(sides) if not side else known.get(side, ("side", ""))[1]
    return ViewSaid(" ".join((*parts, *_distinct(found["view"]))), _SIDES.get(which, ""))


def _side(said: Iterable[set[str]]) -> str:
    """The side that all who say one agree on; "" where they contradict each other. Right and left in one text are both."""
    each = {"both" if len(names) > 1 else next(iter(names)) for names in said if names}
    return each.pop() if len(each) == 1 else ""


_SIDES: Mapping[str, Side] = {"right": "right", "left": "left", "both": "both"}


def projection_of(words: str, age_band: AgeBand | None) -> str | None:
    """The shipped projection that a view in words surely is; None where the department has to say it. A child's is one that
    is for its age."""
    known = _vocabulary()
    own = known.child.get(words, ())
    if age_band in CHILDREN and own:
        return next((one for one in own if age_band in shipped().projection(one).ages), None)
    return known.projection.get(words)


def reject_reason(keyword: str) -> str:
    """The reject reason of the log for a keyword of CID 7011; "other" for any other."""
    return _vocabulary().reject.get(keyword, OTHER_REASON)


def _in_text(text: str) -> list[tuple[str, str]]:
    """The known words of a text, longest phrases first."""
    # Words of any script, without their accents: an "ö" is no end of a word, after which an "n" or an "r" would stand alone.
    bare = "".join(one for one in unicodedata.normalize("NFKD", text.lower()) if not unicodedata.combining(one))
    known, tokens = _vocabulary().word, re.findall(r"[^\W_]+", bare)
    found, at = [], 0
    while at < len(tokens):
        for length in range(min(PHRASE, len(tokens) - at), 0, -1):
            if (said := " ".join(tokens[at : at + length])) in known:
                found.append(known[said])
                at += length
                break
        else:
            at += 1
    return found


def _distinct(names: Iterable[str]) -> list[str]:
    return sorted(set(names), key=_vocabulary().order.__getitem__)
