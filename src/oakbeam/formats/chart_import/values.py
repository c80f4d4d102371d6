"""What a cell says: numbers, lengths, pairs, ranges, grids, chambers, as people write them."""

from __future__ import annotations

import re
from dataclasses import dataclass

from oakbeam.core.lengths import CM_PER_INCH
from oakbeam.formats.chart_import.words import meaning, plain

_NUMBER = r"(?:\d{1,6}(?:[.,]\d{1,6})?|[.,]\d{1,6})"
_ONE = re.compile(rf"(?:~|ca\.? ?)?({_NUMBER})")
_RANGE = re.compile(rf"({_NUMBER}) ?(?:-|–|—|to|bis|a|à|tot) ?({_NUMBER})")
_FRACTION = re.compile(r"(?:(\d{1,3})[ -])?(\d{1,2})/(\d{1,3})")
_INCHES = ("in", "inch", "inches", "ins", '"', "''", "”", "″", "zoll", "pouces", "po", "pulgadas", "pol")
_LENGTH = {"cm": 1.0, "mm": 0.1, "m": 100.0, "ft": 12 * CM_PER_INCH, **dict.fromkeys(_INCHES, CM_PER_INCH)}
_UNIT_OF_LENGTH = re.compile(r"(cm|mm|inches|inch|ins|in|ft|zoll|pouces|pulgadas|po|pol|m|\"|''|”|″)\.?$", re.IGNORECASE)
_RATIO = re.compile(r"(?:r ?)?(\d{1,2})(?: ?(?:[:/]|to|auf|a|op) ?1)?")
NO_GRID = frozenset(
    ("", "no", "none", "non", "non grid", "nongrid", "no grid", "without", "0", "n", "ohne", "kein", "keine", "sans", "sin",
     "senza", "zonder", "sem", "nil", "not used", "free", "tt")
)  # fmt: skip
SOME_GRID = frozenset(("yes", "y", "x", "grid", "ja", "oui", "si", "sim", "with", "mit", "avec", "con", "met", "com", "in"))


@dataclass(frozen=True, slots=True)
class Span:
    """One number, or a range of two."""

    low: float
    high: float

    @property
    def one(self) -> bool:
        return self.low == self.high


@dataclass(frozen=True, slots=True)
class Pair:
    """kVp and mAs of one cell. kvp may be a range. mas None: the cell names no mAs. aec: the cell says that AEC ends it, by
    the cells it may name."""

    kvp: Span | None
    mas: float | None
    aec: bool = False
    cells: str = ""


class Unclear(Exception):
    """A cell that is not understood, with why."""


def decimal(text: str, commas: bool) -> float:
    """A plain number. commas: the file's decimal mark is a comma. Unclear where a mark may be one of thousands."""
    if re.fullmatch(r"[1-9]\d{0,2}(?:[.,]\d{3})", text):
        mark = re.sub(r"\d", "", text)
        if (mark == ",") != commas:
            both = f"{text.replace(mark, '.')} or {text.replace(mark, '')}"
            raise Unclear(f"'{text}' may be {both}: write it without the {'comma' if mark == ',' else 'dot'}")
    if not re.fullmatch(_NUMBER, text):
        raise Unclear(f"'{text[:40]}' is not a number")
    return float(text.replace(",", "."))


def span(text: str, commas: bool) -> Span:
    """A number or a range, "60–65"."""
    bare = text.strip().rstrip("%")
    if re.match(r"\d{4}-\d\d-\d\d", bare):
        raise Unclear(f"'{bare[:10]}' is a date; a spreadsheet makes one of a text as 3-5: write it as text")
    if one := _ONE.fullmatch(bare):
        value = decimal(one[1], commas)
        return Span(value, value)
    if two := _RANGE.fullmatch(bare):
        low, high = decimal(two[1], commas), decimal(two[2], commas)
        if low <= high:
            return Span(low, high)
    raise Unclear(f"'{text[:40]}' is not a number")


def fraction(text: str) -> float | None:
    """A number written with a fraction, "1 1/4" or "1/10"; None where it is not one."""
    found = _FRACTION.fullmatch(text.strip())
    if not found or int(found[3]) == 0:
        return None
    return int(found[1] or 0) + int(found[2]) / int(found[3])


def stripped(text: str, *words: str) -> str:
    """The cell without a unit or label in front or behind."""
    bare = text.strip()
    for word in words:
        bare = re.sub(rf"(?i)(?<![a-z]){re.escape(word)}(?![a-z])\.?", " ", bare)
    return " ".join(bare.split())


def length_cm(text: str, to_cm: float | None, commas: bool) -> tuple[Span, bool]:
    """(a length or a range of lengths [cm], whether its unit was said). to_cm: of the column; None: not said there."""
    bare = re.sub(r"\([^)]*\)", "", text).strip() or text.strip()
    unit = _UNIT_OF_LENGTH.search(bare)
    factor, said = to_cm, to_cm is not None
    if unit:
        own = _LENGTH[unit[1].lower()]
        if to_cm is not None and own != to_cm and {own, to_cm} == {1.0, CM_PER_INCH}:
            raise Unclear(f"'{text[:40]}' contradicts the unit of its column")
        factor, said, bare = own, True, bare[: unit.start()].strip()
        bare = re.sub(_UNIT_OF_LENGTH.pattern.rstrip("$") + r"(?= ?[-–—])", "", bare, flags=re.IGNORECASE).strip()
    value = fraction(bare)
    found = Span(value, value) if value is not None else span(bare.lstrip("<>=≤≥ "), commas)
    factor = 1.0 if factor is None else factor
    return Span(found.low * factor, found.high * factor), said


def kvp(text: str, commas: bool) -> Span:
    """A tube potential."""
    return span(stripped(text, "kvp", "kv"), commas)


def mas(text: str, commas: bool) -> float:
    """A mAs: "12", "12 mAs", or mA times time, "100 mA 0.1 s", "200 × 1/20"."""
    bare = stripped(text, "mas")
    times = re.split(r"(?i) ?(?:ma)? ?[x×*] ?| ?ma[ ,@/]+", bare)
    if len(times) == 2 and all(times):
        return decimal(stripped(times[0], "ma"), commas) * seconds(times[1], None, commas)
    value = fraction(bare)
    if value is not None:
        return value
    found = span(bare, commas)
    if not found.one:
        raise Unclear(f"'{text[:40]}' is a range: which mAs?")
    return found.low


def seconds(text: str, unit: float | None, commas: bool) -> float:
    """A time [s]. unit: seconds of the column's; None: seconds."""
    bare = text.strip().lower()
    said = re.search(r"(?<![a-z])(msec|ms|secs|seconds|second|sec|sek|seg|s)\.?$", bare)
    if said:
        unit, bare = (0.001 if said[1] in ("ms", "msec") else 1.0), bare[: said.start()].strip()
    value = fraction(bare)
    if value is None:
        found = span(bare, commas)
        if not found.one:
            raise Unclear(f"'{text[:40]}' is a range: which time?")
        value = found.low
    return value * (1.0 if unit is None else unit)


def time_unit(header: str) -> float | None:
    """Seconds of the unit that a time's column names; None where it names none."""
    words = plain(header).split()
    return 0.001 if {"ms", "msec", "milliseconds"} & set(words) else 1.0 if {"s", "sec", "seconds"} & set(words) else None


def length_unit(header: str) -> float | None:
    """Centimetres of the unit that a column's name says; None where it says none."""
    words = plain(header).split()
    if '"' in header or {"in", "inch", "inches", "ins", "zoll", "pouces", "pulgadas"} & set(words):
        return CM_PER_INCH
    return 1.0 if {"cm", "cms", "centimeters", "centimetres"} & set(words) else 0.1 if "mm" in words else None


def pair(text: str, commas: bool, mas_first: bool = False) -> Pair:
    """kVp and mAs of one cell: "70/12", "78 kV 25", "70 kVp @ 12 mAs", "81 AEC"."""
    bare = " ".join(text.lower().replace("kvp", "kv").split())
    words = set(re.sub(r"[^a-z]+", " ", bare).split())
    if automatic(text):
        number = re.search(_NUMBER + rf"(?: ?[-–] ?{_NUMBER})?", bare)
        rest = bare.replace(number[0], " ", 1) if number else bare
        rest = " ".join(word for word in re.split(r"[^a-z+]+", rest) if word not in ("kv", "") and not automatic(word))
        return Pair(span(number[0], commas) if number else None, None, True, chambers(rest) if rest.strip("+ ") else "")
    potential = re.search(rf"({_NUMBER}(?: ?[-–] ?{_NUMBER})?) ?kv", bare)
    if potential:
        rest = (bare[: potential.start()] + " " + bare[potential.end() :]).strip(" /@,;-x×")
        return Pair(span(potential[1], commas), mas(rest, commas) if rest else None)
    load = re.search(rf"({_NUMBER}) ?mas", bare)
    if load:
        rest = (bare[: load.start()] + " " + bare[load.end() :]).strip(" /@,;-x×")
        return Pair(kvp(rest, commas), decimal(load[1], commas))
    if words - {"to"}:
        raise Unclear(f"'{text[:40]}' is not a kVp and a mAs")
    parts = [part for part in re.split(r" ?[/@|;] ?| ", bare) if part]
    if len(parts) != 2:
        parts = [part for part in re.split(r" ?[-–x×] ?", bare) if part]
    if len(parts) != 2:
        raise Unclear(f"'{text[:40]}' is not a kVp and a mAs")
    first, second = (span(part, commas) for part in parts)
    if mas_first:
        first, second = second, first
    if not second.one:
        raise Unclear(f"'{text[:40]}' is not a kVp and a mAs")
    return Pair(first, second.low)


def control(text: str) -> tuple[str, str]:
    """(exposure control, chambers joined by +, "" for the usual ones): "manual", "breathing", "AEC L+R"."""
    if kind := meaning("controls", text):
        return kind, ""
    if automatic(text):
        return "aec", chambers(" ".join(word for word in re.split(r"[\s,;:/()]+", text) if word and not automatic(word)))
    raise Unclear(f"'{text[:40]}' is none of manual, AEC (with its chambers, L+R) and breathing")


def automatic(text: str) -> bool:
    """The cell says that a chamber ends the exposure."""
    return any(meaning("controls", word) == "aec" for word in (text, *re.sub(r"[^A-Za-z]+", " ", text).split()))


def grid(text: str) -> int | None:
    """The ratio of a grid: 0 for none; None where the cell only says that there is one."""
    bare = plain(text)
    if bare in NO_GRID or not bare:
        return 0
    if bare in SOME_GRID:
        return None
    words = re.sub(
        r"\b(grid|raster|moving|stationary|fixed|bucky|focused|parallel|linear|lpi|ratio|oscillating)\b", " ", text.lower()
    )
    found = _RATIO.fullmatch(" ".join(re.sub(r"\b\d+ ?(?:l/cm|lines?(?:/cm)?|lpcm)\b", " ", words).split()).strip(" ,()"))
    if found:
        return int(found[1])
    if "grid" in bare.split() or "raster" in bare.split():
        return None
    raise Unclear(f"'{text[:40]}' is not a grid ratio")


def chambers(text: str) -> str:
    """Chambers joined by +."""
    bare = plain(text.replace("&", " and "))
    if bare in ("", "none", "no", "usual"):
        return ""
    for word in ("chambers", "chamber", "cells", "cell", "fields", "only"):
        bare = " ".join(re.sub(rf"\b{word}\b", " ", bare).split())
    found = meaning("chambers", bare)
    if found:
        return found
    parts = [meaning("chambers", part) for part in bare.split() if part not in ("and", "und", "et", "y", "e", "en")]
    if parts and all(parts):
        said = {cell for part in parts if part for cell in part.split("+")}
        return "+".join(cell for cell in ("L", "C", "R") if cell in said)
    raise Unclear(f"'{text[:40]}' is no chamber; L, C, R, or several joined by +")


def density(text: str) -> int:
    """A density step, "+1", "-2", "N"."""
    bare = text.strip().lower().replace("−", "-").replace("–", "-")
    if bare in ("", "n", "normal", "0", "std"):
        return 0
    if re.fullmatch(r"[+-]?\d", bare):
        return int(bare)
    raise Unclear(f"'{text[:40]}' is no density step")
