"""Files that the API gives out."""

from __future__ import annotations

from fastapi.responses import Response


def as_file(content: str | bytes, media_type: str, name: str) -> Response:
    """An answer that a browser saves under a name."""
    return Response(content, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})
