"""The Desk without a mouse: choose, measure, set up, judge, record, undo."""

from __future__ import annotations

from playwright.sync_api import Page, expect
from tests.browser.test_desk import part
from tests.browser.test_whole_path import number, take


def test_the_desk_by_keyboard_alone(page: Page, site: str):
    page.goto(f"{site}/desk")
    expect(page.get_by_text("Who is next?")).to_be_visible()
    press, write = page.keyboard.press, page.keyboard.type

    press("e")
    write("lumbar")
    expect(page.get_by_role("option", name="Lumbar spine, 3 views")).to_be_visible()
    press("Enter")
    expect(page.get_by_role("link", name="Lumbar spine AP (or PA)")).to_be_visible()

    write("24")
    press("Enter")
    expect(number(page, "mas")).to_have_text("40")  # 25 x 2^(3/4.5) = 39.7
    press("s")
    write("100")
    press("Enter")
    expect(number(page, "sid")).to_contain_text("100")
    expect(number(page, "mas")).to_have_text("32")  # 36.9 x (100/107)² = 32.2
    press("g")  # after 12:1 comes 16:1
    expect(number(page, "grid")).to_have_text("16:1")
    press("x")
    expect(number(page, "grid")).to_have_text("12:1")
    press("b")
    expect(page.get_by_label("Technique").get_by_text("Upright Bucky")).to_be_visible()
    press("x")
    press("k")
    write("92")
    press("Enter")
    expect(number(page, "kvp")).to_have_text("92")
    expect(number(page, "mas")).to_have_text("20")  # 36.9 halved
    press("x")
    press("m")
    write("20")
    press("Enter")
    expect(number(page, "kvp")).to_have_text("90")
    press("x")
    press("t")  # from the exposure's fields on to the set-up's
    press("r")
    expect(page.get_by_role("combobox", name="Receptor: Loose panel")).to_be_visible()
    press("x")

    # The caliper itself: half a centimetre an arrow, two with Shift, ends of the line with Home and End.
    caliper = page.get_by_role("slider", name="Thickness")
    caliper.focus()
    press("ArrowRight")
    expect(caliper).to_have_attribute("aria-valuetext", "24.5 cm")
    press("Shift+ArrowLeft")
    expect(caliper).to_have_attribute("aria-valuetext", "22.5 cm")
    press("Home")
    expect(caliper).to_have_attribute("aria-valuetext", "13 cm")
    press("c")
    expect(caliper).to_have_attribute("aria-valuetext", "5.1 in")
    press("c")
    press("End")
    expect(caliper).to_have_attribute("aria-valuetext", "35.5 cm")

    write("24")
    press("Enter")
    press("Enter")  # exposed: the cursor is in the index
    write("240")
    press("Enter")
    expect(page.get_by_text("DI −0.2 · On target")).to_be_visible()
    press("Escape")  # back to the set-up, and out again: nothing is lost
    expect(page.get_by_text("As charted.")).to_be_visible()
    press("Enter")
    expect(page.get_by_label("Index (EI)", exact=True)).to_have_value("240")
    press("Enter")
    expect(page.get_by_role("button", name="Record as rejected")).to_be_enabled()
    press("j")
    press("Enter")
    expect(page.get_by_role("option", name="Patient motion")).to_be_visible()
    write("Pat")
    press("Enter")
    expect(page.get_by_text("Recorded as rejected, DI −0.2")).to_be_visible()
    expect(page.get_by_text("Your last record: Lumbar spine AP (or PA), DI −0.2, rejected")).to_be_visible()

    press("]")
    expect(page.get_by_role("link", name="Lumbar spine Lateral")).to_be_visible()
    expect(page.get_by_test_id("not-measured")).to_contain_text("Estimated from")
    press("[")
    expect(page.get_by_role("link", name="Lumbar spine AP (or PA)")).to_be_visible()
    press("q")
    due = "Still due: Lumbar spine AP (or PA), Lumbar spine Lateral."
    expect(part(page, "unaccounted")).to_contain_text(f"{due} Press again to go on without.")
    press("q")
    expect(page.get_by_text("Who is next?")).to_be_visible()
    expect(number(page, "kvp")).to_have_count(0)
    press("?")
    expect(page.get_by_role("dialog")).to_contain_text("type the thickness")
    press("Escape")
    press("Shift+L")
    expect(page.get_by_role("heading", name="Log")).to_be_attached()
    press("Shift+C")
    expect(page.get_by_role("heading", name="Charts")).to_be_attached()
    press("Shift+D")
    expect(page.get_by_text("Who is next?")).to_be_visible()


def test_the_caliper_drags_and_wheels(page: Page, demo_site: str):
    page.goto(f"{demo_site}/desk")
    take(page, "lumbar", "Lumbar spine, 3 views")
    caliper = page.get_by_role("slider", name="Thickness")
    box = caliper.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + 30
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 166, y)
    page.mouse.up()
    dragged = float(caliper.get_attribute("aria-valuenow") or 0)
    assert 25 <= dragged <= 32
    page.mouse.wheel(0, -100)
    expect(caliper).to_have_attribute("aria-valuenow", f"{dragged + 0.5:g}")
    expect(page.get_by_test_id("not-measured")).to_have_count(0)
