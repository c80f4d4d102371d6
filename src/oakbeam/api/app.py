"""The web application: API, security headers, and the built front end."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Response
from fastapi.openapi.utils import get_openapi
from fastapi.responses import FileResponse, HTMLResponse
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

import oakbeam
from oakbeam.api import (
    access,
    addresses,
    audit,
    beam,
    bedside,
    catalogue,
    chart_check,
    chart_files,
    chart_making,
    charts,
    constancy,
    corrections,
    dose_levels,
    drills,
    evidence,
    exposures,
    heavy,
    image_import,
    in_use,
    index_scales,
    kept_filters,
    lines,
    log_board,
    log_report,
    log_watch,
    observing,
    people,
    practice,
    printing,
    problems,
    programs,
    rooms,
    run_sheets,
    service,
    setup,
    targets,
    technique_path,
    techniques,
    worklist,
)
from oakbeam.api.proxy_sign_in import FromProxy
from oakbeam.api.rules import HEAVY
from oakbeam.api.technique_path import TechniquePath
from oakbeam.api.technique_request import TechniqueRequest
from oakbeam.api.workers import Workers
from oakbeam.store import Store

SECURITY_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
}
RESOURCES = (
    people,
    audit,
    setup,
    charts,
    lines,
    chart_check,
    chart_making,
    chart_files,
    printing,
    bedside,
    corrections,
    targets,
    in_use,
    programs,
    rooms,
    constancy,
    index_scales,
    catalogue,
    dose_levels,
    run_sheets,
    worklist,
    techniques,
    technique_path,
    beam,
    exposures,
    image_import,
    evidence,
    kept_filters,
    log_board,
    log_report,
    log_watch,
    observing,
    practice,
    drills,
    heavy,
    service,  # the last: it ends with "nothing here"
)
_NOT_KEPT = (b"cache-control", b"no-store")
_HEADERS = [(name.lower().encode(), value.encode()) for name, value in SECURITY_HEADERS.items()]


def build(
    store: Store,
    front_end: Path | None = None,
    hosts: Sequence[str] = (),
    log: observing.LogChoice = "none",
    proxies: Sequence[str] = (),
    person_header: str = "",
    workers: Workers | None = None,
) -> FastAPI:
    """The application around an open database.

    front_end: the folder of the built interface, if there is one. hosts: the names it may be called by (the Host header);
    any where empty. log: which requests leave a line of log. proxies: those whose forwarded addresses are believed;
    person_header: the header in which they say who is there, empty where they do not. workers: who does the heavy work; the
    application itself without them.
    """

    aside = heavy.Heavy(workers, store, person_header) if workers else None

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        tidying = asyncio.create_task(aside.tidy()) if aside else None
        yield
        if aside and tidying:
            tidying.cancel()
            aside.close()
        store.close()

    app = FastAPI(
        title="Oakbeam",
        version=oakbeam.__version__,
        description="Exposure technique charts: build, apply, judge, log. Advice under local protocol, never an order.",
        # Described by a route of ours (`service`), which has its rule like the rest.
        openapi_url=None,
        docs_url=None,
        redoc_url=None,
        lifespan=lifespan,
    )
    app.router.redirect_slashes = False
    app.state.store, app.state.person_header, app.state.heavy = store, person_header, aside
    problems.install(app)
    for resource in RESOURCES:
        # As they are: to include a router makes each of its routes anew, a second of work at every start.
        app.router.routes.extend(resource.router.routes)
    access.all_ruled(app.routes)
    if front_end:
        _serve_front_end(app, front_end)
    # From the inside out: what an address is comes before who may ask for it, and that before anything reads the body.
    app.add_middleware(GZipMiddleware, minimum_size=1400, compresslevel=4)
    app.add_middleware(TechniquePath, store=store)
    app.add_middleware(addresses.Addresses)
    app.add_middleware(problems.LastResort)
    if hosts:
        app.add_middleware(TrustedHostMiddleware, allowed_hosts=list(hosts))
    app.add_middleware(_SecurityHeaders)
    app.state.observed = observing.Observed()
    app.add_middleware(observing.Observe, observed=app.state.observed, log=log)
    if proxies:
        app.add_middleware(FromProxy, proxies=proxies, header=person_header)
    _describe(app)
    return app


class _SecurityHeaders:
    """Adds the security headers to every answer. Plain ASGI: it costs nothing beside a technique."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                # What the API says is of this moment and this person; nothing keeps it.
                api = [_NOT_KEPT] if scope["path"].startswith("/api") else []
                message["headers"] = [*message["headers"], *_HEADERS, *api]
            await send(message)

        await self.app(scope, receive, send_with_headers if scope["type"] == "http" else send)


def _serve_front_end(app: FastAPI, folder: Path) -> None:
    root = folder.resolve()

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        """A built file, or the one page for every address of the interface."""
        wanted = (root / path).resolve()
        try:
            there = bool(path) and wanted.is_relative_to(root) and wanted.is_file()
        except OSError:  # a name that the file system does not take
            there = False
        if there:
            forever = path.startswith("assets/")
            return FileResponse(wanted, headers={"Cache-Control": "max-age=31536000, immutable" if forever else "no-cache"})
        if "." in path.rsplit("/", 1)[-1]:
            return HTMLResponse("Not found", 404)
        return FileResponse(root / "index.html", headers={"Cache-Control": "no-cache"})


_PROBLEM = {"schema": {"$ref": "#/components/schemas/Problem"}}


def _describe(app: FastAPI) -> None:
    """OpenAPI with the one request body that the fast path parses by itself, and problem+json for errors."""

    def openapi() -> dict[str, object]:
        if app.openapi_schema is None:
            document = get_openapi(title=app.title, version=app.version, description=app.description, routes=app.routes)
            schema = TechniqueRequest.model_json_schema(ref_template="#/components/schemas/{model}")
            for name, definition in schema.pop("$defs", {}).items():
                document["components"]["schemas"].setdefault(name, definition)
            document["components"]["schemas"].setdefault("TechniqueRequest", schema)
            for address, path in document["paths"].items():
                for method, operation in path.items():
                    if f"{method.upper()} {address}" in HEAVY:
                        operation["responses"] |= {
                            str(status): {"description": said["description"], "content": {"": _PROBLEM}}
                            for status, said in problems.CROWDED.items()
                        }
                    for response in operation["responses"].values():
                        said: dict[str, Any] = next(iter(response.get("content", {}).values()), {})
                        if said.get("schema", {}).get("$ref", "").endswith("/Problem"):
                            response["content"] = {problems.MEDIA_TYPE: said}
            app.openapi_schema = document
        return app.openapi_schema

    app.openapi = openapi  # type: ignore[method-assign]
