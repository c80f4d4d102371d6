"""The benchmark table: one technique in the core, POST /api/techniques under load, and the size of the first load.

    python -m tools.bench

Times depend on the machine; compare ratios between two versions on one machine.
"""

from __future__ import annotations

import asyncio
import gzip
import json
import re
import statistics
import tempfile
import time
import urllib.request
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from urllib.parse import urlsplit

import numpy as np
from playwright.sync_api import sync_playwright
from tests.browser.conftest import CHROMIUM, FLAGS, ROOT, seed, serve, stop

from oakbeam import catalogue
from oakbeam.api.access import TOKEN_HEADER
from oakbeam.api.log_board import board_of, repeats_of
from oakbeam.api.run_sheets import RunSheetRequest, run_sheet
from oakbeam.catalogue.search import find
from oakbeam.core.cache import forget_all
from oakbeam.core.chart_check.expected_index import index_over_thickness
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.chart_making.from_test_exposures import TestExposure, build
from oakbeam.core.charts.links import scaled
from oakbeam.core.charts.table import tabulate
from oakbeam.core.patient.patient import Patient
from oakbeam.core.physics.beam.grid import GridStrips
from oakbeam.core.physics.beam.model import BeamSetup, Part, evaluate, rqa5_equivalent_ugy
from oakbeam.core.practice.simulated_room import Case, take, usual_console
from oakbeam.core.technique.alternatives import what_if
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup
from oakbeam.demo import clinic
from oakbeam.store import Store, charts, rooms, tally
from oakbeam.store import exposures as log

CLIENTS = 20
MANY_CLIENTS, WRITERS, RECORDS = 50, 10, 15
PACE_S = 0.05
"""A person drags the ruler: each client asks for a new technique this often."""
CALM_S, RECORD_PACE_S = 0.25, 1.0
"""What a crowd does: fifty consoles that drag without a stop, at four techniques a second each, and ten that record once a
second, hundreds of times as often as a department does."""


def core_us(rounds: int = 5000) -> float:
    """Median time of one derived technique in the core [µs], with four things that differ from the chart."""
    room = clinic.room_1()
    line = next(line for line in clinic.chart_lines(room) if line.projection == "lspine-ap")
    projection = catalogue.projection("lspine-ap")
    setup = Setup(sid_cm=110, grid_ratio=8, kvp=85)
    times = []
    for i in range(rounds):
        patient = Patient(16 + 0.5 * (i % 30))
        start = time.perf_counter()
        derive(line, room, projection, patient, setup)
        times.append(time.perf_counter() - start)
    return 1e6 * statistics.median(times)


def beam_us(rounds: int = 2000) -> tuple[float, float]:
    """Median time [µs] of one evaluation of the physics model while only the thickness moves: whole, and its signal
    alone."""
    setup = BeamSetup(80, 107, (35, 43), support_mm_al=0.7, gap_cm=7, grid=GridStrips(12, 40))
    found = []
    for evaluation in (evaluate, rqa5_equivalent_ugy):
        times = []
        for i in range(rounds):
            part = Part(np.array([15 + 0.005 * i]), {"soft": 0.75, "adipose": 0.25}, 12.0)
            start = time.perf_counter()
            evaluation(setup, part)
            times.append(time.perf_counter() - start)
        found.append(1e6 * statistics.median(times))
    return found[0], found[1]


def beam_chart_ms(setups: int) -> float:
    """Time [ms] of the physics model for a chart of 100 lines at 40 thicknesses each, with this many different set-ups."""
    thickness = np.linspace(8, 32, 40)
    grids = [None, GridStrips(6, 40), GridStrips(8, 40), GridStrips(12, 40)]
    for grid in grids:
        evaluate(BeamSetup(80, 107, (35, 43), grid=grid), Part(thickness))
    start = time.perf_counter()
    for line in range(100):
        i = line % setups
        setup = BeamSetup(60 + i % 60, 100 + i % 7, (18 + i % 25, 24 + i % 19), gap_cm=i % 8, grid=grids[i % 4])
        evaluate(setup, Part(thickness, {"soft": 0.75, "adipose": 0.25}, 8.0))
    return 1e3 * (time.perf_counter() - start)


def what_if_ms() -> float:
    """Median time [ms] of the what-if of a lumbar spine."""
    room = clinic.room_1()
    line = next(line for line in clinic.chart_lines(room) if line.projection == "lspine-ap")
    times = []
    for i in range(20):
        start = time.perf_counter()
        what_if(line, room, catalogue.projection("lspine-ap"), Patient(18 + 0.5 * i), Setup())
        times.append(time.perf_counter() - start)
    return 1e3 * statistics.median(times)


def search_ms() -> float:
    """Median time to answer a search [ms], typed letter by letter."""
    queries = ["c spine lat", "patela sunrise", "lumber", "kub", "sholder y", "peds chest"]
    typed = [query[:n] for query in queries for n in range(1, len(query) + 1)]
    find(catalogue.shipped(), "warm")
    times = []
    for text in typed:
        start = time.perf_counter()
        find(catalogue.shipped(), text)
        times.append(time.perf_counter() - start)
    return 1e3 * statistics.median(times)


def run_sheet_ms() -> float:
    """Median time of a run sheet of four views with their techniques [ms], through the API's own functions."""
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "oakbeam.db")
        rooms.save(store, clinic.room_1(), "bench")
        draft = charts.add_draft(store, "room-1", "bench", "bench", clinic.chart_lines(clinic.room_1()))
        charts.propose(store, draft.id, "bench")
        charts.approve(store, draft.id, "bench too")
        times = []
        for i in range(60):
            asked = RunSheetRequest.model_validate(
                {"room": "room-1", "exam": "knee-4", "measured": {"knee-ap": 9 + 0.5 * (i % 16)}}
            )
            start = time.perf_counter()
            run_sheet(store, asked)
            times.append(time.perf_counter() - start)
        store.close()
    return 1e3 * statistics.median(times)


def chart_ms() -> float:
    """Median time to write out the whole demo chart on stations [ms]."""
    room = clinic.room_1()
    lines = clinic.chart_lines(room)
    times = []
    for _ in range(3):
        start = time.perf_counter()
        for line in lines:
            tabulate(line, catalogue.projection(line.projection), room)
        times.append(time.perf_counter() - start)
    return 1e3 * statistics.median(times)


def level_check_ms() -> tuple[float, float]:
    """Time [ms] of the level check of 100 lines at 40 thicknesses each: from nothing, and after an edit of one line."""
    room = clinic.room_1()
    lines = list(clinic.chart_lines(room)[:100])
    forget_all()

    def whole() -> float:
        start = time.perf_counter()
        for line in lines:
            index_over_thickness(line, room, catalogue.projection(line.projection))
        return 1e3 * (time.perf_counter() - start)

    cold, edited = whole(), []
    for i in range(20):
        lines[i] = replace(lines[i], law=scaled(lines[i].law, 1.1))
        edited.append(whole())
    return cold, statistics.median(edited)


def lint_ms() -> float:
    """Median time [ms] to find the faults of the demo chart after an edit of one line."""
    room = clinic.room_1()
    lines, known = list(clinic.chart_lines(room)), catalogue.shipped().projections
    check_chart(lines, room, known)
    times = []
    for i in range(10):
        lines[i] = replace(lines[i], law=scaled(lines[i].law, 1.1))
        start = time.perf_counter()
        check_chart(lines, room, known)
        times.append(time.perf_counter() - start)
    return 1e3 * statistics.median(times)


def build_ms() -> float:
    """Time [ms] to draft the whole catalogue from four test exposures."""
    shots = [
        TestExposure("hand-pa", "panel-24", "tabletop", 0, 100, 3, 57, 1.6, 400),
        TestExposure("knee-ap", "panel-24", "tabletop", 0, 100, 12, 66, 5, 400),
        TestExposure("lspine-ap", "panel-43", "table_bucky", 12, 107, 21, 80, 25, 250),
        TestExposure("chest-pa", "panel-43", "upright_bucky", 10, 180, 22, 117, 2, 250),
    ]
    start = time.perf_counter()
    build(shots, clinic.room_1(), list(catalogue.shipped().projections.values()))
    return 1e3 * (time.perf_counter() - start)


def edit_to_strip_ms(address: str) -> float:
    """Median time [ms] on screen, in the browser: from Enter in a cell of a draft to the line's strip drawn anew."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.request.post(f"{address}/api/session", data={"person": "joren", "password": clinic.PASSWORD})
        page.goto(f"{address}/charts")
        page.get_by_role("button", name="Start version 2").click()
        at = page.get_by_role("gridcell", name="Rule of Hand Fan lateral").first
        at.click()
        times: list[float] = []
        for i in range(9):
            strip_before = page.get_by_role("row").filter(has=at).first.get_by_role("img").get_attribute("aria-label")
            at.click()
            page.keyboard.type("6" if i % 2 else "2.2")
            times.append(
                page.evaluate(
                    """([before]) => new Promise(done => {
                        const row = document.activeElement.closest('tr');
                        const start = performance.now();
                        const look = () => row.querySelector('svg').getAttribute('aria-label') !== before
                            ? requestAnimationFrame(() => done(performance.now() - start)) : requestAnimationFrame(look);
                        document.activeElement.dispatchEvent(
                            new KeyboardEvent('keydown', {key: 'Enter', bubbles: true, cancelable: true}));
                        look();
                    })""",
                    [strip_before],
                )
            )
        browser.close()
    return statistics.median(times)


async def _client(address: str, number: int, requests: int, pace_s: float, times: list[float]) -> None:
    """One keep-alive connection that posts techniques, at a pace or as fast as it is answered."""
    place = urlsplit(address)
    reader, writer = await asyncio.open_connection(place.hostname, place.port)
    await asyncio.sleep(pace_s * number / CLIENTS)
    for i in range(requests):
        body = json.dumps(
            {
                "room": "room-1",
                "projection": "lspine-ap",
                "thickness_cm": 16 + 0.5 * ((i + number) % 30),
                "setup": {"sid_cm": 105 + i % 10, "grid_ratio": 8},
            }
        ).encode()
        head = f"POST /api/techniques HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {len(body)}\r\n\r\n"
        start = time.perf_counter()
        writer.write(head.encode() + body)
        answer = await reader.readuntil(b"\r\n\r\n")
        found = re.search(rb"content-length: (\d+)", answer)
        if not answer.startswith(b"HTTP/1.1 200") or not found:
            raise RuntimeError(answer.decode())
        await reader.readexactly(int(found[1]))
        spent = time.perf_counter() - start
        times.append(spent)
        await asyncio.sleep(max(0.0, pace_s - spent))
    writer.close()


def load_ms(address: str, requests: int, pace_s: float) -> tuple[float, float, float]:
    """(p50, p99 [ms], answers per second) of POST /api/techniques with 20 clients at once."""

    async def run() -> tuple[list[float], float]:
        times: list[float] = []
        start = time.perf_counter()
        await asyncio.gather(*(_client(address, n, requests, pace_s, times) for n in range(CLIENTS)))
        return times, time.perf_counter() - start

    times, spent = asyncio.run(run())
    return 1e3 * statistics.median(times), 1e3 * p99(times), len(times) / spent


def _signed_in(address: str) -> dict[str, str]:
    """What the requests of somebody signed in carry."""
    session = urllib.request.Request(
        f"{address}/api/session",
        json.dumps({"person": "joren", "password": clinic.PASSWORD}).encode(),
        {"content-type": "application/json"},
    )
    with urllib.request.urlopen(session, timeout=60) as answer:
        return {
            "content-type": "application/json",
            "cookie": answer.headers["set-cookie"].split(";")[0],
            TOKEN_HEADER: json.load(answer)["token"],
        }


def _record(address: str, headers: dict[str, str], rounds: int, pace_s: float, times: list[float]) -> None:
    """Record an exposure so many times, at a pace or one right after the other."""
    body = {
        "technique": {"room": "room-1", "projection": "chest-pa", "thickness_cm": 22},
        "kvp": 117,
        "mas": 2,
        "ei": 300,
        "outcome": "accepted",
    }
    for _ in range(rounds):
        asked = urllib.request.Request(f"{address}/api/exposures", json.dumps(body).encode(), headers)
        start = time.perf_counter()
        urllib.request.urlopen(asked, timeout=120).read()
        spent = time.perf_counter() - start
        times.append(spent)
        time.sleep(max(0.0, pace_s - spent))


def crowd_ms(
    address: str, dragging: int, writing: int, pace_s: float = PACE_S, record_pace_s: float = 0.0
) -> tuple[list[float], list[float]]:
    """Times [ms] of techniques and of records, while so many clients drag and so many record, each at a pace."""
    headers = _signed_in(address)
    techniques: list[float] = []
    records: list[float] = []

    async def together() -> None:
        loop = asyncio.get_running_loop()
        with ThreadPoolExecutor(max(1, writing)) as pool:
            writers = [
                loop.run_in_executor(pool, _record, address, headers, RECORDS, record_pace_s, records)
                for _ in range(writing)
            ]

            async def drag(number: int) -> None:
                while True:
                    await _client(address, number, 20, pace_s, techniques)
                    if all(one.done() for one in writers):
                        return

            await asyncio.gather(*writers, *(drag(n) for n in range(dragging)))

    asyncio.run(together())
    return [1e3 * one for one in techniques], [1e3 * one for one in records]


def log_growth(exposures: int) -> dict[str, float]:
    """Times [ms] of a log of so many exposures in sixty rooms over ten years: the board of a month, the trend of all of it,
    the newest of a room and view, one more exposure; and what one of them takes to count [µs]."""
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "oakbeam.db")
        views = [plan.projection for plan in clinic.CHARTS["room-1"].plans]
        for number in range(60):
            rooms.save(store, replace(clinic.room_1(), id=f"r{number}", name=f"Room {number}"), "bench")
        with store.change() as db:
            db.execute("CREATE TEMP TABLE view (at INTEGER PRIMARY KEY, projection TEXT)")
            db.executemany("INSERT INTO view VALUES (?, ?)", enumerate(views))
            db.execute(_MANY_EXPOSURES, {"n": exposures, "views": len(views)})
        begun = time.perf_counter()
        with store.change() as db:
            tally.recount(db)
        counted = 1e6 * (time.perf_counter() - begun) / exposures
        (newest,) = log.find(store, limit=1)
        month = newest.taken_at[:7]
        found = {
            "board of a month, all rooms": _best_ms(lambda: board_of(store, "", f"{month}-01", f"{month}-28")),
            "what a month's rejects cost": _best_ms(lambda: repeats_of(store, "", f"{month}-01", f"{month}-28")),
            "trend of ten years": _best_ms(lambda: tally.days(store)),
            "newest of a room and view": _best_ms(lambda: log.find(store, log.LogFilter(room="r7", projection="chest-pa"))),
            "one more exposure": _best_ms(lambda: log.add(store, replace(newest, taken_at=""), "bench")),
            "counting one (µs)": counted,
        }
        store.close()
        return found


PRACTICE = ("chest-pa", "lspine-ap", "knee-ap")


def practice_times(pixels: int) -> dict[str, float]:
    """Seconds that a computed radiograph takes: a new body with its image, the slowest of some views; and only another
    technique of the same body. The first image of all is not counted."""
    new, again = 0.0, 0.0
    for number, projection in enumerate(("knee-ap", *PRACTICE)):
        view = catalogue.projection(projection)
        case = Case(view, float(view.thickness_cm[1]), seed=100 + pixels + number)
        console = usual_console(case)
        begun = time.perf_counter()
        take(case, console, pixels=pixels)
        made = time.perf_counter()
        take(case, replace(console, kvp=console.kvp + 3), pixels=pixels)
        if number:
            new, again = max(new, made - begun), max(again, time.perf_counter() - made)
    return {"new": new, "again": again}


_MANY_EXPOSURES = """
WITH RECURSIVE row(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM row WHERE i + 1 < :n)
INSERT INTO exposure (taken_at, room, projection, thickness_cm, kvp, mas, sid_cm, support, grid_ratio, receptor,
    exposure_control, ei, target_ei, di, incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, reliable, recorded_by)
SELECT strftime('%Y-%m-%dT%H:%M:%S.000+00:00', 1480000000 + CAST(i * (315360000.0 / :n) AS INTEGER), 'unixepoch'),
    'r' || (abs(random()) % 60), (SELECT projection FROM view WHERE at = abs(row.i * 7919) % :views), 20, 80, 20, 107,
    'table_bucky', 12, 'panel-43', 'manual', 250, 250, (abs(random()) % 1000 / 500.0 - 1) * 2,
    0.5 + abs(random()) % 100 / 50.0, 100 + abs(random()) % 900, iif(i % 20 = 0, 'rejected', 'accepted'),
    iif(i % 20 = 0, 'R01', NULL), 1, iif(i % 3 = 0, 'joren', 'tamsin') FROM row
"""


def _best_ms(do: Callable[[], object], rounds: int = 3) -> float:
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        do()
        times.append(1000 * (time.perf_counter() - begun))
    return min(times)


def p99(times: list[float]) -> float:
    """The time that one in a hundred exceeds."""
    return statistics.quantiles(times, n=100)[98]


def first_load_kb() -> float:
    """Scripts that index.html asks for at once, gzip [kB of 1000 bytes]."""
    dist = ROOT / "src" / "oakbeam" / "interface"
    page = (dist / "index.html").read_text()
    scripts = set(re.findall(r'(?:src|href)="/(assets/[^"]+\.js)"', page))
    return sum(len(gzip.compress((dist / name).read_bytes(), 9)) for name in scripts) / 1000


def main() -> None:
    """Measure everything and print the table."""
    whole, signal = beam_us()
    cold, edited = level_check_ms()
    rows = [
        ("one technique in the core, median", f"{core_us():.0f} µs", "under 300 µs"),
        ("one beam, everything", f"{whole:.0f} µs", "under 1000 µs"),
        ("one beam, its signal", f"{signal:.0f} µs", ""),
        ("physics model, 100 lines × 40 thicknesses, 20 set-ups", f"{beam_chart_ms(20):.0f} ms", "under 200 ms"),
        ("physics model, 100 lines × 40 thicknesses, 100 set-ups", f"{beam_chart_ms(100):.0f} ms", "under 200 ms"),
        ("what if, median", f"{what_if_ms():.0f} ms", ""),
        ("a chart of 150 lines on stations, median", f"{chart_ms():.0f} ms", ""),
        ("search, median of what is typed letter by letter", f"{search_ms():.1f} ms", "under 30 ms"),
        ("run sheet of four views, median", f"{run_sheet_ms():.1f} ms", ""),
        ("level check, 100 lines × 40 thicknesses, from nothing", f"{cold:.0f} ms", "under 300 ms"),
        ("level check, 100 lines × 40 thicknesses, after an edit", f"{edited:.1f} ms", "under 300 ms"),
        ("faults of 171 lines, after an edit", f"{lint_ms():.0f} ms", ""),
        ("the whole catalogue drafted from four exposures", f"{build_ms():.0f} ms", ""),
        ("first load, scripts, gzip", f"{first_load_kb():.0f} kB", "under 200 kB"),
    ]
    with tempfile.TemporaryDirectory() as data:
        seed(Path(data))
        server, address = serve(Path(data))
        try:
            load_ms(address, 50, 0)  # warm up
            p50, slowest, rate = load_ms(address, 100, PACE_S)
            rows.append((f"POST /api/techniques, {CLIENTS} clients dragging ({rate:.0f}/s): p50", f"{p50:.1f} ms", ""))
            rows.append(
                (f"POST /api/techniques, {CLIENTS} clients dragging ({rate:.0f}/s): p99", f"{slowest:.1f} ms", "under 10 ms")
            )
            p50, slowest, rate = load_ms(address, 300, 0)
            rows.append((f"POST /api/techniques, {CLIENTS} clients without pause: p50", f"{p50:.1f} ms", ""))
            rows.append((f"POST /api/techniques, {CLIENTS} clients without pause: p99", f"{slowest:.1f} ms", "under 10 ms"))
            rows.append(("answers per second without pause", f"{rate:.0f}", ""))
            _, alone = crowd_ms(address, 0, 1)
            _, beside = crowd_ms(address, MANY_CLIENTS, 1, 0)
            rows.append(("recording an exposure, alone", f"{statistics.median(alone):.0f} ms", ""))
            slower = statistics.median(beside) / statistics.median(alone)
            rows.append((f"recording beside {MANY_CLIENTS} clients without pause, over alone", f"×{slower:.1f}", ""))
            one, _ = crowd_ms(address, 1, 1, CALM_S, RECORD_PACE_S)
            many, records = crowd_ms(address, MANY_CLIENTS, WRITERS, CALM_S, RECORD_PACE_S)
            crowd = f"{MANY_CLIENTS} dragging, {WRITERS} recording"
            rows.append((f"p99 of a technique, {crowd}, over one client alone", f"×{p99(many) / p99(one):.1f}", ""))
            rows.append((f"p99 of a technique, {crowd}", f"{p99(many):.0f} ms", ""))
            rows.append((f"p99 of a record, {crowd}, over one alone", f"×{p99(records) / p99(alone):.1f}", ""))
            rows.append((f"p99 of a record, {crowd}", f"{p99(records):.0f} ms", ""))
            seen = edit_to_strip_ms(address)
            rows.append(("from an edit to its strip on screen, chart of 171 lines", f"{seen:.0f} ms", "under 300 ms"))
        finally:
            stop(server)
    for pixels, aim_new in ((512, "under 1 s"), (256, "under 0.3 s")):
        took = practice_times(pixels)
        rows.append((f"computed radiograph, {pixels} pixels, new body", f"{took['new']:.2f} s", aim_new))
        rows.append((f"computed radiograph, {pixels} pixels, other technique", f"{took['again']:.2f} s", "under 0.2 s"))
    few, many_more = log_growth(10_000), log_growth(1_000_000)
    rows += [
        (f"log of 10⁶ exposures: {name}, over 10⁴", f"×{many_more[name] / few[name]:.1f}", f"{many_more[name]:.1f} at 10⁶")
        for name in few
    ]
    width = max(len(name) for name, _, _ in rows)
    for name, value, aim in rows:
        print(f"{name:<{width}}  {value:>10}  {aim}")


if __name__ == "__main__":
    main()
