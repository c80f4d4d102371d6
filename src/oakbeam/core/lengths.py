"""Lengths in the unit that stands on the machine, or that a person reads. Everything is kept and computed in cm."""

from __future__ import annotations

from typing import Literal, get_args

LengthUnit = Literal["cm", "in"]
LENGTH_UNITS: tuple[LengthUnit, ...] = get_args(LengthUnit)
CM_PER_INCH = 2.54


def to_cm(length: float, unit: LengthUnit) -> float:
    """A length in unit, as cm."""
    return length if unit == "cm" else length * CM_PER_INCH


def in_unit(cm: float, unit: LengthUnit) -> float:
    """A length in cm, in unit."""
    return cm if unit == "cm" else cm / CM_PER_INCH


def length_figure(cm: float, unit: LengthUnit) -> str:
    """A length [cm] as people read it, without its unit: inches to a tenth, but 4.25 where it is a quarter."""
    length = in_unit(cm, unit)
    quarter = round(4 * length) / 4
    return f"{round(length, 2) if unit == 'cm' else quarter if abs(length - quarter) < 0.005 else round(length, 1):g}"


def length_words(cm: float, unit: LengthUnit) -> str:
    """A length [cm] as people read it: "100 cm", "39.4 in"."""
    return f"{length_figure(cm, unit)} {unit}"
