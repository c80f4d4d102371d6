"""Heavy requests: they wait in a line of their own, are worked out by `workers`, and keep no technique or record waiting.

Which operations are heavy, and how long each may take, stands in `rules.HEAVY`. Of one caller (a session, else an address)
one is worked on at a time and a few wait; callers take turns. Who has more in line than that is told so (429), and whoever
finds the line full too (503); both are told after a pause, so that asking again and again gains nothing. A large body is
read only once its request has a place among the few that are read at a time: until then it stays with its sender.

What takes longer than a browser should wait goes on as a job where the request says `Prefer: respond-async` (RFC 7240): the
answer is then 202 with the job's address, where one sees how far it is, calls it off, or fetches the answer.
"""

from __future__ import annotations

import asyncio
import os
import secrets
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Literal

from fastapi import Request, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.types import Receive, Scope, Send

from oakbeam.api import problems
from oakbeam.api.access import session_in
from oakbeam.api.bodies import TooSlow
from oakbeam.api.resource import resource
from oakbeam.api.rules import BODIES, HEAVY, USUAL_BODY
from oakbeam.api.turns import MOST_WAIT_S, Full, Line, TooMany
from oakbeam.api.workers import Answer, Cancelled, Work, Workers, memory_file
from oakbeam.core.errors import Refusal
from oakbeam.store import NotFound, Store

router = resource("service")
MOST_OF_SESSION, MOST_OF_ADDRESS = 8, 24
"""How many requests of one session wait; of one address, behind which there may be many people."""
PAUSE_S = 1.0
"""How long whoever is sent away is kept first."""
READ_AT_A_TIME = 4
LEAST_BYTES_A_S = 256 * 1024
"""Of a large body, on the whole: whoever is slower holds a place that others wait for."""
ASYNC_AFTER_S = 10.0
MOST_JOBS, JOB_KEPT_S = 50, 600.0
PART = 64 * 1024


@dataclass
class Job:
    """A piece of work that outlived its request. whose: the caller's key."""

    whose: str
    work: Work
    task: asyncio.Task[Answer]
    begun: float = field(default_factory=time.monotonic)

    def drop(self) -> None:
        """Call it off, or let go of its answer."""
        self.work.called_off.set()
        self.task.add_done_callback(_let_go)


class Heavy:
    """Answers heavy requests for an application."""

    def __init__(self, workers: Workers, store: Store, person_header: str = "") -> None:
        self.workers, self.store, self.person_header = workers, store, person_header
        self.reading, self.working = Line(READ_AT_A_TIME), Line(workers.most)
        self.jobs: dict[str, Job] = {}
        # One thread waits for each worker.
        self._threads = ThreadPoolExecutor(workers.most, thread_name_prefix="worker")

    async def answer(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer the request of a heavy operation."""
        try:
            await self._answer(scope, receive, send)
        except (TooMany, Full):
            await asyncio.sleep(PAUSE_S)
            raise

    async def _answer(self, scope: Scope, receive: Receive, send: Send) -> None:
        until = time.monotonic() + MOST_WAIT_S
        caller, most = await self.caller(scope)
        work = Work(scope["operation"], scope, memory_file(), HEAVY[scope["operation"]])
        task: asyncio.Task[Answer] | None = None
        try:
            await self._read(work, caller, most, receive, until)
            task = asyncio.create_task(self._worked_out(work, caller, most, until))
        finally:
            if task is None:
                os.close(work.body)
        if "respond-async" in Headers(scope=scope).get("prefer", "").lower():
            done, _ = await asyncio.wait((task,), timeout=ASYNC_AFTER_S)
            if not done:
                await self._kept(Job(caller, work, task))(scope, receive, send)
                return
        # Not shielded from a client that goes: what it asked for is of no use to anybody else.
        await _send(await task, send)

    async def caller(self, scope: Scope) -> tuple[str, int]:
        """Who asks, as a key, and how many requests of theirs may wait."""
        headers = Headers(scope=scope)
        if "cookie" in headers:
            session = await run_in_threadpool(session_in, self.store, headers, self.person_header)
            if session is not None:
                return f"session {session.csrf}", MOST_OF_SESSION
        return f"address {(scope['client'] or ('',))[0]}", MOST_OF_ADDRESS

    async def _read(self, work: Work, caller: str, most: int, receive: Receive, until: float) -> None:
        """Bring the body into a file of memory; of large ones only a few at a time."""
        allowed = BODIES.get(work.operation, USUAL_BODY)
        if work.scope["method"] in ("GET", "HEAD"):
            return
        if int(Headers(scope=work.scope).get("content-length", allowed + 1)) <= USUAL_BODY:
            await _body(work, receive)
            return
        async with self.reading.place(caller, most, until - time.monotonic()):
            try:
                async with asyncio.timeout(30 + allowed / LEAST_BYTES_A_S):
                    await _body(work, receive)
            except TimeoutError:
                raise TooSlow from None

    async def _worked_out(self, work: Work, caller: str, most: int, until: float) -> Answer:
        try:
            # A body that took long to come has a moment more.
            async with self.working.place(caller, most, max(1.0, until - time.monotonic())):
                if work.called_off.is_set():
                    raise Cancelled
                return await asyncio.get_running_loop().run_in_executor(self._threads, self.workers.do, work)
        finally:
            os.close(work.body)

    def _kept(self, job: Job) -> Response:
        """Keep a job, and say where it is."""
        self._forget_old()
        if len(self.jobs) >= MOST_JOBS:
            job.drop()
            raise Full
        name = secrets.token_urlsafe(12)
        self.jobs[name] = job
        where = {"Location": f"/api/jobs/{name}", "Retry-After": "1"}
        return JSONResponse(told(name, job).model_dump(), 202, where)

    def _forget_old(self) -> None:
        for name, job in tuple(self.jobs.items()):
            if job.task.done() and time.monotonic() - job.begun > JOB_KEPT_S:
                self.jobs.pop(name).drop()

    async def tidy(self) -> None:
        """For as long as the server runs: let idle workers and old answers go."""
        while True:
            await asyncio.sleep(5)
            await run_in_threadpool(self.workers.let_idle_ones_go)
            self._forget_old()

    def close(self) -> None:
        """End all work."""
        for job in self.jobs.values():
            job.work.called_off.set()
        self.workers.close()
        self._threads.shutdown(wait=False, cancel_futures=True)


def _let_go(task: asyncio.Task[Answer]) -> None:
    if not task.cancelled() and task.exception() is None:
        task.result().close()


async def _body(work: Work, receive: Receive) -> None:
    more = True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            raise Cancelled
        part = memoryview(message.get("body", b""))
        while part:
            part = part[os.write(work.body, part) :]
        more = message.get("more_body", False)


async def _send(answer: Answer, send: Send, keep: bool = False) -> None:
    """Send an answer part by part, at the pace of whoever reads it."""
    try:
        await send({"type": "http.response.start", "status": answer.status, "headers": answer.headers})
        size, at = os.fstat(answer.body).st_size, 0
        while True:
            part = os.pread(answer.body, PART, at)
            at += len(part)
            await send({"type": "http.response.body", "body": part, "more_body": at < size})
            if at >= size:
                return
    finally:
        if not keep:
            answer.close()


class JobOut(BaseModel):
    """A piece of work that goes on: its id, since how long [s], and how far it is (of: 0 where that is not known)."""

    id: str
    state: Literal["waiting", "working"]
    seconds: float
    done: int
    of: int


def told(name: str, job: Job) -> JobOut:
    """How far a job is."""
    state: Literal["waiting", "working"] = "working" if job.work.of else "waiting"
    return JobOut(id=name, state=state, seconds=round(time.monotonic() - job.begun, 1), done=job.work.done, of=job.work.of)


async def job_of(request: Request, name: str) -> Job:
    """A job of whoever asks. NotFound where they have none of this name."""
    heavy: Heavy | None = request.app.state.heavy
    job = heavy.jobs.get(name) if heavy else None
    if heavy is None or job is None or job.whose != (await heavy.caller(request.scope))[0]:
        raise NotFound("There is no such piece of work of yours; it may have ended a while ago.")
    return job


class _Kept(Response):
    """The answer that a job ended with."""

    def __init__(self, answer: Answer) -> None:
        super().__init__()
        self.answer = answer

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        await _send(self.answer, send, keep=True)


@router.get("/jobs/{job_id}", responses={202: {"model": JobOut, "description": "It goes on"}})
async def get_job(request: Request, job_id: str) -> Response:
    """How far a piece of work is (202), or, once it has ended, the answer of the request that it was begun by."""
    job = await job_of(request, job_id)
    if not job.task.done():
        return JSONResponse(told(job_id, job).model_dump(), 202, {"Retry-After": "1"})
    try:
        return _Kept(job.task.result())
    except Refusal as refusal:
        return problems.refusal_response(refusal)


@router.delete("/jobs/{job_id}", status_code=204)
async def delete_job(request: Request, job_id: str) -> None:
    """Call a piece of work off. What it kept by then stays."""
    await job_of(request, job_id)
    request.app.state.heavy.jobs.pop(job_id).drop()
