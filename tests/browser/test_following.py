"""Tracking: a late parcel from alarm to told buyer by four keys, what was done seen by the next one, the buyer's phone."""

from __future__ import annotations

import pytest
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


def test_the_list_is_filtered_and_what_is_looked_at_is_kept_as_a_view(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Tomé Brisson")
    page.get_by_role("link", name="Tracking").click()
    chips = page.get_by_role("group", name="What is looked at")
    table = page.get_by_role("table", name="What needs somebody")
    every = table.locator("tbody tr").count() if table.count() else 0
    chips.get_by_role("button", name="Filter").click()
    chips.get_by_role("button", name="Coming back").click()
    expect(table.locator("tbody tr").first).to_contain_text("on its way back")
    page.get_by_role("textbox", name="Words").fill("nobody at all")
    expect(page.get_by_text("Nothing that needs somebody is like that")).to_be_visible()
    page.get_by_role("textbox", name="Words").fill("")
    page.get_by_label("Name of this view").fill("On their way back")
    axe(page)
    page.keyboard.press("Enter")
    own = chips.get_by_role("button", name="On their way back")
    expect(own).to_have_attribute("aria-pressed", "true")
    own.click()
    expect(own).to_have_attribute("aria-pressed", "false")
    page.reload()
    own.click()
    expect(table.locator("tbody tr").first).to_contain_text("on its way back")
    assert table.locator("tbody tr").count() < every or not every
    page.get_by_role("button", name="Filter").click()
    page.get_by_role("button", name="Remove “On their way back”").click()
    expect(own).to_have_count(0)
    assert page.errors == []  # type: ignore[attr-defined]


def test_a_buyer_wishes_for_a_neighbour_on_a_phone_without_script(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Rute Carmo")
    troubles = page.request.get("/api/following").json()["troubles"]
    on_its_way = {"stuck", "late"}  # which of the carriers' parcels are what depends on the day of the week
    stuck = [p for p in troubles if p["carrier"] == "brightmile" and p["trouble"]["kind"] in on_its_way]
    story = page.request.get(f"/api/orders/{stuck[-1]['order_id']}/story").json()
    link = next(word for word in story["answer"].split() if "/t/" in word)
    phone = browser.new_context(java_script_enabled=False, viewport={"width": 390, "height": 780}).new_page()
    phone.goto(f"{link}?lang=en")
    expect(phone.locator("img")).to_be_visible()
    phone.get_by_text("Not at home?").click()
    phone.get_by_label("Leave it with a neighbour").check()
    phone.get_by_role("button", name="Ask the carrier").click()
    expect(phone.get_by_role("alert")).to_contain_text("Choose one")
    expect(phone.get_by_label("Leave it with a neighbour")).to_be_checked()
    phone.get_by_label("Name or house number").fill("Ana, 12")
    phone.get_by_role("button", name="Ask the carrier").click()
    expect(phone.get_by_text("Leave it with a neighbour")).to_be_visible()
    expect(phone.locator("form")).to_have_count(0)
    page.goto(f"{shop.settings.base_url}/orders/{stuck[-1]['order_id']}?view=all")
    expect(page.get_by_role("list", name="What happened")).to_contain_text("The buyer wished for a neighbour")
    expect(page.locator("svg.way")).to_be_visible()
    axe(page)


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


@pytest.mark.long("the page of messages; its words and mails are in the short run")
def test_what_is_told_is_written_seen_and_saved_and_a_sample_goes_to_oneself(
    browser: Browser, shop: Supervisor
) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.get_by_role("link", name="Messages").click()
    expect(page.get_by_text("As it would go")).to_be_visible()
    mail = page.frame_locator("iframe[title='The mail as it looks']")
    expect(mail.get_by_role("link", name="Follow your parcel")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="Delivered", exact=True).click()
    page.get_by_role("checkbox", name="Delivered by mail").check()
    page.get_by_role("button", name="nl", exact=True).click()
    words = page.get_by_label("Mail", exact=True)
    words.fill("Dag {name}, uw pakket {nummer} is er.")
    expect(page.get_by_text("No order can fill {nummer}")).to_be_visible()
    expect(mail.get_by_text("⟨nummer⟩")).to_be_visible()
    page.get_by_role("button", name="Save what is told").click()
    expect(page.get_by_text("delivered, nl: no order can fill {nummer}")).to_be_visible()
    words.fill("Dag {name}, uw bestelling  is er.")
    words.press("Home")
    for _ in range(len("Dag {name}, uw bestelling ")):
        words.press("ArrowRight")
    page.get_by_role("button", name="order", exact=True).click()
    expect(words).to_have_value("Dag {name}, uw bestelling {order} is er.")
    page.get_by_role("button", name="Save what is told").click()
    expect(page.get_by_text("Not saved yet")).to_have_count(0)
    page.get_by_label("Send it to myself").fill("ines@larkspur.example")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Sent to ines@larkspur.example")).to_be_visible()
    page.get_by_role("button", name="Tallyfair").click()
    page.get_by_role("checkbox", name="Delivered: the store tells it").check()
    page.get_by_role("button", name="Save what is told").click()
    expect(page.get_by_text("Not saved yet")).to_have_count(0)
    page.get_by_role("button", name="Who wants no more").click()
    page.keyboard.type("eva@buyers.example")
    page.keyboard.press("Enter")
    expect(page.get_by_role("row", name="eva@buyers.example")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="What went out").click()
    expect(page.get_by_role("textbox", name="An order, an address")).to_be_focused()
    axe(page)
    assert page.errors == []  # type: ignore[attr-defined]


def test_where_is_it_in_two_actions_and_what_is_lost_is_claimed(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Rute Carmo")
    troubles = page.request.get("/api/following").json()["troubles"]
    lost = next(parcel for parcel in troubles if parcel["trouble"]["kind"] in {"lost", "stuck"})
    page.keyboard.press("Control+k")  # 1
    expect(page.get_by_role("textbox", name="Search")).to_be_focused()
    page.keyboard.type(lost["number"])
    page.keyboard.press("Enter")  # 2, before the answer is there
    expect(page.get_by_role("heading", name="Where it is")).to_be_visible()
    expect(page.locator(".answer")).to_contain_text(lost["order_number"])
    expect(page.get_by_role("list", name="What happened").get_by_role("listitem").last).to_contain_text("Ordered")
    page.get_by_role("button", name="Tell others too").click()
    page.keyboard.type("lia@buyers.example")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Also told: lia@buyers.example")).to_be_visible()
    axe(page)
    page.get_by_role("link", name="Tracking", exact=True).click()
    row = page.locator("tr", has_text=lost["order_number"])
    row.click()
    page.keyboard.press("c")
    claims = page.get_by_role("region", name="Claims")
    expect(claims.get_by_role("row", name=lost["order_number"])).to_contain_text("to be sent")
    claims.get_by_role("button", name="Send it").click()
    page.get_by_label("Mail address of the carrier").fill("claims@carrier.example")
    axe(page)
    page.keyboard.press("Enter")
    expect(claims.get_by_role("row", name=lost["order_number"])).to_contain_text("○ sent")
    page.get_by_role("button", name="Follow a number").click()
    page.get_by_label("Number on the label").fill(lost["number"])
    page.get_by_label("What is in it").fill("Seed drawers")
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Followed by number")).to_contain_text("Seed drawers")
    axe(page)
    assert page.errors == []  # type: ignore[attr-defined]


def test_a_return_is_started_on_a_phone_without_script(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    sent = page.request.get("/api/orders?view=shipped&limit=500").json()["orders"][90:]
    sheets = (page.request.get(f"/api/orders/{order['id']}").json() for order in sent)
    paths = (s["tracking_path"] for sheet in sheets for s in sheet["shipments"] if s["tracking_state"] == "delivered")
    phone = browser.new_context(
        java_script_enabled=False, viewport={"width": 390, "height": 780}, base_url=shop.settings.base_url
    ).new_page()
    for path in paths:
        phone.goto(path)
        if phone.locator("a[href$='/return']").count():
            break
    phone.locator("a[href$='/return']").click()
    phone.locator("input[type=number]").first.fill("1")
    phone.locator("input[type=radio]").first.check()
    phone.locator("textarea").fill("Too small")
    phone.locator("button[type=submit]").click()
    expect(phone.locator("form")).to_have_count(0)
    page.get_by_role("link", name="Returns").click()
    expect(page.get_by_role("table", name="Returns")).to_contain_text("Too small")
    expect(page.get_by_role("table", name="Returns")).to_contain_text("Not used yet", timeout=30_000)
    expect(page.get_by_text("the buyer, on the page")).to_be_visible()
    axe(page)
