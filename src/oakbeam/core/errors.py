"""What the core says when it will not give a number: what was given, and what is allowed."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from itertools import pairwise

Allowed = dict[str, float | str] | list[str] | list[float]


class WholeDocument:
    """Of a document that people send whole: a field that it does not have is refused wherever one is read from outside, so
    that a misspelt one is named and not dropped. (The name is what the reader of documents looks for.)"""

    __slots__ = ()
    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012 - never changed


class Refusal(ValueError):
    """A request that has no safe answer.

    title is the short reason, detail a sentence for the person, allowed the range {"min", "max", "unit"} or the list of
    choices where one applies, field the name of the input at fault.
    """

    def __init__(self, title: str, detail: str, allowed: Allowed | None = None, field: str | None = None) -> None:
        super().__init__(detail)
        self.title = title
        self.detail = detail
        self.allowed = allowed
        self.field = field


class OutOfRange(Refusal):
    """A number outside the range for which the result is valid."""


class Unanswered(Refusal):
    """Another system that was asked did not answer."""


NAMES = {
    "kvp": "kVp",
    "mas": "mAs",
    "ma": "mA",
    "ei": "Index (EI)",
    "shown_index": "Index",
    "di": "DI",
    "mas_factor": "Factor of the mAs",
    "kvp_added": "kVp added",
    "thicker_cm": "Thickness added",
    "kvp_per_cm": "kVp per cm",
    "doubling_cm": "Doubling thickness",
    "target_ei": "Target index",
    "optical_density": "Density",
    "sid_cm": "SID",
    "oid_cm": "OID",
    "gap_cm": "Receptor gap",
    "tube_angle_deg": "Tube angle",
    "grid_offset_cm": "Grid off centre",
    "grid_tilt_deg": "Grid off level",
    "aec_density": "AEC density",
    "aec_cells": "AEC chambers",
    "pelvis_cm": "ASIS to table",
    "pelvis_pad_cm": "Pad at the ASIS",
    "foot_short_deg": "Foot short of 90° by",
    "mat_cm": "Mat",
    "jaw_cm": "Caliper's jaw",
    "hvl_mm_al": "HVL",
    "filtration_mm_al": "Total filtration",
    "filtration_mm_cu": "Added copper",
    "range_cm": "Thickness range",
    "ei_scale": "Index scale",
    "backup_factor": "Back-up factor",
    "minimum_response_ms": "Shortest response",
    "law": "mAs rule",
    "school": "Method",
}
"""What a person calls an input whose own name, without its unit, would not do."""
SIDES = {"min": ", from", "max": ", to", "width": " width", "height": " height"}
UNIT = re.compile(r"_(cm2?|mm(_(al|cu))?|deg|ms|kg|mgy|ugy|min|percent)$")
PATH = re.compile(r"[a-z][a-z0-9_]*(\.[a-z0-9_]+)*|[a-z0-9_]+(\.[a-z0-9_]+)+")


def named(field: str) -> str:
    """A field of a request in the words of the desk: "sid_cm" is the SID, "exposures.2.kvp" kVp (exposure 3).

    What already is words, with a space, a comma or a capital, stays as it is.
    """
    if not PATH.fullmatch(field):
        return field
    *parts, last = field.split(".")
    while last.isdigit() and parts:
        last, parts = parts[-1], parts[:-1]
    at = [f"{_plain(of).removesuffix('s')} {int(i) + 1}" for of, i in pairwise(parts) if i.isdigit()]
    if last in SIDES and parts:
        return f"{named(parts[-1])}{SIDES[last]}"
    plain = _plain(last)
    name = NAMES.get(last) or plain[:1].upper() + plain[1:]
    return f"{name} ({', '.join(at)})" if at else name


def _plain(name: str) -> str:
    return UNIT.sub("", name).replace("_", " ")


def amount(value: float, unit: str) -> str:
    """A number with its unit as people write it: 12 cm, 15°, 400."""
    return f"{value:g}°" if unit == "deg" else f"{value:g} {unit}".rstrip()


def within(field: str, value: float, low: float, high: float, unit: str) -> float:
    """Return value when low <= value <= high (all in unit); raise OutOfRange otherwise, for NaN and infinity too."""
    if low <= value <= high:
        return value
    shown = amount(value, unit) if math.isfinite(value) else "not a finite number"
    raise OutOfRange(
        "Out of range",
        f"{named(field)} is {shown}; allowed is {low:g} to {amount(high, unit)}.",
        {"min": low, "max": high, "unit": unit},
        field,
    )


def positive(field: str, value: float) -> float:
    """Return value when it is finite and > 0; raise OutOfRange otherwise."""
    if 0 < value < math.inf:
        return value
    raise OutOfRange("Out of range", f"{named(field)} must be a finite number above 0.", {"min": 0.0, "unit": ""}, field)


def one_of(field: str, value: str, choices: Sequence[str]) -> str:
    """Return value when it is one of choices; raise Refusal that lists them otherwise."""
    if value in choices:
        return value
    raise unknown(field, value, choices)


def unknown(field: str, value: str, choices: Sequence[str]) -> Refusal:
    """The Refusal of a value that is none of choices, which it lists."""
    return Refusal(
        "Unknown choice", f"{named(field)} '{value[:60]}' is not known; one of: {', '.join(choices)}.", list(choices), field
    )
