"""Every error as problem details (RFC 9457): what was wrong and what is allowed. Nothing of the input is echoed whole."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from oakbeam.api.access import ChangePasswordFirst, Forged, NotSignedIn, NotYourRole
from oakbeam.api.addresses import OddAddress
from oakbeam.api.bodies import TooLarge, TooSlow
from oakbeam.api.turns import Full, TooMany
from oakbeam.api.types import LineNow, Problem
from oakbeam.api.workers import Cancelled, TooMuchWork
from oakbeam.core.errors import Refusal, Unanswered, named
from oakbeam.formats.chart_csv import BadFile
from oakbeam.store import Busy, Conflict, FileMoved, NotFound
from oakbeam.store.charts import Stale
from oakbeam.store.people import TooManyAttempts, WrongPassword, WrongSetupCode

STATUS: Mapping[type[Refusal], int] = {
    OddAddress: 400,
    Conflict: 409,
    NotSignedIn: 401,
    WrongPassword: 401,
    WrongSetupCode: 403,
    NotYourRole: 403,
    Forged: 403,
    ChangePasswordFirst: 403,
    TooLarge: 413,
    TooSlow: 408,
    Busy: 503,
    FileMoved: 503,
    Unanswered: 503,
    TooManyAttempts: 429,
    TooMany: 429,
    Full: 503,
    TooMuchWork: 413,
    Cancelled: 409,
}
"""The HTTP status of a refusal; 422 where it is none of these."""
STORAGE: Mapping[int, str] = {
    sqlite3.SQLITE_FULL: "The server's disk is full.",
    sqlite3.SQLITE_READONLY: "The server may not write its database.",
    sqlite3.SQLITE_IOERR: "The server's disk takes nothing.",
    sqlite3.SQLITE_CANTOPEN: "The server cannot open its database: too many files are open, or it is gone.",
    sqlite3.SQLITE_CORRUPT: "The database is damaged: stop the server, and restore the last backup.",
    sqlite3.SQLITE_NOTADB: "The database is damaged: stop the server, and restore the last backup.",
}
"""What is said where the disk or the file is at fault, by SQLite's primary result code."""
_LOG = logging.getLogger("oakbeam")
MEDIA_TYPE = "application/problem+json"
CROWDED: dict[int | str, dict[str, Any]] = {
    429: {"model": Problem, "description": "Too many of these wait already; Retry-After says when to come back"},
    503: {"model": Problem, "description": "Busy with others; Retry-After says when to come back"},
}
"""What heavy operations may answer besides (see `heavy`)."""
RESPONSES: dict[int | str, dict[str, Any]] = {
    400: {"model": Problem, "description": "Not an address of this application"},
    401: {"model": Problem, "description": "Nobody is signed in"},
    403: {"model": Problem, "description": "Not for this role, or not from here"},
    404: {"model": Problem, "description": "There is no such thing"},
    409: {"model": Problem, "description": "The present state does not allow it"},
    413: {"model": Problem, "description": "More than this operation takes"},
    422: {"model": Problem, "description": "Refused; says what is allowed"},
}


def of_refusal(refusal: Refusal) -> Problem:
    """The problem details of a refusal of the core, the store or a format."""
    faults = [asdict(fault) for fault in refusal.faults] if isinstance(refusal, BadFile) else None
    conflicts = None
    if isinstance(refusal, Stale):
        conflicts = [LineNow(line=line_id, now=line) for line_id, line in refusal.lines.items()]
    return Problem(
        title=refusal.title,
        status=next((status for kind, status in STATUS.items() if isinstance(refusal, kind)), 422),
        detail=refusal.detail,
        allowed=refusal.allowed,
        field=refusal.field,
        faults=faults,
        conflicts=conflicts,
    )


def of_validation(errors: Sequence[Mapping[str, Any]]) -> Problem:
    """The problem details of a request that does not have the right shape; the first error leads."""
    first = errors[0]
    where = ".".join(str(part) for part in first["loc"] if part != "body")
    context = first.get("ctx") or {}
    allowed: dict[str, float | str] | list[str] | None = None
    limits = {"ge": "min", "gt": "min", "le": "max", "lt": "max"}
    if bounds := {limits[key]: float(value) for key, value in context.items() if key in limits}:
        allowed = {**bounds}
    elif "expected" in context:
        allowed = [str(context["expected"])]
    more = f" (and {len(errors) - 1} more)" if len(errors) > 1 else ""
    detail = f"{named(where or 'body')} {_wrong(first)}.{more}"
    return Problem(title="Request not understood", status=422, detail=detail, allowed=allowed, field=where or None)


WRONG: Mapping[str, str] = {
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "unexpected_keyword_argument": "is not known here",
    "greater_than": "must be above {gt:g}",
    "greater_than_equal": "must be {ge:g} or more",
    "less_than": "must be below {lt:g}",
    "less_than_equal": "must be {le:g} at most",
    "float_type": "must be a number",
    "float_parsing": "must be a number",
    "int_type": "must be a whole number",
    "int_parsing": "must be a whole number",
    "int_from_float": "must be a whole number",
    "finite_number": "must be a finite number",
    "string_type": "must be text",
    "string_too_short": "must have {min_length} letters or more",
    "string_too_long": "must have {max_length} letters at most",
    "literal_error": "must be one of {expected}",
    "too_long": "must have {max_length} entries at most",
    "too_short": "must have {min_length} entries or more",
    "bool_type": "must be yes or no",
    "bool_parsing": "must be yes or no",
    "json_invalid": "cannot be read: it is no JSON",
    "string_pattern_mismatch": "may hold only plain letters, figures and dashes, without spaces",
}
"""What is wrong with one value, in a sentence that begins with its name, by the checker's own key."""


def _wrong(error: Mapping[str, Any]) -> str:
    """What is wrong, in plain words; in the checker's own where there are none for it."""
    said = WRONG.get(str(error["type"]))
    if said is None:
        return str(error["msg"]).replace("Input should", "should").replace("Value error, ", "")
    return said.format(**(error.get("ctx") or {}))


def of_missing(missing: NotFound) -> Problem:
    """The problem details of something that is not there."""
    return Problem(title="Not found", status=404, detail=str(missing.args[0]))


def install(app: FastAPI) -> None:
    """Answer every known error of the application with problem details."""

    @app.exception_handler(Refusal)
    async def refused(_: Request, error: Refusal) -> JSONResponse:
        return refusal_response(error)

    @app.exception_handler(NotFound)
    async def missing(_: Request, error: NotFound) -> JSONResponse:
        return response(of_missing(error))

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return response(of_validation(error.errors()))

    @app.exception_handler(HTTPException)
    async def http(_: Request, error: HTTPException) -> JSONResponse:
        # An unreadable body is refused like any other body that is not understood.
        status = 422 if error.status_code == 400 else error.status_code
        problem = Problem(title=str(error.detail), status=status, detail=str(error.detail))
        return response(problem, error.headers)


def refusal_response(refusal: Refusal) -> JSONResponse:
    """The HTTP answer of a refusal; where trying again helps, it says after how long."""
    wait_s = getattr(refusal, "wait_s", None)
    return response(of_refusal(refusal), {"Retry-After": str(wait_s)} if wait_s else None)


def unexpected(error: Exception, path: str) -> JSONResponse:
    """The answer where Oakbeam itself is at fault: nothing of the error goes out, all of it goes to the service's log."""
    if isinstance(error, sqlite3.OperationalError) and error.sqlite_errorcode in (
        sqlite3.SQLITE_BUSY,
        sqlite3.SQLITE_LOCKED,
    ):
        return refusal_response(Busy())
    if isinstance(error, MemoryError):
        return refusal_response(TooMuchWork("This takes more memory than there is for it."))
    _LOG.error("%s", path, exc_info=error)
    if isinstance(error, sqlite3.DatabaseError):
        code = getattr(error, "sqlite_errorcode", 0) & 0xFF
        if code in STORAGE:
            detail = f"{STORAGE[code]} Nothing of this was kept; what was kept before stays."
            return response(Problem(title="Nothing can be kept now", status=503, detail=detail), {"Retry-After": "30"})
    detail = "Something went wrong in Oakbeam itself; nothing was kept. The service's log says more."
    return response(Problem(title="Fault in Oakbeam", status=500, detail=detail))


class LastResort:
    """ASGI: whatever the framework and the layers in front of it did not answer becomes problem details."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        started = False

        async def noted(message: Message) -> None:
            nonlocal started
            started = started or message["type"] == "http.response.start"
            await send(message)

        try:
            await self.app(scope, receive, noted)
        except Exception as error:
            if scope["type"] != "http" or started:
                raise
            answer = refusal_response(error) if isinstance(error, Refusal) else unexpected(error, scope["path"])
            await answer(scope, receive, send)


def response(problem: Problem, headers: Mapping[str, str] | None = None) -> JSONResponse:
    """The HTTP answer that carries a problem."""
    return JSONResponse(
        problem.model_dump(mode="json", exclude_none=True),
        problem.status,
        dict(headers) if headers else None,
        media_type=MEDIA_TYPE,
    )
