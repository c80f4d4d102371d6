"""How a day is written for people. The core has no clock: it only writes what it is given."""

from __future__ import annotations

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def day_of(at: str) -> str:
    """The day of a day or moment in ISO 8601, "12 Nov 2026"; what is none stays as it is."""
    parts = at[:10].split("-")
    if len(parts) != 3 or not all(part.isdecimal() for part in parts) or not 1 <= int(parts[1]) <= 12:
        return at
    year, month, day = map(int, parts)
    return f"{day} {MONTHS[month - 1]} {year}"
