"""The rows of a table as settings: for which projection and set-up, at which thickness, which kVp and mAs."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace

from oakbeam.core.lengths import CM_PER_INCH
from oakbeam.core.projection import Projection
from oakbeam.formats.chart_import import values
from oakbeam.formats.chart_import.names import Named, views_of
from oakbeam.formats.chart_import.questions import LEFT_OUT, Asking, Option
from oakbeam.formats.chart_import.set_up import Origin, Reading, RowReader, SetUp
from oakbeam.formats.chart_import.table import EXPOSURE, Head, Table
from oakbeam.formats.chart_import.values import Span, Unclear
from oakbeam.formats.chart_import.words import meaning, plain

_KVP_SAID = re.compile(r"(?i)\b(\d{2,3}) ?kvp?\b|\bkvp? ?[:=]? ?(\d{2,3})\b")
_MAS_SAID = re.compile(r"(?i)\b(\d{1,3}(?:[.,]\d+)?) ?mas\b|\bmas ?[:=]? ?(\d{1,3}(?:[.,]\d+)?)\b")
IN_MS = 3.0
"""A time of this many or more is likelier one of milliseconds."""


@dataclass(frozen=True, slots=True)
class Setting:
    """One exposure of a chart. projection: its id, None while it is asked. thickness: [cm], None where the file says none;
    size: small, average …; age: of a child. control: "aec" where a chamber ends it, mas None then. sources: by the name of
    the line's field."""

    row: int
    projection: str | None
    setup: SetUp
    kvp: float
    mas: float | None
    thickness: Span | None = None
    size: str | None = None
    age: str | None = None
    control: str | None = None
    sources: dict[str, Origin] = field(default_factory=dict)


def decimal_commas(table: Table) -> bool:
    """Whether the file's decimal mark is a comma: some number has one that can be nothing else, and none has such a dot."""
    cells = [cell for row in table.rows for cell in row.cells if re.fullmatch(r"[\d.,]+", cell)]
    comma = sum(1 for cell in cells if re.fullmatch(r"\d*,\d{1,2}", cell) or re.fullmatch(r"0,\d+", cell))
    dot = sum(1 for cell in cells if re.fullmatch(r"\d*\.\d{1,2}", cell) or re.fullmatch(r"0\.\d+", cell))
    return comma > dot


def settings_of(table: Table, names: Mapping[tuple[int, str], Named], reading: Reading, asking: Asking) -> list[Setting]:
    """The settings of a table. What is not understood is a fault, what is not clear a question; its row waits."""
    found: list[Setting] = []
    for row in table.rows:
        for view in views_of(table):
            if (row.at, view) in names:
                found += _Exposures(row, table, reading, asking, names[row.at, view]).settings(view)
    return found


class _Stop(Exception):
    """Some cells make no exposure: they are empty, at fault, or wait for an answer."""


Cells = Mapping[str, tuple[Head, str]]
"""The cells of one exposure, with their columns, by meaning."""


class _Exposures(RowReader):
    """The exposures of a row."""

    def settings(self, view: str) -> Iterator[Setting]:
        """One for each size, thickness or age that the row has an exposure of, under a view."""
        name = self.name
        column = next((head.given for head in self.table.heads if head.means in ("projection", "region", "view")), "")
        if name.projection and name.projection != name.said:
            self.asking.note(self.row.at, column, name.said, name.projection, name.confidence, name.why)
        where = f"row {self.row.at}, {column}" if column else "what stands over it"
        self.sources["projection"] = Origin(name.confidence, where)
        setup = self.set_up()
        for heads in self._groups(view):
            with suppress(_Stop):
                yield self._exposure(heads, setup)

    def _groups(self, view: str) -> list[tuple[Head, ...]]:
        """The columns of each exposure: those of a size, thickness or age together."""
        groups: dict[tuple[object, ...], list[Head]] = {}
        for head in self.table.heads:
            if head.means in EXPOSURE and head.view in (None, view):
                groups.setdefault((head.view, head.size, head.thickness, head.age), []).append(head)
        once = groups.pop((None, None, None, None), [])
        if not groups:
            return [tuple(once)] if once else []
        # A kVp that stands once is that of every size.
        return [(*(one for one in once if one.means not in {h.means for h in own}), *own) for own in groups.values()]

    def _exposure(self, heads: tuple[Head, ...], setup: SetUp) -> Setting:
        cells = {str(head.means): (head, cell) for head in heads if (cell := self.row.cell(head)) and cell not in "-–—"}
        own = next((head for head in heads if _own(head)), None)
        if own and not any(_own(head) for head, _ in cells.values()):
            raise _Stop
        sources: dict[str, Origin] = {}
        kvp, mas, aec = self._numbers(cells, setup, sources)
        said_control = self.control[0]
        aec = aec or said_control == "aec"
        kvp = kvp or self.said_over("kvp", _KVP_SAID, sources)
        if mas is None and not aec and (said := self.said_over("mas", _MAS_SAID, sources)):
            mas = said.low
        if kvp is None and mas is None:
            raise _Stop
        if kvp is None or (mas is None and not aec):
            there, missing = ("mAs", "kVp") if kvp is None else ("kVp", "mAs")
            head = next((one for one in heads if one.means == missing.lower()), heads[0])
            self.fault(head, f"Half a row: {there} is given but {missing} is not.")
            raise _Stop
        thickness = own.thickness if own and own.thickness else self._thickness(sources)
        if own and own.thickness:
            sources["thickness_cm"] = Origin("exact", f"the head “{own.given}”")
        size = own.size if own and own.size else self._size(sources)
        age = own.age if own and own.age else self.text("age") or self.text("weight") or None
        if not (thickness or size or age) and any(one is not None for one in setup.range_cm):
            thickness, setup = self._of_from_and_to(setup, sources), replace(setup, range_cm=(None, None))
        control = "aec" if aec else said_control
        return Setting(
            self.row.at,
            self.name.projection,
            setup,
            self._of_range(kvp),
            None if mas is None else round(mas, 4),
            thickness,
            size,
            age,
            control,
            {**self.sources, **sources},
        )

    def _numbers(self, cells: Cells, setup: SetUp, sources: dict[str, Origin]) -> tuple[Span | None, float | None, bool]:
        """(kVp, mAs, whether a chamber ends it) as the cells say them."""
        kvp: Span | None = None
        mas: float | None = None
        aec = False
        commas = self.reading.commas
        for means, (head, cell) in cells.items():
            try:
                if means == "exposure":
                    found = self._pair(cell, "kvp" in cells, plain(head.given).startswith("mas"))
                    kvp, mas, aec = found.kvp or kvp, found.mas, found.aec
                    setup.aec_cells = setup.aec_cells or found.cells or None
                elif values.automatic(cell):
                    aec = True
                    rest = re.sub(r"(?i)[a-z ]+", "", cell)
                    kvp = values.kvp(rest, commas) if means == "kvp" and rest else kvp
                elif means == "kvp":
                    kvp = values.kvp(cell, commas)
                elif means == "mas":
                    mas = values.mas(cell, commas)
            except Unclear as unclear:
                self.fault(head, f"{unclear}.")
                raise _Stop from None
            sources["kvp" if means == "exposure" else means] = self.at(head)
        if mas is None and not aec and "ma" in cells and "time" in cells:
            mas = self._product(cells, sources)
        return kvp, mas, aec

    def _pair(self, cell: str, has_kvp: bool, mas_first: bool) -> values.Pair:
        """What a cell of both says; beside a column of kVp it is a mAs alone."""
        if has_kvp:
            return values.Pair(None, values.mas(cell, self.reading.commas))
        return values.pair(cell, self.reading.commas, mas_first)

    def _product(self, cells: Cells, sources: dict[str, Origin]) -> float:
        """mA times the time."""
        (ma_head, ma), (time_head, time) = cells["ma"], cells["time"]
        try:
            current = values.span(values.stripped(ma, "ma"), self.reading.commas)
            seconds = values.seconds(time, self._time_unit(time_head, time), self.reading.commas)
        except Unclear as unclear:
            self.fault(time_head, f"{unclear}.")
            raise _Stop from None
        if not current.one:
            self.fault(ma_head, f"'{ma[:40]}' is a range: which mA?")
            raise _Stop
        sources["mas"] = self.at(ma_head, more=f" × {time_head.given}")
        return current.low * seconds

    def _time_unit(self, head: Head, time: str) -> float | None:
        """Seconds of the unit of a column of times; None where its cell says it."""
        unit = values.time_unit(head.given)
        if unit is not None or re.search(r"(?i)s\.?$|/", time):
            return unit
        choices = (Option("s", "seconds"), Option("ms", "milliseconds"), LEFT_OUT)
        rows = [row.at for row in self.table.rows if row.cell(head)]
        guess = "ms" if values.seconds(time, 1.0, self.reading.commas) >= IN_MS else "s"
        text = f"Are the times of “{head.given}” in seconds?"
        answer = self.asking.ask("time", plain(head.given), text, rows, choices, guess, given=head.given)
        if answer not in ("s", "ms"):
            raise _Stop
        return 1.0 if answer == "s" else 0.001

    def _of_range(self, kvp: Span) -> float:
        """The kVp; of a range the end or the middle that a person takes for all of them."""
        if kvp.one:
            return kvp.low
        shown = f"{kvp.low:g} to {kvp.high:g}"
        choices = (Option("middle", "the middle"), Option("low", "the lower end"), Option("high", "the upper end"), LEFT_OUT)
        text = f"A range of kVp stands for one, as {shown}: which is taken?"
        answer = self.asking.ask("range", "kvp", text, [self.row.at], choices, "middle", given=shown)
        picked = {"middle": (kvp.low + kvp.high) / 2, "low": kvp.low, "high": kvp.high}
        if answer not in picked:
            raise _Stop
        return round(picked[answer])

    def _thickness(self, sources: dict[str, Origin]) -> Span | None:
        """The thickness of the row; None where it says none, or a size."""
        head, cell = self.heads.get("thickness"), self.text("thickness")
        if head is None or not cell or meaning("sizes", cell):
            return None
        try:
            found, said = values.length_cm(cell, head.to_cm, self.reading.commas)
        except Unclear as unclear:
            self.fault(head, f"{unclear}.")
            raise _Stop from None
        if said:
            sources["thickness_cm"] = self.at(head)
            return found
        unit = self.reading.thickness_unit
        if unit is None:
            raise _Stop
        name = "cm" if unit == 1.0 else "inches"
        sources["thickness_cm"] = self.at(head, "assumed", f", taken as {name}")
        taken = Span(found.low * unit, found.high * unit)
        self.asking.note(self.row.at, head.given, cell, f"{taken.low:g} cm", "assumed", f"in {name}: no other unit fits")
        return taken

    def _of_from_and_to(self, setup: SetUp, sources: dict[str, Origin]) -> Span:
        """The thicknesses of a row that says from where to where, and none besides: what its numbers are for is asked. They
        are never those of the average adult, who may not even lie within."""
        low, high = setup.range_cm
        head = self.heads["range_min" if low is None else "range_max"]
        if low is None or high is None or not low < high:
            there = "no end" if high is None else "no beginning" if low is None else "an end that is not above its beginning"
            self.fault(head, f"The row says from which thickness to which, with {there}.")
            raise _Stop
        choices = (
            Option("band", "for every thickness from there to there: a band"),
            Option("middle", "for the middle of it; others are worked out by the rule that the rows follow"),
            LEFT_OUT,
        )
        names = " / ".join(f"“{self.heads[one].given}”" for one in ("range_min", "range_max"))
        text = f"The file says thicknesses from … to … ({names}): what are a row's kVp and mAs for?"
        answer = self.asking.ask("range", "thickness", text, [self.row.at], choices, "band", given="from … to …")
        if answer not in ("band", "middle"):
            raise _Stop
        sources["thickness_cm"] = Origin("asked", f"row {self.row.at}, {names}")
        return Span(low, high) if answer == "band" else Span((low + high) / 2, (low + high) / 2)

    def _size(self, sources: dict[str, Origin]) -> str | None:
        for means in ("size", "thickness"):
            if (head := self.heads.get(means)) and (size := meaning("sizes", self.row.cell(head))):
                sources["size"] = self.at(head)
                return size
        return None


def _own(head: Head) -> bool:
    """The column is one of several of its kind: of a view, a size, a thickness or an age."""
    return bool(head.view or head.size or head.thickness or head.age)


def thickness_unit(table: Table, shown: Mapping[int, Projection], commas: bool, asking: Asking) -> float | None:
    """Centimetres of the unit that the thicknesses are in where no cell and no head says it: the only one by which they are
    those of the parts; asked where both are, or neither is."""
    in_cells = [one for means in ("thickness", "range_min") for one in table.heads if one.means == means]
    head = in_cells[0] if in_cells else None
    if head is None or head.to_cm is not None:
        return head.to_cm if head else 1.0
    fits = {1.0: 0, CM_PER_INCH: 0}
    rows = []
    for row in table.rows:
        try:
            found, said = values.length_cm(row.cell(head), None, commas)
        except Unclear:
            continue
        projection = shown.get(row.at)
        if said or not row.cell(head):
            continue
        rows.append(row.at)
        if projection is None:
            continue
        small, _, large = projection.thickness_cm
        for unit in fits:
            fits[unit] += int(0.55 * small <= (found.low + found.high) / 2 * unit <= 1.5 * large)
    if not rows:
        return 1.0
    better, worse = sorted(fits, key=lambda unit: -fits[unit])
    if fits[better] >= max(1, 0.8 * len(rows)) and fits[worse] <= 0.2 * fits[better]:
        return better
    choices = (Option("cm", "centimetres"), Option("in", "inches"))
    text = f"In which unit are the thicknesses of “{head.given}”?"
    guess = "in" if better != 1.0 else "cm"
    answer = asking.ask("unit", plain(head.given), text, rows, choices, guess if fits[better] else None, given=head.given)
    return {"cm": 1.0, "in": CM_PER_INCH}.get(answer or "")
