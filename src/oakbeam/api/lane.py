"""A lane of its own for POST /api/techniques, which is asked for at each move of the thickness ruler.

The framework's routing and dependency machinery cost more than the technique itself (docs/decisions/0006). The lane answers
that one operation in front of it, through the same function as the described route, so both give the same answer.
"""

from __future__ import annotations

from fastapi.responses import Response
from pydantic import ValidationError
from starlette.types import ASGIApp, Receive, Scope, Send

from oakbeam.api import operations, problems
from oakbeam.api import schemas as s
from oakbeam.core.refusal import Refusal
from oakbeam.store import Store

PATH = "/api/techniques"
MOST_BYTES = 64 * 1024


def answer(store: Store, body: bytes) -> Response:
    """The technique for a request's body, or the problem details of its refusal."""
    try:
        asked = s.TechniqueRequest.model_validate_json(body)
        found = operations.technique(store, asked)
    except ValidationError as error:
        return problems.response(problems.of_validation(error.errors(include_input=False, include_url=False)))
    except Refusal as refusal:
        return problems.response(problems.of_refusal(refusal))
    return Response(s.TECHNIQUE_RESPONSE.dump_json(found), media_type="application/json")


class TechniqueLane:
    """ASGI: answers POST /api/techniques and passes everything else on."""

    def __init__(self, app: ASGIApp, store: Store) -> None:
        self.app, self.store = app, store

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"] != PATH or scope["method"] != "POST":
            await self.app(scope, receive, send)
            return
        body = b""
        more = True
        while more:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            body += message.get("body", b"")
            more = message.get("more_body", False)
            if len(body) > MOST_BYTES:
                detail = f"A technique request has at most {MOST_BYTES // 1024} kB."
                await problems.response(s.Problem(title="Too large", status=413, detail=detail))(scope, receive, send)
                return
        await answer(self.store, body)(scope, receive, send)
