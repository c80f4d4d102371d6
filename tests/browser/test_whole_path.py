"""A chart keeper's, a technologist's and the log's whole path, as a person walks it."""

from __future__ import annotations

import csv
import re
from pathlib import Path

import openpyxl
from playwright.sync_api import Locator, Page, expect


def choose(page: Page, field: str, option: str) -> None:
    page.get_by_role("combobox", name=field).click()
    page.get_by_role("option", name=option, exact=True).click()


def take(page: Page, query: str, title: str) -> None:
    """Choose an exam or a view at the Desk by typing."""
    finder = page.get_by_role("combobox", name="Exam or view")
    finder.click()
    page.keyboard.type(query)
    expect(finder).to_have_value(query)
    # What a letter less would find is shown until this answer is here.
    expect(page.get_by_role("listbox", name="Exam or view")).to_have_attribute("aria-busy", "false")
    page.get_by_role("option", name=title).first.click()


def tab(page: Page, name: str) -> None:
    page.get_by_role("radio", name=name, exact=True).click()


def fill(page: Page, field: str | re.Pattern[str], value: str) -> None:
    page.get_by_role("textbox", name=field, exact=isinstance(field, str)).fill(value)
    page.keyboard.press("Enter")


def hand_over(page: Page, to: str) -> None:
    """Somebody else of the demo takes the console; the view stays."""
    page.get_by_role("link", name="hand over or sign out").click()
    page.get_by_role("button", name=to).click()
    expect(page.get_by_role("link", name=f"{to} is signed in")).to_be_visible()


def number(page: Page, which: str) -> Locator:
    return page.get_by_test_id(f"number-{which}")


def test_from_an_accepted_exposure_to_the_log(page: Page, site: str) -> None:
    # Charts: a line for the oblique knee, which the portable chart lacks, from one accepted exposure that was DI +1.
    page.goto(f"{site}/charts")
    choose(page, "Room", "Portable unit")
    page.get_by_role("button", name="New line").click()
    choose(page, "Projection", "Knee AP oblique, medial rotation")
    page.get_by_label("Measured thickness").fill("12")
    page.get_by_label("kVp", exact=True).fill("68")
    page.get_by_label("mAs", exact=True).fill("8")
    page.get_by_label("Index, if there is one").fill("504")
    page.get_by_label("mAs doubles every").fill("4.5")  # as taught; else the model's own for a knee
    expect(page.get_by_text("The exposure was DI +1.0; on target it would have been 6.35 mAs")).to_be_visible()
    expect(page.get_by_role("img", name="kVp and mAs over thickness")).to_be_visible()
    page.get_by_role("button", name="Add to a new version 2").click()
    expect(page.get_by_role("heading", name="version 2")).to_be_visible()
    expect(page.get_by_role("gridcell", name="Projection of Knee AP oblique")).to_be_visible()

    # The Desk knows nothing of it until it is approved.
    page.get_by_role("link", name="Desk").click()
    take(page, "knee 4", "Knee, 4 views")
    expect(page.get_by_role("button", name="AP oblique, medial rotation")).to_contain_text("(no line)")
    page.get_by_role("link", name="Charts").click()
    # It is proposed, and another person approves it: the console changes hands.
    page.get_by_role("button", name="Propose version 2").click()
    expect(page.get_by_text("waits for a physicist")).to_be_visible()
    expect(page.get_by_role("button", name="Save line")).to_have_count(0)
    expect(page.get_by_role("button", name="Approve version 2")).to_have_count(0)
    hand_over(page, "Ilse Marrow")
    page.get_by_role("button", name="Approve version 2").click()
    expect(page.get_by_text("approved by ilse")).to_be_visible()

    # Desk: 16.5 cm instead of 12 doubles the mAs, 110 cm instead of 100 adds 21 %: 6.35 x 2 x 1.21 = 15.4 -> 16.
    page.get_by_role("link", name="Desk").click()
    take(page, "knee 4", "Knee, 4 views")
    page.get_by_role("button", name="AP oblique, medial rotation").click()
    expect(page.get_by_test_id("not-measured")).to_contain_text("average adult's, not measured")
    fill(page, "Thickness: not measured", "16.5")
    fill(page, "SID (measured)", "110")
    expect(number(page, "kvp")).to_have_text("68")
    expect(number(page, "mas")).to_have_text("16")
    running = page.get_by_role("list", name="How the numbers came about").get_by_role("listitem")
    expect(running).to_have_count(4)
    expect(running.nth(1)).to_contain_text("×2.00")
    expect(running.nth(2)).to_contain_text("×1.21")

    # Judge: the index comes back far too high. The advice is no repeat, and less mAs.
    page.keyboard.press("Enter")
    fill(page, "Index (EI)", "1000")
    expect(page.get_by_text("DI +4.0 · Excess").or_(page.get_by_text("DI +4.0 · Far over-exposed"))).to_be_visible()
    expect(page.get_by_text("A high index alone is no reason to repeat")).to_be_visible()
    expect(page.get_by_test_id("corrected")).to_contain_text("68 kVp, 6.3 mAs")
    page.get_by_role("button", name="Record as accepted").click()
    expect(page.get_by_text("Recorded as accepted, DI +4.0")).to_be_visible()

    # Taken back, by name and after a question; a second try of the view is rejected.
    page.get_by_role("button", name="Take back…").click()
    page.get_by_role("button", name="Take back", exact=True).first.click()
    page.get_by_role("button", name="Yes, take it back").click()
    expect(page.get_by_text("Knee AP oblique, medial rotation, 68 kVp 16 mAs")).to_have_count(0)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Change views").click()
    page.get_by_role("button", name="Another try").click()
    expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
    page.get_by_role("button", name="Exposed").click()
    fill(page, "Index (EI)", "100")
    expect(page.get_by_text("Far under-exposed")).to_be_visible()
    page.get_by_role("button", name="Record as rejected").click()
    choose(page, "Why rejected", "Exposure too low")
    expect(page.get_by_text("Recorded as rejected, DI −6.0")).to_be_visible()

    # Log: the second record stands on top, the undone one is not there.
    page.get_by_role("link", name="Log").click()
    page.get_by_role("radio", name="List").click()
    rows = page.get_by_role("row")
    expect(rows.nth(1)).to_contain_text("Knee AP oblique, medial rotation")
    expect(rows.nth(1)).to_contain_text("16.5 cm")
    expect(rows.nth(1)).to_contain_text("✕ Exposure too low")
    expect(rows.nth(2)).not_to_contain_text("oblique, medial rotation")
    page.get_by_role("radio", name="Rejected").click()
    expect(page.get_by_text("accepted", exact=True)).to_have_count(0)
    choose(page, "Projection", "Knee AP oblique, medial rotation")
    expect(rows).to_have_count(2)
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    with Path(download.value.path()).open() as file:
        (row,) = csv.DictReader(file)
    assert (row["projection"], row["ei"], row["reject_reason"]) == ("knee-oblique-medial", "100.0", "R03")


def ward_chart(path: Path) -> Path:
    """A department's workbook: titles above, sizes over kVp and mAs, headings between, a name that may be two, a slip."""
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Room 1"
    for row in (
        ["Invented Clinic, technique chart"],
        ["revision 4", None, "by hand"],
        [None, None, None, "Small", None, "Medium", None, "Large", None],
        ["Projection", "SID", "Grid", *["kVp", "mAs"] * 3, "Who"],
        ["UPPER LIMB"],
        ["Hand PA", "40 in", "-", 53, 1.25, 55, 1.6, 57, 2, "Ann"],
        ["SPINE"],
        ["L-Spine AP", "40 in", "12:1", 75, 16, 80, 32, 85, 63, "Ann"],
        ["L-Spine Lat", "40 in", "12:1", 85, 40, 90, 63, 95, "one hundred", "Ann"],
        ["Sacrum", "40 in", "12:1", 75, 16, 80, 25, 85, 50, "Ann"],
        ["* large patients on the wall stand"],
    ):
        sheet.append(row)
    book.save(path)
    return path


def test_a_departments_workbook_is_asked_about_looked_at_drafted_checked_and_proposed(
    page: Page, site: str, tmp_path: Path
) -> None:
    page.goto(f"{site}/charts")
    page.get_by_role("button", name="Start version 2").click()
    expect(page).to_have_url(re.compile("chart="))
    page.get_by_role("button", name="Discard").click()
    page.get_by_role("button", name="Discard: press again").click()
    expect(page.get_by_role("heading", name="Room 1 adult chart version 1")).to_be_visible()
    page.get_by_role("button", name="Import").click()
    page.get_by_label("Choose a file").set_input_files(ward_chart(tmp_path / "ward chart.xlsx"))
    expect(page.get_by_role("heading", name="1 question open")).to_be_visible()
    make = page.get_by_role("button", name=re.compile("Make version 2"))
    expect(make).to_be_disabled()
    alert = page.get_by_role("alert")
    expect(alert.get_by_role("row", name="9 Large mAs 'one hundred' is not a number.")).to_be_visible()
    alert.get_by_role("button", name="Leave out row 9").click()
    expect(alert).to_have_count(0)
    choose(page, "Which projection is “Sacrum”?", "Sacrum and coccyx Sacrum AP axial")
    expect(page.get_by_role("heading", name="All questions are answered")).to_be_visible()
    lines = page.get_by_role("region", name="Lines")
    expect(lines.get_by_role("row")).to_have_count(4)
    hand = lines.get_by_role("row", name=re.compile("Hand PA"))
    expect(hand.get_by_role("cell", name="small 53/1.25 average 55/1.6 large 57/2")).to_be_visible()
    expect(hand.get_by_title("Assumed: the room's usual one there")).to_be_visible()
    page.get_by_text("How it is read").click()
    choose(page, "Column Who is", "note")
    expect(page.get_by_role("combobox", name="Column Small kVp is: kVp, small")).to_be_visible()
    expect(make).to_be_enabled()
    make.click()
    expect(page.get_by_role("heading", name="ward chart version 2")).to_be_visible()
    page.get_by_role("button", name="name and grid factors").click()
    page.get_by_label("Name of the chart").fill("Wall chart of 2026")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Wall chart of 2026 version 2")).to_be_visible()
    choose(page, "Grid factors", "By kVp (70, 90, 120)")
    expect(page.get_by_role("combobox", name="Grid factors: By kVp")).to_be_visible()
    page.get_by_role("radio", name=re.compile("Chart check")).click()
    expect(page.get_by_role("list", name="Chart check")).to_be_visible()
    page.get_by_role("button", name="Propose").click()
    expect(page.get_by_text("proposed", exact=False).first).to_be_visible()
