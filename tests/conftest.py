"""What the tests share: Room 1 of the invented clinic, a small chart of round numbers, a database and a client."""

from __future__ import annotations

import fcntl
import io
import json
import os
import shutil
import sys
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import TypeVar

import pytest
from argon2 import PasswordHasher
from fastapi.testclient import TestClient
from hypothesis import settings

from oakbeam import cli
from oakbeam.api.access import TOKEN_HEADER
from oakbeam.api.app import build
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, VariableKvp
from oakbeam.core.equipment.room import Room
from oakbeam.demo import clinic, seed
from oakbeam.store import Store, charts, people, rooms
from oakbeam.store.people import Role

# A test never fails for being slow: shared machines stall.
# In `make test` the same cases every time, so that a change is held up by its own faults only; `make evidence` draws others.
settings.register_profile("patient", deadline=None, derandomize=os.environ.get("OAKBEAM_PROOFS") != "whole")
settings.load_profile("patient")


T = TypeVar("T")

DESCRIBED = json.loads((Path(__file__).parents[1] / "web" / "openapi.json").read_text(encoding="utf-8"))
"""The API's own description, as the front end was made for it; test_cli.py tries that it is
today's. Every worker draws up its tests from it, and to make it anew takes seconds."""


def proofs(part: T, whole: T) -> T:
    """How many cases a long proof takes, or which: a seeded part of them in `make test`, the whole in `make evidence`."""
    return whole if os.environ.get("OAKBEAM_PROOFS") == "whole" else part


ROOM = clinic.room_1()
LSPINE = ChartLine(
    "lspine-ap", "panel-43", "table_bucky", 12, 107, (13, 36), FixedKvp(21, 80, 40, 4.5), None, (35, 43), "the reference"
)
KNEE = ChartLine("knee-ap", "panel-24", "tabletop", 0, 100, (7, 19), VariableKvp(12, 66, 5, 2))
CHEST = ChartLine(
    "chest-pa",
    "panel-43",
    "upright_bucky",
    10,
    180,
    (13.5, 33.5),
    Banded(
        (
            Band("small", 13.5, 19.5, 117, 1.25),
            Band("average", 19.5, 25, 117, 2),
            Band("large", 25, 33.5, 117, 3.2),
        )
    ),
    target_ei=300,
)
HAND = ChartLine("hand-pa", "panel-24", "tabletop", 0, 100, (1.5, 5), FixedKvp(3, 57, 1.6, 4.5))
LINES = {"lspine": LSPINE, "knee": KNEE, "chest": CHEST, "hand": HAND}
NOW = datetime(2026, 11, 20, 12, tzinfo=UTC)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Give each test an address of its own: of several that share one, a run on many workers takes a single one."""
    for item in items:
        if not item.nodeid.endswith(item.name):
            item._id = item.id.parse(f"{item.nodeid.partition('::')[0]}::{item.name}")
    assert len({item.nodeid for item in items}) == len(items)


@pytest.fixture
def room() -> Room:
    return ROOM


@pytest.fixture(scope="session", autouse=True)
def _quick_hashes() -> Iterator[None]:
    """Passwords hashed at next to no cost, everywhere but in processes of their own: hundreds of tests sign somebody in."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(people, "_HASHER", PasswordHasher(time_cost=1, memory_cost=8, parallelism=1))
        yield


@pytest.fixture(scope="session")
def room_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database with Room 1 and no chart, made once: to make its tables takes longer than most tests."""
    path = tmp_path_factory.mktemp("room") / "oakbeam.db"
    opened = Store(path)
    rooms.save(opened, ROOM, "test")
    opened.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    opened.close()
    return path


@pytest.fixture
def store(tmp_path: Path, room_file: Path) -> Iterator[Store]:
    """A database with Room 1 and no chart."""
    opened = Store(Path(shutil.copy(room_file, tmp_path / "oakbeam.db")))
    yield opened
    opened.close()


@pytest.fixture
def charted(store: Store) -> Store:
    """A database whose Room 1 has the four round lines approved as version 1."""
    approved(store, charts.add_draft(store, "room-1", "Round numbers", "keeper", tuple(LINES.values()), "average").id)
    return store


def approved(store: Store, chart_id: int) -> Chart:
    """A draft proposed by one person and approved by another."""
    charts.propose(store, chart_id, "keeper")
    return charts.approve(store, chart_id, "physicist", another=True)


PASSWORD = "a long enough one"


def signed_in(store: Store, client: TestClient, person: str, *roles: Role) -> TestClient:
    """The client signed in as a person of these roles, who is added where missing."""
    if person not in {one.id for one in people.everybody(store)}:
        people.add(store, person, person.title(), roles, PASSWORD, "test")
    client.headers.pop(TOKEN_HEADER, None)
    client.headers[TOKEN_HEADER] = client.post("/api/session", json={"person": person, "password": PASSWORD}).json()["token"]
    return client


def made_once(folders: pytest.TempPathFactory, name: str, make: Callable[[Path], None]) -> Path:
    """A folder that the first worker to ask for it makes and all others take: what is in it takes long to make."""
    base = folders.getbasetemp()
    shared = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    folder, part = shared / name, shared / f"{name}.part"
    with (shared / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            part.mkdir()
            make(part)
            part.rename(folder)
    return folder


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo clinic's database, seeded once; tests that change it take a copy."""

    def make(folder: Path) -> None:
        opened = Store(folder / "oakbeam.db")
        seed.seed(opened, NOW)
        opened.close()

    return made_once(tmp_path_factory, "demo", make) / "oakbeam.db"


@pytest.fixture(scope="session")
def demo_store(demo_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Store]:
    """The demo clinic; for tests that only read."""
    opened = Store(Path(shutil.copy(demo_file, tmp_path_factory.mktemp("demo-store"))))
    yield opened
    opened.close()


@pytest.fixture
def visitor(charted: Store) -> Iterator[TestClient]:
    """Nobody signed in."""
    # Entered, it keeps its threads, and they their connections, from one request to the next.
    with TestClient(build(charted), raise_server_exceptions=False) as nobody:
        yield nobody


@pytest.fixture
def client(charted: Store, visitor: TestClient) -> TestClient:
    """Somebody with every role; where another has to approve, see `approved`."""
    people.agree(charted, people.Agreement(another_approves=False), "test")
    return signed_in(charted, visitor, "all", "technologist", "keeper", "physicist", "admin")


@pytest.fixture
def run(tmp_path, demo_file, capsys, monkeypatch):
    """The command line on the demo: (exit code, standard output) of a command."""
    shutil.copy(demo_file, tmp_path)

    def call(*arguments: str, given: object = "") -> tuple[int, str]:
        text = given if isinstance(given, str) else json.dumps(given)
        monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(text.encode())))
        code = cli.main(["--data", str(tmp_path), *arguments])
        return code, capsys.readouterr().out

    return call
