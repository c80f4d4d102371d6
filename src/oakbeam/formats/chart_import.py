"""Other people's spreadsheets: which of their columns is which of ours, guessed, shown, and put right by a person.

A guess is never taken silently: the preview names it, and the reader of `chart_csv` checks every cell afterwards.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from rapidfuzz import fuzz, process

from oakbeam.catalogue import Catalogue, search
from oakbeam.core.charts.line import ChartLine, usual_range_cm
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.formats.cells import number
from oakbeam.formats.chart_csv import COLUMNS, LENGTHS, BadCell, BadFile, Rows, read_rows

WORDS: Mapping[str, tuple[str, ...]] = {
    "projection": ("projection", "view", "exam", "examination", "body part", "part", "study", "position"),
    "support": ("support", "bucky", "table", "tabletop or bucky", "where"),
    "receptor": ("receptor", "detector", "cassette", "plate", "image receptor", "ir"),
    "grid_ratio": ("grid", "grid ratio"),
    "sid": ("sid", "ffd", "distance", "source to image distance", "focus film distance"),
    "range_min": ("range from", "from", "minimum", "range min", "thickness from"),
    "range_max": ("range to", "to", "maximum", "range max", "thickness to"),
    "school": ("school", "method", "type of chart"),
    "thickness": ("thickness", "measurement", "caliper", "part thickness", "size"),
    "kvp": ("kvp", "kv", "kilovolt", "tube potential"),
    "mas": ("mas", "ma s", "milliampere seconds", "tube load"),
    "doubling": ("doubling", "mas doubles every"),
    "kvp_per_cm": ("kvp per cm", "kv per cm"),
    "exposure_control": ("exposure control", "control", "aec or manual", "technique mode"),
    "aec_cells": ("aec chambers", "chambers", "chamber", "cells", "aec cells", "fields"),
    "aec_density": ("aec density", "density", "density step"),
    "filter": ("filter", "added filter", "tube filter"),
    "target_ei": ("target ei", "target index", "eit"),
    "note": ("note", "notes", "remark", "remarks", "comment"),
}
"""What people call our columns."""
SURE = 84.0
"""A likeness below this is no guess."""
DEFAULTS: Mapping[str, str] = {"school": "fixed_kvp", "doubling_cm": "4.5"}
"""What a chart that has no such column usually means."""
MOST_NAME = 100
"""Characters of a name that are looked for."""
MOST_LOOKED_UP = 300
"""Different cells of a column that are looked for; a chart has no more, and each costs some milliseconds."""
NO_GRID = frozenset(("", "-", "no", "none", "non", "nongrid", "non-grid", "without", "0", "n"))
_RATIO = re.compile(r"(\d{1,3})(?: ?: ?1)?")
_UNIT = re.compile(r"[\[(]?\b(cm|in|inch|inches)\b[\])]?", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Column:
    """A column of the file: the file's name for it, ours (None: left out), and its first cells."""

    given: str
    taken_as: str | None
    sample: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Taken:
    """A cell that was read as something else: what stood there, and what it was taken as."""

    row: int
    given: str
    taken_as: str


@dataclass(frozen=True, slots=True)
class Preview:
    """What an import would give: how the columns are read, what was guessed of cells, the lines, or the faults."""

    columns: tuple[Column, ...]
    taken: tuple[Taken, ...]
    lines: tuple[ChartLine, ...] = ()
    faults: tuple[BadCell, ...] = ()


def preview(
    rows: Rows,
    room: Room,
    known: Catalogue,
    mapping: Mapping[str, str | None] | None = None,
    defaults: Mapping[str, str] | None = None,
) -> Preview:
    """Read rows as mapped. mapping: our column by the file's name for it, where a person said so (None leaves it out).

    defaults: what every row has, by our column, where the file has none. Nothing is kept.
    """
    header = [name.strip() for name in rows[0][1]]
    wanted = mapping or {}
    for name in wanted.values():
        if name is not None and name not in COLUMNS and _base(name) not in LENGTHS:
            raise Refusal("Unknown column", f"'{name[:40]}' is no column of a chart.", list(COLUMNS), "mapping")
    guessed = _guesses(header)
    taken_as = [wanted.get(name, guess) for name, guess in zip(header, guessed, strict=True)]
    columns = tuple(
        Column(name, ours, tuple(row[at] for _, row in rows[1:6] if at < len(row)))
        for at, (name, ours) in enumerate(zip(header, taken_as, strict=True))
        if name
    )
    known_rows, taken = _as_ours(rows, taken_as, room, known, {**DEFAULTS, **(defaults or {})})
    try:
        lines = read_rows(known_rows, room, known)
    except BadFile as bad:
        names = {ours: given for given, ours in zip(header, taken_as, strict=True) if ours}
        faults = tuple(replace(one, column=names.get(one.column, one.column)) for one in bad.faults)
        return Preview(columns, taken, (), faults)
    return Preview(columns, taken, lines)


def _guesses(header: list[str]) -> list[str | None]:
    """Our column for each of the file's, the likest first, none twice."""
    scores = []
    for at, name in enumerate(header):
        plain = re.sub(r"[^a-z0-9]+", " ", _UNIT.sub(" ", name.lower().replace("_", " "))).strip()
        if name.lower().strip().replace(" ", "_") in COLUMNS:
            scores.append((200.0, at, name.lower().strip().replace(" ", "_")))
            continue
        for ours, words in WORDS.items():
            found = process.extractOne(plain, words, scorer=fuzz.ratio, score_cutoff=SURE)
            if plain and found:
                scores.append((float(found[1]), at, _with_unit(ours, name)))
    taken: dict[int, str] = {}
    for _, at, ours in sorted(scores, key=lambda one: (-one[0], one[1])):
        if at not in taken and not any(_base(ours) == _base(other) for other in taken.values()):
            taken[at] = ours
    return [taken.get(at) for at in range(len(header))]


def _with_unit(ours: str, given: str) -> str:
    """A length's column with the unit that the file names for it; without one each cell has to say it."""
    if ours not in LENGTHS:
        return ours
    unit = _UNIT.search(given.replace("_", " "))
    return ours if unit is None else f"{ours}_{'cm' if unit[1].lower() == 'cm' else 'in'}"


def _base(column: str) -> str:
    base, _, unit = column.rpartition("_")
    return base if base in LENGTHS and unit in ("cm", "in") else column


def _as_ours(
    rows: Rows, taken_as: list[str | None], room: Room, known: Catalogue, defaults: Mapping[str, str]
) -> tuple[Rows, tuple[Taken, ...]]:
    """The rows in our columns: projections and supports found by what they are called, what is missing filled in."""
    there = {_base(ours) for ours in taken_as if ours}
    filled = {name: text for name, text in defaults.items() if _base(name) not in there}
    if "school" in there:
        filled.pop("doubling_cm", None)
    added = [*filled, *(name for name in ("range_min_cm", "range_max_cm") if _base(name) not in there)]
    places = [(at, ours) for at, ours in enumerate(taken_as) if ours]
    found: Rows = [(rows[0][0], [*(ours for _, ours in places), *added])]
    taken: list[Taken] = []
    looked_up: dict[tuple[str, str], str] = {}

    def reading(ours: str, cell: str) -> str:
        """A cell as one of our words, each looked for once; beyond MOST_LOOKED_UP it stays, for the reader to refuse."""
        if (ours, cell) not in looked_up:
            spent = sum(1 for column, _ in looked_up if column == ours)
            looked_up[ours, cell] = _READ[ours](cell, room, known) if spent < MOST_LOOKED_UP else cell
        return looked_up[ours, cell]

    for at, row in rows[1:]:
        cells = {ours: row[place] if place < len(row) else "" for place, ours in places}
        for ours in _READ:
            if ours in cells and (better := reading(ours, cells[ours])) != cells[ours]:
                taken.append(Taken(at, cells[ours], better))
                cells[ours] = better
        usual = known.projections.get(cells.get("projection", filled.get("projection", "")))
        low, high = usual_range_cm(usual) if usual else (None, None)
        filler = {**filled, "range_min_cm": number(low), "range_max_cm": number(high)}
        found.append((at, [*(cells[ours] for _, ours in places), *(filler[name] for name in added)]))
    return found, tuple(taken)


def _projection(given: str, _: Room, known: Catalogue) -> str:
    if given in known.projections:
        return given
    hits = [hit for hit in search.find(known, given[:MOST_NAME], 3) if hit.kind == "projection"]
    return hits[0].id if hits else given


def _support(given: str, room: Room, _: Catalogue) -> str:
    ids = [support.id for support in room.supports]
    plain = given.lower().replace(" ", "_")
    if plain in ids:
        return plain
    names = {"table bucky": "table_bucky", "bucky": "table_bucky", "tt": "tabletop", "table top": "tabletop",
             "wall bucky": "upright_bucky", "wall": "upright_bucky", "upright": "upright_bucky", "erect": "upright_bucky",
             "portable": "detector", "mobile": "detector"}  # fmt: skip
    best = process.extractOne(given.lower(), list(names), scorer=fuzz.ratio, score_cutoff=SURE)
    return names[best[0]] if best else given


def _grid(given: str, _: Room, __: Catalogue) -> str:
    if given.lower().strip() in NO_GRID:
        return "0"
    # Blanks are made one before looking: runs of them beside each other cost the square of their length.
    ratio = _RATIO.fullmatch(" ".join(given.split()))
    return ratio[1] if ratio else given


def _receptor(given: str, room: Room, _: Catalogue) -> str:
    if any(given == one.id for one in room.receptors):
        return given
    names = {one.name: one.id for one in room.receptors}
    best = process.extractOne(given, list(names), scorer=fuzz.token_set_ratio, score_cutoff=SURE)
    return names[best[0]] if best else given


_READ: Mapping[str, Callable[[str, Room, Catalogue], str]] = {
    "projection": _projection,
    "support": _support,
    "grid_ratio": _grid,
    "receptor": _receptor,
}
"""How a cell of each of these columns is read where it is not one of our words."""
