"""The request path of POST /api/techniques, which is asked for at each move of the thickness ruler.

The framework's routing and dependency machinery cost more than the technique itself (docs/decisions/0006). This path answers
that one operation in front of it, through the same function as the described route, so both give the same answer. Techniques
are worked out on one thread of their own, one after the other: however many consoles drag a ruler, the event loop and the
threads that record exposures keep their share (docs/decisions/0023).
"""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor

from fastapi import Request, Response
from pydantic import ValidationError
from starlette.types import ASGIApp, Receive, Scope, Send

from oakbeam.api import problems
from oakbeam.api.access import admit, the_store
from oakbeam.api.resource import resource
from oakbeam.api.technique_request import TechniqueRequest
from oakbeam.api.techniques import TECHNIQUE_RESPONSE, TechniqueResponse, technique
from oakbeam.core.errors import Refusal
from oakbeam.store import Store

router = resource("desk")

PATH = "/api/techniques"
OPERATION = f"POST {PATH}"
_THREAD = ThreadPoolExecutor(max_workers=1, thread_name_prefix="technique")


def answer(store: Store, body: bytes) -> Response:
    """The technique for a request's body, or the problem details of its refusal."""
    try:
        asked = TechniqueRequest.model_validate_json(body)
        found = technique(store, asked)
    except ValidationError as error:
        return problems.response(problems.of_validation(error.errors(include_input=False, include_url=False)))
    except Refusal as refusal:
        return problems.response(problems.of_refusal(refusal))
    except Exception as error:
        return problems.unexpected(error, PATH)
    return Response(TECHNIQUE_RESPONSE.dump_json(found), media_type="application/json")


class TechniquePath:
    """ASGI: answers POST /api/techniques, by the same rule as its route, and passes everything else on."""

    def __init__(self, app: ASGIApp, store: Store) -> None:
        self.app, self.store = app, store

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and scope["path"] == PATH and scope["method"] == "POST":
            await admit(OPERATION, scope, receive, send, self._answer)
        else:
            await self.app(scope, receive, send)

    async def _answer(self, scope: Scope, receive: Receive, send: Send) -> None:
        body = b""
        more = True
        while more:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            body += message.get("body", b"")
            more = message.get("more_body", False)
        found = await asyncio.get_running_loop().run_in_executor(_THREAD, answer, self.store, body)
        await found(scope, receive, send)


@router.post(
    "/techniques",
    tags=["desk"],
    response_model=TechniqueResponse,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"$ref": "#/components/schemas/TechniqueRequest"}}},
        }
    },
)
async def post_technique(request: Request) -> Response:
    """kVp, mAs, mA, time, focal spot, SID and grid for a measured patient, with how they were worked out.

    Served by `TechniquePath` in front of the framework; described here.
    """
    return answer(the_store(request), await request.body())
