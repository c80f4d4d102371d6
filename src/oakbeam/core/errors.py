"""What the core says when it will not give a number: what was given, and what is allowed."""

from __future__ import annotations

import math
from collections.abc import Sequence

Allowed = dict[str, float | str] | list[str] | list[float]


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


def within(field: str, value: float, low: float, high: float, unit: str) -> float:
    """Return value when low <= value <= high (all in unit); raise OutOfRange otherwise, for NaN and infinity too."""
    if low <= value <= high:
        return value
    shown = f"{value:g}" if math.isfinite(value) else "not a finite number"
    raise OutOfRange(
        "Out of range",
        f"{field} is {shown}{'' if shown.startswith('not') else ' ' + unit}; allowed is {low:g} to {high:g} {unit}.",
        {"min": low, "max": high, "unit": unit},
        field,
    )


def positive(field: str, value: float) -> float:
    """Return value when it is finite and > 0; raise OutOfRange otherwise."""
    if 0 < value < math.inf:
        return value
    raise OutOfRange("Out of range", f"{field} must be a finite number above 0.", {"min": 0.0, "unit": ""}, field)


def one_of(field: str, value: str, choices: Sequence[str]) -> str:
    """Return value when it is one of choices; raise Refusal that lists them otherwise."""
    if value in choices:
        return value
    raise unknown(field, value, choices)


def unknown(field: str, value: str, choices: Sequence[str]) -> Refusal:
    """The Refusal of a value that is none of choices, which it lists."""
    return Refusal(
        "Unknown choice", f"{field} '{value[:60]}' is not known; one of: {', '.join(choices)}.", list(choices), field
    )
