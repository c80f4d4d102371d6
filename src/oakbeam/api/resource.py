"""The routes of one resource: below /api, each with its rule, its errors as problem details."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter

from oakbeam.api import problems
from oakbeam.api.access import RuledRoute


def resource(tag: str, below: str = "/api", more: dict[int | str, dict[str, Any]] | None = None) -> APIRouter:
    """A router whose routes carry their rules. tag: the heading they stand under in the API's description; more: answers
    that are described beside the usual problems."""
    return APIRouter(prefix=below, responses={**problems.RESPONSES, **(more or {})}, tags=[tag], route_class=RuledRoute)
