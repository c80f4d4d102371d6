"""Where a sheet's table stands: its heads over one row or two, its rows, and the titles, headings and notes about it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from oakbeam.core.lengths import CM_PER_INCH
from oakbeam.formats.chart_csv import COLUMNS, LENGTHS, Rows
from oakbeam.formats.chart_import.files import Sheet
from oakbeam.formats.chart_import.values import Span, Unclear, length_cm, length_unit
from oakbeam.formats.chart_import.words import column_meaning, meaning, plain

LOOKED_AT = 80
"""Rows from the top among which the heads are looked for."""
FEWEST = 2
"""Heads that are known before a row is taken for that of the heads."""
MOST_HEAD, MOST_CELL = 60, 200
"""Characters of a head, and of a cell, that are read: what is longer is a remark."""
EXPOSURE = frozenset(("kvp", "mas", "ma", "time", "exposure"))
"""Columns that may stand once for each size."""
OURS = (
    *("projection", "support", "receptor", "grid_ratio", "sid", "range_min", "range_max", "thickness", "kvp", "mas"),
    *("doubling", "kvp_per_cm", "target_ei", "filter", "exposure_control", "aec_cells", "aec_density", "note"),
)
"""Columns of our own files that another office's may have too."""
FOREIGN = ("region", "view", "position", "size", "age", "weight", "exposure", "ma", "time", "backup_mas", "speed")
"""Columns that only others' files have."""
WORKED_WITH = frozenset(("kvp", "mas", "exposure"))
UNITS = frozenset(["cm", "in", "inch", "inches", "mm", "kv", "kvp", "mas", "ma", "s", "sec", "ms", "kg", "y", "yr", "years"])
_BRACKETS = re.compile(r"[\[(]([^\])]*)[\])]")
_YEARS = r"(?:kg|y|yr|yrs|years?|mo|months?|jahre?|j|ans?|anos?|anni|jaar)\.?"
_AGE = re.compile(
    rf"(?i)newborn|neonate|neugeborene?r?|infant|\d{{1,3}}(?:[.,]\d)? ?(?:(?:-|–|to) ?\d{{1,3}}(?:[.,]\d)? ?)?{_YEARS}"
)
_TOTAL = re.compile(r"(?i)(sub)?(total|sum|summe|mean|average of|count|gesamt)\b")


@dataclass(frozen=True, slots=True)
class Head:
    """A column: where it stands, the file's name for it, what it is taken as (None: left out), and of which size,
    thickness [cm], age or view its exposures are. to_cm: centimetres of the unit it names. sure: its name is known, and
    not only like one."""

    at: int
    given: str
    means: str | None
    size: str | None = None
    thickness: Span | None = None
    age: str | None = None
    view: str | None = None
    to_cm: float | None = None
    sure: bool = True
    doubled: bool = False
    """Another column is the same already."""

    @property
    def taken_as(self) -> str | None:
        """In the words of our own columns, with the unit of a length and the size of an exposure."""
        if self.means is None:
            return None
        name = self.means
        if name in LENGTHS and self.to_cm is not None:
            name = f"{name}_{'cm' if self.to_cm == 1.0 else 'in'}"
        place = _words(self.thickness) if self.thickness else None
        of = " ".join(filter(None, (self.view, self.size or self.age or place)))
        return f"{name}@{of}" if of else name


@dataclass(frozen=True, slots=True)
class Row:
    """A row of the table: the file's number of it, its cells, and the headings it stands under."""

    at: int
    cells: tuple[str, ...]
    sections: tuple[str, ...]

    def cell(self, head: Head) -> str:
        """The cell under a head, no more of it than one can hold; empty where the row ends before it."""
        return self.cells[head.at][:MOST_CELL] if head.at < len(self.cells) else ""


@dataclass(frozen=True, slots=True)
class Table:
    """titles: what stands above it, notes: below it, each with its row."""

    sheet: str
    heads: tuple[Head, ...]
    rows: tuple[Row, ...]
    titles: tuple[tuple[int, str], ...]
    notes: tuple[tuple[int, str], ...]
    decided: tuple[str, ...]
    at: int = 1
    """The row of its heads."""


def table_of(sheet: Sheet, mapping: Mapping[str, str | None], header_row: int | None = None) -> Table | None:
    """The table of a sheet; None where no row of heads is found. mapping: what a person took columns as, by the file's name.
    header_row: the row of the heads, where a person pointed at it."""
    if header_row is None and _labelled_aside(sheet.rows):
        sheet, aside = Sheet(sheet.name, _sideways(sheet.rows)), True
    else:
        aside = False
    at = _header_at(sheet.rows, header_row)
    if at is None:
        return None
    upper = sheet.rows[at]
    double = at + 1 < len(sheet.rows) and _continues(upper[1], sheet.rows[at + 1][1])
    heads = _combined(upper[1], sheet.rows[at + 1][1]) if double else _heads(upper[1])
    heads = list(_once([_mapped(head, mapping) for head in _told_apart(_of_one_size(heads))]))
    first = at + (2 if double else 1)
    decided = [f"Heads in row {upper[0]}{f' and {sheet.rows[at + 1][0]}' if double else ''}."]
    if aside:
        decided = ["Read sideways: its heads stand in the first column, and rows are counted across."]
    titles = tuple((row, " ".join(filter(None, cells))) for row, cells in sheet.rows[:at])
    rows, notes = _body(sheet.rows[first:], upper[1], heads, decided)
    return Table(sheet.name, tuple(heads), tuple(rows), titles, tuple(notes), tuple(decided), upper[0])


def is_ours(names: list[str]) -> bool:
    """The heads are those of our own files."""
    return {"projection", "school", "kvp", "mas"} <= set(names)


def _header_at(rows: Rows, wanted: int | None) -> int | None:
    if wanted is not None:
        return next((i for i, (at, _) in enumerate(rows) if at == wanted), None)
    scores = []
    for i, (_, cells) in enumerate(rows[:LOOKED_AT]):
        heads = _heads(cells)
        if i + 1 < len(rows) and _continues(cells, rows[i + 1][1]):
            heads = _combined(cells, rows[i + 1][1])
        named = [head for head in heads if head.means]
        # Text of a row that holds numbers is what is charted, not what names it; a thickness as a head is a number too.
        plain_numbers = sum(1 for head in heads if head.means is None and re.fullmatch(r"[\d.,/ -]+", head.given))
        useful = {head.means for head in named} & WORKED_WITH or any(head.thickness or head.size for head in named)
        if len(named) >= FEWEST and useful and plain_numbers <= len(named) / 2:
            scores.append((len(named) - plain_numbers, -i))
    return -max(scores)[1] if scores else None


def _labelled_aside(rows: Rows) -> bool:
    """The first column names kVp, mAs or thickness: each stands in a row of its own."""
    named = [column_meaning(cells[0]) for _, cells in rows[:LOOKED_AT] if cells and cells[0]]
    means = {found[0] for found in named if found}
    return len(means & {"kvp", "mas", "thickness"}) >= FEWEST


def _sideways(rows: Rows) -> Rows:
    """The cells with rows for columns, from the first row that has several; what stands above keeps its place."""
    first = next((i for i, (_, cells) in enumerate(rows) if sum(1 for cell in cells if cell) > 1), 0)
    wide = max((len(cells) for _, cells in rows[first:]), default=0)
    turned = [[cells[at] if at < len(cells) else "" for _, cells in rows[first:]] for at in range(wide)]
    return [*rows[:first], *((first + at, cells) for at, cells in enumerate(turned, 1) if any(cells))]


def _heads(cells: list[str]) -> list[Head]:
    return [head_of(at, cell) for at, cell in enumerate(cells) if cell]


def head_of(at: int, given: str) -> Head:
    """A head by its text: its meaning, its unit, and the size, thickness or age that its exposures are of."""
    if len(given) > MOST_HEAD:
        return Head(at, given, None)
    to_cm = length_unit(given)
    bare = " ".join(_BRACKETS.sub(" ", given).split()) or given
    inside = " ".join(_BRACKETS.findall(given))
    for text in (given, bare):
        name = plain(text).replace(" ", "_")
        if name in COLUMNS and _base(name) in OURS:
            return Head(at, given, _base(name), to_cm=_unit(name) or to_cm)
    if inside and bare != given and (of := head_of(at, bare)).size and (place := _thickness(inside, length_unit(inside))):
        # "Small (14–18 cm)": the bracket says which.
        return replace(of, given=given, thickness=place)
    if found := column_meaning(_without_unit(bare)) or column_meaning(bare):
        return Head(at, given, found[0], size=meaning("sizes", inside), to_cm=to_cm, sure=found[1] == 100)
    if size := meaning("sizes", bare):
        within = column_meaning(inside)
        return Head(at, given, within[0] if within and within[0] in EXPOSURE else "exposure", size=size)
    if _AGE.fullmatch(bare):
        return Head(at, given, "exposure", age=bare.lower())
    if place := _thickness(bare, to_cm):
        return Head(at, given, "exposure", thickness=place)
    return _with_size(at, given, bare, to_cm)


def _with_size(at: int, given: str, bare: str, to_cm: float | None) -> Head:
    """A head of two parts, "Small kVp", "mAs L", "10 cm mAs"."""
    words = bare.split()
    for cut in range(1, len(words)):
        for one, other in ((" ".join(words[:cut]), " ".join(words[cut:])), (" ".join(words[cut:]), " ".join(words[:cut]))):
            found = column_meaning(other.strip("-–:, "))
            if not found or found[0] not in EXPOSURE:
                continue
            one = one.strip("-–:, ")
            if size := meaning("sizes", one):
                return Head(at, given, found[0], size=size)
            if _AGE.fullmatch(one):
                return Head(at, given, found[0], age=one.lower())
            if re.search(r"\d", one) and (place := _thickness(one, to_cm)):
                return Head(at, given, found[0], thickness=place)
    return Head(at, given, None, to_cm=to_cm)


def _thickness(text: str, to_cm: float | None) -> Span | None:
    """A thickness that names a column; a bare number counts as centimetres where it can be those of a part."""
    if not re.match(r"\d", text) or ("/" in text and to_cm is None):
        return None
    try:
        found, _ = length_cm(text, to_cm, False)
    except Unclear:
        return None
    return found if 0.5 <= found.low <= found.high <= 50 else None


def _continues(upper: list[str], lower: list[str]) -> bool:
    """The lower row holds the second line of the heads: it names columns, and charts nothing."""
    named = [head for head in _heads(lower) if head.means]
    return (
        len(named) >= FEWEST
        and len(named) >= 0.7 * sum(1 for cell in lower if cell)
        and any(head.means in EXPOSURE for head in named)
        and not any(re.search(r"\d", cell) and not head_of(0, cell).means for cell in lower if cell)
        and not _same(upper, lower)
        # The upper row groups the lower's columns; with kVp and mAs of its own it is the heads itself.
        and (any(head.size or head.thickness or head.age for head in _heads(upper)) or _views_over(upper, lower))
        and sum(1 for head in _heads(upper) if head.means in WORKED_WITH and not _of(head)) < FEWEST
    )


def _views_over(upper: list[str], lower: list[str]) -> bool:
    """The upper row names views over columns that stand once for each of them."""
    means = [head.means for head in _heads(lower) if head.means in WORKED_WITH and not head.thickness]
    return len(means) > len(set(means)) and sum(1 for cell in upper if cell) >= FEWEST


def _of(head: Head) -> object:
    """What the exposures of a column are of."""
    return head.size or head.thickness or head.age


def _combined(upper: list[str], lower: list[str]) -> list[Head]:
    """Heads over two rows: an upper one stands over the blanks beside it, and says of which size the lower ones are."""
    found: list[Head] = []
    over = ""
    for at in range(max(len(upper), len(lower))):
        above, below = (row[at] if at < len(row) else "" for row in (upper, lower))
        over = above or over
        if not below:
            if above:
                found.append(head_of(at, above))
            continue
        head = head_of(at, below)
        group = head_of(at, over) if over else None
        if group and head.means in EXPOSURE and _of(group):
            head = replace(head, given=f"{over} {below}", size=group.size, thickness=group.thickness, age=group.age)
        elif group and head.means in EXPOSURE and not group.means:
            head = replace(head, given=f"{over} {below}", view=over)
        elif above and not head.means and group and group.means:
            head = replace(group, at=at, given=f"{over} {below}")
        found.append(head)
    return found


def _of_one_size(heads: list[Head]) -> list[Head]:
    """A thickness that stands with one column of a size is that of the size's other columns too."""
    said = {head.size: head.thickness for head in heads if head.size and head.thickness}
    return [replace(head, thickness=said[head.size]) if head.size in said else head for head in heads]


def _told_apart(heads: list[Head]) -> Iterator[Head]:
    """Columns of one name are numbered, so that a person can say what each is."""
    seen: Counter[str] = Counter()
    for head in heads:
        seen[head.given] += 1
        yield head if seen[head.given] == 1 else replace(head, given=f"{head.given} ({seen[head.given]})")


def _once(heads: list[Head]) -> Iterator[Head]:
    """Each meaning once (of each size and view): of two the sure one, then the first, is it. Of two of an exposure neither
    is taken for granted: the second is doubled, which is a fault until a person says what it is."""
    taken: dict[str, Head] = {}
    for head in heads:
        key = f"{head.means}@{head.view} {head.size or head.thickness or head.age}"
        if head.means and head.means != "unused" and (key not in taken or (head.sure and not taken[key].sure)):
            taken[key] = head
    for head in heads:
        other = head.means and head not in taken.values()
        yield replace(head, means=None, doubled=head.means in EXPOSURE) if other else head


def _mapped(head: Head, mapping: Mapping[str, str | None]) -> Head:
    if head.given not in mapping:
        return head
    name = mapping[head.given]
    if name is None:
        return replace(head, means=None)
    base, _, of = name.partition("@")
    known = ("small", "average", "large", "very_large")
    size = of if of in known else meaning("sizes", of)
    place = _thickness(of, None) if of and not size else None
    age = of if _AGE.fullmatch(of) else None
    view = of if of and not (size or place or age) else None
    return Head(head.at, head.given, _base(base), size, place, age, view, _unit(base) or head.to_cm)


def _body(rows: Rows, header: list[str], heads: list[Head], decided: list[str]) -> tuple[list[Row], list[tuple[int, str]]]:
    """The rows of the table with the headings over them; what is neither is a note."""
    found: list[Row] = []
    sections: tuple[str, ...] = ()
    loose: list[tuple[int, str]] = []
    working = [head.at for head in heads if head.means in EXPOSURE]
    for at, cells in rows:
        filled = [cell for cell in cells if cell]
        if _same(cells, header):
            decided.append(f"Row {at} repeats the heads.")
        elif _TOTAL.match(filled[0]):
            decided.append(f"Row {at}, “{filled[0][:30]}”, is no line of a chart.")
        elif all(not plain(cell) for cell in filled):
            decided.append(f"Row {at} holds nothing.")
        elif all(plain(cell) in UNITS for cell in filled):
            decided.append(f"Row {at} names units.")
        elif any(place < len(cells) and cells[place] for place in working) and len(filled) > 1:
            found.append(Row(at, tuple(cells), sections))
        elif len(filled) <= 2 and not all(re.fullmatch(r"[\d.,/ ]+", cell) for cell in filled):
            # A row that charts nothing: a heading over what follows, or a note where nothing follows.
            loose.append((at, " ".join(filled)))
            sections = (*(() if found and found[-1].sections == sections else sections), " ".join(filled))[-2:]
        else:
            found.append(Row(at, tuple(cells), sections))
    last = found[-1].at if found else 0
    notes = [one for one in loose if one[0] > last]
    for at, text in notes:
        decided.append(f"Row {at}, “{text[:40]}”, is a note.")
    return found, notes


def _same(one: list[str], other: list[str]) -> bool:
    return [plain(cell) for cell in one if cell] == [plain(cell) for cell in other if cell]


def _without_unit(text: str) -> str:
    return re.sub(r"(?i)\b(cm|cms|in|inch|inches|mm|s|sec|ms)\b\.?|\"", " ", text).strip(" ,/-")


def _base(column: str) -> str:
    base, _, unit = column.rpartition("_")
    return base if base in LENGTHS and unit in ("cm", "in") else column


def _unit(column: str) -> float | None:
    base, _, unit = column.rpartition("_")
    return {"cm": 1.0, "in": CM_PER_INCH}.get(unit) if base in LENGTHS else None


def _words(place: Span) -> str:
    return f"{place.low:g}" if place.one else f"{place.low:g}-{place.high:g}"
