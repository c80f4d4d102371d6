"""What a row says of the set-up, which holds for all its exposures (support, grid, SID, receptor, chambers), and where each
is said: in its cells, by a person for all lines, or in what stands over it."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from rapidfuzz import fuzz, process

from oakbeam.catalogue import Catalogue
from oakbeam.core.equipment.room import Room
from oakbeam.core.lengths import CM_PER_INCH
from oakbeam.core.projection import SUPPORT_NAMES
from oakbeam.formats.chart_import import values
from oakbeam.formats.chart_import.names import Named
from oakbeam.formats.chart_import.questions import LEFT_OUT, Asking, Confidence, Option
from oakbeam.formats.chart_import.table import Head, Row, Table
from oakbeam.formats.chart_import.values import Span, Unclear
from oakbeam.formats.chart_import.words import meaning, plain

MOST_NOTE = 180
"""Characters of a row's remark that are kept."""
SURE_RECEPTOR = 84.0
SID_IN_INCHES = (26.0, 84.0)
"""A bare SID within these is one of inches: no tube stands so near in centimetres."""
_LONG = r"\d+(?:[.,]\d+)? ?"
_UNIT = r"(?:cm|in|inches|m|\"|”)"
_SID = r"(?:sid|ffd|fid|ffa|dff|dfr)"
SID_SAID = re.compile(rf"(?i)(?:{_SID}|\bat) ?[:=]? ?({_LONG}{_UNIT}?)|({_LONG}{_UNIT}) ?{_SID}")
GRID_SAID = re.compile(r"(?i)\b(\d{1,2}) ?: ?1\b|\b(no grid|non.?grid|ohne raster|sans grille)\b")
YES = frozenset(("yes", "y", "x", "ja", "oui", "si"))
NO = frozenset(("no", "n", "none", "nein", "non", "0"))


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a figure of a line comes from. where: the cell ("row 5, kVp"), or the rule it was assumed by."""

    confidence: Confidence
    where: str


@dataclass(frozen=True, slots=True)
class Reading:
    """What the reader of a table knows of the file as a whole. commas: its decimal mark is a comma. thickness_unit: cm of
    the unit its thicknesses are in, None where that is asked. defaults: what a person said holds for all lines."""

    room: Room
    known: Catalogue
    commas: bool
    thickness_unit: float | None
    defaults: Mapping[str, str]


@dataclass(slots=True)
class SetUp:
    """What a row says of the set-up; None: not said. some_grid: that there is a grid, not which. sources: by the name of the
    line's field."""

    support: str | None = None
    grid_ratio: int | None = None
    some_grid: bool = False
    receptor: str | None = None
    sid_cm: float | None = None
    range_cm: tuple[float | None, float | None] = (None, None)
    aec_cells: str | None = None
    aec_density: int = 0
    backup_mas: float | None = None
    filter: str | None = None
    doubling_cm: float | None = None
    kvp_per_cm: float | None = None
    target_ei: float | None = None
    speed: float | None = None
    note: str = ""
    sources: dict[str, Origin] = field(default_factory=dict)


class RowReader:
    """The cells of a row by what their column means; what is not understood is a fault of its cell."""

    def __init__(self, row: Row, table: Table, reading: Reading, asking: Asking, name: Named) -> None:
        self.row, self.table, self.reading, self.asking, self.name = row, table, reading, asking, name
        self.heads = {head.means: head for head in table.heads if head.means}
        self.sources: dict[str, Origin] = {}

    def set_up(self) -> SetUp:
        """What the row says of the set-up."""
        grid, some = self._grid()
        commas = self.reading.commas

        def per_cm(cell: str) -> float:
            return values.span(values.stripped(cell.lstrip("+"), "kvp/cm", "kv/cm", "kvp", "kv"), commas).low

        density = self.number("aec_density", lambda cell: float(values.density(cell)))
        return SetUp(
            support=self._support(),
            grid_ratio=grid,
            some_grid=some,
            receptor=self._receptor(),
            sid_cm=self._sid(),
            range_cm=(self._length("range_min"), self._length("range_max")),
            aec_cells=self._chambers(),
            aec_density=int(density or 0),
            backup_mas=self.number("backup_mas", lambda cell: values.mas(cell, commas)),
            filter=self.text("filter") or None,
            doubling_cm=self._length("doubling"),
            kvp_per_cm=self.number("kvp_per_cm", per_cm),
            target_ei=self.number("target_ei", lambda cell: values.span(cell, commas).low),
            speed=self._speed(),
            note=self._note(),
            sources=self.sources,
        )

    def text(self, means: str) -> str:
        """The cell of a meaning; empty where there is none, or a dash stands in it."""
        head = self.heads.get(means)
        cell = self.row.cell(head) if head else ""
        return "" if cell and cell in "-–—" else cell

    def number(self, means: str, read: Callable[[str], float]) -> float | None:
        """A cell as a number; None where there is none, or it is at fault."""
        head, cell = self.heads.get(means), self.text(means)
        if head is None or not cell:
            return None
        try:
            value = read(cell)
        except Unclear as unclear:
            self.fault(head, f"{unclear}.")
            return None
        self.sources[means] = self.at(head)
        return value

    def at(self, head: Head, confidence: Confidence = "exact", more: str = "") -> Origin:
        """A cell of the row as the origin of a figure."""
        return Origin(confidence, f"row {self.row.at}, {head.given}{more}")

    def fault(self, head: Head, problem: str) -> None:
        """A cell that is not right."""
        self.asking.fault(self.row.at, head.given, problem)

    def headings(self) -> list[tuple[str, str]]:
        """What stands over the row, the nearest first, and where."""
        sections = [("its heading", text) for text in reversed(self.row.sections)]
        sheet = [("the sheet's name", self.table.sheet)] if self.table.sheet else []
        return [*sections, *((f"row {at}", text) for at, text in reversed(self.table.titles)), *sheet]

    def said_over(self, field_name: str, pattern: re.Pattern[str], sources: dict[str, Origin]) -> Span | None:
        """A number that stands over the row."""
        for where, text in self.headings():
            if found := pattern.search(text):
                sources[field_name] = Origin("assumed", f"{where}: “{text[:40]}”")
                value = values.decimal(found[1] or found[2], self.reading.commas)
                return Span(value, value)
        return None

    def _note(self) -> str:
        head, cell = self.heads.get("note"), self.text("note")
        if head and len(cell) > MOST_NOTE:
            self.asking.note(
                self.row.at, head.given, cell, cell[:MOST_NOTE], "assumed", f"a note has at most {MOST_NOTE} characters"
            )
        return cell[:MOST_NOTE]

    def _speed(self) -> float | None:
        """The speed class of a film; 0 where the file names a film and no class, None where it names none."""
        cell = self.text("speed")
        if not cell or meaning("digital", cell):
            return None
        found = re.search(r"\b(\d{2,4})\b", cell)
        return float(found[1]) if found else 0.0

    def _length(self, means: str) -> float | None:
        head, cell = self.heads.get(means), self.text(means)
        if head is None or not cell:
            return None
        try:
            found, said = values.length_cm(cell, head.to_cm, self.reading.commas)
        except Unclear as unclear:
            self.fault(head, f"{unclear}.")
            return None
        unit = 1.0 if said else self.reading.thickness_unit
        self.sources[f"{means}_cm"] = Origin("exact" if said else "assumed", f"row {self.row.at}, {head.given}")
        return None if unit is None else found.low * unit

    def _sid(self) -> float | None:
        head, cell = self.heads.get("sid"), self.text("sid")
        if head is not None and cell:
            try:
                found, said = values.length_cm(values.stripped(cell, "sid", "ffd"), head.to_cm, self.reading.commas)
            except Unclear as unclear:
                self.fault(head, f"{unclear}.")
                return None
            return self._sid_of(found.low, said, f"row {self.row.at}, {head.given}", head.given, cell)
        if "sid_cm" in self.reading.defaults:
            self.sources["sid_cm"] = Origin("asked", "said for all lines")
            return float(self.reading.defaults["sid_cm"])
        for where, text in self.headings():
            if found_text := SID_SAID.search(text):
                said_text = found_text[1] or found_text[2]
                found, said = values.length_cm(said_text, None, self.reading.commas)
                return self._sid_of(found.low, said, where, where, said_text)
        return None

    def _sid_of(self, value: float, said: bool, where: str, column: str, cell: str) -> float:
        low, high = SID_IN_INCHES
        if said or not low <= value <= high:
            self.sources["sid_cm"] = Origin("exact", where)
            return round(value, 2)
        self.sources["sid_cm"] = Origin("assumed", f"{where}, taken as inches")
        self.asking.note(
            self.row.at, column, cell, f"{value * CM_PER_INCH:g} cm", "assumed", "as inches: no tube stands so near in cm"
        )
        return round(value * CM_PER_INCH, 2)

    def _support(self) -> str | None:
        head, cell = self.heads.get("support"), self.text("support")
        if head is not None and cell:
            ids = [one.id for one in self.reading.room.supports]
            word = plain(cell)
            found = next((one for one in ids if word in (plain(one), plain(SUPPORT_NAMES[one]))), None) or meaning(
                "supports", word
            )
            if word in YES and plain(head.given) in ("bucky", "potter", "table bucky"):
                found = "table_bucky"
            if word in NO:
                found = "tabletop"
            if found is None or found not in ids:
                choices = [*(Option(one, SUPPORT_NAMES[one]) for one in ids), LEFT_OUT]
                found = self.asking.ask(
                    "support", word, f"Where is “{cell[:40]}” in this room?", [self.row.at], choices, given=cell
                )
                self.sources["support"] = self.at(head, "asked")
                return found
            self.sources["support"] = self.at(head)
            if cell != found:
                self.asking.note(self.row.at, head.given, cell, found, "exact")
            return found
        if "support" in self.reading.defaults:
            self.sources["support"] = Origin("asked", "said for all lines")
            return self.reading.defaults["support"]
        for where, text in [("its name", self.name.said), *self.headings()]:
            if found := _place_in(text, [one.id for one in self.reading.room.supports]):
                self.sources["support"] = Origin("assumed", f"{where}: “{text[:40]}”")
                return found
        return None

    def _grid(self) -> tuple[int | None, bool]:
        head = self.heads.get("grid_ratio")
        if head is not None:
            # A dash says that there is none; in other columns it says nothing.
            cell = self.row.cell(head)
            if not cell and "grid_ratio" not in self.reading.defaults:
                return None, False
            try:
                found = values.grid(cell) if cell else int(self.reading.defaults["grid_ratio"])
            except Unclear as unclear:
                self.fault(head, f"{unclear}; a ratio as 12:1, or none.")
                return None, False
            self.sources["grid_ratio"] = self.at(head)
            if found is not None and cell != str(found):
                self.asking.note(self.row.at, head.given, cell, str(found), "exact")
            return found, found is None
        if "grid_ratio" in self.reading.defaults:
            self.sources["grid_ratio"] = Origin("asked", "said for all lines")
            return int(self.reading.defaults["grid_ratio"]), False
        for where, text in [("its name", self.name.said), *self.headings()]:
            if said := GRID_SAID.search(text):
                self.sources["grid_ratio"] = Origin("assumed", f"{where}: “{text[:40]}”")
                return int(said[1] or 0), False
        return None, False

    def _receptor(self) -> str | None:
        head, cell = self.heads.get("receptor"), self.text("receptor")
        receptors = self.reading.room.receptors
        if head is not None and cell:
            self.sources["receptor"] = self.at(head)
            if any(cell == one.id for one in receptors):
                return cell
            named = {one.name: one.id for one in receptors}
            best = process.extractOne(cell, list(named), scorer=fuzz.token_set_ratio, score_cutoff=SURE_RECEPTOR)
            if best:
                self.asking.note(
                    self.row.at,
                    head.given,
                    cell,
                    named[best[0]],
                    "exact" if plain(best[0]) == plain(cell) else "assumed",
                    "the room's nearest by name",
                )
                return named[best[0]]
            choices = [*(Option(one.id, one.name) for one in receptors), LEFT_OUT]
            self.sources["receptor"] = self.at(head, "asked")
            return self.asking.ask(
                "receptor", plain(cell), f"Which receptor of this room is “{cell[:40]}”?", [self.row.at], choices, given=cell
            )
        if "receptor" in self.reading.defaults:
            self.sources["receptor"] = Origin("asked", "said for all lines")
            return self.reading.defaults["receptor"]
        return None

    @cached_property
    def control(self) -> tuple[str | None, str]:
        """(exposure control, chambers) as the row says them; (None, "") where it says neither."""
        head, cell = self.heads.get("exposure_control"), self.text("exposure_control")
        if head is None or not cell:
            return None, ""
        if meaning("controls", head.given) == "aec" and plain(cell) in YES | NO:
            return ("aec" if plain(cell) in YES else "manual"), ""
        try:
            return values.control(cell)
        except Unclear as unclear:
            self.fault(head, f"{unclear}.")
            return None, ""

    def _chambers(self) -> str | None:
        head, cell = self.heads.get("aec_cells"), self.text("aec_cells")
        if head is None or not cell:
            return self.control[1] or None
        try:
            found = values.chambers(cell)
        except Unclear as unclear:
            self.fault(head, f"{unclear}.")
            return None
        self.sources["aec_cells"] = self.at(head)
        if found and found != cell:
            self.asking.note(self.row.at, head.given, cell, found, "exact")
        return found or None


def _place_in(text: str, ids: Iterable[str]) -> str | None:
    """The support that a name or a heading says."""
    bare = f" {plain(text)} "
    for words, support in (
        (("non bucky", "no bucky", "tabletop", "table top"), "tabletop"),
        (("wall bucky", "upright bucky", "wall stand", "chest stand", "wandstativ", "erect bucky"), "upright_bucky"),
        (("bucky", "table bucky", "potter"), "table_bucky"),
        (("portable", "mobile", "bedside", "stretcher", "cross table", "x table"), "detector"),
    ):
        if support in ids and any(f" {word} " in bare for word in words):
            return support
    return None
