"""Prices as people use them: one order in every box, many at once, a quote that becomes a shipment, a contract tried."""

from __future__ import annotations

import json
import re
from urllib.parse import quote as in_address

import pytest
from playwright.sync_api import Browser, expect

from tests.browser.people import axe, euros, page_of, price_in, row
from tidewind.running.supervisor import Supervisor

PARCEL = {
    "country": "PT",
    "postcode": "3500-108",
    "value": "45",
    "parcels": [{"weight": "2.24", "sides": "40 x 30 x 20", "count": "1"}],
}


def test_one_order_in_every_box_and_many_at_once(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    page.goto("/orders")
    row(page, "Beatriz Amorim").locator("td").nth(2).click()
    compare = page.get_by_role("region", name="Price against arrival")
    road = compare.get_by_role("row", name="BP Road")
    usual = price_in(road)
    expect(compare.get_by_role("button", name="CX Express by end of day")).to_be_visible()
    expect(compare.get_by_text("asking…")).to_have_count(0)  # the live carrier was asked by itself, and answered
    road.get_by_role("button", expanded=False).click()
    expect(compare.get_by_text(re.compile(r"1\d\.\d % of 5\.28 EUR"))).to_be_visible()  # fuel is another each month
    expect(compare.get_by_text("Leaves with Brightmile road, cut-off 17:15 in Lisbon")).to_be_visible()
    axe(page)
    compare.get_by_role("button", name="Signature").click()
    expect(compare.get_by_role("row", name="BP Road").filter(has_text=euros(usual + 110))).to_be_visible()
    compare.get_by_role("button", name="Signature").click()
    compare.get_by_title("Choose Night, by 12:00").click()
    expect(page.get_by_text("Set by hand: service, extras")).to_be_visible()
    page.get_by_role("button", name="Let the plan decide").click()

    page.goto("/orders")
    expect(row(page, "Beatriz Amorim")).to_be_visible()
    page.keyboard.press("a")
    page.keyboard.press("m")
    grid = page.get_by_role("grid")
    expect(grid.get_by_role("row").nth(5)).to_be_visible()
    axe(page)
    tray = page.get_by_role("region", name="What changes")
    before = tray.locator("b").first.inner_text()
    page.keyboard.press("1")  # cheapest, for all
    keep = page.get_by_role("button", name="Keep")
    expect(keep).to_be_enabled()
    after = tray.locator("b").nth(1).inner_text()
    assert after != before
    page.keyboard.press("k")
    expect(tray.locator("b").first).to_have_text(after)
    page.get_by_role("button", name="Undo").click()
    expect(tray.locator("b").first).to_have_text(before)
    page.keyboard.press("ArrowDown")
    changed = page.get_by_role("button", name="Keep 1 change")
    for _ in range(6):  # the cell of the plan itself, and those that refuse, change nothing
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Enter")
        if changed.count():
            break
    expect(changed).to_be_enabled()


def test_a_quote_opens_by_its_link_and_becomes_a_shipment(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    page.goto(f"/quote?q={in_address(json.dumps(PARCEL))}")
    services = page.get_by_role("region", name="Every service")
    price = euros(price_in(services.get_by_role("row", name="Road").first))
    axe(page)
    services.get_by_role("button", name="Locker or shop").click()
    page.get_by_label("Locker or shop code").fill("L-204")
    expect(services.get_by_role("row", name="Locker next day")).to_be_visible()
    services.get_by_role("button", name="Locker or shop").click()
    page.get_by_role("button", name="lb, in").click()
    expect(page.get_by_label("Weight, lb")).to_have_value("4.938")
    expect(services.get_by_role("row", name="Road").filter(has_text=price)).to_be_visible()
    page.get_by_role("button", name="kg, cm").click()
    services.get_by_title("Make a shipment with Road").click()
    expect(page.get_by_role("heading", name="New shipment")).to_be_visible()
    page.get_by_label("Name").first.fill("Aida Serpa")
    page.get_by_label("Street").fill("Rua Nova da Eira 4")
    page.get_by_label("City").fill("Viseu")
    expect(page.get_by_text("Own carton → Road")).to_contain_text(price)
    page.get_by_role("button", name="Make the shipment").click()
    expect(page.get_by_role("button", name=f"Buy 1 label · {price}")).to_be_visible()


@pytest.mark.long("a card and a contract by hand; reading them is in the short run")
def test_a_contract_is_tried_over_the_past_and_a_bad_card_says_where(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.goto("/set-up/carriers")
    page.get_by_role("button", name="Brightmile Parcel").click()
    page.get_by_label("Discount on all services, per cent").fill("30")
    expect(page.get_by_text("cheaper. What was set by hand stays")).to_be_visible()
    page.get_by_role("button", name="Last 90 days").click()
    expect(page.get_by_text("of the last 90 days would have changed")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="Throw away").click()
    page.get_by_role("button", name="New account").click()
    page.get_by_label("Account number").fill("447-3000")
    page.get_by_label("What you call it").fill("Seeds")
    page.get_by_label("Discount on Road, per cent").fill("19")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("button", name="Seeds 447-3000")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="Seeds 447-3000").click()
    page.get_by_role("button", name="Take this account away").click()
    expect(page.get_by_role("button", name="Seeds 447-3000")).to_have_count(0)
    page.get_by_label("Try a new version").set_input_files(
        {
            "name": "bad.csv",
            "mimeType": "text/csv",
            "buffer": b"# Card\nCarrier,brightmile\n# Prices\nService,Up to kg or dm3\nghost,1\n",
        }
    )
    expect(page.get_by_text("bad.csv cannot be used; nothing was stored.")).to_be_visible()
    expect(page.get_by_text("Prices, cell A2: no service has the code ghost")).to_be_visible()


@pytest.mark.long("two panels of the sheet; their services are in the short run")
def test_an_order_is_bound_to_an_account_and_covered_by_the_insurer(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.goto("/orders")
    row(page, "Beatriz Amorim").locator("td").nth(2).click()
    compare = page.get_by_role("region", name="Price against arrival")
    compare.get_by_title("Choose Road").first.click()
    usual = price_in(compare.get_by_role("row", name="BP Road").first)
    account = page.get_by_role("combobox", name="Account with Brightmile Parcel")
    expect(page.get_by_text("Cheapest: Main contract, 447-1902")).to_be_visible()
    account.focus()
    page.keyboard.press("ArrowDown")
    page.get_by_role("option", name="Garden clubs, Spain, 447-2210").click()
    road = compare.get_by_role("row", name="BP Road").first
    expect(road).not_to_contain_text(euros(usual))
    other = price_in(road)
    assert other > usual
    compare.get_by_role("button", name="Cover by Marl & Quince").click()
    how = page.get_by_role("region", name="How")
    expect(how.get_by_text("1 started 100.00 EUR × 0.45 EUR, at least 0.90 EUR")).to_be_visible()
    expect(compare.get_by_role("row", name="BP Road").filter(has_text=euros(other + 90))).to_be_visible()
    axe(page)
    page.get_by_role("button", name="Let the plan decide").click()
    expect(how.get_by_text("Cover by Marl & Quince")).to_have_count(0)
    page.goto("/money")
    page.get_by_role("button", name="Change the policy").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.locator("input").first).to_be_focused()  # or its focus would come in between
    dialog.get_by_label("Premium").fill("0.60")
    axe(page)
    dialog.get_by_role("button", name="Keep the policy").click()
    expect(page.get_by_text("€0.60 per started €100.00 of value, at least €0.90")).to_be_visible()
