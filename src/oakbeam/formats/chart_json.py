"""Charts as JSON: a document that names its format and version, and holds the chart whole. `schema` publishes its shape."""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from oakbeam.core.charts.line import Chart
from oakbeam.core.errors import Refusal

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
        return _CHART.validate_python(document.get("chart"))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Refusal("Chart not readable", f"{where}: {first['msg']}.", field=where) from None


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
        "$defs": {**definitions, "Chart": chart},
    }
