"""The Desk never misleads: no number that is not of what is on screen, nothing recorded by accident, and at every size the
numbers and cautions stand where nothing covers them."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import BrowserContext, Page, Route, expect
from tests.browser.conftest import sign_in
from tests.browser.test_looks import violations
from tests.browser.test_whole_path import fill, hand_over, number, tab, take

DIGIT = re.compile(r"\d")
SIZES = [(1024, 768), (1280, 800), (1366, 768), (1920, 1080), (820, 1180), (390, 844), (640, 400)]
"""The last is 1280 x 800 at 200 %."""
EXAMS = [
    ("chest 2", "Chest, 2 views", "27"),
    ("knee 4", "Knee, 4 views", "13.5"),
    ("lumbar", "Lumbar spine, 3 views", "33"),
    ("abdomen 2", "Abdomen, 2 views, arrives upright", "32"),
    ("hand", "Hand", "3"),
    ("skull", "Skull", "18"),
    ("spine trauma", "Spine, trauma", "13"),
    ("child chest", "Child's chest", "14"),
]


def part(page: Page, name: str):
    return page.locator(f"[data-part={name}]")


def ready(page: Page) -> None:
    expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")


def measured(page: Page, query: str, title: str, thickness: str) -> None:
    take(page, query, title)
    part(page, "thickness").fill(thickness)
    page.keyboard.press("Enter")
    ready(page)


@pytest.fixture
def slow(page: Page) -> Iterator[list[Route]]:
    """Techniques that are held back; the test lets them go."""
    held: list[Route] = []
    page.route("**/api/techniques", lambda route: held.append(route))
    yield held
    page.unroute_all(behavior="ignoreErrors")


def test_without_a_network_it_says_so_shows_no_number_and_sends_nothing_later(
    page: Page, context: BrowserContext, site: str
):
    page.goto(f"{site}/desk")
    measured(page, "lumbar", "Lumbar spine, 3 views", "21")
    before = page.request.get(f"{site}/api/exposures?limit=1").json()[0]["id"]
    page.keyboard.press("Enter")
    fill(page, "Index (EI)", "250")
    expect(part(page, "record-accepted")).to_be_enabled()
    context.set_offline(True)
    expect(part(page, "offline")).to_contain_text("No network.")
    expect(part(page, "record-accepted")).to_be_disabled()
    page.keyboard.press("a")
    part(page, "thickness").fill("26")
    page.keyboard.press("Enter")
    for name in ("kvp", "mas", "sid-value", "grid-value", "forecast"):
        expect(part(page, name)).not_to_have_text(DIGIT)
    context.set_offline(False)
    expect(part(page, "offline")).to_have_count(0)
    expect(part(page, "mas")).to_have_text(DIGIT)
    # What was typed still stands; nothing was sent behind anybody's back.
    expect(part(page, "thickness")).to_have_value("26")
    expect(part(page, "index")).to_have_value("250")
    assert page.request.get(f"{site}/api/exposures?limit=1").json()[0]["id"] == before


def test_while_an_answer_is_late_there_is_no_number_and_no_record(page: Page, demo_site: str, slow: list[Route]):
    page.goto(f"{demo_site}/desk")
    take(page, "lumbar", "Lumbar spine, 3 views")
    expect(page.get_by_text("Working…")).to_be_visible()
    for name in ("kvp", "mas", "sid-value", "grid-value", "forecast", "cautions"):
        expect(part(page, name)).not_to_have_text(DIGIT)
    page.keyboard.press("Enter")
    expect(part(page, "record-accepted")).to_be_disabled()
    page.keyboard.press("Escape")
    for route in slow:
        route.continue_()
    page.unroute("**/api/techniques")
    expect(part(page, "mas")).to_have_text(DIGIT)
    # From the first key on, the numbers of another thickness are gone.
    part(page, "thickness").press_sequentially("2")
    expect(part(page, "mas")).not_to_have_text(DIGIT)
    page.keyboard.press("4")
    expect(part(page, "mas")).to_have_text("40")


def test_a_held_key_records_once_and_what_is_unlikely_is_asked_back(page: Page, site: str):
    page.goto(f"{site}/desk")
    measured(page, "lumbar", "Lumbar spine, 3 views", "21")
    count = len(page.request.get(f"{site}/api/exposures?projection=lspine-ap&limit=500").json())
    part(page, "exposed").click()
    part(page, "index").press_sequentially("3a")
    page.keyboard.press("Enter")
    expect(part(page, "index")).to_have_value("3a")
    expect(page.get_by_text("Type a number")).to_be_visible()
    fill(page, "Index (EI)", "3")
    expect(page.get_by_text("DI −19.")).to_be_visible()
    page.keyboard.press("a")
    expect(page.get_by_role("alert")).to_contain_text("Index 3? The target is")
    fill(page, "Index (EI)", "250")
    expect(page.get_by_text("DI 0.0 · On target")).to_be_visible()
    for _ in range(10):  # what a keyboard sends while a key is held
        page.keyboard.down("a")
    page.keyboard.up("a")
    expect(page.get_by_text("Recorded as accepted")).to_be_visible()
    kept = page.request.get(f"{site}/api/exposures?projection=lspine-ap&limit=500").json()
    assert len(kept) == count + 1
    assert (kept[0]["ei"], kept[0]["recorded_by"]) == (250, "joren")


def test_lengths_and_angles_are_read_as_people_write_them(page: Page, demo_site: str):
    page.goto(f"{demo_site}/desk")
    take(page, "lumbar", "Lumbar spine, 3 views")
    for typed, wanted in (("24 cm", "24"), ('9 1/2"', "24.1"), ("24,5", "24.5"), ("9.5 in", "24.1")):
        fill(page, re.compile("^Thickness"), typed)
        expect(part(page, "thickness")).to_have_value(wanted)
    fill(page, "Tube angle", "10 caudal")
    expect(page.get_by_label("Technique")).to_contain_text("10° caudal")
    fill(page, "Tube angle", "-5")
    expect(page.get_by_label("Technique")).to_contain_text("5° caudal")
    fill(page, "Tube angle", "ten")
    expect(page.get_by_text("Type an angle, as 10, −10 or 10 caudal.")).to_be_visible()
    expect(part(page, "mas")).not_to_have_text(DIGIT)
    expect(page.get_by_label("Tube angle")).to_have_value("ten")
    # Typing a unit is no command: it stays in centimetres, and where it was typed.
    expect(page.get_by_role("button", name="Lengths in cm")).to_be_visible()


def test_the_next_patient_and_the_next_person_find_nothing_of_the_last(page: Page, context: BrowserContext, site: str):
    page.goto(f"{site}/desk")
    measured(page, "knee 4", "Knee, 4 views", "13")
    tab(page, "Patient")
    part(page, "next-patient").click()
    expect(page.get_by_text("Who is next?")).to_be_visible()
    take(page, "knee 4", "Knee, 4 views")
    expect(part(page, "thickness")).to_have_value("")
    ready(page)
    # Somebody else signs in in a second tab: this one records in nobody else's name, and says why it stands empty.
    measured(page, "knee 4", "Knee, 4 views", "13")
    page.keyboard.press("Enter")
    other = context.new_page()
    sign_in(context, site, "tamsin")
    other.goto(f"{site}/desk")
    expect(other.get_by_text("Who is next?")).to_be_visible()
    part(page, "record-accepted").click()
    expect(page.get_by_text("Tamsin Orrel is at this console now")).to_be_visible()
    other.close()


def test_everybody_takes_back_their_own_records_only(page: Page, site: str):
    page.goto(f"{site}/desk")
    measured(page, "hand", "Hand", "3")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")  # leaves the index empty: no index
    part(page, "record-accepted").click()
    expect(page.get_by_text("Your last record: Hand PA")).to_be_visible()
    hand_over(page, "Tamsin Orrel")
    expect(page.get_by_text("Your last record: Hand PA")).to_have_count(0)


def covered(page: Page) -> list[str]:
    """Numbers and warnings that are outside the window, or have something over them."""
    return page.evaluate(
        """() => {
          const all = (selector) => [...document.querySelectorAll(selector)];
          const wanted = all("[data-part=kvp], [data-part=mas], [data-part=sid-value], [data-part=grid-value]");
          const warned = all("[data-part=cautions] li").filter((one) => one.textContent.startsWith("Check"));
          return [...wanted, ...warned].flatMap((one) => {
            const box = one.getBoundingClientRect();
            const { top, left, bottom, right } = box;
            const inside = top >= 0 && left >= 0 && bottom <= innerHeight + 0.5 && right <= innerWidth + 0.5;
            const points = [[left + 3, (top + bottom) / 2], [(left + right) / 2, bottom - 3], [left + 3, top + 3]];
            const free = points.every(([x, y]) => {
              const there = document.elementFromPoint(x, y);
              return there && (one.contains(there) || there.contains(one));
            });
            const said = `${one.dataset.part ?? one.textContent} ${Math.round(top)} to ${Math.round(bottom)}`;
            return inside && free ? [] : [said];
          });
        }"""
    )


@pytest.mark.parametrize(("query", "title", "thickness"), EXAMS)
def test_no_number_and_no_warning_is_covered_at_any_size_in_either_moment(
    page: Page, demo_site: str, query: str, title: str, thickness: str
):
    page.goto(f"{demo_site}/desk")
    measured(page, query, title, thickness)
    wrong = []
    for moment in ("before", "after"):
        if moment == "after":
            part(page, "exposed").click()
            part(page, "index").fill("900")
            page.keyboard.press("Enter")
            expect(page.get_by_test_id("corrected").or_(page.get_by_text("Nothing to change"))).to_be_visible()
        for width, height in SIZES:
            page.set_viewport_size({"width": width, "height": height})
            page.wait_for_timeout(60)
            wrong += [f"{moment} {width}x{height}: {one}" for one in covered(page)]
            assert page.evaluate("document.documentElement.scrollWidth") <= width, (moment, width)
        page.set_viewport_size({"width": 1280, "height": 800})
    assert wrong == []


def test_a_first_user_finds_every_step_on_screen(page: Page, site: str):
    """Find the view, 24 cm, SID really 110, no grid, read, expose, index 300, see it in the log; nothing is scrolled to."""
    page.goto(f"{site}/desk")

    def seen(name: str) -> None:
        box = part(page, name).bounding_box()
        assert box
        assert box["y"] >= 0
        assert box["y"] + box["height"] <= 800

    seen("finder")
    take(page, "lumbar ap", "Lumbar spine AP")
    seen("thickness")
    part(page, "thickness").fill("24")
    seen("sid")
    part(page, "sid").fill("110")
    page.keyboard.press("Enter")
    page.get_by_role("combobox", name="Grid").click()
    page.get_by_role("option", name="No grid").click()
    for name in ("kvp", "mas", "sid-value", "grid-value", "cautions", "forecast", "marker", "exposed", "next-patient"):
        seen(name)
    expect(part(page, "grid-value")).to_have_text("None")
    expect(part(page, "sid-value")).to_contain_text("110")
    mas = number(page, "mas").text_content()
    part(page, "exposed").click()
    for name in ("index", "record-accepted", "record-rejected", "kvp", "mas", "cautions"):
        seen(name)
    part(page, "index").fill("300")
    page.keyboard.press("Enter")
    expect(part(page, "record-accepted")).to_be_enabled()
    part(page, "record-accepted").click()
    expect(page.get_by_text("Recorded as accepted")).to_be_visible()
    page.get_by_role("link", name="Log").click()
    page.get_by_role("radio", name="List").click()
    row = page.get_by_role("row").nth(1)
    expect(row).to_contain_text("Lumbar spine AP")
    expect(row).to_contain_text("24 cm")
    kept = page.request.get(f"{site}/api/exposures?limit=1").json()[0]
    assert (kept["ei"], kept["sid_cm"], kept["grid_ratio"], f"{kept['mas']:g}") == (300, 110, 0, mas)


def test_exam_view_and_chart_stand_in_the_address_and_going_back_works(page: Page, site: str):
    page.goto(f"{site}/desk")
    measured(page, "lumbar", "Lumbar spine, 3 views", "24")
    expect(page).to_have_url(re.compile(r"/desk\?room=room-1&exam=lumbar-spine&view=1$"))
    expect(page).to_have_title("Lumbar spine AP (or PA), Desk · Oakbeam")
    page.keyboard.press("]")
    expect(page).to_have_url(re.compile(r"view=2$"))
    for _ in range(4):  # as fast as somebody can who pressed too far
        page.go_back()
        page.keyboard.press("]")
    page.go_back()
    expect(page.get_by_role("link", name="Lumbar spine AP (or PA)")).to_be_visible()
    expect(page).to_have_url(re.compile(r"view=1$"))
    expect(part(page, "thickness")).to_have_value("24")
    # The same address for somebody else: the exam and view, and nothing of the patient.
    other = page.context.browser.new_context()
    opened = other.new_page()
    opened.goto(f"{site}/desk?room=room-1&exam=lumbar-spine&view=3")
    expect(opened.get_by_role("link", name="Lumbar spine Lateral, L5–S1 spot")).to_be_visible()
    expect(opened.locator("[data-part=thickness]")).to_have_value("")
    opened.goto(f"{site}/desk?room=room-1&exam=no-such-exam&view=9")
    expect(opened.get_by_role("link", name="Lumbar spine Lateral, L5–S1 spot")).to_be_visible()
    other.close()
    # Typed work of a keeper outlives a look at another view and a reload.
    page.goto(f"{site}/charts?room=room-1&tab=check")
    expect(page.get_by_role("radio", name="Chart check")).to_be_checked()
    page.get_by_role("button", name="Build a chart").click()
    page.get_by_label("mAs of exposure 1", exact=True).fill("2.5")
    page.keyboard.press("Enter")
    page.get_by_role("link", name="Log").click()
    page.go_back()
    page.reload()
    expect(page.get_by_label("mAs of exposure 1", exact=True)).to_have_value("2.5")


def test_a_view_without_a_line_is_marked_and_says_who_has_one(page: Page, site: str):
    page.goto(f"{site}/desk?room=portable")
    field = page.get_by_role("combobox", name="Exam or view", exact=True)
    field.fill("mortise")
    page.get_by_role("option", name="Ankle AP oblique, mortise no line here").click()
    expect(page.get_by_text("No technique is shown for this set-up.")).to_be_visible()
    expect(page.get_by_role("link", name="New line for it")).to_be_visible()
    page.get_by_role("link", name="Room 1 has a line").click()
    expect(page.get_by_role("combobox", name="Room: Room 1")).to_be_visible()
    part(page, "thickness").fill("9")
    expect(part(page, "mas")).to_have_text(DIGIT)


def test_a_trainee_judges_and_is_offered_nothing_that_would_be_refused(page: Page, context: BrowserContext, site: str):
    sign_in(context, site, "pim")
    page.goto(f"{site}/desk")
    measured(page, "lumbar", "Lumbar spine, 3 views", "24")
    page.keyboard.press("Enter")
    fill(page, "Index (EI)", "250")
    expect(page.get_by_text("a technologist records it")).to_be_visible()
    expect(part(page, "record-accepted")).to_be_disabled()
    page.goto(f"{site}/charts")
    expect(page.get_by_text("A chart keeper or physicist makes and changes charts.")).to_be_visible()
    expect(page.get_by_role("button", name="New line")).to_have_count(0)
    page.goto(f"{site}/rooms")
    expect(page.get_by_role("button", name="Save equipment")).to_have_count(0)


def test_people_who_work_in_inches_read_inches(page: Page, site: str):
    """A room whose machine is in inches: whole detents, receptors by name, sentences and the printed chart."""
    sign_in(page.context, site, "ilse")
    page.goto(f"{site}/rooms")
    page.get_by_role("radio", name="inches").click()
    page.get_by_role("button", name="Save equipment").click()
    expect(page.get_by_role("button", name="Save equipment")).to_be_disabled()
    page.get_by_role("button", name="Lengths in cm; switch to in").click()
    page.goto(f"{site}/desk")
    measured(page, "knee 4", "Knee, 4 views", "5")
    page.keyboard.press("p")
    for detent in ("40 in", "44 in", "48 in"):
        expect(page.get_by_role("table", name="Another SID").get_by_role("button", name=detent)).to_be_visible()
    page.get_by_role("button", name="40 in").click()
    expect(part(page, "sid-value")).to_have_text("40in")
    expect(page.get_by_text("10 × 12 in lengthwise")).to_be_visible()
    expect(page.get_by_text("½ in below the tip of the patella").first).to_be_visible()
    said = page.locator("main").inner_text()
    assert not re.search(r"\d cm\b", said), re.findall(r".*\d cm\b.*", said)
    part(page, "thickness").fill("1")
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile(r"Thickness is 1 in; allowed is \d"))).to_be_visible()


def test_notes_open_over_the_set_up_and_never_over_the_numbers(page: Page, demo_site: str):
    def more_notes(route: Route) -> None:
        answer = route.fetch()
        notes = [{"level": "note", "text": f"A note that is number {i}.", "cites": ""} for i in range(6)]
        route.fulfill(response=answer, json={**answer.json(), "cautions": notes})

    page.route("**/api/techniques", more_notes)
    page.goto(f"{demo_site}/desk")
    measured(page, "lumbar", "Lumbar spine, 3 views", "24")
    for width, height in ((1280, 800), (1920, 1080), (820, 1180)):
        page.set_viewport_size({"width": width, "height": height})
        page.get_by_role("button", name="4 more notes").click()
        box = page.get_by_role("dialog", name="More notes").bounding_box()
        numbers = page.get_by_test_id("numbers").bounding_box()
        assert box
        assert numbers
        beside = box["x"] + box["width"] <= numbers["x"] + 1
        assert beside or box["y"] >= numbers["y"] + numbers["height"], (width, box, numbers)
        assert violations(page) == [], width
        page.keyboard.press("Escape")
