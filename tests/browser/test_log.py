"""The Log as a keeper works with it: images in, mapped, on the board, into the draft, approved, and judged afterwards."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from pathlib import Path

from playwright.sync_api import Locator, Page, expect
from tests.browser.conftest import sign_in
from tests.browser.test_whole_path import choose
from tests.objects import as_bytes, image


def part_of_log(page: Page, name: str) -> None:
    page.get_by_role("radiogroup", name="Part of the log").get_by_role("radio", name=name).click()


def picked(page: Page, within: Locator, field: str, option: str) -> None:
    within.get_by_role("combobox", name=field).click()
    page.get_by_role("option", name=option, exact=True).click()


def test_images_dropped_are_mapped_stand_on_the_board_and_teach_the_chart(page: Page, site: str, tmp_path: Path):
    files = []
    for number in range(6):
        taken = (datetime.now(UTC) - timedelta(days=2, minutes=20 * number)).strftime("%Y%m%d%H%M%S+0000")
        view = {"BodyPartExamined": "HAND", "ViewPosition": None} if number > 3 else {}
        made = image(StationName="XR-9", DeviceSerialNumber="77", AcquisitionDateTime=taken, **view)
        (tmp_path / f"{number}.dcm").write_bytes(as_bytes(made))
        files.append(str(tmp_path / f"{number}.dcm"))
    (tmp_path / "letter.txt").write_text("Not an image.")
    page.goto(f"{site}/log?room=room-1&part=images")
    page.get_by_label("Choose files").set_input_files([*files, str(tmp_path / "letter.txt")])
    expect(page.get_by_text("6 wait for an answer below")).to_be_visible()
    expect(page.get_by_text("letter.txt: Not a DICOM file.")).to_be_visible()
    waits = page.get_by_role("region", name="What waits")
    expect(waits).to_contain_text("A machine that is not known")
    picked(page, waits, "Room", "Room 1")
    page.get_by_role("button", name="It is there").click()
    expect(waits).to_contain_text("“hand”: which view is that?")
    picked(page, waits, "View", "Hand PA")
    page.get_by_role("button", name="That is it, always").click()
    expect(page.get_by_text("Nothing waits")).to_be_visible()

    # A table is looked at first, a column set right, then taken in.
    (tmp_path / "other.csv").write_text(
        "When;View;Volts;mAs\n2026-11-03 09:15;hand pa;57;1.6\n2026-11-03 09:25;hand pa;57;x\n"
    )
    page.get_by_label("Choose files").set_input_files(str(tmp_path / "other.csv"))
    table = page.get_by_role("region", name="Table other.csv")
    expect(table).to_contain_text("Say which column is: kVp.")
    expect(table).to_contain_text("first: 57")
    choose(page, "Volts is", "kVp")
    expect(table).to_contain_text("1 row is an exposure, 1 is not")
    choose(page, "Room of rows that name none", "Room 1")
    page.get_by_role("button", name="Take 1 exposure in").click()
    expect(page.get_by_text("2 read: 1 exposure added")).to_be_visible()

    part_of_log(page, "List")
    choose(page, "Told by", "Its image")
    rows = page.get_by_role("row")
    expect(rows).to_have_count(7)
    rows.nth(1).get_by_role("link").first.click()
    opened = page.get_by_role("dialog")
    expect(opened).to_contain_text("Whether it was rejected is not known.")
    expect(opened).to_contain_text("estimated")
    expect(opened.get_by_role("row", name="Index")).to_contain_text("262")
    page.keyboard.press("Escape")

    # What moved stands on top of the board, is looked at, and noted.
    part_of_log(page, "Board")
    moved = page.get_by_role("region", name="What moved")
    expect(moved).to_contain_text("All of Loose panel 24×30 moved by")
    moved.get_by_role("button", name="It is known…").click()
    moved.get_by_label("What is known of it").fill("The panel was replaced in July.")
    moved.get_by_role("button", name="Note it").click()
    expect(moved.get_by_text("1 known change")).to_be_visible()
    page.get_by_role("link", name="Lumbar spine AP (or PA)").click()
    expect(page).to_have_url(re.compile("part=list.*projection=lspine-ap|projection=lspine-ap.*part=list"))

    # The keeper accepts a period: the limits stand on it.
    page.goto(f"{site}/log?room=portable&part=time")
    expect(page.get_by_text("no period is accepted")).to_be_visible()
    page.get_by_role("button", name="Accept a period…").click()
    page.get_by_role("textbox", name="To").fill((datetime.now(UTC) - timedelta(days=120)).date().isoformat())
    page.get_by_role("button", name="Accept it").click()
    expect(page.get_by_text("accepted by joren")).to_be_visible()
    page.get_by_role("button", name="Accept none").click()
    expect(page.get_by_text("no period is accepted")).to_be_visible()

    # The evidence of another room goes into its draft; somebody else approves it; the log says what came of it.
    page.goto(f"{site}/log?room=room-2&part=tune")
    page.get_by_role("checkbox", name=re.compile("^Take ")).first.uncheck()
    expect(page.get_by_text(re.compile("(It worked|No better so far): mean .* since"))).to_be_visible()
    page.get_by_role("button", name=re.compile("Put .* into the draft")).click()
    page.get_by_role("link", name=re.compile("a draft")).click()
    propose = page.get_by_role("button", name="Propose version 3")
    propose.click()
    draft = next(one for one in page.request.get(f"{site}/api/charts?room=room-2").json() if one["version"] == 3)
    for reason in page.get_by_label("Why it stands").all():
        reason.fill("Looked at: it stands.")
    if draft["status"] == "draft" and propose.is_visible():
        propose.click()
    expect(page.get_by_text("proposed", exact=False).first).to_be_visible()
    sign_in(page.context, site, "ilse")
    page.reload()
    with page.expect_response("**/approve"):
        page.get_by_role("button", name=re.compile("^Approve")).first.click()
    page.goto(f"{site}/log?room=room-2&part=tune")
    expect(page.get_by_text("0 images since: too early to say.").first).to_be_visible()


def test_a_series_over_time_and_why_it_is_off(page: Page, demo_site: str):
    page.goto(f"{demo_site}/log?room=portable&part=time")
    expect(page.get_by_role("img", name=re.compile("^Chest PA, Loose detector"))).to_be_visible()
    expect(page.get_by_text("it was set over the chart by hand")).to_be_visible()
    expect(page.get_by_role("region", name="Control chart")).to_contain_text(re.compile("it moved by \\+[01]\\.. DI"))
    part_of_log(page, "Why off")
    choose(page, "View", "Chest PA")
    expect(page.get_by_text("What was set in place of what the chart suggests goes with")).to_be_visible()
    # Who may not see names sees a letter.
    page.goto(f"{demo_site}/log?room=room-1&part=why&projection=lspine-ap")
    expect(page.get_by_text("most of all person A")).to_be_visible()
