"""Processes beside the server that do its heavy work: the same application, one request at a time, within bounds.

A worker is a fork of a process that has loaded everything and done nothing, so that a new one is there in a moment and a
grown or spoilt one can simply go. It takes what is left of the processor, answers within the time it is given, and gets no
more memory than MOST_MEMORY. Bodies and answers lie in files of memory that are passed as descriptors: nothing of them stays
in the server's heap.
"""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import gc
import json
import multiprocessing
import os
import resource
import signal
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext, ForkServerProcess
from multiprocessing.reduction import recv_handle, send_handle
from pathlib import Path
from typing import Any

from starlette.types import Message, Scope

from oakbeam.api import progress
from oakbeam.core.errors import Refusal

MB = 1024 * 1024
MOST_MEMORY = 1536 * MB
"""What a worker may ask the system for beyond what it begins with."""
MOST_GROWN, LITTLE_GROWN = 192 * MB, 32 * MB
"""A worker that holds more than so much beyond what it began with goes after its answer; one that holds more than a little,
once nobody needed it for MOST_IDLE_S. What it remembers of charts and bodies is of use until then."""
MOST_IDLE_S = 120.0
NICE = 10
PRELOADED = ["oakbeam.api.worker_process"]
OF_ANSWER = frozenset(
    (b"content-type", b"content-length", b"content-disposition", b"content-encoding", b"vary", b"retry-after", b"location")
)
"""The headers that are an answer's own: the others every answer gets from the server."""
OF_SCOPE = ("http_version", "method", "path", "query_string", "raw_path", "root_path", "scheme", "client", "server")


class TooMuchWork(Refusal):
    """A request whose work takes longer, or more memory, than it may."""

    def __init__(self, why: str) -> None:
        super().__init__(
            "Too much at once", f"{why} What was not kept by then is not kept; send less at a time.", None, "body"
        )


class Cancelled(Refusal):
    """A piece of work that was called off."""

    def __init__(self) -> None:
        super().__init__("Called off", "This was called off. What was kept by then stays; the rest was not looked at.")


@dataclass
class Work:
    """One request for a worker, and how far it is. done, of: as it last told, 0 where it told nothing."""

    operation: str
    scope: Scope
    body: int
    """The descriptor of a file of memory with the request's body."""
    most_s: float
    done: int = 0
    of: int = 0
    called_off: threading.Event = field(default_factory=threading.Event)


@dataclass
class Answer:
    """What a worker answered. body: the descriptor of a file of memory, which whoever has the answer closes."""

    status: int
    headers: list[tuple[bytes, bytes]]
    body: int

    def close(self) -> None:
        """Let go of the body."""
        os.close(self.body)


def memory_file() -> int:
    """The descriptor of a new file of memory."""
    return os.memfd_create("oakbeam", os.MFD_CLOEXEC)


class _Worker:
    """One process, and the line to it."""

    def __init__(self, context: ForkServerContext, path: Path, person_header: str) -> None:
        from oakbeam.api import worker_process

        self.line, theirs = context.Pipe()
        self.process: ForkServerProcess = context.Process(
            target=worker_process.work, args=(theirs, path, person_header), name="oakbeam-worker", daemon=True
        )
        self.process.start()
        theirs.close()
        self.rested, self.grown = time.monotonic(), 0

    def answer(self, work: Work) -> Answer:
        """What it answers. Raises TooMuchWork or Cancelled, after which it is of no use."""
        until = time.monotonic() + work.most_s
        try:
            self.line.send_bytes(json.dumps({"scope": to_json(work.scope), "most_s": work.most_s}).encode())
            send_handle(self.line, work.body, self.process.pid)
            while True:
                while not self.line.poll(0.25):
                    if work.called_off.is_set():
                        raise Cancelled
                    if time.monotonic() > until:
                        raise TooMuchWork(f"This took more than {work.most_s:g} s and was ended.")
                said = json.loads(self.line.recv_bytes())
                if "of" in said:
                    work.done, work.of = said["done"], said["of"]
                    continue
                headers = [(name.encode("latin-1"), value.encode("latin-1")) for name, value in said["headers"]]
                self.grown = said["grown"]
                return Answer(said["status"], headers, recv_handle(self.line))
        except (EOFError, OSError):
            raise TooMuchWork("The work on this broke off: it may be more than there is memory for.") from None

    def end(self) -> None:
        """Have the process go, whatever it does."""
        self.line.close()
        self.process.kill()
        self.process.join()


class Workers:
    """The server's workers: at most `most` processes, made when they are needed.

    path: the database; person_header: as for `app.build`.
    """

    def __init__(self, path: Path, most: int, person_header: str = "") -> None:
        self.path, self.most, self.person_header = path, most, person_header
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(PRELOADED)
        self._lock = threading.Lock()
        self._free: list[_Worker] = []
        self._all: set[_Worker] = set()
        self._closed = False

    def warm_up(self) -> None:
        """Have a first worker, so that the first who asks does not wait for everything to be loaded."""
        worker = self._take()
        self._give_back(worker)

    @property
    def pids(self) -> list[int]:
        """The processes there are."""
        with self._lock:
            return [pid for one in self._all if (pid := one.process.pid) is not None]

    def do(self, work: Work) -> Answer:
        """Have a piece of work done; called from a thread, which waits. Raises TooMuchWork or Cancelled."""
        if work.called_off.is_set():
            raise Cancelled
        worker = self._take()
        try:
            answer = worker.answer(work)
        except BaseException:
            self._end(worker)
            raise
        if worker.grown < MOST_GROWN:
            self._give_back(worker)
        else:
            self._end(worker)
        return answer

    def let_idle_ones_go(self, idle_s: float = MOST_IDLE_S) -> None:
        """End the processes that grew and that nobody needed for a while: what they grew by goes with them."""
        since = time.monotonic() - idle_s
        with self._lock:
            due = [one for one in self._free if one.rested < since and one.grown > LITTLE_GROWN]
            self._free = [one for one in self._free if one not in due]
        for one in due:
            self._end(one)

    def close(self) -> None:
        """End all of them."""
        with self._lock:
            self._closed = True
            ending, self._free = tuple(self._all), []
        for one in ending:
            self._end(one)

    def _take(self) -> _Worker:
        with self._lock:
            while self._free:
                worker = self._free.pop()  # the one used last: what it remembers is of use
                if worker.process.is_alive():
                    return worker
                self._all.discard(worker)
            if self._closed:
                raise Cancelled
        worker = _Worker(self._context, self.path, self.person_header)
        with self._lock:
            self._all.add(worker)
        return worker

    def _give_back(self, worker: _Worker) -> None:
        worker.rested = time.monotonic()
        with self._lock:
            if not self._closed:
                self._free.append(worker)
                return
        self._end(worker)

    def _end(self, worker: _Worker) -> None:
        with self._lock:
            self._all.discard(worker)
        worker.end()


# --- within the worker ------------------------------------------------------------------------------------------------


def to_json(scope: Scope) -> dict[str, Any]:
    """What of a request's head goes to a worker."""
    found = {name: scope.get(name) for name in OF_SCOPE}
    for name in ("query_string", "raw_path"):
        found[name] = (found[name] or b"").decode("latin-1")
    return {**found, "headers": [[name.decode("latin-1"), value.decode("latin-1")] for name, value in scope["headers"]]}


def from_json(said: dict[str, Any]) -> Scope:
    """The head of a request as the application takes it."""
    return {
        **said,
        "type": "http",
        "asgi": {"version": "3.0"},
        "query_string": said["query_string"].encode("latin-1"),
        "raw_path": said["raw_path"].encode("latin-1"),
        "headers": [(name.encode("latin-1"), value.encode("latin-1")) for name, value in said["headers"]],
        "client": said["client"] and tuple(said["client"]),
        "server": said["server"] and tuple(said["server"]),
        "state": {},
    }


def whole(descriptor: int) -> bytes:
    """All that a file of memory holds."""
    return os.pread(descriptor, os.fstat(descriptor).st_size, 0)


class Serving:
    """The worker's end of the line: takes one request after the other until the line ends.

    app: the application (`app.build`), without workers of its own.
    """

    def __init__(self, line: Connection, app: Callable[..., Any]) -> None:
        self.line, self.app = line, app
        self.began_with = memory()
        self._loop = asyncio.Runner()
        progress.tell_to(self._tell)

    def until_the_line_ends(self) -> None:
        """Answer what comes."""
        with contextlib.suppress(EOFError, OSError), self._loop:
            while True:
                head = json.loads(self.line.recv_bytes())
                body = recv_handle(self.line)
                # Should the server be gone, nobody else ends it.
                signal.setitimer(signal.ITIMER_REAL, head["most_s"] + 5)
                try:
                    self._answer(from_json(head["scope"]), body)
                finally:
                    signal.setitimer(signal.ITIMER_REAL, 0)

    def _answer(self, scope: Scope, body: int) -> None:
        out, begun = memory_file(), list[Message]()

        async def receive() -> Message:
            message: Message = {"type": "http.request", "body": whole(body), "more_body": False}
            os.ftruncate(body, 0)
            return message

        async def send(message: Message) -> None:
            if message["type"] == "http.response.start":
                begun.append(message)
            elif message["type"] == "http.response.body":
                part = memoryview(message.get("body", b""))
                while part:
                    part = part[os.write(out, part) :]

        try:
            self._loop.run(self.app(scope, receive, send))
            own = ((name, value) for name, value in begun[0]["headers"] if name.lower() in OF_ANSWER)
            headers = [[name.decode("latin-1"), value.decode("latin-1")] for name, value in own]
            said = {"status": begun[0]["status"], "headers": headers, "grown": grown(self.began_with)}
            self.line.send_bytes(json.dumps(said).encode())
            send_handle(self.line, out, os.getppid())
        finally:
            os.close(out)
            os.close(body)

    def _tell(self, done: int, of: int) -> None:
        self.line.send_bytes(json.dumps({"done": done, "of": of}).encode())


def memory() -> int:
    """What of this process lies in memory [bytes]."""
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * resource.getpagesize()


def grown(began_with: int) -> int:
    """What this process holds beyond what it began with [bytes], once all that can be is given back to the system."""
    if memory() - began_with > LITTLE_GROWN:
        gc.collect()
        with contextlib.suppress(OSError, AttributeError):
            ctypes.CDLL(None).malloc_trim(0)
    return memory() - began_with


def bound() -> None:
    """Give way to the server, and take no more memory than there may be."""
    os.nice(NICE)
    held = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (held + MOST_MEMORY, held + MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
