"""What runs can be seen: is it ready, how it is asked, how long it takes, and a line of log for each request.

No line and no figure holds what was asked or a free text: the operation's name, its status, its time and who asked.
"""

from __future__ import annotations

import json
import logging
import os
import secrets
import shutil
import threading
import time
from pathlib import Path
from typing import Literal

from fastapi import Request, Response
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Gauge, Histogram, generate_latest
from pydantic import BaseModel
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from oakbeam.api.access import StoreHere
from oakbeam.api.people import on_this_machine
from oakbeam.api.resource import resource
from oakbeam.store import NotFound, Store, backups
from oakbeam.store.database import now

router = resource("service")

LogChoice = Literal["none", "slow", "requests"]
"""Nothing; what was slow, failed or was refused for who asked or how; every request."""
SLOW_MS = 1000.0
LEAST_FREE_BYTES = 200_000_000
"""Below this much free space a change, or a backup, may soon fail."""
REQUEST_ID = "x-request-id"
BUCKETS_S = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)
_LOG = logging.getLogger("oakbeam.requests")


READY_AGAIN_S = 5.0
"""An answer stands for so long: to write and sync is work, and anybody may ask."""


class Ready(BaseModel):
    """Whether changes can be kept now, and what stands against it; when the last backup was made and copied elsewhere, as
    far as is known."""

    ready: bool
    database: bool
    disk_free_mb: int
    why: list[str]
    backup_at: str | None
    backup_copied_at: str | None


class Observed:
    """What an application counts of its requests."""

    def __init__(self) -> None:
        self.registry = CollectorRegistry()
        labels = ("operation",)
        self.requests = Counter("oakbeam_requests", "Requests answered.", (*labels, "status"), registry=self.registry)
        self.seconds = Histogram(
            "oakbeam_request_seconds", "Time to an answer.", labels, buckets=BUCKETS_S, registry=self.registry
        )
        self.ready: tuple[float, Ready] | None = None
        self.asking = threading.Lock()
        self.open = Gauge("oakbeam_requests_open", "Requests being answered.", registry=self.registry)


class Observe:
    """ASGI, outermost: gives each request an id, counts and times it, and writes its line of log."""

    def __init__(self, app: ASGIApp, observed: Observed, log: LogChoice = "none") -> None:
        self.app, self.observed, self.log = app, observed, log

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        began, status = time.perf_counter(), 500
        request_id = secrets.token_hex(8)

        async def named(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message.get("headers", ()), (REQUEST_ID.encode(), request_id.encode())]
            await send(message)

        with self.observed.open.track_inprogress():
            try:
                await self.app(scope, receive, named)
            finally:
                self._note(scope, request_id, status, time.perf_counter() - began)

    def _note(self, scope: Scope, request_id: str, status: int, seconds: float) -> None:
        # As its route, or who refused its address, said. One that names none is not counted by itself: anybody may make up
        # names.
        operation = scope.get("operation", "page")
        self.observed.requests.labels(operation, str(status)).inc()
        self.observed.seconds.labels(operation).observe(seconds)
        slow = 1000 * seconds > SLOW_MS
        refused = scope.get("refused")
        if self.log == "none" or (self.log == "slow" and not slow and status < 500 and refused is None):
            return
        line = {
            "at": now(),
            "request": request_id,
            "operation": operation,
            "status": status,
            "ms": round(1000 * seconds, 1),
            "person": scope.get("person"),
            **({"slow": True} if slow else {}),
            **({"refused": refused} if refused else {}),
        }
        _LOG.info(json.dumps(line))


def log_to_stderr() -> None:
    """Lines of log as they are, one JSON object each; rotating them is the system's work."""
    if not _LOG.handlers:
        handler = logging.StreamHandler()
        handler.setFormatter(logging.Formatter("%(message)s"))
        _LOG.addHandler(handler)
        _LOG.setLevel(logging.INFO)
        _LOG.propagate = False


def readiness(store: Store) -> Ready:
    """Whether a change could be kept: the database takes a writer, the disk has room, and takes what is written to it."""
    why, fault = [], store.write_fault()
    if fault:
        why.append(fault)
    if (unwritten := _disk_fault(store.path.with_name("oakbeam.ready"))) is not None:
        why.append(unwritten)
    free = shutil.disk_usage(store.path.parent).free
    if free < LEAST_FREE_BYTES:
        why.append(f"Only {free // 1_000_000} MB are free where the database is.")
    kept = backups.last(store)
    return Ready(
        ready=not why,
        database=fault is None,
        disk_free_mb=free // 1_000_000,
        why=why,
        backup_at=kept.made_at,
        backup_copied_at=kept.copied_at,
    )


def _disk_fault(path: Path) -> str | None:
    """Why nothing can be written beside the database and brought to the disk, in a sentence; None where it can."""
    try:
        number = os.open(path, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600)
        try:
            os.write(number, now().encode())
            os.fsync(number)
        finally:
            os.close(number)
    except OSError as error:
        return f"The disk takes nothing where the database is: {error.strerror or error}."
    return None


@router.get("/ready", responses={503: {"model": Ready, "description": "Changes cannot be kept now"}})
def get_ready(request: Request, store: StoreHere, response: Response) -> Ready:
    """Whether changes can be kept now, as found out at most once in some seconds; 503 where not. `GET /health` only says
    that the server answers."""
    observed: Observed = request.app.state.observed
    with observed.asking:
        kept = observed.ready
        if kept is None or time.monotonic() - kept[0] >= READY_AGAIN_S:
            kept = observed.ready = (time.monotonic(), readiness(store))
    found = kept[1]
    response.status_code = 200 if found.ready else 503
    return found


@router.get("/metrics", response_class=Response)
def get_metrics(request: Request, store: StoreHere) -> Response:
    """How it is asked and how long it takes, in the text format of Prometheus; read from the server's own machine only."""
    if not on_this_machine(request):
        raise NotFound("Metrics are read on the server's own machine.")
    return Response(generate_latest(request.app.state.observed.registry), media_type=CONTENT_TYPE_LATEST)
