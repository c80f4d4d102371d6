"""A chart keeper's and a physicist's work: editing, levelling, building, agreeing, carrying; two editors of one draft."""

from __future__ import annotations

import re
from pathlib import Path

import pypdfium2 as pdfium
from playwright.sync_api import Browser, Page, expect
from tests.browser.conftest import PATIENCE_MS, sign_in
from tests.browser.test_whole_path import choose, fill, hand_over, tab, take


def draft(page: Page, site: str, only: str = "") -> None:
    """A draft of Room 1's next version, only some of its lines shown."""
    page.goto(f"{site}/charts")
    page.get_by_role("button", name="Start version 2").click()
    expect(page.get_by_role("grid", name="Lines of the chart")).to_be_visible()
    page.get_by_label("Show only").fill(only)


def cell(page: Page, name: str, nth: int = 0):
    return page.get_by_role("gridcell", name=name).nth(nth)


def paste(page: Page, text: str) -> None:
    """A block from a spreadsheet, onto the cell with the cursor."""
    page.evaluate(
        "text => { const data = new DataTransfer(); data.setData('text', text);"
        "document.activeElement.dispatchEvent("
        "new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true})) }",
        text,
    )


def test_the_grid_takes_typing_pasting_many_lines_and_undo(page: Page, site: str):
    draft(page, site, "elbow tabletop")
    kvp = cell(page, "kVp of Elbow AP")
    kvp.click()
    page.keyboard.type("66")
    page.keyboard.press("Enter")
    expect(kvp).to_have_text("66")
    # The cursor went down; a block from a spreadsheet fills kVp and mAs of two lines.
    expect(cell(page, "kVp of Elbow AP oblique, lateral rotation")).to_be_focused()
    paste(page, "65 kVp\t3,2\n67\t4\n")
    expect(cell(page, "mAs of Elbow AP oblique, lateral rotation")).to_have_text("3.2")
    expect(cell(page, "kVp of Elbow Lateral")).to_have_text("67")
    page.keyboard.press("Control+z")
    expect(cell(page, "kVp of Elbow Lateral")).to_have_text("63")
    page.keyboard.press("Control+y")
    expect(cell(page, "kVp of Elbow Lateral")).to_have_text("67")
    # What can be undone outlives a reload; c types into the table, and does not switch the unit.
    page.reload()
    cell(page, "Control of Elbow Lateral").click()
    page.keyboard.press("c")
    page.keyboard.press("Escape")
    expect(page.get_by_text("At, cm")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(cell(page, "kVp of Elbow Lateral")).to_have_text("63")
    page.keyboard.press("Control+y")
    expect(cell(page, "kVp of Elbow Lateral")).to_have_text("67")
    # All elbows 10 % more: as one change, undone as one.
    before = [one.text_content() for one in page.get_by_role("gridcell", name="mAs of Elbow").all()]
    page.get_by_role("checkbox", name="Choose all lines shown").click()
    page.get_by_label("mAs ± %").fill("+10")
    page.get_by_role("button", name=f"Change {len(before)}", exact=True).click()
    expect(cell(page, "mAs of Elbow AP")).to_have_text("2.75")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(cell(page, "mAs of Elbow AP")).to_have_text("2.5")
    assert [one.text_content() for one in page.get_by_role("gridcell", name="mAs of Elbow").all()] == before


def test_a_block_with_words_and_rows_of_new_views(page: Page, site: str):
    """Words are read, a row of another view becomes a question, and then a line of the draft."""
    draft(page, site, "elbow tabletop")
    cell(page, "Projection of Elbow AP").click()
    paste(page, "Elbow AP\tnone\t1 m\t5–12,5\tmanual\t8\t64\t3\nC-spine lat\t12:1\t180 cm\t\tAEC C\t12\t80\t16\n")
    expect(cell(page, "Range of Elbow AP")).to_have_text("5–12.5")
    expect(cell(page, "kVp of Elbow AP")).to_have_text("64")
    page.get_by_role("button", name="Read it as a new line").click()
    expect(page.get_by_role("row", name=re.compile("Cervical spine Lateral, upright"))).to_be_visible()
    page.get_by_role("button", name="See what 1 line would change").click()
    seen = page.get_by_role("region", name="What would change in version 2")
    expect(seen).to_contain_text("Cervical spine Lateral")
    seen.get_by_role("button", name=re.compile("version 2")).first.click()
    page.get_by_label("Show only").fill("cervical spine lateral upright bucky")
    control = page.get_by_role("gridcell", name="Control of Cervical spine Lateral, upright")
    expect(control.filter(has_text="AEC C")).to_be_visible()
    # What is no cell's word is said, and the line stays.
    control.first.click()
    paste(page, "often")
    expect(page.get_by_role("alert")).to_contain_text("none of manual, AEC")


def test_a_point_is_dragged_a_line_follows_and_the_school_is_switched(page: Page, site: str):
    draft(page, site, "lumbar bucky")
    cell(page, "Projection of Lumbar spine Lateral").click()
    handle = page.get_by_role("slider", name="mAs at 29.5 cm")
    box = handle.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] - 12, steps=4)
    page.mouse.up()
    lateral = cell(page, "mAs of Lumbar spine Lateral")
    expect(lateral).not_to_have_text("50")
    assert float(lateral.text_content() or "0") > 53
    # The lateral follows the AP: one edit moves both.
    choose(page, "Follows", "Lumbar spine AP (or PA), 12:1")
    # What it is offered leaves the lateral as it is: 92 − 80 kVp, and its own mAs over the AP's.
    expect(page.get_by_role("textbox", name="kVp ±", exact=True)).to_have_value("12")
    page.get_by_role("textbox", name="mAs ×", exact=True).fill("3")
    page.get_by_role("button", name="Follow with these").click()
    expect(lateral).to_have_text("75")
    cell(page, "mAs of Lumbar spine AP (or PA)").click()
    page.keyboard.type("32")
    page.keyboard.press("Enter")
    expect(lateral).to_have_text("96")
    cell(page, "Projection of Lumbar spine AP (or PA)").click()
    page.get_by_role("button", name="Technique systems side by side").click()
    page.get_by_role("listitem").filter(has_text="High kVp").get_by_role("button", name="Switch").click()
    expect(cell(page, "kVp of Lumbar spine AP (or PA)")).not_to_have_text("80")


def test_level_it_faults_and_compare(page: Page, site: str):
    draft(page, site)
    off = page.get_by_role("radio", name=re.compile(r"EI over thickness \(\d+ off target\)"))
    count = int(re.findall(r"\d+", off.text_content() or "")[0])
    assert count > 5
    off.click()
    page.get_by_role("button", name="Level it").click()
    expect(page.get_by_text(f"{count} proposals, none kept yet")).to_be_visible()
    page.get_by_role("button", name=f"Apply all {count}").click()
    # The chest's bands are on stations, too coarse to be held within ±1; the others are.
    expect(page.get_by_text(re.compile(r"1 of \d+ lines are off target\."))).to_be_visible()
    page.get_by_role("radio", name=re.compile("Chart check")).click()
    page.get_by_role("listitem").filter(has_text="Knee AP:").get_by_role("button", name="Open the line").click()
    expect(page.get_by_role("complementary", name="Line").get_by_role("heading", name="Knee AP")).to_be_visible()
    tab(page, "Compare")
    expect(page.get_by_text(re.compile(rf"{count} of \d+ lines differ\."))).to_be_visible()
    expect(page.get_by_role("row", name="Hand PA oblique")).to_contain_text("2.5 to 3.1 cm to double")


def propose_with_a_reason(page: Page) -> None:
    """The largest patients of a few views need more than the tube has: that is said, and why it stands."""
    propose = page.get_by_role("button", name="Propose version 2")
    propose.click()
    stands = page.get_by_role("region", name="What stands all the same")
    expect(propose).to_be_disabled()
    stands.get_by_role("textbox", name=re.compile("Cannot be set in this room")).fill("The largest go to Room 2")
    propose.click()


def test_a_chart_is_built_from_four_exposures_agreed_on_and_printed(page: Page, site: str):
    page.goto(f"{site}/charts")
    page.get_by_role("button", name="Build a chart").click()
    shots = ((3, 57, 1.6, 310), (12, 66, 5, 372), (21, 80, 32, 300), (22, 117, 2.5, 282))
    for i, shot in enumerate(shots, 1):
        for name, value in zip(("thickness", "kVp", "mAs", "index"), shot, strict=True):
            page.get_by_role("textbox", name=f"{name} of exposure {i}", exact=True).fill(str(value))
    tab(page, "Fixed kVp")
    page.get_by_role("button", name="Draft the chart from 4 exposures").click()
    expect(page.get_by_role("region", name="What to expose next").get_by_role("listitem")).to_have_count(3)
    expect(page.get_by_role("row", name="Lumbar spine Lateral table Bucky")).to_contain_text("exposure 3")
    page.get_by_role("button", name="Make version 2 with").click()
    expect(page.get_by_role("heading", name="Room 1 chart, fixed kvp version 2")).to_be_visible()
    propose_with_a_reason(page)
    expect(page.get_by_text("waits for a physicist")).to_be_visible()
    hand_over(page, "Ilse Marrow")
    page.get_by_role("button", name="Return to author", exact=True).click()
    page.get_by_label("Why it goes back").fill("The elbow wants a test exposure")
    page.get_by_role("button", name="Return to author as draft").click()
    expect(page.get_by_role("button", name="Propose version 2")).to_be_visible()
    hand_over(page, "Joren Vask")
    tab(page, "History")
    expect(page.get_by_role("region", name="Changes")).to_contain_text("ilse gave the version back : The elbow wants")
    page.get_by_label("Comment on this version").fill("Exposed on Tuesday; it holds.")
    page.get_by_role("button", name="Post", exact=True).click()
    expect(page.get_by_text("Exposed on Tuesday; it holds.").first).to_be_visible()
    propose_with_a_reason(page)
    hand_over(page, "Ilse Marrow")
    page.get_by_role("button", name="Approve version 2").click()
    expect(page.get_by_text("approved by ilse")).to_be_visible()
    page.get_by_role("button", name="Files and paper").click()
    page.get_by_role("menuitem", name="Print").click()
    expect(page.get_by_role("img", name="Page 1 of")).to_be_visible()
    tab(page, "Pocket")
    tab(page, "All")
    expect(page.get_by_text("297 × 210 mm").first).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Save the PDF").click()
    card = pdfium.PdfDocument(Path(download.value.path()).read_bytes())[0].get_textpage().get_text_range()
    assert "Approved by ilse" in card
    assert "version 2" in card


def test_a_chart_is_carried_to_the_portable_unit(page: Page, site: str):
    page.goto(f"{site}/charts")
    choose(page, "Room", "Room 2")
    page.get_by_role("button", name="Adapt from another room").click()
    choose(page, "Chart to adapt", "Room 1: Room 1 adult chart, version 1")
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_text("For all of them a test exposure is wise")).to_be_visible()
    expect(page.get_by_role("row", name="Chest PA upright Bucky")).to_contain_text("Receptor ×")
    page.get_by_role("button", name="Make version 3 with").click()
    expect(page.get_by_text("Adapted from Room 1, version 1.")).to_be_visible()


def test_two_editors_of_one_draft_lose_nothing(page: Page, chromium: Browser, site: str):
    draft(page, site, "elbow tabletop")
    other = chromium.new_context(viewport={"width": 1280, "height": 800})
    other.set_default_timeout(PATIENCE_MS)
    sign_in(other, site, "ilse")
    second = other.new_page()
    second.goto(f"{site}/charts")
    second.get_by_label("Show only").fill("elbow tabletop")
    for who, column, value in ((page, "mAs", "3.2"), (second, "kVp", "68")):
        at = cell(who, f"{column} of Elbow AP")
        at.click()
        who.keyboard.type(value)
        who.keyboard.press("Enter")
        if who is page:
            expect(at).to_have_text("3.2")
    merge = second.get_by_role("alertdialog", name="Merge")
    expect(merge).to_contain_text("yours: 68")
    expect(merge.get_by_role("radio", name="theirs: 3.2")).to_be_checked()
    expect(merge.get_by_role("radio", name="yours: 68")).to_be_checked()
    merge.get_by_role("button", name="Keep as chosen").click()
    expect(cell(second, "kVp of Elbow AP")).to_have_text("68")
    expect(cell(second, "mAs of Elbow AP")).to_have_text("3.2")
    newest = page.request.get(f"{site}/api/charts?room=room-1").json()[0]["id"]
    lines = page.request.get(f"{site}/api/charts/{newest}").json()["lines"]
    law = next(line for line in lines if line["projection"] == "elbow-ap" and line["law"]["name"] == "fixed_kvp")["law"]
    assert (law["kvp"], law["mas"]) == (68, 3.2)
    other.close()


def test_an_unsigned_console_answers_and_asks_for_a_name_before_it_keeps(page: Page, demo_site: str):
    page.goto(f"{demo_site}/desk")
    take(page, "chest 2", "Chest, 2 views")
    fill(page, "Thickness: not measured", "22")
    page.keyboard.press("Enter")
    fill(page, "Index (EI)", "250")
    page.get_by_role("button", name="Record as accepted").click()
    alert = page.get_by_role("alert").filter(has_text="Sign in first")
    alert.get_by_role("link", name="Sign in").click()
    page.get_by_label("Name").fill("tamsin")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("do not belong together")
    page.get_by_label("Password").fill("oak and beam")
    page.get_by_role("button", name="Sign in", exact=True).click()
    # Back at the Desk, where nothing was lost.
    expect(page.get_by_role("textbox", name="Index (EI)", exact=True)).to_have_value("250")
    expect(page.get_by_role("link", name="Tamsin Orrel is signed in")).to_be_visible()


def test_an_admin_adds_a_person_who_signs_in(page: Page, site: str):
    sign_in(page.context, site, "noor")
    page.goto(f"{site}/sign-in")
    page.get_by_role("button", name="New person").click()
    for label, text in (("Short name", "ann"), ("Full name", "Ann Thistle"), ("First password", "a long enough one")):
        page.get_by_label(label).fill(text)
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("row", name="Ann Thistle")).to_be_visible()
    page.get_by_role("checkbox", name="Ann Thistle: Chart keeper").click()
    expect(page.get_by_role("checkbox", name="Ann Thistle: Chart keeper")).to_have_attribute("aria-checked", "true")
    page.get_by_role("textbox", name="Name", exact=True).fill("ann")
    page.get_by_role("textbox", name="Password", exact=True).fill("a long enough one")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_role("link", name="Ann Thistle is signed in")).to_be_visible()
