"""The server killed in the middle of its work: what it said it kept is there, and the database is whole."""

from __future__ import annotations

import json
import random
import signal
import threading
import urllib.error
import urllib.request

import pytest
from tests.browser.conftest import seed, serve
from tests.conftest import proofs

from oakbeam.api.access import COOKIE, TOKEN_HEADER
from oakbeam.demo import clinic
from oakbeam.store import Store, charts, comments, exposures

WRITES, AFTER, WRITERS = 200, 120, 4
ROUNDS = proofs(1, 10)
ASK = {"room": "room-1", "projection": "chest-pa", "thickness_cm": 22}


class Client:
    """A signed-in caller of the API over HTTP, by the standard library alone."""

    def __init__(self, address: str, person: str) -> None:
        self.address, self.headers = address, {"content-type": "application/json"}
        with self._open("POST", "/api/session", {"person": person, "password": clinic.PASSWORD}) as answer:
            self.headers["cookie"] = answer.headers["set-cookie"].split(";")[0]
            assert self.headers["cookie"].startswith(COOKIE)
            self.headers[TOKEN_HEADER] = json.load(answer)["token"]

    def _open(self, method: str, path: str, body: object):
        request = urllib.request.Request(self.address + path, json.dumps(body).encode(), self.headers, method=method)
        return urllib.request.urlopen(request, timeout=30)

    def send(self, method: str, path: str, body: object) -> dict:
        with self._open(method, path, body) as answer:
            return json.load(answer)


@pytest.mark.parametrize("_", range(ROUNDS))
def test_every_acknowledged_change_outlives_kill_9(tmp_path, _):
    seed(tmp_path)
    server, address = serve(tmp_path)
    keeper = Client(address, "joren")
    draft = keeper.send("POST", "/api/charts", {"room": "room-2", "from_chart": 2})
    acknowledged: list[tuple[str, object]] = []
    lock, killed = threading.Lock(), threading.Event()

    def work(seed: int) -> None:
        chance, client = random.Random(seed), Client(address, "joren")
        for i in range(WRITES // WRITERS):
            kind = chance.choice(("exposure", "comment", "line"))
            try:
                if kind == "exposure":
                    body = {
                        "technique": ASK,
                        "kvp": 117,
                        "mas": 2.5,
                        "ei": 250,
                        "outcome": "accepted",
                        "note": f"{seed}-{i}",
                    }
                    kept = client.send("POST", "/api/exposures", body)["exposure"]["id"]
                elif kind == "comment":
                    kept = client.send("POST", f"/api/charts/{draft['id']}/comments", {"text": f"{seed}-{i}"})["id"]
                else:
                    law = {"name": "fixed_kvp", "thickness_cm": 3, "kvp": 55, "mas": chance.uniform(1, 3), "doubling_cm": 4}
                    line = {"projection": "hand-pa", "receptor": "plate-24", "support": "tabletop", "grid_ratio": 0}
                    to = {**line, "sid_cm": 100, "law": law, "note": f"{seed}-{i}"}
                    answer = client.send("POST", f"/api/charts/{draft['id']}/changes", {"changes": [{"to": to}]})
                    kept = (answer["touched"][0], law["mas"])
            except (OSError, urllib.error.URLError, json.JSONDecodeError):
                return
            with lock:
                acknowledged.append((kind, kept))
                if len(acknowledged) >= AFTER and not killed.is_set():
                    killed.set()
                    server.kill()

    workers = [threading.Thread(target=work, args=(seed,)) for seed in range(WRITERS)]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    server.join(20)
    assert server.exitcode == -signal.SIGKILL
    assert AFTER <= len(acknowledged) <= WRITES
    store = Store(tmp_path / "oakbeam.db")
    assert store.db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    assert store.db.execute("PRAGMA foreign_key_check").fetchall() == []
    logged = {one.id for one in exposures.find(store, limit=1000)}
    said = {one.id for one in comments.of_chart(store, draft["id"])}
    lines = {line.id: line.law for line in charts.get(store, draft["id"]).lines}
    for kind, kept in acknowledged:
        if kind == "line":
            assert lines[kept[0]].mas == kept[1]
        else:
            assert kept in (logged if kind == "exposure" else said)
    audited = {row[0] for row in store.db.execute("SELECT subject FROM audit WHERE action = 'exposure.record'")}
    assert {f"exposure:{kept}" for kind, kept in acknowledged if kind == "exposure"} <= audited
    store.close()
