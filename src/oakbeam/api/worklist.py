"""The worklist: where the department's is asked for, which exam each procedure is, and the requests that wait."""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from typing import Annotated, Any

from fastapi import Path
from pydantic import BaseModel, Field, StringConstraints
from starlette.concurrency import run_in_threadpool

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.types import Key, RequestBody
from oakbeam.core.errors import Unanswered
from oakbeam.core.exam.order import still_due
from oakbeam.core.exam.waiting import Waiting
from oakbeam.demo import waiting as stand_in
from oakbeam.formats.one_way import OneWay
from oakbeam.store import Store, images, local, requests, settings

router = resource("technique")
SERVER, EXAMS = "worklist", "worklist-exams"
ASKED_AGAIN_S = 20.0
"""An answer, and a silence, stands for so long: consoles look more often than requests come."""
PAUSE_S = 1.0
"""How long whoever asks is kept while the server is silent."""
Title = Annotated[str, StringConstraints(min_length=1, max_length=16, pattern=r"^[A-Za-z0-9 _.-]+$", strip_whitespace=True)]


class WorklistServerIn(RequestBody):
    """Where the worklist is asked for: a DICOM Modality Worklist server. host "": nowhere."""

    host: Annotated[str, StringConstraints(max_length=120, pattern=r"^[A-Za-z0-9.:_-]*$", strip_whitespace=True)]
    port: Annotated[int, Field(ge=1, le=65535)] = 104
    title: Title = "WORKLIST"
    own_title: Title = "OAKBEAM"


class ExamOfProcedure(RequestBody):
    """Which exam a procedure is, by its one-way key."""

    procedure: Annotated[str, StringConstraints(min_length=8, max_length=40, pattern=r"^[a-z0-9]+$")]
    exam: Key


class WorklistOut(BaseModel):
    """Where the worklist is asked for, None for nowhere, and how many procedures have their exam."""

    server: WorklistServerIn | None
    procedures: int


class WorklistSilent(Unanswered):
    """The worklist server does not answer."""

    def __init__(self, why: str) -> None:
        super().__init__("No worklist", f"{why} Choose the exam by typing its name.", None, "worklist")
        self.why = why


class _Background:
    """What the worklist server said last, asked on a thread of its own and never while somebody waits who has an answer:
    however many consoles look, and however long the server is silent, it is asked by one at a time."""

    def __init__(self) -> None:
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="worklist")
        self._lock = threading.Lock()
        self._key: tuple[Any, ...] = ()
        self._asking: Future[None] | None = None
        self._at = 0.0
        self.found: list[Waiting] | None = None
        self.failed: str | None = None

    def look(self, key: tuple[Any, ...], ask: Callable[[], list[Waiting]]) -> Future[None] | None:
        """Have the server asked where its last answer, or its silence, is older than ASKED_AGAIN_S. The question to wait for
        where nothing is known yet."""
        with self._lock:
            if key != self._key:
                self._key, self._asking, self._at, self.found, self.failed = key, None, 0.0, None, None
            known = self.found is not None or self.failed is not None
            if self._asking is None and (not known or time.monotonic() - self._at >= ASKED_AGAIN_S):
                self._asking = self._thread.submit(self._ask, key, ask)
            return None if known else self._asking

    def _ask(self, key: tuple[Any, ...], ask: Callable[[], list[Waiting]]) -> None:
        found, failed = None, None
        try:
            found = ask()
        except Exception as why:
            # Whatever the network and its library come to: no console waits for it.
            failed = why.why if isinstance(why, WorklistSilent) else "The worklist server could not be asked."
        with self._lock:
            if key == self._key:
                self.found, self.failed, self._at, self._asking = found, failed, time.monotonic(), None


_ASKED = _Background()


def server_of(store: Store) -> WorklistServerIn | None:
    """Where the department's worklist is asked for."""
    kept = settings.read(store, SERVER)
    return WorklistServerIn(**kept) if kept and kept.get("host") else None


def waiting(store: Store) -> list[Waiting]:
    """The requests of which views are still due: of the department's worklist, else the demo's. Raises WorklistSilent."""
    if (asking := look(store)) is not None:
        asking.result()
    found: list[Waiting] = []
    if server_of(store):
        if _ASKED.failed is not None:
            raise WorklistSilent(_ASKED.failed)
        found = _ASKED.found or []
    elif local.offered_accounts(store):
        found = list(stand_in.waiting())
    known = local.catalogue_of(store).exams
    taken, closed = requests.accepted(store, (one.study_key for one in found)), requests.closed(store)
    waits = []
    for one in found:
        if (one.exam not in known and not one.procedure) or one.study_key in closed:
            continue
        done = taken.get(one.study_key, frozenset())
        # Of a request whose exam nobody named yet, what is due cannot be said.
        due = still_due(known[one.exam], done) if one.exam in known else ()
        if one.study_key not in taken or due:
            waits.append(replace(one, done=tuple(sorted(done)), due=due))
    return waits


def look(store: Store) -> Future[None] | None:
    """Have the department's worklist asked, where there is one and its time has come; the question to wait for where nothing
    is known of it yet."""
    server = server_of(store)
    if server is None:
        return None
    exams = settings.read(store, EXAMS) or {}
    keys = OneWay(images.salt(store))

    def ask() -> list[Waiting]:
        # Loaded where a department has a worklist: the network library is large.
        from oakbeam.formats import worklist

        asked = worklist.WorklistServer(server.host, server.port, server.title, server.own_title)
        try:
            return worklist.ask(asked, keys, exams)
        except worklist.Silent as why:
            raise WorklistSilent(str(why)) from None

    return _ASKED.look((str(store.path), *server.model_dump().values(), *sorted(exams.items())), ask)


@router.get("/waiting")
async def get_waiting(store: StoreHere) -> list[Waiting]:
    """The requests that wait; nobody is identified."""
    # Waited for here and not on a thread: there are few of those, and the Desk needs them.
    if (asking := await run_in_threadpool(look, store)) is not None:
        await asyncio.wrap_future(asking)
    try:
        return await run_in_threadpool(waiting, store)
    except WorklistSilent:
        # Whoever asks over and over costs others next to nothing; a console looks every half minute.
        await asyncio.sleep(PAUSE_S)
        raise


@router.post("/waiting/{study_key}/close", status_code=204)
def post_close_request(
    store: StoreHere, who: Actor, study_key: Annotated[str, Path(max_length=60, pattern=r"^[A-Za-z0-9-]+$")]
) -> None:
    """Say that nothing more is to be taken of a request: it waits no longer, whatever was due."""
    requests.close(store, study_key, who)


@router.get("/modality-worklist")
def get_worklist(store: StoreHere) -> WorklistOut:
    """Where the worklist is asked for."""
    return WorklistOut(server=server_of(store), procedures=len(settings.read(store, EXAMS) or {}))


@router.put("/modality-worklist")
def put_worklist(store: StoreHere, who: Actor, asked: WorklistServerIn) -> WorklistOut:
    """Say where the worklist is asked for."""
    settings.save(store, SERVER, asked.model_dump(), who)
    return get_worklist(store)


@router.post("/modality-worklist/exams")
def post_exam_of_procedure(store: StoreHere, who: Actor, asked: ExamOfProcedure) -> WorklistOut:
    """Say which exam a procedure is; it is remembered."""
    exam = local.catalogue_of(store).exam(asked.exam)
    settings.save(store, EXAMS, {**(settings.read(store, EXAMS) or {}), asked.procedure: exam.id}, who)
    return get_worklist(store)
