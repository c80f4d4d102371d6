"""A table of exposures, of whatever office: its columns guessed and named, its rows read as facts, its faults by row.

What is not understood is not taken: a column nobody knows is left out and said so, which is how names and record numbers
stay outside. Columns of identity that are known by name are never read, but a study's, of which a one-way key is made.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from oakbeam.catalogue import Catalogue, reject_reasons
from oakbeam.catalogue.image_words import projection_of, side_said, view_said
from oakbeam.core.charts.line import KVP_RANGE, MAS_RANGE, SID_RANGE_CM, THICKNESS_RANGE_CM
from oakbeam.core.image_review import EI_RANGE
from oakbeam.core.log.facts import RATHER_CM, RATHER_KG, ImageFacts, age_band_of
from oakbeam.formats.chart_csv import BadCell, BadFile
from oakbeam.formats.chart_import.files import Sheet, file_of
from oakbeam.formats.chart_import.values import Unclear, decimal
from oakbeam.formats.one_way import OneWay

COLUMNS: Mapping[str, tuple[str, ...]] = {
    "day_first": (),
    "month_first": (),
    "taken_at": ("taken at", "date and time", "date time", "datetime", "timestamp", "acquired", "acquisition time", "when"),
    "date": ("date", "day", "study date", "exam date", "acquisition date"),
    "time": ("time", "clock", "study time"),
    "room": ("room", "device", "station", "unit", "machine"),
    "projection": ("projection", "view", "exam", "examination", "protocol", "body part", "anatomy"),
    "side": ("side", "laterality"),
    "thickness_cm": ("thickness", "thickness cm", "caliper", "cm"),
    "kvp": ("kvp", "kv", "tube voltage"),
    "mas": ("mas", "exposure mas"),
    "sid_cm": ("sid", "sid cm", "ffd", "ffd cm", "fdd", "ffa", "ffa cm", "fid", "distance"),
    "ei": ("ei", "exposure index", "index", "eiobserved"),
    "target_ei": ("target ei", "eit", "target index", "target"),
    "kap_mgycm2": ("kap mgy cm2", "kap mgycm2", "dap mgy cm2", "dap mgycm2"),
    "kap_dgycm2": ("kap dgy cm2", "dap dgy cm2", "kap dgycm2", "dap dgycm2"),
    "kap_ugym2": ("kap ugy m2", "dap ugy m2", "kap µgy m2", "dap µgy m2"),
    "outcome": ("outcome", "status", "result"),
    "accepted": ("accepted", "accept", "ok"),
    "rejected": ("rejected", "reject", "is rejected", "repeat", "repeated"),
    "reject_reason": ("reject reason", "reason", "rejection reason", "why rejected", "why"),
    "age": ("age", "patient age"),
    "sex": ("sex", "gender"),
    "weight_kg": ("weight", "weight kg"),
    "height_cm": ("height", "height cm", "size"),
    "study": ("study", "study uid", "study instance uid", "accession", "accession number", "study key"),
}
"""What a column is, by its head in small letters without marks. day_first and month_first: a day, or a moment, where it
could be read both ways and a person said how."""
NEEDED = ("projection", "kvp", "mas")
MOST_FAULTS, FIRST_LETTERS = 60, 40
LEFT_OUT = ""


@dataclass(frozen=True, slots=True)
class TableColumn:
    """A column: its head, what it was taken as, "" where it is left out, and its first value."""

    given: str
    taken_as: str
    first: str


@dataclass(frozen=True, slots=True)
class TableOfExposures:
    """What a table says: its columns, the facts of its good rows, and the faults of the others; missing: what no column is
    taken as, without which no row is an exposure; asked: what a person has to say before any is."""

    columns: tuple[TableColumn, ...]
    facts: tuple[ImageFacts, ...]
    faults: tuple[BadCell, ...]
    decided: tuple[str, ...]
    missing: tuple[BadCell, ...] = ()
    asked: str = ""


def read(content: bytes, keys: OneWay, known: Catalogue, mapping: Mapping[str, str] | None = None) -> TableOfExposures:
    """A table of exposures. mapping: what columns are, by their heads, before what is guessed. BadFile where it is no
    table."""
    file = file_of(content)
    sheet: Sheet = next((one for one in file.sheets if one.rows), Sheet("", []))
    if len(sheet.rows) < 2:
        raise BadFile([BadCell(1, "", "The table holds a row of heads and at least one exposure.")])
    (_, heads), body = sheet.rows[0], sheet.rows[1:]
    columns = _columns(heads, body[0][1], mapping or {})
    at = {column.taken_as: i for i, column in enumerate(columns) if column.taken_as}
    missing = [name for name in NEEDED if name not in at]
    if not at.keys() & {"taken_at", "date", "day_first", "month_first"}:
        missing.append("taken_at")
    if missing:
        said = tuple(BadCell(1, name, "No column is taken as this; say which is.") for name in missing)
        return TableOfExposures(columns, (), (), file.decided, said)
    order, asked = _day_or_month(at, body)
    if asked:
        return TableOfExposures(columns, (), (), file.decided, (), asked)
    reader = _Reader(at, keys, known, commas=_commas(body, at), month_first=order == "month")
    facts, faults = [], list[BadCell]()
    for number, cells in body:
        try:
            facts.append(reader.row(cells))
        except _Fault as fault:
            faults.append(BadCell(number, fault.column, fault.problem))
    return TableOfExposures(columns, tuple(facts), tuple(faults[:MOST_FAULTS]), file.decided)


def _columns(heads: Sequence[str], first: Sequence[str], mapping: Mapping[str, str]) -> tuple[TableColumn, ...]:
    taken: set[str] = set()
    found = []
    for at, head in enumerate(heads):
        said = mapping.get(head)
        name = said if said is not None else _guess(head)
        if name not in COLUMNS or name in taken:
            name = LEFT_OUT
        taken.add(name)
        found.append(TableColumn(head, name, first[at][:FIRST_LETTERS] if at < len(first) else ""))
    return tuple(found)


def _guess(head: str) -> str:
    plain = " ".join(re.sub(r"[^a-z0-9µ]+", " ", head.lower().replace("²", "2")).split())
    return next((name for name, heads in COLUMNS.items() if plain in heads or plain == name.replace("_", " ")), LEFT_OUT)


def _commas(body: Sequence[tuple[int, list[str]]], at: Mapping[str, int]) -> bool:
    """Whether numbers are written with a decimal comma."""
    cells = [row[at[name]] for _, row in body for name in ("kvp", "mas") if at[name] < len(row)]
    return any(re.fullmatch(r"\d+,\d+", one) for one in cells)


_TWO_WAYS = re.compile(r"(\d{1,2})[/-](\d{1,2})[/-](\d{4}|\d{2})\b")


def _day_or_month(at: Mapping[str, int], body: Sequence[tuple[int, list[str]]]) -> tuple[str, str]:
    """("day" or "month", what is asked): which stands first where a date is written in figures with slashes or dashes. Some
    number over twelve in the column decides it for all; where none does a person has to."""
    for said in ("day", "month"):
        if f"{said}_first" in at:
            return said, ""
    place = at.get("taken_at", at.get("date", 0))
    cells = [cells[place] for _, cells in body if place < len(cells)]
    found = [(int(one[1]), int(one[2]), cell) for cell in cells if (one := _TWO_WAYS.match(cell.strip()))]
    if any(first > 12 for first, *_ in found):
        return "day", ""
    if any(second > 12 for _, second, _ in found):
        return "month", ""
    if any(first != second for first, second, _ in found):
        shown = next(cell for first, second, cell in found if first != second)
        return "", f"“{shown[:20]}” can be read two ways: take its column as day first, or as month first."
    return "day", ""


class _Fault(Exception):
    def __init__(self, column: str, problem: str) -> None:
        super().__init__(problem)
        self.column, self.problem = column, problem


class _Reader:
    """Reads rows whose columns are known."""

    def __init__(self, at: Mapping[str, int], keys: OneWay, known: Catalogue, commas: bool, month_first: bool) -> None:
        self.at, self.keys, self.known, self.commas = at, keys, known, commas
        self.dates = _MONTH_FIRST if month_first else _DAY_FIRST
        self.by_name = {f"{one.exam} {one.name}".lower(): one.id for one in known.projections.values()}
        self.by_name |= {one: one for one in known.projections}

    def row(self, cells: Sequence[str]) -> ImageFacts:
        """The facts of a row. Raises _Fault."""
        taken = self._taken(cells)
        kvp, mas = self._number(cells, "kvp", *KVP_RANGE), self._number(cells, "mas", *MAS_RANGE)
        if kvp is None or mas is None:
            raise _Fault("kvp" if kvp is None else "mas", "It is empty.")
        text = self._text(cells, "projection")
        said = view_said((), [text])
        side = side_said(self._text(cells, "side")) or said.side
        projection = self.by_name.get(text.lower())
        age = self._number(cells, "age", 0, 125)
        outcome, reason = self._outcome(cells)
        study = self._text(cells, "study")
        room = self._text(cells, "room")
        weight, height = self._number(cells, "weight_kg", 0.3, 350), self._number(cells, "height_cm", 20, 250)
        facts = ImageFacts(
            key="",
            kind="table row",
            device=self.keys.key("device", f"table {room}") if room else "",
            taken_at=taken,
            kvp=kvp,
            mas=mas,
            room=self.keys.room(room),
            view=said.words or (projection or ""),
            side=side,
            study_key=self.keys.key("study", study) if study else "",
            sid_cm=self._number(cells, "sid_cm", *SID_RANGE_CM),
            ei=self._number(cells, "ei", *EI_RANGE),
            target_ei=self._number(cells, "target_ei", *EI_RANGE),
            age_band=age_band_of(age) if age is not None else None,
            sex={"f": "female", "m": "male"}.get(self._text(cells, "sex").lower()[:1]),  # type: ignore[arg-type]
            weight_kg=_rather(weight, RATHER_KG),
            height_cm=_rather(height, RATHER_CM),
            reported_kap_mgycm2=self._kap(cells),
            thickness_cm=self._number(cells, "thickness_cm", *THICKNESS_RANGE_CM),
            projection=projection or projection_of(said.words, age_band_of(age) if age is not None else None) or "",
            outcome=outcome,
            reject_reason=reason,
        )
        # The same row again is the same object.
        own = "\0".join(str(getattr(facts, name)) for name in ImageFacts.__slots__)
        return replace(facts, key=self.keys.key("row", own))

    def _text(self, cells: Sequence[str], name: str) -> str:
        place = self.at.get(name)
        return cells[place].strip() if place is not None and place < len(cells) else ""

    def _number(self, cells: Sequence[str], name: str, low: float, high: float) -> float | None:
        text = re.sub(r"\s*(cm|kvp?|mas|kg|y|years?)$", "", self._text(cells, name), flags=re.IGNORECASE)
        if not text or text in ("-", "–"):
            return None
        try:
            value = decimal(text, self.commas)
        except Unclear as why:
            raise _Fault(name, f"{why}.") from None
        if not low <= value <= high:
            raise _Fault(name, f"{low:g} to {high:g} is allowed.")
        return value

    def _kap(self, cells: Sequence[str]) -> float | None:
        for name, per in (("kap_mgycm2", 1.0), ("kap_dgycm2", 100.0), ("kap_ugym2", 10.0)):
            if (value := self._number(cells, name, 0, 1e6 / per)) is not None:
                return value * per
        return None

    def _outcome(self, cells: Sequence[str]) -> tuple[Any, str]:
        """(accepted, rejected or None where it is not said, the reason)."""
        text, reason = self._text(cells, "outcome").lower(), self._text(cells, "reject_reason")
        known = reject_reasons()
        code = next((c for c, name in known.items() if reason.lower() in (c.lower(), name.lower())), "R21" if reason else "")
        said = {self._yes(cells, "accepted"), _not(self._yes(cells, "rejected")), _OUTCOMES.get(text)} - {None}
        if text in _YES | _NO:
            raise _Fault("outcome", "Yes or no to what? Take the column as accepted or as rejected.")
        if code:
            said.add(False)
        if len(said) > 1:
            raise _Fault("outcome", "It says accepted and rejected at once.")
        return ("rejected", code or "R21") if False in said else ("accepted" if said else None, "")

    def _yes(self, cells: Sequence[str], name: str) -> bool | None:
        """What a column says that is answered by yes or no; None where it is empty."""
        text = self._text(cells, name).lower()
        if text in ("", "-", "–"):
            return None
        if text not in _YES | _NO and text not in _OUTCOMES:
            raise _Fault(name, "It is neither yes nor no.")
        if text in _OUTCOMES:
            return _OUTCOMES[text] if name == "accepted" else not _OUTCOMES[text]
        return text in _YES

    def _taken(self, cells: Sequence[str]) -> str:
        column = next(one for one in ("taken_at", "date", "day_first", "month_first") if one in self.at)
        text = self._text(cells, column)
        # A moment of its own has its time already.
        text = text if ":" in text else f"{text} {self._text(cells, 'time')}".strip()
        found = next((when for read in self.dates if (when := read(text)) is not None), None)
        if found is None:
            raise _Fault(column, "It is no day and time as 2026-10-31 14:05 or 31.10.2026 14:05.")
        moment = found.astimezone(UTC)
        if not datetime(1990, 1, 1, tzinfo=UTC) <= moment <= datetime.now(UTC) + timedelta(days=1):
            raise _Fault(column, "It is before 1990 or in the future.")
        return moment.isoformat(timespec="milliseconds")


def _written(form: str) -> Callable[[str], datetime | None]:
    def read_as(text: str) -> datetime | None:
        try:
            return datetime.strptime(text, form)
        except ValueError:
            return None

    return read_as


def _iso(text: str) -> datetime | None:
    try:
        return datetime.fromisoformat(text.replace("Z", "+00:00"))
    except ValueError:
        return None


def _dates(first: str, second: str) -> tuple[Callable[[str], datetime | None], ...]:
    figures = (f"{first}{mark}{second}{mark}{year}" for mark in "/-" for year in ("%Y", "%y"))
    days = ("%d.%m.%Y", "%Y/%m/%d", "%d %b %Y", *figures)
    times = (" %H:%M", " %H:%M:%S", " %I:%M %p", " %I:%M:%S %p", "")
    return (_iso, *(_written(f"{day}{time}") for day in days for time in times))


_DAY_FIRST, _MONTH_FIRST = _dates("%d", "%m"), _dates("%m", "%d")
_YES, _NO = frozenset(("yes", "y", "true", "1", "x", "ja", "oui", "si")), frozenset(("no", "n", "false", "0", "nein", "non"))
_OUTCOMES: Mapping[str, bool] = {
    **dict.fromkeys(("accepted", "accept", "ok", "good"), True),
    **dict.fromkeys(("rejected", "reject", "repeat", "repeated", "bad"), False),
}
"""Whether a word says that an image was accepted."""


def _not(said: bool | None) -> bool | None:
    return None if said is None else not said


def _rather(value: float | None, step: float) -> float | None:
    return None if value is None else max(step, step * round(value / step))


def heads() -> Iterator[str]:
    """What a column can be taken as."""
    yield from COLUMNS
