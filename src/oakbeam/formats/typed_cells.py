"""What a cell typed or pasted into the grid of lines says: numbers, lengths, grids, ranges and exposure control, as people
write them."""

from __future__ import annotations

import re

from oakbeam.core.chart_making.bulk_edit import Cell, CellValue, Control
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import CM_PER_INCH, LengthUnit
from oakbeam.formats.chart_import import values
from oakbeam.formats.chart_import.values import Span, Unclear

NAMES: dict[Cell, str] = {
    "grid_ratio": "Grid",
    "sid_cm": "SID",
    "range_cm": "Range",
    "exposure_control": "Control",
    "thickness_cm": "At",
    "kvp": "kVp",
    "mas": "mAs",
    "parameter": "Rule",
}
"""The columns of the grid as people see them."""
EXPOSURE_CONTROLS: dict[str, ExposureControl] = {"manual": "manual", "aec": "aec", "breathing": "breathing"}
_RULE = re.compile(r"(?i)(?:[×x*] ?2 ?(?:/|per|every) ?|mas doubles every )?(.*?)(?: ?(?:kvp|kv) ?(?:/|per) ?cm| ?cm)?")


def cell_value(cell: Cell, text: str, unit: LengthUnit) -> CellValue:
    """What a text typed into a cell says; lengths [cm]. unit: of a length that names none. Refusal where it is not
    understood, with the column's name."""
    try:
        return _value(cell, text.strip(), 1.0 if unit == "cm" else CM_PER_INCH)
    except Unclear as unclear:
        raise Refusal("Not understood", f"{NAMES[cell]}: {unclear}.", None, cell) from None


def _value(cell: Cell, text: str, to_cm: float) -> CellValue:
    if cell == "grid_ratio":
        # A dash stands for none, as the grid itself shows it.
        ratio = 0 if text in ("", "–", "-") else values.grid(text)
        if ratio is None:
            raise Unclear(f"'{text[:40]}' does not say which ratio")
        return ratio
    if cell == "exposure_control":
        kind, cells = values.control(text)
        return Control(EXPOSURE_CONTROLS[kind], cells or None)
    if cell in ("sid_cm", "thickness_cm", "range_cm"):
        found, said = values.length_cm(text, None, False)
        scale = 1.0 if said else to_cm
        if cell == "range_cm":
            if found.one:
                raise Unclear(f"'{text[:40]}' is one length; a range is two, as 13–36")
            return found.low * scale, found.high * scale
        return _one(found, text) * scale
    if cell == "kvp":
        return _one(values.kvp(text, False), text)
    if cell == "mas":
        return values.mas(text, False)
    rule = _RULE.fullmatch(text)
    return _one(values.span(rule[1] if rule else text, False), text)


def _one(found: Span, text: str) -> float:
    if not found.one:
        raise Unclear(f"'{text[:40]}' is a range; one number stands here")
    return found.low
