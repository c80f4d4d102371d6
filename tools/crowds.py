"""Who is kept waiting by whom: quiet consoles beside hostile clients, and how many quiet ones an installed server serves.

The server and its workers run on one core, all clients on another. python -m tools.crowds [--oakbeam COMMAND] [--runs N]
"""

from __future__ import annotations

import argparse
import asyncio
import base64
import json
import os
import random
import re
import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
import zlib
from collections import Counter
from collections.abc import Awaitable, Callable
from contextlib import closing
from functools import cache
from pathlib import Path
from urllib.error import URLError

from oakbeam.api.access import TOKEN_HEADER
from oakbeam.demo import clinic

OF_A_KIND = 10
HOSTILE_S, QUIET_S, LATEST_S = 30.0, 8.0, 30.0
"""How long hostile clients go on, how long quiet ones are timed, and within what each hostile one has an answer."""
QUIET = (1, 20, 50, 200)
TECHNIQUE = {"room": "room-1", "projection": "chest-pa", "thickness_cm": 22}
RECORD = {"technique": TECHNIQUE, "kvp": 117, "mas": 2, "ei": 300, "outcome": "accepted"}
KEEPER = "joren"


class Caller:
    """One connection, used again while the server keeps it."""

    def __init__(self, port: int, headers: dict[str, str] | None = None) -> None:
        self.port, self.headers = port, headers or {}
        self.line: tuple[asyncio.StreamReader, asyncio.StreamWriter] | None = None

    async def ask(self, method: str, path: str, body: bytes = b"") -> int:
        """The status of an answer, once it is whole."""
        head = f"{method} {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
        head += "".join(f"{name}: {value}\r\n" for name, value in self.headers.items())
        for _ in range(2):
            if self.line is None:
                self.line = await asyncio.open_connection("127.0.0.1", self.port)
            reader, writer = self.line
            try:
                writer.write(f"{head}Content-Length: {len(body)}\r\n\r\n".encode() + body)
                await writer.drain()
                answer = await reader.readuntil(b"\r\n\r\n")
                length = re.search(rb"content-length: (\d+)", answer)
                await reader.readexactly(int(length[1]) if length else 0)
                return int(answer.split(b" ", 2)[1])
            except (OSError, asyncio.IncompleteReadError):  # it let go of the connection meanwhile
                self.line = None
        return 0


def sign_in(port: int) -> dict[str, str]:
    """What the requests of a keeper carry."""
    body = json.dumps({"person": KEEPER, "password": clinic.PASSWORD}).encode()
    asked = urllib.request.Request(f"http://127.0.0.1:{port}/api/session", body, {"content-type": "application/json"})
    with urllib.request.urlopen(asked, timeout=60) as answer:
        return {"cookie": answer.headers["set-cookie"].split(";")[0], TOKEN_HEADER: json.load(answer)["token"]}


def _bomb() -> str:
    """A few kB that unpack to eight million empty elements."""
    meta = b"\x02\x00\x10\x00UI\x16\x001.2.840.10008.1.2.1.99"
    packing = zlib.compressobj(9, zlib.DEFLATED, -15)
    packed = packing.compress(b"\x11\x00\x00\x10LO\x00\x00" * 8_000_000) + packing.flush()
    head = b"\0" * 128 + b"DICM\x02\x00\x00\x00UL\x04\x00" + len(meta).to_bytes(4, "little") + meta
    return base64.b64encode(head + packed).decode()


@cache
def _files() -> tuple[bytes, bytes]:
    """A body of images and one of a table, made once: a client that makes its own keeps its neighbours waiting."""
    junk = base64.b64encode(random.Random(1).randbytes(1_500_000)).decode()
    images = json.dumps({"objects": [_bomb(), junk]}).encode()
    table = "\n".join(["Exam;kV;mAs;cm;x"] + [f"Chest PA {i};{60 + i % 50};{i % 40};{10 + i % 20};q" for i in range(4000)])
    return images, json.dumps({"room": "room-1", "csv": table}).encode()


def _hostile(kind: str) -> Callable[[Caller], Awaitable[int]]:
    """What a hostile client of a kind asks for, over and over."""
    images, imports = _files()
    body = {"kvp": 117, "mas": 2, "sid_cm": 180}

    def exposure() -> bytes:
        case = {"projection": "chest-pa", "thickness_cm": 22, "seed": random.randrange(10**9)}
        return json.dumps({"case": case, "console": body, "size": 512}).encode()

    asks: dict[str, Callable[[Caller], Awaitable[int]]] = {
        "images": lambda one: one.ask("POST", "/api/log/images", images),
        "PDFs": lambda one: one.ask("GET", "/api/charts/1/pdf"),
        "imports": lambda one: one.ask("POST", "/api/charts/import/preview", imports),
        "worklist": lambda one: one.ask("GET", "/api/waiting"),
        "practice": lambda one: one.ask("POST", "/api/practice/exposures", exposure()),
    }
    return asks[kind]


KINDS = ("images", "PDFs", "imports", "worklist", "practice")


async def hostile(port: int, idle: bool) -> dict[str, object]:
    """Fifty clients that ask for heavy work without a pause, or only hold their connections; how often each was answered."""
    _files()
    sessions = [sign_in(port) for _ in range(2 * OF_A_KIND)]
    answers, longest = {kind: Counter[int]() for kind in KINDS}, dict.fromkeys(KINDS, 0.0)
    until = time.monotonic() + HOSTILE_S

    async def one(kind: str, at: int) -> None:
        signed = {"images": 0, "imports": OF_A_KIND}.get(kind)
        caller = Caller(port, sessions[signed + at] if signed is not None else {})
        await caller.ask("GET", "/api/health")
        if idle:
            await asyncio.sleep(HOSTILE_S)
            return
        ask = _hostile(kind)
        while (begun := time.monotonic()) < until:
            status = await ask(caller)
            answers[kind][status] += 1
            longest[kind] = max(longest[kind], time.monotonic() - begun)

    await asyncio.gather(*(one(kind, at) for kind in KINDS for at in range(OF_A_KIND)))
    return {"answers": {kind: dict(found) for kind, found in answers.items()}, "longest_s": longest}


async def quiet(port: int, consoles: int, records: bool) -> dict[str, list[float]]:
    """Times [ms] of consoles that ask for a technique four times a second each; and of one that records twice a second."""
    techniques, kept = list[float](), list[float]()
    until = time.monotonic() + QUIET_S
    body, record = json.dumps(TECHNIQUE).encode(), json.dumps(RECORD).encode()

    async def at_pace(caller: Caller, path: str, said: bytes, pace_s: float, times: list[float], wanted: int) -> None:
        await asyncio.sleep(pace_s * random.random())
        while time.monotonic() < until:
            begun = time.perf_counter()
            status = await caller.ask("POST", path, said)
            spent = time.perf_counter() - begun
            if status != wanted:
                raise RuntimeError(f"{path}: {status}")
            times.append(1000 * spent)
            await asyncio.sleep(max(0.0, pace_s - spent))

    one = Caller(port, sign_in(port)) if records else None
    asked = [at_pace(Caller(port), "/api/techniques", body, 0.25, techniques, 200) for _ in range(consoles)]
    if one:
        asked.append(at_pace(one, "/api/exposures", record, 0.5, kept, 201))
    await asyncio.gather(*asked)
    return {"techniques": techniques, "records": kept}


def pinned(core: int, command: list[str], before: int = 0, **more: object) -> subprocess.Popen[bytes]:
    """A process on one core. before: how much it goes before others there."""

    def settle() -> None:
        os.sched_setaffinity(0, {core})
        if before and os.geteuid() == 0:
            os.nice(-before)

    return subprocess.Popen(command, preexec_fn=settle, **more)  # type: ignore[call-overload, no-any-return]


def _part(core: int, port: int, what: str, before: int = 0) -> subprocess.Popen[bytes]:
    return pinned(core, [sys.executable, "-m", "tools.crowds", "--part", what, str(port)], before, stdout=subprocess.PIPE)


def _said(process: subprocess.Popen[bytes]) -> dict[str, object]:
    out, _ = process.communicate()
    if process.returncode:
        raise RuntimeError("a client failed")
    return json.loads(out)  # type: ignore[no-any-return]


def p99(times: list[float]) -> float:
    """The time that one in a hundred exceeds."""
    return statistics.quantiles(times, n=100)[98]


def served(oakbeam: list[str], data: Path, core: int) -> tuple[subprocess.Popen[bytes], int]:
    """The demo behind the command, on a core; the process and its port."""
    with closing(socket.socket()) as probe:
        probe.bind(("127.0.0.1", 0))
        port = int(probe.getsockname()[1])
    environment = {**os.environ, "OAKBEAM_WORKERS": "2"}
    subprocess.run([*oakbeam, "--data", str(data), "seed"], check=True, stdout=subprocess.DEVNULL, env=environment)
    command = [*oakbeam, "--data", str(data), "serve", "--port", str(port), "--log", "none"]
    server = pinned(core, command, env=environment, stdout=subprocess.DEVNULL)
    until = time.monotonic() + 60
    while time.monotonic() < until:
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=1).read()
            return server, port
        except (URLError, OSError):
            time.sleep(0.1)
    raise RuntimeError("the server does not answer")


def beside_hostile(port: int, clients: int, runs: int) -> list[tuple[str, str]]:
    """The rows of the hostile-clients table: medians of so many runs."""
    with closing(socket.socket()) as silent:
        # A worklist server that takes the connection and says nothing.
        silent.bind(("127.0.0.1", 0))
        silent.listen(200)
        headers = {**sign_in(port), "content-type": "application/json"}
        where = json.dumps({"host": "127.0.0.1", "port": silent.getsockname()[1], "title": "SILENT"}).encode()
        asked = urllib.request.Request(f"http://127.0.0.1:{port}/api/modality-worklist", where, headers, method="PUT")
        urllib.request.urlopen(asked, timeout=30).read()
        found: dict[str, list[float]] = {}
        answers, longest = Counter[str](), dict.fromkeys(KINDS, 0.0)
        for _ in range(runs):
            times = {}
            for crowd in ("idle", "hostile"):
                others = _part(clients, port, crowd)
                time.sleep(12 if crowd == "hostile" else 4)
                times[crowd] = _said(_part(clients, port, "quiet", before=10))
                told = _said(others)
                if crowd == "hostile":
                    for kind, waited_s in dict(told["longest_s"]).items():  # type: ignore[call-overload]
                        longest[kind] = max(longest[kind], waited_s)
                    for kind, counted in dict(told["answers"]).items():  # type: ignore[call-overload]
                        for status, n in counted.items():
                            answers[f"{kind} {status}"] += n
            for what in ("techniques", "records"):
                idle, busy = times["idle"][what], times["hostile"][what]
                for name, of in (("p50", statistics.median), ("p99", p99)):
                    found.setdefault(f"{what} {name} ms, idle clients", []).append(of(idle))  # type: ignore[arg-type]
                    found.setdefault(f"{what} {name} ms, hostile", []).append(of(busy))  # type: ignore[arg-type]
                    found.setdefault(f"{what} {name}, ratio", []).append(of(busy) / of(idle))  # type: ignore[arg-type]
    rows = [(name, f"{statistics.median(times):.1f}") for name, times in found.items()]
    rows += [(f"longest that a hostile client waited for an answer, s: {kind}", f"{s:.1f}") for kind, s in longest.items()]
    return rows + [(f"answers to hostile clients in all runs: {name}", str(n)) for name, n in sorted(answers.items())]


def quiet_rows(port: int, clients: int) -> list[tuple[str, str]]:
    """What so many quiet consoles get."""
    rows = []
    for consoles in QUIET:
        said = _said(_part(clients, port, f"consoles {consoles}"))
        times = [float(one) for one in said["techniques"]]  # type: ignore[attr-defined]
        rate = len(times) / QUIET_S
        rows.append((f"{consoles} consoles, technique p50 / p99 ms", f"{statistics.median(times):.1f} / {p99(times):.1f}"))
        rows.append((f"{consoles} consoles, answers a second", f"{rate:.0f}"))
    return rows


def measured(oakbeam: list[str], runs: int) -> list[tuple[str, str]]:
    """All rows, on the two highest cores."""
    cores = sorted(os.sched_getaffinity(0))[-2:]
    with tempfile.TemporaryDirectory() as folder:
        server, port = served(oakbeam, Path(folder), cores[-1])
        try:
            return quiet_rows(port, cores[0]) + beside_hostile(port, cores[0], runs)
        finally:
            server.terminate()
            server.wait()


def main() -> None:
    """Measure, and print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--oakbeam", default="oakbeam", help="the command, of an installed wheel say")
    parser.add_argument("--runs", type=int, default=5)
    parser.add_argument("--part", nargs=2)
    given = parser.parse_args()
    if given.part:
        what, port = given.part[0], int(given.part[1])
        if what in ("idle", "hostile"):
            print(json.dumps(asyncio.run(hostile(port, what == "idle"))))
        else:
            consoles = int(what.partition(" ")[2] or 4)
            print(json.dumps(asyncio.run(quiet(port, consoles, what == "quiet"))))
        return
    rows = measured([given.oakbeam], given.runs)
    width = max(len(name) for name, _ in rows)
    for name, value in rows:
        print(f"{name:<{width}}  {value:>12}")


if __name__ == "__main__":
    main()
