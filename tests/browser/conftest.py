"""A real server on a database of its own, and Debian's Chromium in front of it."""

from __future__ import annotations

import multiprocessing
import os
import shutil
import signal
import socket
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import closing
from multiprocessing.context import ForkServerProcess
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright
from tests.conftest import made_once

from oakbeam import cli
from oakbeam.demo import clinic

ROOT = Path(__file__).parents[2]
PATIENCE_MS = int(os.environ.get("PATIENCE_MS", "40000"))
"""How long a step may take before it has failed: shared machines stall for seconds, and speed is not what is tested here."""
expect.set_options(timeout=PATIENCE_MS)
CHROMIUM = os.environ.get("CHROMIUM") or shutil.which("chromium-headless-shell") or "/usr/bin/chromium"
# No sandbox, since CI runs as root; no look-ups of outside hosts; the same colours and glyphs on every machine.
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1",
    "--force-color-profile=srgb",
    "--font-render-hinting=none",
]


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if "browser" in Path(item.fspath).parts:
            item.add_marker("browser")


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


# What workers do is shown where they are tested; here each of many servers would load its own.
os.environ.setdefault("OAKBEAM_WORKERS", "0")
# Loading the application takes seconds; a process forked from one that has it takes none.
LOADED = multiprocessing.get_context("forkserver")
LOADED.set_forkserver_preload(["oakbeam.cli", "oakbeam.api.app", "oakbeam.demo.seed", "uvicorn"])


def oakbeam(data: Path, *arguments: str) -> ForkServerProcess:
    """The command `oakbeam` on a data folder, as a process of its own that has started."""
    process = LOADED.Process(target=_command, args=(["--data", str(data), *arguments],), daemon=True)
    process.start()
    return process


def _command(arguments: list[str]) -> None:
    sys.exit(cli.main(arguments))


def seed(data: Path) -> None:
    """Put the demo clinic into an empty data folder."""
    seeding = oakbeam(data, "seed")
    seeding.join(PATIENCE_MS / 1000)
    assert seeding.exitcode == 0


def serve(data: Path) -> tuple[ForkServerProcess, str]:
    """Serve what is in a data folder, an empty department if nothing is; the process and its address once it answers."""
    with closing(socket.socket()) as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = oakbeam(data, "serve", "--port", str(port), *([] if any(data.iterdir()) else ["--new"]))
    address = f"http://127.0.0.1:{port}"
    for _ in range(1200):
        try:
            urllib.request.urlopen(f"{address}/api/health", timeout=1)
            return server, address
        except OSError:
            time.sleep(0.05)
    server.kill()
    raise RuntimeError("the server did not start")


def stop(server: ForkServerProcess) -> None:
    """End a server as a service manager does."""
    server.terminate()
    server.join(PATIENCE_MS / 1000)
    assert server.exitcode in (0, -signal.SIGTERM)


@pytest.fixture(scope="session")
def seeded(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder with the demo, seeded once; tests that change it take a copy."""
    return made_once(tmp_path_factory, "seeded", seed)


@pytest.fixture(scope="session")
def demo_site(seeded: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The demo, for tests that only read."""
    server, address = serve(_copied(seeded, tmp_path_factory.mktemp("demo-site")))
    yield address
    stop(server)


def _copied(seeded: Path, to: Path) -> Path:
    for file in seeded.iterdir():
        shutil.copy(file, to)
    return to


def sign_in(context: BrowserContext, address: str, person: str) -> None:
    """Sign somebody of the demo in, by the cookie that the browser then has; a page that is open has to be read anew."""
    answer = context.request.post(f"{address}/api/session", data={"person": person, "password": clinic.PASSWORD})
    assert answer.ok, answer.text()


@pytest.fixture
def site(seeded: Path, tmp_path: Path, context: BrowserContext) -> Iterator[str]:
    """The demo, for one test that changes it, with the chart keeper (a technologist too) at the console."""
    server, address = serve(_copied(seeded, tmp_path))
    sign_in(context, address, "joren")
    yield address
    stop(server)


@pytest.fixture
def context(chromium: Browser) -> Iterator[BrowserContext]:
    fresh = chromium.new_context(viewport={"width": 1280, "height": 800})
    fresh.set_default_timeout(PATIENCE_MS)
    yield fresh
    fresh.close()


@pytest.fixture
def page(context: BrowserContext) -> Iterator[Page]:
    """A page that fails its test on any script error or console error other than a refused request."""
    opened = context.new_page()
    errors: list[str] = []
    opened.on("pageerror", lambda error: errors.append(str(error)))
    opened.on("console", lambda said: errors.append(said.text) if said.type == "error" else None)
    yield opened
    # A request that is refused, aborted by a test, or made without a network is no fault of the page.
    meant = ("status of 4", "ERR_FAILED", "ERR_INTERNET_DISCONNECTED")
    assert [error for error in errors if not any(one in error for one in meant)] == []
