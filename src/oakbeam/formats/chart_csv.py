"""Charts as CSV: one row a line, or one row a band or a point of it. docs/chart-csv.md describes the columns for users.

Reading never guesses: a length needs its unit in the column name (thickness_cm, thickness_in) or in the cell ("8 in"), a
half row is named, a mAs that can only be mA is named. All cells are checked before anything is returned, so that a reader
gets every fault at once and nothing is imported unless all of it is valid.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import get_args

from oakbeam.catalogue import Catalogue, shipped
from oakbeam.core.charts.line import ChartLine, Link, Origin
from oakbeam.core.charts.links import MOST_WHY
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, MasRule, Point, SystemName, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import CM_PER_INCH
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.projection import SUPPORTS
from oakbeam.formats.cells import guarded, number, unguarded

MOST_BYTES = 2_000_000
MOST_ROWS = 5_000
LENGTHS = (
    "sid",
    "range_min",
    "range_max",
    "thickness",
    "field_width",
    "field_height",
    "band_min",
    "band_max",
    "doubling",
    "base",
    "thicker",
)
PLAIN = (
    "line",
    "follows",
    "plus_kvp",
    "times_mas",
    "follows_why",
    "projection",
    "support",
    "receptor",
    "grid_ratio",
    "school",
    "kvp",
    "mas",
    "kvp_per_cm",
    "target_ei",
    "filter",
    "exposure_control",
    "aec_cells",
    "aec_density",
    "origin",
    "origin_spread_di",
    "band",
    "note",
)
COLUMNS = (
    "projection",
    "support",
    "receptor",
    "grid_ratio",
    "sid_cm",
    "range_min_cm",
    "range_max_cm",
    "school",
    "thickness_cm",
    "kvp",
    "mas",
    "doubling_cm",
    "kvp_per_cm",
    "base_cm",
    "band",
    "band_min_cm",
    "band_max_cm",
    "target_ei",
    "field_width_cm",
    "field_height_cm",
    "filter",
    "exposure_control",
    "aec_cells",
    "aec_density",
    "line",
    "follows",
    "plus_kvp",
    "times_mas",
    "thicker_cm",
    "follows_why",
    "origin",
    "origin_spread_di",
    "note",
)
_REQUIRED = ("projection", "support", "receptor", "grid_ratio", "sid", "range_min", "range_max", "school", "kvp", "mas")
CONTROLS: tuple[ExposureControl, ...] = get_args(ExposureControl)
ORIGINS: tuple[Origin, ...] = get_args(Origin)
SPREAD_DI_RANGE = (0.05, 5.0)
_NEEDS: dict[SystemName, tuple[str, ...]] = {
    "fixed_kvp": ("thickness", "doubling"),
    "variable_kvp": ("thickness", "kvp_per_cm"),
    "banded": ("band", "band_min", "band_max"),
    "levelled": ("thickness", "base"),
}
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)$")
_LENGTH = re.compile(r"([+-]?[\d.,]+)\s*(cm|in|inch|inches|\"|mm)?$", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class BadCell:
    """A fault in a file: row counts from 1 with the header as row 1; column is the file's own name for it, or ""."""

    row: int
    column: str
    problem: str


MOST_CELL = 1000
"""Characters in a cell: a note is the longest thing a chart holds."""
MOST_COLUMNS = 200
MOST_FAULTS = 500
"""Faults named of one file; whoever has more wants the first of them."""
_THOUSANDS = re.compile(r"[+-]?[1-9]\d{0,2}(,\d{3})+")
_THOUSANDS_DOT = re.compile(r"[+-]?[1-9]\d{0,2}(\.\d{3})+")
_DECIMAL_COMMA = re.compile(r"[+-]?(\d*,(\d{1,2}|\d{4,})|0,\d+)")


class BadFile(Refusal):
    """A file that was not imported, with every fault found."""

    def __init__(self, faults: list[BadCell]) -> None:
        first = faults[0]
        where = f"row {first.row}" + (f", column {first.column}" if first.column else "")
        rest = "" if len(faults) == 1 else f" (and {len(faults) - 1} more)"
        super().__init__("Nothing was imported", f"{where}: {first.problem}{rest}")
        self.faults = faults


def write(lines: Iterable[ChartLine]) -> str:
    """The lines as CSV in centimetres; `read` gives identical lines back (ids apart)."""
    out = io.StringIO()
    table = csv.DictWriter(out, COLUMNS, restval="", lineterminator="\r\n")
    table.writeheader()
    for line in lines:
        table.writerows(rows_for(line))
    return out.getvalue()


def read(text: str, room: Room, known: Catalogue | None = None) -> tuple[ChartLine, ...]:
    """The lines of a CSV file for a room; known: the catalogue they name projections of, None for the shipped one.

    Raises BadFile with the row and column of every fault."""
    return read_rows(rows_of(text), room, known)


Rows = list[tuple[int, list[str]]]
"""The rows of a file: the number it counts them by, and its cells."""


def rows_of(text: str) -> Rows:
    """The rows of a CSV text that hold anything. BadFile where it is not one."""
    if len(text) > MOST_BYTES:
        raise BadFile([BadCell(1, "", f"The file is larger than {MOST_BYTES // 1_000_000} MB.")])
    if "\0" in text:
        raise BadFile([BadCell(1, "", "The file holds binary data; save it as CSV text.")])
    reader = csv.reader(io.StringIO(text.lstrip("\ufeff"), newline=""), delimiter=_delimiter(text), strict=True)
    try:
        rows = [(reader.line_num, [cell.strip() for cell in row]) for row in reader]
    except csv.Error as error:
        raise BadFile([BadCell(reader.line_num, "", f"This is not readable as CSV: {error}.")]) from None
    rows = [(at, row) for at, row in rows if any(row)]
    return checked_rows(rows)


def checked_rows(rows: Rows) -> Rows:
    """The rows where there are some, none of them larger than a chart's can be; BadFile otherwise."""
    if not rows:
        raise BadFile([BadCell(1, "", "The file is empty; the first row must name the columns.")])
    if len(rows) > MOST_ROWS:
        raise BadFile([BadCell(MOST_ROWS, "", f"More than {MOST_ROWS} rows.")])
    for at, row in rows:
        if len(row) > MOST_COLUMNS:
            raise BadFile([BadCell(at, "", f"More than {MOST_COLUMNS} columns.")])
        if any(len(cell) > MOST_CELL for cell in row):
            raise BadFile([BadCell(at, "", f"A cell of more than {MOST_CELL} characters; this is no chart.")])
    return rows


def read_rows(rows: Rows, room: Room, known: Catalogue | None = None) -> tuple[ChartLine, ...]:
    """The lines of rows whose first names the columns (see `read`)."""
    header = _header(rows[0][1])
    faults: list[BadCell] = []
    commas = _decimal_commas(rows)
    records = [_Record(at, row, header, faults, known or shipped(), commas) for at, row in rows[1:]]
    if not records:
        faults.append(BadCell(2, "", "There is no row below the header."))
    lines = _lines(records, room)
    faults += _loose_links(records, lines)
    if faults:
        raise BadFile(sorted(faults, key=lambda fault: fault.row)[:MOST_FAULTS])
    return tuple(lines)


def _decimal_commas(rows: Rows) -> frozenset[int]:
    """The places of columns in which some cell settles that a comma is a decimal mark: "2,5" can be nothing else."""
    return frozenset(place for _, row in rows[1:] for place, cell in enumerate(row) if _DECIMAL_COMMA.fullmatch(cell))


@dataclass(frozen=True, slots=True)
class _Column:
    place: int
    given: str
    to_cm: float | None


def _delimiter(text: str) -> str:
    first = text.lstrip("\ufeff").split("\n", 1)[0]
    return max(",;\t", key=first.count)


def _header(names: list[str]) -> dict[str, _Column]:
    faults: list[BadCell] = []
    found: dict[str, _Column] = {}
    for place, given in enumerate(names):
        name = given.lower().replace(" ", "_")
        base, _, unit = name.rpartition("_")
        if base in LENGTHS and unit in ("cm", "in"):
            key, to_cm = base, 1.0 if unit == "cm" else CM_PER_INCH
        elif name in LENGTHS:
            key, to_cm = name, None
        elif name in PLAIN:
            key, to_cm = name, 1.0
        elif not name:
            continue
        else:
            hint = " Is mAs meant? Then name the column mas." if name == "ma" else ""
            faults.append(BadCell(1, given, f"This column is not known.{hint} Known: {', '.join(COLUMNS)}."))
            continue
        if key in found:
            faults.append(BadCell(1, given, "This column stands twice."))
        found[key] = _Column(place, given, to_cm)
    missing = [name for name in _REQUIRED if name not in found]
    if missing and not faults:
        shown = [f"{name}_cm" if name in LENGTHS else name for name in missing]
        faults.append(BadCell(1, "", f"Missing column: {', '.join(shown)}."))
    if faults:
        raise BadFile(faults)
    return found


class _Record:
    """One row: typed access to its cells; each fault is noted once, with its column, and reads as None."""

    def __init__(
        self,
        at: int,
        cells: list[str],
        header: dict[str, _Column],
        faults: list[BadCell],
        known: Catalogue,
        commas: frozenset[int],
    ) -> None:
        self.at, self._cells, self._header, self._faults, self.known = at, cells, header, faults, known
        self._commas = commas
        if len(cells) > len(header) and any(cells[max(c.place for c in header.values()) + 1 :]):
            self.fault("", "The row has more cells than the header; a decimal comma needs quotes or ';' between cells.")

    def fault(self, key: str, problem: str) -> None:
        column = self._header.get(key)
        self._faults.append(BadCell(self.at, column.given if column else key, problem))

    def text(self, key: str) -> str:
        column = self._header.get(key)
        return self._cells[column.place] if column and column.place < len(self._cells) else ""

    def number(self, key: str) -> float | None:
        cell = self.text(key)
        if not cell:
            return None
        if not _NUMBER.match(cell):
            self.fault(key, f"'{cell[:40]}' is not a number.")
            return None
        return self._plain(key, cell)

    def _plain(self, key: str, cell: str) -> float | None:
        """A number as it stands. A mark before three digits is a fault where the column does not settle what it means."""
        settled = self._header[key].place in self._commas
        if _THOUSANDS.fullmatch(cell) and not settled:
            both = f"{cell.replace(',', '.')} or {cell.replace(',', '')}"
            self.fault(key, f"'{cell[:40]}' may be {both[:80]}: write it without the comma.")
            return None
        if _THOUSANDS_DOT.fullmatch(cell) and settled:
            self.fault(key, f"'{cell[:40]}' may be a thousand, as this column has decimal commas: write it without the dot.")
            return None
        return float(cell.replace(",", "."))

    def length_cm(self, key: str) -> float | None:
        """A length in cm. The unit comes from the cell or from the column; with neither it is a fault, not a guess."""
        cell = self.text(key)
        if not cell:
            return None
        match = _LENGTH.match(cell)
        if not match or not _NUMBER.match(match[1]):
            self.fault(key, f"'{cell[:40]}' is not a length.")
            return None
        value, unit = self._plain(key, match[1]), (match[2] or "").lower()
        if value is None:
            return None
        in_column = self._header[key].to_cm
        if not unit:
            if in_column is None:
                self.fault(
                    key, f"The unit of '{cell}' cannot be told: name the column {key}_cm or {key}_in, or write it here."
                )
                return None
            return value * in_column
        to_cm = {"cm": 1.0, "mm": 0.1}.get(unit, CM_PER_INCH)
        if in_column is not None and to_cm != in_column:
            self.fault(key, f"'{cell}' contradicts the unit of its column.")
            return None
        return value * to_cm

    def need(self, *keys: str) -> bool:
        """Note every empty cell among keys as a fault; true where none is empty."""
        missing = [key for key in keys if not self.text(key)]
        half = {"kvp": "mas", "mas": "kvp"}
        for key in missing:
            partner = half.get(key)
            if partner and self.text(partner):
                self.fault(key, f"Half a row: {partner} is given but {key} is not.")
            else:
                self.fault(key, "This cell is empty.")
        return not missing


def _lines(records: list[_Record], room: Room) -> list[ChartLine]:
    """Each record is a line; records of bands or points that follow each other with the same conditions are one line."""
    lines: list[ChartLine] = []
    group: list[tuple[_Record, ChartLine, Band]] = []
    levels: list[tuple[_Record, ChartLine, float, Point]] = []

    def close() -> None:
        if group:
            record, line, _ = group[0]
            _keep(lines, record, line, Banded(tuple(band for _, _, band in group)), room)
            group.clear()
        if levels:
            record, line, base, _ = levels[0]
            _keep(lines, record, line, Levelled(tuple(point for *_, point in levels), base), room)
            levels.clear()

    for record in records:
        line = _conditions(record)
        school = _school(record)
        if line is None or school is None or not record.need("kvp", "mas", *_NEEDS[school]):
            continue
        kvp, mas = record.number("kvp"), record.number("mas")
        if kvp is None or mas is None or not _stray_cells(record, school):
            continue
        if school == "banded":
            low, high = record.length_cm("band_min"), record.length_cm("band_max")
            if low is None or high is None or not _plausible_mas(record, mas, (low + high) / 2, room):
                continue
            band = Band(unguarded(record.text("band")), low, high, kvp, mas)
            if levels or (
                group and (_other(group[0][1], line) or low == line.range_cm[0])
            ):  # other conditions, or a line that starts anew
                close()
            group.append((record, line, band))
            continue
        if school == "levelled":
            place, base = record.length_cm("thickness"), record.length_cm("base")
            # Only the base was ever exposed; the model's points may ask for more than the room has, and the table says so.
            if place is None or base is None or (place == base and not _plausible_mas(record, mas, place, room)):
                continue
            # Other conditions, or points that start again: another line.
            first = levels[0] if levels else None
            anew = first and (_other(first[1], line) or first[2] != base or place <= levels[-1][3].thickness_cm)
            if group or anew:
                close()
            levels.append((record, line, base, Point(place, kvp, mas)))
            continue
        close()
        thickness = record.length_cm("thickness")
        parameter = record.length_cm("doubling") if school == "fixed_kvp" else record.number("kvp_per_cm")
        if thickness is None or parameter is None or not _plausible_mas(record, mas, thickness, room):
            continue
        law = (FixedKvp if school == "fixed_kvp" else VariableKvp)(thickness, kvp, mas, parameter)
        _keep(lines, record, line, law, room)
    close()
    return lines


def _other(one: ChartLine, line: ChartLine) -> bool:
    """Whether two rows belong to different lines."""
    return one != line or one.key != line.key


def _loose_links(records: list[_Record], lines: list[ChartLine]) -> list[BadCell]:
    """A line that follows one that the file does not have, or itself."""
    keys = {line.key for line in lines}
    loose = {line.link.to for line in lines if line.link and (line.link.to not in keys or line.link.to == line.key)}
    return [
        BadCell(record.at, "follows", f"There is no other line {record.text('follows')} to follow.")
        for record in records
        if record.text("follows") in {number(key) for key in loose}
    ]


def _link(record: _Record) -> Link | None:
    """What the row says of the line that it follows."""
    to = record.number("follows")
    if to is None:
        return None
    plus, times, thicker = record.number("plus_kvp"), record.number("times_mas"), record.length_cm("thicker")
    why = unguarded(record.text("follows_why"))
    if len(why) > MOST_WHY:
        record.fault("follows_why", f"A reason has at most {MOST_WHY} characters.")
    return Link(int(to), plus or 0.0, 1.0 if times is None else times, thicker or 0.0, why)


def _origin(record: _Record) -> tuple[Origin, float | None]:
    """Where the row's numbers come from, and how sure a draft from test exposures said it was [DI]."""
    given, spread_di = record.text("origin").lower() or "typed", record.number("origin_spread_di")
    origin = next((one for one in ORIGINS if one == given), None)
    if origin is None:
        record.fault("origin", f"'{given[:40]}' is not where a line comes from; one of: {', '.join(ORIGINS)}.")
    low, high = SPREAD_DI_RANGE
    if spread_di is not None and (origin != "tests" or not low <= spread_di <= high):
        record.fault("origin_spread_di", f"A line from tests says how sure it is: {low:g} to {high:g} DI; others do not.")
        spread_di = None
    return origin or "typed", spread_di


def _conditions(record: _Record) -> ChartLine | None:
    """The line's conditions without its law (a placeholder stands there), or None where a cell is at fault."""
    complete = record.need(*(key for key in _REQUIRED if key not in ("kvp", "mas", "school")))
    sid, low, high = (record.length_cm(key) for key in ("sid", "range_min", "range_max"))
    ratio, target = record.number("grid_ratio"), record.number("target_ei")
    width, height = record.length_cm("field_width"), record.length_cm("field_height")
    support = record.text("support").lower()
    if support and support not in SUPPORTS:
        record.fault("support", f"'{support[:40]}' is not a support; one of: {', '.join(SUPPORTS)}.")
        return None
    density, (origin, spread_di) = record.number("aec_density"), _origin(record)
    control = next((one for one in CONTROLS if one == (record.text("exposure_control").lower() or "manual")), None)
    if control is None:
        given = record.text("exposure_control")[:40]
        record.fault("exposure_control", f"'{given}' is not an exposure control; one of: {', '.join(CONTROLS)}.")
        return None
    if density is not None and density != int(density):
        record.fault("aec_density", f"{density:g} is not a density step: a whole number.")
        return None
    if (width is None) != (height is None):
        record.fault("field_height" if height is None else "field_width", "Half a field: give width and height, or neither.")
        return None
    if ratio is not None and ratio not in rules_of_thumb.GRID_FACTORS_AVERAGE:
        record.fault(
            "grid_ratio",
            f"{ratio:g} is not a grid ratio; one of: {', '.join(map(str, rules_of_thumb.GRID_FACTORS_AVERAGE))}.",
        )
        return None
    if not complete or sid is None or low is None or high is None or ratio is None:
        return None
    return ChartLine(
        projection=record.text("projection"),
        receptor=record.text("receptor"),
        support=next(known for known in SUPPORTS if known == support),
        grid_ratio=int(ratio),
        sid_cm=sid,
        range_cm=(low, high),
        law=Banded(()),
        target_ei=target,
        field_cm=None if width is None or height is None else (width, height),
        note=unguarded(record.text("note")),
        link=_link(record),
        filter=record.text("filter") or None,
        exposure_control=control,
        aec_cells=record.text("aec_cells").upper().replace("NONE", "none") or None,
        aec_density=int(density or 0),
        origin=origin,
        origin_spread_di=spread_di,
        key=None if (key := record.number("line")) is None else int(key),
    )


def _school(record: _Record) -> SystemName | None:
    given = record.text("school").lower().replace(" ", "_")
    for school in _NEEDS:
        if given == school:
            return school
    unknown = f"'{given[:40]}' is not a technique system; one of: {', '.join(_NEEDS)}."
    record.fault("school", unknown if given else "This cell is empty.")
    return None


def _stray_cells(record: _Record, school: SystemName) -> bool:
    """A cell that belongs to another technique system is a contradiction, not something to drop."""
    others = {key for keys in _NEEDS.values() for key in keys} - set(_NEEDS[school])
    stray = [key for key in sorted(others) if record.text(key)]
    for key in stray:
        record.fault(key, f"This cell does not belong to a {school} row; empty it or change the technique system.")
    return not stray


def _plausible_mas(record: _Record, mas: float, thickness_cm: float, room: Room) -> bool:
    """False, with a fault, where the number is so large that it must be a tube current.

    20 mAs doubled every 5 cm is some ten times what any usual receptor needs; ten times what the room's highest mA gives
    within the projection's usual time ceiling, and the room's highest station, bound it too.
    """
    by_thickness = 20 * 2 ** (min(max(thickness_cm, 0), 45) / 5)
    projection = record.known.projections.get(record.text("projection"))
    by_time = 10 * room.generator.ma[-1] * (projection.time_ceiling_ms if projection else 1000) / 1000
    most = min(room.generator.mas[-1], by_thickness, by_time)
    if mas <= most:
        return True
    record.fault("mas", f"{mas:g} is far too much mAs for {thickness_cm:g} cm: is it mA? Give mAs (mA × seconds).")
    return False


def _keep(lines: list[ChartLine], record: _Record, line: ChartLine, law: MasRule, room: Room) -> None:
    whole = ChartLine(**{**{name: getattr(line, name) for name in ChartLine.__dataclass_fields__}, "law": law})
    try:
        lines.append(check_line(whole, record.known.projection(whole.projection), room))
    except Refusal as refusal:
        record.fault((refusal.field or "").replace("_cm", "").replace(".", "_"), refusal.detail)


def rows_for(line: ChartLine) -> list[dict[str, str]]:
    """The rows of a line, by column; what a column does not have is left out."""
    law = line.law
    common = {
        "projection": line.projection,
        "support": line.support,
        "receptor": line.receptor,
        "grid_ratio": number(line.grid_ratio),
        "sid_cm": number(line.sid_cm),
        "range_min_cm": number(line.range_cm[0]),
        "range_max_cm": number(line.range_cm[1]),
        "school": law.name,
        "target_ei": number(line.target_ei),
        "field_width_cm": number(line.field_cm[0] if line.field_cm else None),
        "field_height_cm": number(line.field_cm[1] if line.field_cm else None),
        "filter": line.filter or "",
        "exposure_control": line.exposure_control,
        "aec_cells": line.aec_cells or "",
        "aec_density": number(line.aec_density or None),
        "line": number(line.key),
        **(
            {
                "follows": number(line.link.to),
                "plus_kvp": number(line.link.kvp_added),
                "times_mas": number(line.link.mas_factor),
                "thicker_cm": number(line.link.thicker_cm),
                "follows_why": guarded(line.link.why),
            }
            if line.link
            else {}
        ),
        "origin": line.origin if line.origin != "typed" else "",
        "origin_spread_di": number(line.origin_spread_di),
        "note": guarded(line.note),
    }
    if isinstance(law, Banded):
        return [
            {
                **common,
                "band": guarded(band.name),
                "band_min_cm": number(band.min_cm),
                "band_max_cm": number(band.max_cm),
                "kvp": number(band.kvp),
                "mas": number(band.mas),
            }
            for band in law.bands
        ]
    if isinstance(law, Levelled):
        return [
            {
                **common,
                "base_cm": number(law.base_cm),
                "thickness_cm": number(point.thickness_cm),
                "kvp": number(point.kvp),
                "mas": number(point.mas),
            }
            for point in law.points
        ]
    single = {"thickness_cm": number(law.thickness_cm), "kvp": number(law.kvp), "mas": number(law.mas)}
    if isinstance(law, FixedKvp):
        return [{**common, **single, "doubling_cm": number(law.doubling_cm)}]
    return [{**common, **single, "kvp_per_cm": number(law.kvp_per_cm)}]
