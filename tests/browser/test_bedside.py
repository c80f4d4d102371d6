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


def test_what_an_older_page_began_with_is_let_go_once_a_newer_one_is_there(page: Page, site: str, context: BrowserContext):
    page.goto(f"{site}/bedside?room=room-1")
    page.evaluate("navigator.serviceWorker.ready")
    page.reload()
    expect(page.get_by_role("status")).to_contain_text("Room 1, version 1")
    # As after an upgrade: what is kept is of another page than the one that is now sent.
    kept = """async () => {
        const shell = await caches.open("oakbeam-shell");
        return (await shell.keys()).map((one) => new URL(one.url).pathname);
    }"""
    page.wait_for_function(f"async () => (await ({kept})()).length > 2")
    page.evaluate("""async () => {
        const shell = await caches.open("oakbeam-shell");
        for (const one of await shell.keys()) if (new URL(one.url).pathname.startsWith("/assets/")) await shell.delete(one);
        await shell.put("/assets/index-of-before.js", new Response("old"));
    }""")
    page.reload()
    expect(page.get_by_role("status")).to_contain_text("Room 1, version 1")
    assert "/assets/index-of-before.js" not in page.evaluate(kept)
    page.wait_for_function(f"async () => (await ({kept})()).length > 2")
    context.set_offline(True)
    page.reload()
    expect(page.get_by_role("status")).to_contain_text("whether another is in use by now is not known here")
