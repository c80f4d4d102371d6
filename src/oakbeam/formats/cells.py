"""Text cells that spreadsheets cannot take for formulas."""

from __future__ import annotations

import unicodedata

_BEGIN_A_FORMULA = frozenset("=+-@'")


def _dangerous(text: str) -> bool:
    """Whether a spreadsheet may take a text for a formula: after blanks, and in full width too, as East Asian ones do."""
    # Most cells of a log begin with a letter or a figure, and a log has millions.
    if text[:1].isascii() and text[:1].isalnum():
        return False
    begins = unicodedata.normalize("NFKC", text.lstrip()[:1])[:1]
    return begins in _BEGIN_A_FORMULA or text[:1] in ("\t", "\r", "\n")


def guarded(text: str) -> str:
    """The text, with an apostrophe in front where a spreadsheet would take it for a formula (or where one stands)."""
    return "'" + text if _dangerous(text) else text


def unguarded(text: str) -> str:
    """The inverse of `guarded`."""
    return text[1:] if text.startswith("'") and _dangerous(text[1:]) else text


def number(value: float | None) -> str:
    """A number so that reading it gives the same number back; empty for None."""
    return "" if value is None else repr(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)
