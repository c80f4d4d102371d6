"""Answers that are written here and not by the framework: files, and JSON that is long."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fastapi.responses import Response, StreamingResponse
from pydantic import TypeAdapter


def as_file(content: str | bytes, media_type: str, name: str) -> Response:
    """An answer that a browser saves under a name."""
    return Response(content, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def as_stream(parts: Iterable[str], media_type: str, name: str) -> Response:
    """An answer that a browser saves under a name, sent while it is written."""
    return StreamingResponse(parts, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def written(adapter: TypeAdapter[Any], value: object) -> Response:
    """An answer written straight from its type: the framework would look at each of its thousands of numbers again."""
    return Response(adapter.dump_json(value), media_type="application/json")
