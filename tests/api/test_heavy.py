"""Heavy requests: worked out beside the server, in turns and within bounds, with nobody who does other work kept waiting."""

from __future__ import annotations

import asyncio
import base64
import os
import random
import shutil
import signal
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from tests.api.test_api import ASK, problem
from tests.conftest import signed_in
from tests.objects import as_bytes, image

from oakbeam.api import heavy, rules, turns
from oakbeam.api import workers as api_workers
from oakbeam.api.app import build
from oakbeam.api.turns import Full, Line, TooMany
from oakbeam.api.workers import Workers
from oakbeam.formats import chart_csv
from oakbeam.store import Store, charts

CASE = {"projection": "hand-pa", "thickness_cm": 4}
EXPOSE = {"case": CASE, "console": {"kvp": 55, "mas": 2, "sid_cm": 100}, "size": 64}


@pytest.fixture(scope="module")
def served(tmp_path_factory, demo_file):
    """The demo behind two workers, with somebody signed in who may do everything."""
    folder = tmp_path_factory.mktemp("heavy")
    store = Store(Path(shutil.copy(demo_file, folder)))
    workers = Workers(store.path, 2)
    with TestClient(build(store, workers=workers)) as client:
        signed_in(store, client, "every", "technologist", "keeper", "physicist", "admin")
        yield client, workers, store


def memory_of(pid):
    """What of a process lies in memory [bytes]."""
    return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGESIZE")


def test_an_answer_is_the_same_whoever_works_it_out(served):
    client, workers, store = served
    alone = TestClient(build(store))
    alone.cookies, alone.headers = client.cookies, client.headers
    text = chart_csv.write(charts.get(store, 1).lines[:3])
    asked = [
        ("POST", "/api/practice/exposures", EXPOSE),
        ("POST", "/api/practice/light-field", {"case": CASE, "console": EXPOSE["console"]}),
        ("POST", "/api/practice/exposures", {**EXPOSE, "size": 4}),
        ("POST", "/api/practice/exposures", {**EXPOSE, "case": {**CASE, "projection": "nowhere"}}),
        ("POST", "/api/beam", [{"id": "a", "kvp": 70, "thickness_cm": 20, "sid_cm": 100, "field_cm": [20, 20]}]),
        ("POST", "/api/charts/import/preview", {"room": "room-1", "csv": text}),
        ("POST", "/api/charts/import/preview", {"room": "room-1", "csv": "thickness;ß\n\x00"}),
        ("GET", "/api/charts/999/pdf", None),
        ("GET", "/api/log/report/xlsx?month=2031-01", None),
        ("POST", "/api/rooms/import/xlsx", {"xlsx": "UEs=", "name": "x"}),
    ]
    for method, path, body in asked:
        mine, theirs = (one.request(method, path, json=body) for one in (alone, client))
        assert (theirs.status_code, theirs.json()) == (mine.status_code, mine.json()), path
        # Each header once, whoever it came by; only a request's own id differs.
        for one in (mine, theirs):
            one.headers["x-request-id"] = ""
        assert sorted(mine.headers.multi_items()) == sorted(theirs.headers.multi_items())
    assert workers.pids and os.getpid() not in workers.pids


def test_a_body_is_bounded_and_somebody_unknown_is_refused_before_a_worker_hears_of_it(served, monkeypatch):
    client, _, _ = served
    monkeypatch.setattr(Workers, "do", lambda *_: pytest.fail("a worker was asked"))
    assert TestClient(client.app).post("/api/log/images", json={}).status_code == 401
    over = "x" * (rules.BODIES["POST /api/rooms/import/xlsx"] + 1)
    problem(client.post("/api/rooms/import/xlsx", content=over), 413)


def test_work_that_takes_too_long_is_ended_and_the_next_is_done(served, monkeypatch):
    client, workers, _ = served
    client.post("/api/practice/exposures", json=EXPOSE)
    before = set(workers.pids)
    monkeypatch.setitem(rules.HEAVY, "POST /api/practice/exposures", 0.05)
    # Bodies that no worker remembers: each takes a second to make.
    long = [{"case": {"projection": "chest-pa", "thickness_cm": cm}, "size": 512} for cm in (20.3, 21.7, 22.9)]
    answers = [client.post("/api/practice/exposures", json={**EXPOSE, **one}) for one in long]
    said = problem(next(one for one in answers if one.status_code != 200), 413)
    assert "0.05 s" in said["detail"] and "Too much" in said["title"]
    assert before - set(workers.pids)
    monkeypatch.undo()
    assert client.post("/api/practice/exposures", json=EXPOSE).status_code == 200


def test_a_worker_that_breaks_off_is_a_refusal_and_takes_nobody_with_it(served, monkeypatch):
    client, workers, _ = served

    to_json = api_workers.to_json

    def killed(scope):
        os.kill(workers.pids[0], signal.SIGKILL)
        return to_json(scope)

    while len(workers.pids) > 1:
        workers._end(workers._take())
    client.post("/api/practice/exposures", json=EXPOSE)
    monkeypatch.setattr(api_workers, "to_json", killed)
    problem(client.post("/api/practice/exposures", json={**EXPOSE, "size": 300}), 413)
    monkeypatch.undo()
    assert client.post("/api/practice/exposures", json=EXPOSE).status_code == 200


def test_files_leave_no_memory_behind_them(served):
    client, workers, _ = served
    one = base64.b64encode(as_bytes(image())).decode()
    client.post("/api/log/images", json={"objects": [one], "room": "room-1"})
    before = max(map(memory_of, workers.pids))
    spoilt = base64.b64encode(b"\0" * 20_000_000).decode()
    for _ in range(4):
        found = client.post("/api/log/images", json={"objects": [spoilt]}).json()
        assert found["refused"][0]["why"] == "Not a DICOM file."
    workers.let_idle_ones_go(0)
    assert all(memory_of(pid) < before + api_workers.LITTLE_GROWN for pid in workers.pids)


def test_who_asks_for_much_waits_for_themselves_and_not_others_for_them():
    """Greedy callers have forty in line each, the others one; whoever comes has their turn among them."""

    async def crowd():
        line, inside, most_inside, order = Line(2), [], 0, []

        async def one(caller):
            nonlocal most_inside
            async with line.place(caller, 40):
                inside.append(caller)
                assert inside.count(caller) == 1 and len(inside) <= 2
                order.append(caller)
                await asyncio.sleep(0)
                inside.remove(caller)

        greedy = [f"greedy {i}" for i in range(2)]
        asked = [asyncio.create_task(one(caller)) for _ in range(40) for caller in greedy]
        await asyncio.sleep(0)
        asked += [asyncio.create_task(one(f"quiet {i}")) for i in range(10)]
        await asyncio.gather(*asked)
        assert line.waiting == 0 and not line._inside
        return order

    order = asyncio.run(crowd())
    assert len(order) == 90
    # Each round serves every caller once: ten quiet ones are through when the greedy ones had a few turns.
    assert max(at for at, one in enumerate(order) if one.startswith("quiet")) < 10 + 2 * 4


def test_a_line_holds_no_more_than_it_may_and_who_leaves_frees_their_place():
    async def fill():
        line, chance = Line(2), random.Random(5)
        with pytest.raises(TooMany) as told:
            async with line.place("a", 0):
                pass
        assert told.value.wait_s > 0

        async def stay(caller):
            async with line.place(caller, 99):
                await asyncio.sleep(60)

        tasks = [asyncio.create_task(stay(f"caller {i}")) for i in range(turns.MOST_WAITING + 2)]
        await asyncio.sleep(0)
        assert line.waiting == turns.MOST_WAITING
        with pytest.raises(Full):
            async with line.place("late", 9):
                pass
        for left in chance.sample(tasks, len(tasks)):
            left.cancel()
            await asyncio.sleep(0)
        await asyncio.gather(*tasks, return_exceptions=True)
        async with line.place("next", 1, most_wait_s=0.5):
            assert line.waiting == 0
        with pytest.raises(Full):
            async with line.place("a", 9), line.place("b", 9), line.place("c", 9, most_wait_s=0.01):
                pass
        assert not line._inside and line.waiting == 0

    asyncio.run(fill())


def test_one_callers_heavy_requests_are_counted_and_their_techniques_and_records_never(served, monkeypatch):
    client, _, _ = served
    monkeypatch.setattr(heavy, "MOST_OF_SESSION", 3)
    monkeypatch.setattr(heavy, "PAUSE_S", 0.05)
    record = {"technique": ASK, "kvp": 117, "mas": 2, "ei": 250, "outcome": "accepted"}

    def expose(seed):
        return client.post("/api/practice/exposures", json={**EXPOSE, "size": 256, "case": {**CASE, "seed": seed}})

    with ThreadPoolExecutor(16) as threads:
        asked = [threads.submit(expose, 1000 + i) for i in range(16)]
        done = 0
        while not all(one.done() for one in asked):
            assert client.post("/api/techniques", json=ASK).status_code == 200
            assert client.post("/api/exposures", json=record).status_code == 201
            done += 1
    answers = [one.result() for one in asked]
    refused = [one for one in answers if one.status_code == 429]
    assert {one.status_code for one in answers} == {200, 429} and len(answers) - len(refused) >= 4
    assert all(problem(one, 429) and int(one.headers["retry-after"]) > 0 for one in refused)
    # A technique and a record in far less time than an image: none of them stood in its line.
    assert done > len(answers) - len(refused)


def test_long_work_goes_on_as_a_job_that_is_seen_called_off_or_fetched(served, monkeypatch):
    client, _, store = served
    monkeypatch.setattr(heavy, "ASYNC_AFTER_S", 0.0)
    later = {"Prefer": "respond-async"}
    objects = [base64.b64encode(as_bytes(image(SOPInstanceUID=f"1.2.3.{i}"))).decode() for i in range(120)]
    begun = client.post("/api/log/images", json={"objects": objects, "room": "room-1"}, headers=later)
    assert begun.status_code == 202 and begun.headers["location"] == f"/api/jobs/{begun.json()['id']}"
    where, seen = begun.headers["location"], []
    assert TestClient(client.app).get(where).status_code == 404, "somebody else's"
    until = time.monotonic() + 60
    while (now := client.get(where)).status_code == 202 and time.monotonic() < until:
        seen.append(now.json())
        time.sleep(0.02)
    assert now.status_code == 200 and now.json()["read"] == 120
    assert {one["of"] for one in seen} <= {0, 120} and [one["done"] for one in seen] == sorted(one["done"] for one in seen)
    assert client.delete(where).status_code == 204 and client.get(where).status_code == 404
    # Called off: what was taken by then stays, nothing comes after.
    objects = [base64.b64encode(as_bytes(image(SOPInstanceUID=f"1.2.4.{i}"))).decode() for i in range(600)]
    where = client.post("/api/log/images", json={"objects": objects, "room": "room-1"}, headers=later).headers["location"]
    assert client.delete(where).status_code == 204
    time.sleep(1)
    count = store.db.execute("SELECT count(*) FROM exposure").fetchone()[0]
    time.sleep(0.5)
    assert store.db.execute("SELECT count(*) FROM exposure").fetchone()[0] == count
    assert client.post("/api/practice/exposures", json=EXPOSE).status_code == 200
