"""The server killed in the middle of its work, over and over on one folder: what it said it kept is there, and the database
is whole; so after a backup, a migration and a restore that were cut off."""

from __future__ import annotations

import json
import random
import shutil
import signal
import sqlite3
import threading
import time
import urllib.error
import urllib.request
from collections import Counter
from pathlib import Path

import pytest
from tests.browser.conftest import LOADED, oakbeam, serve
from tests.conftest import proofs

from oakbeam import cli
from oakbeam.api.access import COOKIE, TOKEN_HEADER
from oakbeam.demo import clinic
from oakbeam.store import Store, charts, comments, database
from oakbeam.store.audit_chain import chain_fault

WRITERS = 8
ROUNDS = proofs(2, 200)
ASK = {"room": "room-1", "projection": "chest-pa", "thickness_cm": 22}
LINE = {"projection": "hand-pa", "receptor": "plate-24", "support": "tabletop", "grid_ratio": 0, "sid_cm": 100}
IMPORTED = 40


class Client:
    """A signed-in caller of the API over HTTP, by the standard library alone."""

    def __init__(self, address: str, person: str) -> None:
        self.address, self.headers = address, {"content-type": "application/json"}
        with self._open("POST", "/api/session", {"person": person, "password": clinic.PASSWORD}) as answer:
            self.headers["cookie"] = answer.headers["set-cookie"].split(";")[0]
            assert self.headers["cookie"].startswith(COOKIE)
            self.headers[TOKEN_HEADER] = json.load(answer)["token"]

    def _open(self, method: str, path: str, body: object, **more: str):
        headers = {**self.headers, **more}
        request = urllib.request.Request(self.address + path, json.dumps(body).encode(), headers, method=method)
        return urllib.request.urlopen(request, timeout=60)

    def send(self, method: str, path: str, body: object = None, **more: str) -> dict:
        with self._open(method, path, body, **more) as answer:
            return json.loads(answer.read() or b"null")

    def record(self, key: str) -> int:
        """The exposure that a record became, sent under a key that its note repeats."""
        body = {"technique": ASK, "kvp": 117, "mas": 2.5, "ei": 250, "outcome": "accepted", "note": key}
        return self.send("POST", "/api/exposures", body, **{"idempotency-key": key})["exposure"]["id"]


def law(mas: float) -> dict:
    return {"name": "fixed_kvp", "thickness_cm": 3, "kvp": 55, "mas": mas, "doubling_cm": 4}


def write_until_killed(client: Client, draft: int, chance: random.Random, said: str, keep) -> None:
    """Write of every kind, each told to `keep` once it is acknowledged, until the server is gone."""
    for i in range(10_000):
        kind, note = chance.choice(("exposure", "comment", "line", "import")), f"{said}-{i}"
        try:
            if kind == "exposure":
                keep("sent", note)
                keep(kind, client.record(note))
            elif kind == "comment":
                keep(kind, client.send("POST", f"/api/charts/{draft}/comments", {"text": note})["id"])
            elif kind == "line":
                mas = chance.uniform(1, 3)
                changes = [{"to": {**LINE, "law": law(mas), "note": note}}]
                keep(kind, (client.send("POST", f"/api/charts/{draft}/changes", {"changes": changes})["touched"][0], mas))
            else:
                changes = [{"to": {**LINE, "law": law(1 + n / 100), "note": note}} for n in range(IMPORTED)]
                client.send("POST", f"/api/charts/{draft}/changes", {"changes": changes})
                keep(kind, note)
        except (OSError, urllib.error.URLError, json.JSONDecodeError, ConnectionError):
            return


def check_whole(path) -> Store:
    """The store of a file that is sound in itself, opened as a server opens it."""
    store = Store(path)
    assert store.db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    assert store.db.execute("PRAGMA foreign_key_check").fetchall() == []
    assert chain_fault(store.db) is None
    return store


class Acknowledged:
    """What the server said it kept in one round; it is killed once that is enough."""

    def __init__(self, server, enough: int) -> None:
        self.server, self.enough, self.killed = server, enough, False
        self.kept: list[tuple[str, object]] = []
        self.lock = threading.Lock()

    def __call__(self, kind: str, what: object) -> None:
        with self.lock:
            self.kept.append((kind, what))
            if kind != "sent" and len(self.kept) >= self.enough and not self.killed:
                self.killed = True
                self.server.kill()

    def of(self, kind: str) -> list:
        return [what for one, what in self.kept if one == kind]


def fresh_draft(keeper: Client) -> int:
    """A draft of its own for each round, so that a round costs what the last one did."""
    for one in keeper.send("GET", "/api/chart-versions?room=room-2&in_use=true"):
        if one["status"] == "draft":
            keeper.send("DELETE", f"/api/charts/{one['id']}")
    return keeper.send("POST", "/api/charts", {"room": "room-2"})["id"]


def test_every_acknowledged_change_outlives_kill_9(tmp_path, demo_file):
    shutil.copy(demo_file, tmp_path)
    recorded, sent = set[object](), set[object]()
    for number in range(ROUNDS):
        server, address = serve(tmp_path)
        # Whatever was sent before the server was killed is sent again, as a browser does that had no answer.
        again = Client(address, "joren")
        recorded |= {again.record(key) for key in sent}
        draft = fresh_draft(again)
        said = Acknowledged(server, random.Random(number).randrange(1, 80))
        writers = [
            threading.Thread(
                target=write_until_killed,
                args=(Client(address, "joren"), draft, random.Random(f"{number} {writer}"), f"{number}-{writer}", said),
            )
            for writer in range(WRITERS)
        ]
        for writer in writers:
            writer.start()
        for writer in writers:
            writer.join()
        server.join(20)
        assert server.exitcode == -signal.SIGKILL
        store = check_whole(tmp_path / "oakbeam.db")
        lines = charts.get(store, draft).lines
        laws, notes = {line.id: line.law for line in lines}, Counter(line.note for line in lines)
        assert all(laws[line].mas == mas for line, mas in said.of("line"))
        assert set(said.of("comment")) <= {one.id for one in comments.of_chart(store, draft)}
        # Of lines that came in together there are all or none, whether somebody was told or not.
        assert all(notes[note] == IMPORTED for note in said.of("import")) and set(notes.values()) <= {1, IMPORTED}
        recorded |= set(said.of("exposure"))
        sent = set(said.of("sent"))
        assert recorded <= {row[0] for row in store.db.execute("SELECT id FROM exposure")}
        doubled = "SELECT note, count(*) FROM exposure WHERE note <> '' GROUP BY note HAVING count(*) > 1"
        assert store.db.execute(doubled).fetchall() == []
        audited = {row[0] for row in store.db.execute("SELECT subject FROM audit WHERE action = 'exposure.record'")}
        assert {f"exposure:{one}" for one in recorded} <= audited
        store.close()
    assert recorded


@pytest.mark.parametrize("seed_", range(proofs(1, 30)))
def test_what_is_acknowledged_while_the_file_is_restored_or_moved_is_in_a_file(tmp_path, demo_file, seed_):
    """A restore, a second server and a move under writers: refused, or told; never a 201 for what is in no file."""
    chance, data = random.Random(seed_), tmp_path / "data"
    data.mkdir()
    shutil.copy(demo_file, data)
    assert cli.main(["--data", str(data), "backup", str(tmp_path / "kept.db")]) == 0
    server, address = serve(data)
    acknowledged, stop = [], threading.Event()

    def write(writer: int) -> None:
        client = Client(address, "joren")
        for number in range(10_000):
            if stop.is_set():
                return
            key = f"{seed_}-{writer}-{number}"
            try:
                client.record(key)
                acknowledged.append(key)
            except urllib.error.HTTPError as refused:
                assert refused.code == 503
            except OSError:
                return

    writers = [threading.Thread(target=write, args=(writer,)) for writer in range(4)]
    for writer in writers:
        writer.start()
    path, aside = data / "oakbeam.db", tmp_path / "aside.db"
    time.sleep(chance.uniform(0.3, 1.0))
    for command in chance.sample(
        [("restore", str(tmp_path / "kept.db"), "--replace"), ("serve", "--port", "0"), ("migrate",)], 2
    ):
        refused = oakbeam(data, *command)
        refused.join(60)
        assert refused.exitcode == 2
    so_far = len(acknowledged)
    # By hand, which no lock hinders.
    if chance.random() < 0.5:
        path.rename(aside)
        shutil.copy(tmp_path / "kept.db", path)
    else:
        shutil.copy(tmp_path / "kept.db", tmp_path / "new.db")
        aside.hardlink_to(path)
        (tmp_path / "new.db").replace(path)
    time.sleep(0.5)
    stop.set()
    for writer in writers:
        writer.join()
    server.kill()
    server.join(20)
    # The log of the file that was moved is still under the old name.
    for ending in ("-wal", "-shm"):
        left = path.with_name(path.name + ending)
        if left.exists():
            left.rename(aside.with_name(aside.name + ending))
    db = sqlite3.connect(aside)
    there = {row[0] for row in db.execute("SELECT note FROM exposure WHERE note <> ''")}
    db.close()
    assert so_far > 0 and set(acknowledged) <= there


def started_and_killed(target, arguments, after_s: float) -> None:
    process = LOADED.Process(target=target, args=arguments, daemon=True)
    process.start()
    time.sleep(after_s)
    process.kill()
    process.join(20)


def _open(path: str) -> None:
    Store(Path(path)).close()


@pytest.mark.parametrize("seed_", range(proofs(1, 30)))
def test_a_migration_that_is_cut_off_leaves_the_old_database_or_the_new_one(tmp_path, monkeypatch, seed_):
    chance = random.Random(seed_)
    scripts = database._scripts()
    at = chance.randrange(1, len(scripts))
    with monkeypatch.context() as earlier:
        earlier.setattr(database, "_scripts", lambda: scripts[:at])
        Store(tmp_path / "oakbeam.db").close()
    for _ in range(3):
        started_and_killed(_open, (str(tmp_path / "oakbeam.db"),), chance.uniform(0.0, 0.15))
        db = sqlite3.connect(tmp_path / "oakbeam.db")
        assert db.execute("PRAGMA user_version").fetchone()[0] in (at, len(scripts))
        assert db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
        db.close()
    store = check_whole(tmp_path / "oakbeam.db")
    assert store.db.execute("PRAGMA user_version").fetchone()[0] == len(scripts)
    store.close()


@pytest.mark.parametrize("seed_", range(proofs(1, 30)))
def test_a_backup_and_a_restore_that_are_cut_off_leave_nothing_half(tmp_path, demo_file, seed_):
    chance = random.Random(seed_)
    data, kept = tmp_path / "data", tmp_path / "kept"
    data.mkdir()
    shutil.copy(demo_file, data / "oakbeam.db")
    whole = check_whole(data / "oakbeam.db")
    rows = whole.db.execute("SELECT count(*) FROM exposure").fetchone()[0]
    whole.close()
    assert cli.main(["--data", str(data), "backup", str(kept), "--keep", "2"]) == 0
    (first,) = kept.iterdir()
    for _ in range(3):
        process = oakbeam(data, "backup", str(kept), "--keep", "2")
        time.sleep(chance.uniform(0.0, 0.2))
        process.kill()
        process.join(20)
        # Whatever bears the name of a backup is one.
        for made in kept.glob("*.db"):
            database.verify(made)
    assert first.is_file() or len(list(kept.glob("*.db"))) == 2
    for _ in range(3):
        process = oakbeam(data, "restore", str(sorted(kept.glob("*.db"))[0]), "--replace")
        time.sleep(chance.uniform(0.0, 0.2))
        process.kill()
        process.join(20)
        # There is a database at every moment: the old one, or the restored one.
        store = check_whole(data / "oakbeam.db")
        assert store.db.execute("SELECT count(*) FROM exposure").fetchone()[0] == rows
        store.close()
