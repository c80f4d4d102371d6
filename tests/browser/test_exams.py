"""Whole exams at the Desk: clearances, waits, carried set-ups, a breathing technique, and how few keys a set of four
takes."""

from __future__ import annotations

import re
from collections.abc import Sequence

import pytest
from playwright.sync_api import Page, expect
from tests.api.test_replayed_exams import EXAMS
from tests.browser.test_whole_path import choose, fill, number, tab, take


def stop(page: Page, name: str):
    return page.get_by_role("list", name="Run sheet").get_by_role("button", name=name, exact=True)


def views(page: Page, what: str) -> None:
    """Do something to the list of views."""
    page.get_by_role("button", name="Change views").click()
    page.get_by_role("button", name=what).click()


def accept(page: Page) -> None:
    """Exposed; the index comes from the simulated receptor; the record is seen before anything else is done."""
    expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Simulated index (demo)").click()
    expect(page.get_by_label("Index (EI)", exact=True)).not_to_have_value("")
    expect(page.get_by_role("button", name="Record as accepted")).to_be_enabled()
    page.keyboard.press("a")
    expect(page.get_by_text(re.compile("^Recorded as accepted"))).to_be_visible()


def test_a_spine_trauma_on_a_stretcher(page: Page, site: str):
    page.goto(f"{site}/desk")
    page.get_by_role("button", name="Fall from 3 m").click()
    expect(page.get_by_text("Request: Fall from 3 m, collar on")).to_be_visible()
    # The first image: horizontal beam, loose detector, long SID; nothing is moved.
    expect(page.get_by_label("Technique").get_by_text("Loose detector")).to_be_visible()
    expect(number(page, "sid")).to_contain_text("180")
    fill(page, "Thickness: not measured", "12")
    # The stretcher leaves 165 cm, taped: the mAs goes with the square.
    exact = page.get_by_role("list", name="How the numbers came about")
    fill(page, "SID (measured)", "165")
    expect(exact).to_contain_text("×0.84")
    accept(page)
    # T1 was not shown: the swimmer's lateral is next, with what changes from the last view.
    page.keyboard.press("n")
    expect(page.get_by_role("link", name="Swimmer's lateral, horizontal beam")).to_be_visible()
    expect(page.get_by_text("Only: T1 not shown.")).to_be_visible()
    expect(page.get_by_text("Change from the last view: ")).to_be_visible()
    fill(page, "Thickness: not measured", "28")
    accept(page)
    page.keyboard.press("n")
    # Beyond the clearance nothing is forbidden, but it says that nobody has cleared it yet.
    expect(page.get_by_text("Not recorded yet: Images reviewed and clearance recorded")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Clearance: Images reviewed")).click()
    clear = page.get_by_role("button", name="Record clearance")
    expect(clear).to_be_disabled()
    expect(page.get_by_role("button", name="Does not apply")).to_be_disabled()
    page.get_by_label("Decided by (role or name)").fill("trauma physician on call")
    clear.click()
    expect(page.get_by_text(re.compile("Cleared .* trauma physician on call"))).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_text("Not recorded yet")).to_have_count(0)
    (kept,) = page.request.get(f"{site}/api/clearances?study_key=S-1042").json()
    assert (kept["decision"], kept["decided_by"]) == ("cleared", "trauma physician on call")
    # The exam in hand survives a look at another view.
    page.get_by_role("link", name="Log").click()
    page.get_by_role("link", name="Desk").click()
    expect(stop(page, "Lateral, horizontal beam (trauma), done")).to_be_visible()


def test_an_abdomen_upright_then_supine_on_a_large_patient_with_two_crosswise_images(page: Page, site: str):
    page.goto(f"{site}/desk")
    take(page, "abdomen 2", "Abdomen, 2 views, arrives upright")
    expect(page.get_by_label("Technique").get_by_text("Upright Bucky")).to_be_visible()
    fill(page, "Thickness: not measured", "32")
    # Two crosswise images, upper then lower, with the same technique.
    fill(page, "Field width", "43")
    fill(page, "Field height", "35")
    mas = "200"
    expect(number(page, "mas")).to_have_text(mas)
    accept(page)
    views(page, "Another try")
    expect(page.get_by_label("Field width")).to_have_value("43")
    expect(number(page, "mas")).to_have_text(mas)
    accept(page)
    # The department does it so for every large patient: the order in hand is kept as a set of its own.
    views(page, "Save as exam")
    page.get_by_label("Name of the set").fill("Abdomen, large patient")
    page.get_by_label("Why in this order").fill("Two crosswise images upright.")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("Kept: the search finds it")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    page.keyboard.press("n")
    # Supine: the receptor moves to the table, the patient lies, the thickness is estimated until it is measured.
    expect(page.get_by_text("From the upright Bucky to the table Bucky.")).to_be_visible()
    expect(page.get_by_text("Patient: on the back.")).to_be_visible()
    expect(page.get_by_test_id("not-measured")).to_contain_text("Estimated from 32 cm of the AP upright")
    fill(page, "Thickness: not measured", "29")
    accept(page)
    assert len(page.request.get(f"{site}/api/exposures?projection=abdomen-upright&limit=50").json()) >= 2
    take(page, "abdomen large", "Abdomen, large patient")
    expect(page.get_by_role("list", name="Run sheet").get_by_role("button")).to_have_count(3)


def test_a_childs_two_view_chest(page: Page, site: str):
    page.goto(f"{site}/desk")
    page.get_by_role("button", name="Fever, crackles").click()
    # The age is known from the request: an estimate stands there before anybody measures, and no grid.
    expect(page.get_by_test_id("not-measured")).to_contain_text("Estimated from the age")
    expect(number(page, "grid")).to_have_text("None")
    fill(page, "Thickness: not measured", "14.5")
    time = page.get_by_test_id("numbers").get_by_text(re.compile(r"^[\d.]+ ms$"))
    assert float((time.text_content() or "99").split()[0]) <= 10
    accept(page)
    page.keyboard.press("n")
    expect(page.get_by_role("link", name="Child's chest Lateral, child")).to_be_visible()
    fill(page, "Thickness: not measured", "20")
    accept(page)
    expect(stop(page, "Lateral, child, done, only: If asked")).to_be_visible()


def test_a_breathing_technique_with_aec_and_manual_beside_it(page: Page, demo_site: str):
    page.goto(f"{demo_site}/desk")
    take(page, "thoracic spine", "Thoracic spine")
    page.get_by_role("button", name="Lateral", exact=True).click()
    expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
    fill(page, "Thickness: not measured", "31")
    expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
    # The view calls for it, and so the line is made so.
    seconds = page.get_by_test_id("numbers").get_by_text(re.compile(r"^[\d.]+ ms$"))
    expect(seconds).to_have_text(re.compile(r"^[1-4]\d{3} ms$"))
    tab(page, "Exposure")
    tab(page, "Manual")
    expect(seconds).to_have_text(re.compile(r"^\d{2,3} ms$"))
    by_hand = number(page, "mas").text_content() or ""
    tab(page, "AEC")
    expect(page.get_by_role("img", name="Chambers under the field: C covered")).to_be_visible()
    expect(page.get_by_text("If the chamber cannot be covered, by hand:")).to_be_visible()
    expect(number(page, "mas")).to_have_text(by_hand)
    choose(page, "Chambers", "L+R")
    expect(page.get_by_role("img", name="L not covered, R not covered")).to_be_visible()
    expect(page.get_by_label("Cautions").get_by_text("The field does not cover chamber L and R")).to_be_visible()
    choose(page, "Density", "+1")
    expect(page.get_by_label("How the numbers came about")).to_contain_text("+1 steps of ×1.25")
    tab(page, "Manual")
    expect(page.get_by_role("img", name="Chambers under the field")).to_have_count(0)


def test_the_angle_follows_the_pelvis_and_the_department_may_go_another_way(page: Page, site: str):
    page.goto(f"{site}/desk")
    take(page, "knee ap", "Knee AP")
    expect(page.get_by_text("5° caudal or 5° cephalad: find out.")).to_be_visible()
    fill(page, "ASIS to table", "26")
    expect(page.get_by_text("ASIS to tabletop 26 cm net")).to_be_visible()
    page.keyboard.press("p")
    expect(page.get_by_role("img", name="5 degrees")).to_be_visible()
    # In the Guide the department takes another school; the Desk follows and says why.
    page.get_by_role("link", name="Knee AP").click()
    choose(page, "Angle by", "0 for everyone")
    page.get_by_role("button", name="Keep for our department").click()
    expect(page.get_by_role("heading", name="Our department: changed here, revision 1")).to_be_visible()
    page.get_by_role("link", name="Desk").click()
    expect(page.get_by_text("0 for everyone. Some departments.")).to_be_visible()
    page.go_back()
    page.get_by_role("button", name="Back to what ships").click()
    expect(page.get_by_role("heading", name="Our department: as shipped")).to_be_visible()


def test_the_guide_finds_by_other_names_and_shows_what_to_change(page: Page, demo_site: str):
    page.goto(f"{demo_site}/guide")
    page.get_by_label("Search: part, view, abbreviation, other name").fill("towne")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Skull AP axial")).to_be_visible()
    expect(page.get_by_text("30° caudal to the orbitomeatal line").first).to_be_visible()
    page.get_by_label("Search: part, view, abbreviation, other name").fill("sholder y")
    page.get_by_role("link", name="Shoulder PA oblique, scapula edge-on").click()
    expect(page.get_by_role("img", name="Set-up from the side, to scale.")).to_be_visible()
    expect(page.get_by_text("Thin medial border toward the ribs")).to_be_visible()
    # One's own fingers as a ruler.
    page.get_by_label("One finger").fill("1.8")
    page.get_by_label("Four fingers").fill("7.4")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.goto(f"{demo_site}/guide/shoulder-grashey")
    expect(
        page.get_by_text("5 cm (3 fingers less a bit) medial").or_(page.get_by_text("5 cm (3 fingers) medial"))
    ).to_be_visible()


def test_four_projections_in_at_most_40_keys_and_clicks(page: Page, site: str):
    page.goto(f"{site}/desk")
    expect(page.get_by_text("Who is next?")).to_be_visible()
    used = 0

    def press(keys: Sequence[str]) -> None:
        nonlocal used
        for key in keys:
            page.keyboard.press(key)
            used += 1

    page.get_by_role("button", name="Pain on the inner side").click()
    used += 1
    for i, thickness in enumerate(("12", "12", "13", "11")):
        expect(page.get_by_label("Thickness: not measured")).to_be_visible()
        press([*thickness, "Enter"])
        expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
        press(["Enter", *"240", "Enter"])
        expect(page.get_by_role("button", name="Record as accepted")).to_be_enabled()
        press(["a"])
        expect(page.get_by_text(re.compile("^Recorded as accepted"))).to_be_visible()
        if i < 3:
            press(["Enter"])
    kept = page.request.get(f"{site}/api/exposures?limit=4").json()
    assert [one["thickness_cm"] for one in kept] == [11, 13, 12, 12]
    assert {one["study_key"] for one in kept} == {"S-1043"}
    print(f"four projections set and recorded in {used} keys and clicks")
    # Two of thickness, three of the index, and each of these once: leave, exposed, leave, record, next.
    assert used <= 40


def test_a_knee_of_four_views_in_the_bucky_at_one_set_up_in_at_most_30_actions(page: Page, site: str):
    page.goto(f"{site}/desk")
    page.get_by_role("button", name="Pain on the inner side").click()
    used = 1

    def press(*keys: str) -> None:
        nonlocal used
        for key in keys:
            page.keyboard.press(key)
            used += 1

    press("1", "3", "Enter")
    expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
    press("b")
    expect(page.get_by_label("Technique").get_by_text("Table Bucky")).to_be_visible()
    page.get_by_role("button", name="Same set-up for the 3 views to come").click()
    used += 1
    for i, typed in enumerate((None, "13", None, "12")):
        if typed:
            press(*typed, "Enter")
        expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
        press("Enter")
        expect(page.get_by_role("button", name="Record as accepted")).to_be_enabled()
        press("Enter", "a")  # out of the index, which stays empty: a key is then a key
        expect(page.get_by_text(re.compile("^Recorded as accepted"))).to_be_visible()
        if i < 3:
            press("Enter")
            expect(page.get_by_role("button", name="Exposed")).to_be_visible()
    kept = page.request.get(f"{site}/api/exposures?limit=4").json()[::-1]
    assert {(one["support"], one["side"]) for one in kept} == {("table_bucky", "right")}
    # The second oblique goes the same way through the knee as the first: one reading for both.
    assert [one["thickness_from"] for one in kept] == ["measured", "measured", "carried", "measured"]
    assert used <= 30


def test_a_ring_finger_goes_from_the_request_into_the_record(page: Page, site: str):
    page.goto(f"{site}/desk")
    page.get_by_role("button", name="Caught in a door").click()
    digit = page.get_by_role("group", name="Digit")
    expect(digit.get_by_role("button", name="ring finger")).to_have_attribute("aria-pressed", "true")
    stop(page, "Lateral").click()
    fill(page, "Thickness: not measured", "2")
    expect(page.get_by_text("Turn: little-finger side down. Parallel to the receptor on a sponge.")).to_be_visible()
    accept(page)
    page.goto(f"{site}/log?part=list")
    expect(page.get_by_role("row", name="Finger Lateral").first).to_contain_text("right, ring finger")


def test_a_sternum_is_breathed_or_held_and_what_each_costs_stands_beside_it(page: Page, site: str):
    page.goto(f"{site}/desk")
    take(page, "sternum", "Sternum")
    fill(page, "Thickness: not measured", "19")
    expect(page.get_by_text("Breathing: no chamber")).to_be_visible()
    tab(page, "Methods")
    ways = page.get_by_role("region", name="Breathing, hand or chamber").get_by_role("listitem")
    expect(ways.filter(has_text="While breathing")).to_contain_text("now")
    held = ways.filter(has_text="Breath held, by hand")
    expect(held).to_contain_text(re.compile(r"Skin kerma 0\.\d+ mGy"))
    held.get_by_role("button", name="Set").click()
    expect(held).to_contain_text("now")
    expect(page.get_by_text("Manual: no chamber")).to_be_visible()


REPLAYED = {
    "Sacrum and coccyx: opposite angles": ("sacrum and", "Sacrum and coccyx"),
    "Lumbar spine, three views": ("lumbar", "Lumbar spine, 3 views"),
    "Ankle, three views": ("ankle", "Ankle"),
    "Neck standing, all upright": ("cervical", "Cervical spine"),
    "Hand, three views": ("hand", "Hand"),
}
"""Exams of tests/replay/exams.toml whose views are those of a set, with what is typed for it and its name."""


@pytest.mark.parametrize("name", REPLAYED)
def test_an_exam_is_replayed_at_the_desk(page: Page, site: str, name: str):
    (exam,) = (one for one in EXAMS if one["name"] == name)
    page.goto(f"{site}/desk")
    take(page, *REPLAYED[name])
    if "side" in exam:
        page.get_by_role("button", name=f"{exam['side']} side").click()
    for i, view in enumerate(exam["views"]):
        fill(page, re.compile("^Thickness"), str(view["cm"]))
        expect(page.get_by_test_id("numbers")).to_have_attribute("aria-busy", "false")
        for which in ("kvp", "mas"):
            low, high = view[which]
            assert low <= float(number(page, which).inner_text()) <= high, (view["p"], which)
        change = page.locator("[data-part=change]")
        if "change" in view:
            expect(change).to_contain_text(" ".join(view["change"]))
        else:
            expect(change).to_have_count(0)
        accept(page)
        if i < len(exam["views"]) - 1:
            page.keyboard.press("n")
            expect(page.get_by_role("button", name="Exposed")).to_be_visible()
