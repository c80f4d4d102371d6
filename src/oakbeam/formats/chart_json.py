"""Charts as JSON: a document that names its format and version, and holds the chart whole. `schema` publishes its shape."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from oakbeam.core.charts.line import KVP_RANGE, SID_RANGE_CM, THICKNESS_RANGE_CM, Chart
from oakbeam.core.equipment.aec import DENSITY_STEPS
from oakbeam.core.errors import Refusal
from oakbeam.core.physics import rules_of_thumb

FORMAT = "oakbeam-chart"
FORMAT_VERSION = 2
READS = (1, 2)
"""Version 1 knew no keys, links and proposals; what it does not have takes its default."""
_CHART = TypeAdapter(Chart)


def write(chart: Chart) -> dict[str, object]:
    """The chart as a JSON document."""
    return {"format": FORMAT, "format_version": FORMAT_VERSION, "chart": _CHART.dump_python(chart, mode="json")}


def read(text: str) -> Chart:
    """The chart of such a document's text; Refusal where it is not one."""
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        raise Refusal("Not JSON", "The text is not a JSON document.") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise Refusal("Not an Oakbeam chart", f'The document must have "format": "{FORMAT}".')
    if document.get("format_version") not in READS:
        raise Refusal("Unknown format version", f"This Oakbeam reads versions {READS}.", [*map(float, READS)])
    try:
        chart = _CHART.validate_python(document.get("chart"))
        _refuse_unknown(document.get("chart"), _CHART.dump_python(chart, mode="json"), "chart")
        return chart
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Refusal("Chart not readable", f"{where}: {first['msg']}.", field=where) from None


def _refuse_unknown(given: object, read: object, where: str) -> None:
    """Refuse a field that the reader would drop: what is meant by it is lost, or it is misspelt."""
    if isinstance(given, dict) and isinstance(read, dict):
        for name in given:
            if name not in read:
                raise Refusal(
                    "Unknown field", f"{where} has no '{str(name)[:40]}'.", sorted(map(str, read)), f"{where}.{name}"
                )
            _refuse_unknown(given[name], read[name], f"{where}.{name}")
    elif isinstance(given, list) and isinstance(read, list):
        for at, (one, other) in enumerate(zip(given, read, strict=False)):
            _refuse_unknown(one, other, f"{where}.{at}")


_CM = THICKNESS_RANGE_CM
BOUNDS: Mapping[str, tuple[float, float]] = {
    "kvp": KVP_RANGE,
    "sid_cm": SID_RANGE_CM,
    **dict.fromkeys(("thickness_cm", "base_cm", "min_cm", "max_cm"), _CM),
    "doubling_cm": rules_of_thumb.DOUBLING_CM_RANGE,
    "kvp_per_cm": rules_of_thumb.KVP_PER_CM_RANGE,
    "aec_density": DENSITY_STEPS,
}
"""What a number of that name can be, wherever it stands."""


def _strict(definition: dict[str, Any]) -> dict[str, Any]:
    """A shape with no field beyond its own, and with the bounds of its numbers."""
    found = {name: dict(shape) for name, shape in definition.get("properties", {}).items()}
    for name, shape in found.items():
        if name in BOUNDS:
            shape["minimum"], shape["maximum"] = BOUNDS[name]
        elif name in ("mas", "mas_factor"):
            shape["exclusiveMinimum"] = 0
        elif name == "grid_ratio":
            shape["enum"] = sorted(rules_of_thumb.GRID_FACTORS_AVERAGE)
        elif name == "range_cm":
            shape["prefixItems"] = [{"type": "number", "minimum": _CM[0], "maximum": _CM[1]}] * 2
    return {**definition, "properties": found, "additionalProperties": False}


@lru_cache(maxsize=1)
def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of what `write` gives; published as docs/chart.schema.json."""
    chart = _CHART.json_schema(mode="serialization")
    definitions = chart.pop("$defs", {})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Oakbeam chart",
        "description": "An exposure technique chart of one room. Lengths in cm, tube potential in kVp, tube load in mAs.",
        "type": "object",
        "properties": {
            "format": {"const": FORMAT},
            "format_version": {"const": FORMAT_VERSION},
            "chart": {"$ref": "#/$defs/Chart"},
        },
        "required": ["format", "format_version", "chart"],
        "additionalProperties": False,
        "$defs": {name: _strict(one) for name, one in {**definitions, "Chart": chart}.items()},
    }
