"""Practice as a trainee and an instructor use it: expose and compare by keyboard, a drill, a critique, a class test."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect
from tests.browser.conftest import sign_in
from tests.browser.test_whole_path import choose

from oakbeam import catalogue
from oakbeam.core.practice.drills.register import DRILLS


def task_of(page: Page, press: str) -> dict:
    """Press a button that brings the next task, and give what the server said it is."""
    with page.expect_response(re.compile("/api/practice/next|/api/practice/drills/[^/]+\\?seed")) as told:
        page.get_by_role("button", name=press, exact=True).click()
    return told.value.json()


def model_answer(task: dict) -> dict:
    return DRILLS[task["drill"]].question(task["seed"], catalogue.shipped().projections).model_answer()


def answer(page: Page, task: dict, given: dict) -> None:
    """Give an answer without a mouse: numbers typed, choices by the space bar."""
    for asked in task["asked"]:
        value = given[asked["name"]]
        if asked["options"]:
            page.get_by_role("group", name=asked["label"]).get_by_role(
                "radio", name=asked["options"][value], exact=True
            ).focus()
            page.keyboard.press("Space")
        else:
            page.locator(f"#answer-{asked['name']}").fill(f"{value:.4g}")
            page.keyboard.press("Tab")
    page.get_by_role("button", name="Answer").focus()
    page.keyboard.press("Enter")


def test_two_exposures_are_compared_by_a_line_that_the_arrow_keys_move(page: Page, demo_site: str):
    page.goto(f"{demo_site}/practice")
    expect(page.get_by_role("img", name=re.compile("^The part as the tube sees it"))).to_be_visible()
    page.keyboard.press("Enter")
    image = page.get_by_role("img", name=re.compile("^Computed radiograph"))
    expect(image).to_be_visible()
    page.keyboard.press("m")
    page.keyboard.type("0.5")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Expose").focus()
    page.keyboard.press("Enter")
    line = page.get_by_label("Swipe line between the last exposure and this one")
    line.focus()
    for _ in range(30):
        page.keyboard.press("ArrowRight")
    expect(line).to_have_value("30")
    expect(page.get_by_text("Far under-exposed")).to_be_visible()
    expect(page.get_by_role("region", name="Last exposure")).to_contain_text("On target")
    image.focus()
    page.keyboard.press("i")
    expect(page.get_by_role("button", name="Inverse")).to_have_attribute("aria-pressed", "true")


def test_a_drill_is_failed_then_passed_and_a_critique_judged(page: Page, site: str):
    sign_in(page.context, site, "pim")
    page.goto(f"{site}/practice?part=drills")
    choose(page, "Track", "Arithmetic")
    task = task_of(page, "Begin")
    answer(page, task, dict.fromkeys(model_answer(task), 0.001))
    expect(page.get_by_text("Not right: 0 % credit")).to_be_visible()
    expect(page.get_by_text("0 %", exact=True).first).to_be_visible()
    task = task_of(page, "Next")
    answer(page, task, model_answer(task))
    expect(page.get_by_text("Right: 100 % credit")).to_be_visible()

    choose(page, "Track", "Expose and judge")
    while "fault" not in model_answer(task):
        task = task_of(page, "Another")
    expect(page.get_by_role("img", name="The image of this task")).to_be_visible()
    right = model_answer(task)
    wrong = next(one for one in task["asked"][0]["options"] if one != right["fault"])
    answer(page, task, {**right, "fault": wrong})
    expect(page.get_by_text("Partly right: 67 % credit")).to_be_visible()
    expect(page.get_by_role("region", name="What you took for what")).to_contain_text(task["asked"][0]["options"][wrong])


def test_an_instructor_sets_a_class_test_and_sees_how_a_trainee_did(page: Page, site: str):
    page.goto(f"{site}/practice?part=classes")
    page.get_by_text("Set a class test").click()
    page.get_by_label("Its name").fill("Week 1")
    for name in ("The mat between the jaws", "Another SID"):
        page.get_by_role("checkbox", name=name).check()
    page.get_by_role("button", name="Set it").click()
    expect(page.get_by_role("region", name="Week 1")).to_be_visible()

    sign_in(page.context, site, "pim")
    page.reload()
    expect(page.get_by_text("Set a class test")).to_have_count(0)
    task = task_of(page, "Begin")
    answer(page, task, model_answer(task))
    task = task_of(page, "Next")
    answer(page, task, {"mas": 0.001})
    page.get_by_role("button", name="Next").click()
    expect(page.get_by_text("Done: 50 % credit")).to_be_visible()

    sign_in(page.context, site, "joren")
    page.reload()
    expect(page.get_by_role("columnheader", name="The mat between the jaws")).to_be_visible()
    expect(page.get_by_role("row", name="Pim Adler 100 % 0 % 50 %")).to_be_visible()


def test_the_guide_and_the_desk_show_how_it_looks(page: Page, demo_site: str):
    page.goto(f"{demo_site}/guide/lspine-ap")
    expect(page.get_by_role("img", name="Computed: As it should be")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("Computed: Spinous processes nearer the right"))).to_be_visible()
