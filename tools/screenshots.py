"""Renews docs/screenshots: one picture of each main view, from the demo data, at 1280x800.

python -m tools.screenshots
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from tests.browser.conftest import CHROMIUM, FLAGS, ROOT, seed, serve, sign_in, stop
from tests.browser.test_whole_path import choose, fill, tab, take, ward_chart

TARGET = ROOT / "docs" / "screenshots"


def desk(page: Page, site: str) -> None:
    page.goto(f"{site}/desk")
    take(page, "lumbar", "Lumbar spine, 3 views")
    fill(page, "Thickness: not measured", "24")
    fill(page, "SID (measured)", "110")
    choose(page, "Grid", "8:1")
    tab(page, "Exposure")
    fill(page, "kVp by hand", "84")


def what_if(page: Page, site: str) -> None:
    page.goto(f"{site}/desk")
    take(page, "lumbar", "Lumbar spine, 3 views")
    fill(page, "Thickness: not measured", "24")
    page.keyboard.press("w")
    page.get_by_role("table", name="Choices that nothing beats").get_by_role("button").first.click()


def rooms(page: Page, site: str) -> None:
    page.goto(f"{site}/rooms")
    page.get_by_role("button", name="Room 2").click()


def calibration(page: Page, site: str) -> None:
    page.goto(f"{site}/rooms")
    page.get_by_role("radio", name="Calibration").click()
    readings = ((60, 540), (60, 543), (60, 538), (80, 962), (100, 1458), (120, 1990))
    for i, (kvp, kerma) in enumerate(readings, 1):
        if i > 3:
            page.get_by_role("button", name="Another reading").first.click()
        for name, value in (("kvp", kvp), ("ma", 200), ("mas", 20), ("kerma", kerma)):
            page.get_by_role("textbox", name=f"{name} of reading {i}", exact=True).fill(str(value))
    rest = {"kVp of layer 1": "80", "HVL of layer 1": "3.12", "kerma of index 1": "2.5", "number shown of index 1": "259"}
    for field, text in rest.items():
        fill(page, field, text)
    page.get_by_role("button", name="Accept calibration").wait_for()


def constancy(page: Page, site: str) -> None:
    page.goto(f"{site}/rooms?part=constancy")
    page.get_by_role("list").get_by_role("button", name="Light and field").click()
    page.get_by_text("failed", exact=True).wait_for()


def setting_up(page: Page, site: str) -> None:
    page.goto(f"{site}/setup?step=room")
    page.get_by_role("radio", name="Portable unit").click()


def judged(page: Page, site: str) -> None:
    page.goto(f"{site}/desk")
    take(page, "knee 2", "Knee, 2 views")
    fill(page, "Thickness: not measured", "13.5")
    page.keyboard.press("Enter")
    fill(page, "Index (EI)", "168")
    page.get_by_role("button", name="Noise").click()


def trauma(page: Page, site: str) -> None:
    page.goto(f"{site}/desk")
    page.get_by_role("button", name="Fall from 3 m").click()
    fill(page, "Thickness: not measured", "12")
    page.keyboard.press("p")
    for _ in range(3):
        page.keyboard.press("]")
    fill(page, "Thickness: not measured", "33")


def exposure(page: Page, site: str) -> None:
    page.goto(f"{site}/desk")
    take(page, "lumbar", "Lumbar spine, 3 views")
    fill(page, "Thickness: not measured", "24")
    tab(page, "Exposure")
    tab(page, "AEC")
    page.keyboard.press("p")


def guide(page: Page, site: str) -> None:
    page.goto(f"{site}/guide/knee-lateral")


def charts(page: Page, site: str) -> None:
    page.goto(f"{site}/charts")
    page.get_by_role("button", name="Lumbar spine AP").first.click()


def imported(page: Page, site: str) -> None:
    page.goto(f"{site}/charts?do=import")
    with tempfile.TemporaryDirectory() as folder:
        page.get_by_label("Choose a file").set_input_files(ward_chart(Path(folder) / "ward chart.xlsx"))
        page.get_by_role("heading", name="question open").wait_for()


def draft(page: Page, site: str, only: str = "") -> None:
    """A draft of Room 1's next version: begun, or the one that is open."""
    page.goto(f"{site}/charts")
    page.get_by_role("heading", name="Room 1 adult chart").wait_for()
    begin = page.get_by_role("button", name="Start version 2")
    if begin.count():
        begin.click()
    page.get_by_role("grid", name="Lines of the chart").wait_for()
    page.get_by_label("Show only").fill(only)


def editor(page: Page, site: str) -> None:
    draft(page, site, "lumbar bucky")
    page.get_by_role("gridcell", name="Projection of Lumbar spine Lateral").first.click()


def level(page: Page, site: str) -> None:
    draft(page, site)
    page.get_by_role("radio", name="EI over thickness").click()
    page.get_by_role("button", name="Level it").click()
    page.get_by_role("button", name="Apply all").wait_for()


def built(page: Page, site: str) -> None:
    page.goto(f"{site}/charts")
    page.get_by_role("button", name="Build a chart").click()
    shots = ((3, 57, 1.6, 480), (12, 66, 5, 372), (21, 80, 32, 300), (22, 117, 2.5, 282))
    for i, shot in enumerate(shots, 1):
        for name, value in zip(("thickness", "kVp", "mAs", "index"), shot, strict=True):
            page.get_by_role("textbox", name=f"{name} of exposure {i}", exact=True).fill(str(value))
    page.get_by_role("button", name="Draft the chart from 4 exposures").click()
    page.get_by_text("What to expose next").wait_for()


def printed(page: Page, site: str) -> None:
    page.goto(f"{site}/charts?chart=1&do=print")
    page.get_by_role("img", name="Page 1 of").wait_for()


def log(page: Page, site: str) -> None:
    page.goto(f"{site}/log")


def over_time(page: Page, site: str) -> None:
    page.goto(f"{site}/log?room=portable&part=time")
    page.get_by_role("region", name="Control chart").wait_for()


def practice(page: Page, site: str) -> None:
    page.goto(f"{site}/practice")
    page.get_by_role("button", name="Expose").click()
    page.get_by_text("On target").wait_for()
    page.get_by_role("textbox", name="mAs").fill("0.5")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Expose").click()
    page.get_by_text("Far under-exposed").wait_for()
    page.get_by_label("Swipe line between the last exposure and this one").fill("50")


VIEWS: dict[str, tuple[Callable[[Page, str], None], str]] = {
    "desk": (desk, "night"),
    "desk-trauma": (trauma, "night"),
    "desk-aec-day": (exposure, "day"),
    "desk-what-if": (what_if, "night"),
    "desk-judged-day": (judged, "day"),
    "charts-day": (charts, "day"),
    "charts-editor": (editor, "night"),
    "charts-level-day": (level, "day"),
    "charts-build": (built, "night"),
    "charts-import": (imported, "night"),
    "print-wall": (printed, "day"),
    "rooms-day": (rooms, "day"),
    "rooms-calibration": (calibration, "night"),
    "rooms-constancy-day": (constancy, "day"),
    "setup": (setting_up, "night"),
    "log": (log, "night"),
    "log-time-day": (over_time, "day"),
    "practice": (practice, "night"),
    "guide": (guide, "night"),
}


def main() -> None:
    """Take every picture."""
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, sync_playwright() as playwright:
        seed(Path(data))
        server, site = serve(Path(data))
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        try:
            for name, (visit, theme) in VIEWS.items():
                context = browser.new_context(viewport={"width": 1280, "height": 800})
                context.add_init_script(f"localStorage.setItem('oakbeam.preferences', '{{\"theme\":\"{theme}\"}}')")
                sign_in(context, site, "ilse" if visit in (calibration, constancy, setting_up) else "joren")
                page = context.new_page()
                visit(page, site)
                page.wait_for_load_state("networkidle")
                page.evaluate("scrollTo(0, 0)")
                page.wait_for_timeout(500)
                page.screenshot(path=TARGET / f"{name}.png")
                context.close()
                print(name)
        finally:
            browser.close()
            stop(server)


if __name__ == "__main__":
    main()
