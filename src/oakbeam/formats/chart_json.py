"""Charts as JSON: a document that names its format and version, and holds the chart whole."""

from __future__ import annotations

import json

from pydantic import TypeAdapter, ValidationError

from oakbeam.core.chart import Chart
from oakbeam.core.refusal import Refusal

FORMAT = "oakbeam-chart"
FORMAT_VERSION = 1
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
    if document.get("format_version") != FORMAT_VERSION:
        raise Refusal("Unknown format version", f"This Oakbeam reads version {FORMAT_VERSION}.", [float(FORMAT_VERSION)])
    try:
        return _CHART.validate_python(document.get("chart"))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Refusal("Chart not readable", f"{where}: {first['msg']}.", field=where) from None
