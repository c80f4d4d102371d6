"""A file looked at before anything is kept: its table, how each column and cell was taken, what is asked, and the lines."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass

from oakbeam.catalogue import Catalogue
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.formats.chart_csv import LENGTHS, MOST_FAULTS, BadCell, BadFile, read_rows
from oakbeam.formats.chart_import.files import File, Sheet
from oakbeam.formats.chart_import.lines import di_of, lines_of
from oakbeam.formats.chart_import.made import Made
from oakbeam.formats.chart_import.names import named
from oakbeam.formats.chart_import.questions import Asking, Option, Question, Taken
from oakbeam.formats.chart_import.set_up import Origin, Reading
from oakbeam.formats.chart_import.settings import decimal_commas, settings_of, thickness_unit
from oakbeam.formats.chart_import.table import FOREIGN, OURS, Table, is_ours, table_of
from oakbeam.formats.chart_import.words import plain

MEANINGS = (*(f"{name}_cm" if name in LENGTHS else name for name in OURS), *FOREIGN)
"""What a column can be taken as."""
FILLED_IN = ("support", "receptor", "grid_ratio", "sid_cm")
"""What can be said once for all lines."""
SHOWN_CELLS = 5
SHOWN_HEADS = 12
_VALUE = re.compile(r"[<>≤≥~±+-]? ?\d{1,4}(?:[.,]\d+)?(?: ?(?:-|–|to|bis|a|/) ?\d{1,4}(?:[.,]\d+)?)? ?\D{0,6}$")
"""A cell that is a number, or a span of numbers, with a unit at most."""


@dataclass(frozen=True, slots=True)
class Column:
    """A column of the file: the file's name for it, what it is taken as (None: left out), and its first cells."""

    given: str
    taken_as: str | None
    sample: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SheetSeen:
    """A sheet of the file with its first rows, for a person to point at the heads."""

    name: str
    rows: tuple[tuple[int, tuple[str, ...]], ...]


@dataclass(frozen=True, slots=True)
class Preview:
    """What an import would give. lines: those ready to be kept; made: every line with where its figures come from and what
    it waits for. decided: what was settled to read the file, in words. unread: rows that make no line yet."""

    columns: tuple[Column, ...]
    taken: tuple[Taken, ...]
    lines: tuple[ChartLine, ...] = ()
    faults: tuple[BadCell, ...] = ()
    questions: tuple[Question, ...] = ()
    made: tuple[Made, ...] = ()
    decided: tuple[str, ...] = ()
    sheets: tuple[SheetSeen, ...] = ()
    unread: tuple[int, ...] = ()

    @property
    def ready(self) -> bool:
        """Whether nothing is open: every question answered, every fault mended or left out."""
        return not self.faults and all(one.answer is not None for one in self.questions)


def preview(
    file: File,
    room: Room,
    known: Catalogue,
    mapping: Mapping[str, str | None] | None = None,
    defaults: Mapping[str, str] | None = None,
    answers: Mapping[str, str] | None = None,
) -> Preview:
    """Read a file. mapping: what a column is, by the file's name for it, where a person said so (None leaves it out).

    defaults: what every line has, by our column, where the file does not say it. answers: by the question's id; "leave
    out" for `row:N` leaves that row out. Nothing is kept. Raises BadFile where there is nothing to read, Refusal for a
    mapping that names no column.
    """
    mapping, defaults, asking = mapping or {}, defaults or {}, Asking(answers or {})
    _refuse_unknown(mapping)
    _refuse_defaults(defaults, room)
    seen = tuple(SheetSeen(one.name, tuple((at, tuple(cells[:14])) for at, cells in one.rows[:30])) for one in file.sheets)
    filled = [sheet for sheet in file.sheets if sheet.rows]
    if not filled:
        raise BadFile([BadCell(1, "", "The file is empty; a row must name the columns.")])
    ours = filled[0]
    if is_ours([plain(name).replace(" ", "_") for name in ours.rows[0][1]]):
        return _of_our_own(_without(ours, mapping), file, room, known, seen)
    tables = [table for sheet in filled if (table := table_of(sheet, mapping, _heads_of(sheet, asking))) is not None]
    if not tables:
        _ask_for_heads(filled[0], asking)
        return Preview((), (), questions=tuple(asking.questions.values()), decided=file.decided, sheets=seen)
    table = _picked(tables, asking)
    for head in table.heads:
        if head.doubled:
            asking.fault(table.at, head.given, "Another column says the same: say what each is, or leave one out.")
    _ask_of_columns_left(table, mapping, asking)
    made = _made_of(table, room, known, defaults, asking)
    mark = "comma" if decimal_commas(table) else "point"
    rows = {row.at for row in table.rows if not asking.left_out(row.at)}
    charted = {row for one in made for row in one.rows}
    return Preview(
        tuple(_column(table, at) for at in range(len(table.heads))),
        tuple(sorted(asking.taken.values(), key=lambda one: one.row)),
        tuple(one.line for one in made if not one.waits),
        tuple(sorted(asking.faults, key=lambda one: one.row)[:MOST_FAULTS]),
        tuple(asking.questions.values()),
        tuple(made),
        (*file.decided, *table.decided, f"Decimal mark: {mark}."),
        seen,
        tuple(sorted(rows - charted - asking.dropped)),
    )


def _made_of(table: Table, room: Room, known: Catalogue, defaults: Mapping[str, str], asking: Asking) -> list[Made]:
    """The lines that a table would make."""
    names, commas = named(table, known, asking), decimal_commas(table)
    shown = {at: entry for (at, _), one in names.items() if (entry := known.projections.get(one.projection or ""))}
    reading = Reading(room, known, commas, thickness_unit(table, shown, commas, asking), defaults)
    read = [one for one in settings_of(table, names, reading, asking) if one.row not in asking.dropped]
    return lines_of(read, room, known.projections, asking)


def _ask_of_columns_left(table: Table, mapping: Mapping[str, str | None], asking: Asking) -> None:
    """Ask of each column of values that nothing took: it may say what the others are for."""
    for head in table.heads:
        cells = [(row.at, cell) for row in table.rows if (cell := row.cell(head))]
        values = [cell for _, cell in cells if _VALUE.match(cell)]
        if head.means is not None or head.doubled or head.given in mapping or 2 * len(values) <= len(cells):
            continue
        shown = ", ".join(dict.fromkeys(values[:4]))
        text = f"Nothing here takes the column “{head.given[:40]}” ({shown}): what is it? Say so in the columns, or"
        choices = (Option("nothing", "it says nothing of the technique: read without it"),)
        asking.ask(
            "column", head.given[:60], f"{text} read without it.", [row for row, _ in cells], choices, given=head.given
        )


def answers_of(text: str) -> dict[str, str]:
    """The answers of a file of them; Refusal where it is not one."""
    try:
        found = json.loads(text)
    except ValueError as error:
        raise Refusal("Not JSON", f"The answers are not JSON: {error}.", None, "answers") from None
    if not isinstance(found, dict) or not all(isinstance(one, str) for pair in found.items() for one in pair):
        raise Refusal("Answers", "Answers are an object: the question's id, and the answer as text.", None, "answers")
    return found


def _refuse_unknown(mapping: Mapping[str, str | None]) -> None:
    for name in mapping.values():
        base = (name or "").partition("@")[0]
        in_cm = f"{base.removesuffix('_in').removesuffix('_cm')}_cm"
        if name is not None and base not in MEANINGS and in_cm not in MEANINGS:
            raise Refusal("Unknown column", f"'{name[:40]}' is no column of a chart.", list(MEANINGS), "mapping")


def _refuse_defaults(defaults: Mapping[str, str], room: Room) -> None:
    """Refuse what cannot hold for all lines of a chart of this room."""
    for name, text in defaults.items():
        if name not in FILLED_IN:
            raise Refusal("Not for all lines", f"'{name[:40]}' cannot be said for all lines.", list(FILLED_IN), "defaults")
        if name == "support":
            room.support(text)
        elif name == "receptor":
            room.receptor(text)
        elif not re.fullmatch(r"\d{1,3}(\.\d{1,2})?" if name == "sid_cm" else r"\d{1,2}", text):
            raise Refusal("Not a number", f"'{text[:40]}' is no number for {name}.", None, f"defaults.{name}")


def _without(sheet: Sheet, mapping: Mapping[str, str | None]) -> Sheet:
    """The sheet without the columns that a person left out."""
    kept = [at for at, name in enumerate(sheet.rows[0][1]) if mapping.get(name, name) is not None]
    return Sheet(sheet.name, [(row, [cells[at] for at in kept if at < len(cells)]) for row, cells in sheet.rows])


def _of_our_own(sheet: Sheet, file: File, room: Room, known: Catalogue, seen: tuple[SheetSeen, ...]) -> Preview:
    """A file with the heads of our own: read as it stands, nothing taken as anything else."""
    header = sheet.rows[0][1]
    sample = [tuple(row[at] for _, row in sheet.rows[1 : 1 + SHOWN_CELLS] if at < len(row)) for at in range(len(header))]
    columns = tuple(
        Column(name, plain(name).replace(" ", "_"), cells) for name, cells in zip(header, sample, strict=True) if name
    )
    try:
        lines = read_rows(sheet.rows, room, known)
    except BadFile as bad:
        return Preview(columns, (), (), tuple(bad.faults), decided=file.decided, sheets=seen)
    origin = {"all": Origin("exact", "a file of our own")}
    made = tuple(Made(line, (), origin, (), di_of(line, room, known.projections[line.projection])) for line in lines)
    return Preview(columns, (), lines, made=made, decided=(*file.decided, "The columns of our own files."), sheets=seen)


def _heads_of(sheet: Sheet, asking: Asking) -> int | None:
    answer = asking.answers.get(f"heads:{sheet.name}", "")
    return int(answer) if answer.isdigit() else None


def _ask_for_heads(sheet: Sheet, asking: Asking) -> None:
    choices = [Option(str(at), " | ".join(filter(None, cells))[:80]) for at, cells in sheet.rows[:SHOWN_HEADS]]
    text = "No row names kVp and mAs as columns. Which row holds the heads?"
    asking.ask("heads", sheet.name, text, [at for at, _ in sheet.rows[:1]], choices)


def _picked(tables: list[Table], asking: Asking) -> Table:
    """The table of the sheet that is meant; asked where there are several: each is a file of its own, with rows of its own
    numbers, and the next one goes into the same draft."""
    if len(tables) < 2:
        return tables[0]
    choices = [Option(table.sheet, f"{table.sheet}: {len(table.rows)} rows") for table in tables]
    text = f"The file has {len(tables)} sheets with a table: which is read? The next goes into the same draft."
    rows = [row.at for row in tables[0].rows]
    answer = asking.ask("sheet", "which", text, rows, choices, tables[0].sheet, given="sheets")
    return next((table for table in tables if table.sheet == answer), tables[0])


def _column(table: Table, at: int) -> Column:
    head = table.heads[at]
    sample = tuple(row.cell(head) for row in table.rows[:SHOWN_CELLS])
    return Column(head.given, None if head.means == "unused" else head.taken_as, sample)
