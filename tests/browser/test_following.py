"""Tracking: a late parcel from alarm to told buyer by four keys, what was done seen by the next one, the buyer's phone."""

from __future__ import annotations

from playwright.sync_api import Browser, expect

from tests.browser.people import axe, page_of
from tidewind.running.supervisor import Supervisor


def test_a_parcel_in_trouble_and_its_buyer_is_told_by_keyboard(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Rute Carmo")
    page.get_by_role("link", name="Tracking").click()  # 1
    expect(page.get_by_text("to look at").first).to_be_visible()
    expect(page.get_by_role("region", name="Usual against now")).to_be_visible()
    axe(page)
    row = page.locator("tr[aria-current]")
    before = row.locator("td").first.inner_text()
    page.keyboard.press("ArrowDown")  # 2
    expect(row.locator("td").first).not_to_have_text(before)
    number = row.locator("td").first.inner_text()
    page.keyboard.press("t")  # 3
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("button", name="Send it")).to_be_focused()
    expect(dialog.get_by_text(number).first).to_be_visible()
    axe(page)
    page.keyboard.press("Enter")  # 4
    expect(page.get_by_role("status")).to_contain_text("is told")
    told = page.locator("tr", has_text=number)
    expect(told).to_contain_text("buyer told")
    page.keyboard.press("t")  # never twice for one cause
    expect(dialog.get_by_role("button", name="Send it")).to_be_focused()
    page.keyboard.press("Enter")
    expect(dialog.get_by_text("told of this already")).to_be_visible()
    page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)
    page.keyboard.press("s")
    page.keyboard.type("Sent another one")
    page.keyboard.press("Enter")
    expect(page.locator("tr", has_text=number)).to_have_count(0)


def test_the_buyers_page_on_a_phone(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Rute Carmo")
    troubles = page.request.get("/api/following").json()["troubles"]
    found = next(parcel for parcel in troubles if parcel["trouble"]["kind"] in {"stuck", "waiting", "returning"})
    letter = page.request.get(f"/api/following/{found['shipment_id']}/buyer").json()
    link = next(word for word in letter["body"].split() if "/t/" in word)
    phone = browser.new_context(java_script_enabled=False, viewport={"width": 390, "height": 780}).new_page()
    phone.goto(link)
    expect(phone.get_by_role("heading", level=1)).to_be_visible()
    expect(phone.locator("ol li").first).to_be_visible()
    size = phone.locator("main").bounding_box()
    assert size is not None
    assert size["width"] <= 390
