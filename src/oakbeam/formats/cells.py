"""Text cells that spreadsheets cannot take for formulas."""

from __future__ import annotations

_DANGEROUS = ("=", "+", "-", "@", "\t", "\r", "'")


def guarded(text: str) -> str:
    """The text, with an apostrophe in front where a spreadsheet would take it for a formula (or where one stands)."""
    return "'" + text if text.startswith(_DANGEROUS) else text


def unguarded(text: str) -> str:
    """The inverse of `guarded`."""
    return text[1:] if text.startswith("'") and text[1:].startswith(_DANGEROUS) else text


def number(value: float | None) -> str:
    """A number so that reading it gives the same number back; empty for None."""
    return "" if value is None else repr(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)
