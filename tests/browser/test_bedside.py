"""The chart at a bedside where there is no network: opened once, it opens again, and says from when it is."""

from __future__ import annotations

from playwright.sync_api import BrowserContext, Page, expect


def test_a_chart_that_was_opened_once_is_read_without_a_network(page: Page, site: str, context: BrowserContext) -> None:
    page.goto(f"{site}/bedside?room=room-1")
    expect(page.get_by_role("status")).to_contain_text("It is the one in use.")
    # The page itself is kept by the second time it was opened with its worker in charge.
    page.evaluate("navigator.serviceWorker.ready")
    page.reload()
    expect(page.get_by_role("status")).to_contain_text("Room 1, version 1")
    context.set_offline(True)
    page.reload()
    expect(page.get_by_role("status")).to_contain_text("whether another is in use by now is not known here")
    page.get_by_placeholder("Show only").fill("knee ap")
    expect(page.get_by_role("heading", name="Knee AP").first).to_be_visible()
    # The Desk is not kept: without a server it shows no number.
    page.get_by_role("link", name="To the Desk").click()
    expect(page.locator("[data-part=kvp]")).to_have_count(0)
