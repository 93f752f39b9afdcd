"""Batches, printing, voids, returns and requests, the way people do them in a browser."""

from __future__ import annotations

import httpx
import pytest
from playwright.sync_api import Browser, expect

from tests.browser.people import axe, choose, page_of, scan
from tidewind.running.supervisor import Supervisor


def test_a_batch_from_the_list_to_the_printer_and_one_label_back(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.goto("/orders?view=clear")
    expect(page.locator("tr[data-order]").first).to_be_visible()
    for _ in range(4):
        page.keyboard.press("Shift+ArrowDown")
    numbers = [n.strip() for n in page.locator("tr[data-order]:has(input:checked) td .mono").all_text_contents()]
    page.keyboard.press("g")
    page.get_by_label("A new batch, called").fill("Morning")
    axe(page)
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("Escape")  # nothing is selected, so that one row is dragged alone

    row = page.locator("tr[data-order]:not(:has(input:checked))").last
    dragged = row.get_attribute("data-order") or ""
    row.hover()
    page.mouse.down()
    page.mouse.move(600, 400, steps=4)
    target = page.get_by_role("group", name="Let go above a batch").get_by_text("Morning")
    target.hover()
    target.hover()
    page.mouse.up()
    expect(page.get_by_text("1 order put into the batch.")).to_be_visible()
    page.get_by_role("link", name="Batches").click()
    page.get_by_role("link", name="Morning").click()
    expect(page.get_by_role("button", name="Check and buy 6 orders")).to_be_visible()
    page.get_by_role("button", name=f"Take out {dragged}").click()
    expect(page.get_by_role("button", name="Check and buy 5 orders")).to_be_visible()
    axe(page)

    # A scanner types fast and ends with Enter; what lies in here already is said.
    scan(page, numbers[0])
    expect(page.get_by_text("It lies in here already.")).to_be_visible()
    page.get_by_role("button", name="Take out ").first.click()
    expect(page.get_by_role("button", name="Check and buy 4 orders")).to_be_visible()

    page.get_by_role("button", name="Check and buy 4 orders").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("From the postage balance")).to_be_visible()
    axe(page)
    dialog.get_by_role("button", name="Buy ").click()
    expect(dialog.get_by_role("button", name="on label printer")).to_be_visible(timeout=60_000)
    page.keyboard.press("Escape")
    expect(page.get_by_role("region", name="Batch").get_by_text("4 orders bought for")).to_be_visible()
    axe(page)
    page.get_by_label("Order of printing").click(force=True)
    page.get_by_role("option", name="along the shelves").click()
    page.get_by_role("button", name="on label printer").click()
    expect(page.get_by_text("Labels of 4 orders")).to_be_visible()
    printed = httpx.get(f"{shop.settings.standins_url}/printers/all")
    for _ in range(40):
        if printed.json():
            break
        page.wait_for_timeout(250)
        printed = httpx.get(f"{shop.settings.standins_url}/printers/all")
    assert [j["title"] for j in printed.json()] == ["Labels of 4 orders"]

    back = page.get_by_role("button", name="Void ").first
    number = (back.get_attribute("aria-label") or "").removeprefix("Void ")
    back.click()
    sure = page.get_by_role("dialog").get_by_role("button", name="Ask to void")
    expect(sure).to_be_disabled()  # it was printed: somebody must have looked
    page.get_by_role("checkbox", name="Printed already").check()
    axe(page)
    sure.click()
    expect(page.get_by_text("Void asked, refund pending")).to_be_visible()
    page.goto("/money")
    expect(page.get_by_role("region", name="Refunds expected")).to_contain_text(number)
    axe(page)
    page.get_by_role("textbox", name="Words in the reason").fill(number)
    expect(page.get_by_role("cell", name="Void asked")).to_be_visible()
    file = page.request.get("/api/money/file?kind=void_asked").text()
    assert number in file.splitlines()[1]
    page.goto("/orders?view=clear")
    page.get_by_label("Search in the list").fill(number)
    expect(page.locator("tr[data-order]")).to_have_count(1)  # it is back, with its plan
    page.goto("/set-up/printing")
    expect(page.get_by_text("Printed", exact=True)).to_be_visible()
    axe(page)


def test_a_colleague_asks_on_a_phone_and_the_shipper_decides(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.get_by_role("link", name="Requests").click()
    axe(page)
    address = page.locator("a[href^='/ask/']").first.get_attribute("href") or ""
    phone = browser.new_context(
        base_url=shop.settings.base_url, viewport={"width": 390, "height": 844}, has_touch=True
    ).new_page()
    phone.errors = []  # type: ignore[attr-defined]
    phone.goto(address)
    typed = {
        "Your name": "Mafalda",
        "What is in it": "Seed trays",
        "Weight, packed (kg)": "1,8",
        "Length (cm)": "40",
        "Width (cm)": "30",
        "Height (cm)": "12",
        "Name": "Ana Couto",
        "Street and number": "Rua do Sol 4",
        "Postcode": "35",
        "City": "Viseu",
        "Country, two letters": "PT",
        "The label goes to": "mafalda@club.example",
    }
    for label, text in typed.items():
        phone.get_by_label(label, exact=True).fill(text)
    choose(phone, "Cost code", "GC-20 Fairs")
    axe(phone)
    phone.get_by_role("button", name="Ask for the label").click()
    expect(phone.get_by_role("alert")).to_contain_text("postcode")
    assert phone.get_by_label("Your name").input_value() == "Mafalda"
    phone.get_by_label("Postcode", exact=True).fill("3500-108")
    phone.get_by_role("button", name="Ask for the label").click()
    expect(phone.get_by_role("heading", name="Waiting for a decision")).to_be_visible()
    axe(phone)

    page.reload()
    page.get_by_role("button", name="Decide").click()
    axe(page)
    page.get_by_role("button", name="Approve").click()
    expect(page.get_by_role("heading", name="Ana Couto, Viseu")).to_be_visible()
    page.get_by_role("button", name="Buy 1 label").click()
    page.get_by_role("dialog").get_by_role("button", name="Buy 1 label").click()
    expect(page.get_by_role("dialog").get_by_role("button", name="Print 1 label")).to_be_visible(timeout=60_000)
    page.keyboard.press("Escape")
    mail: dict[str, str] = {}
    for _ in range(80):
        sent = httpx.get(f"{shop.settings.standins_url}/mail/all").json()
        mail = next((m for m in sent if m["paper"]), {})
        if mail:
            break
        page.wait_for_timeout(250)
    assert (mail["recipient"], mail["paper"]) == ("mafalda@club.example", "label.pdf")
    phone.reload()
    expect(phone.get_by_role("link", name="Follow the parcel")).to_be_visible()


@pytest.mark.long("one panel of the sheet; returns are in the short run")
def test_a_label_for_the_way_back_from_the_sheet_to_the_list(browser: Browser, shop: Supervisor) -> None:
    owner = page_of(browser, shop, "Inês Valadar")
    waiting = owner.request.get("/api/orders?view=clear&limit=200").json()["orders"]
    order = next(o for o in waiting if o["service"] == "np-parcel")
    wish = {
        "orders": [{"order_id": order["id"], "shown_minor": order["price_minor"]}],
        "client_key": "for-the-way-back",
    }
    token = owner.request.get("/api/me").json()["csrf_token"]
    assert owner.request.post("/api/purchases", data=wish, headers={"X-CSRF-Token": token}).status == 202
    page = page_of(browser, shop, "Rute Carmo", width=1024)
    page.goto(f"/orders/{order['id']}?view=all")
    page.get_by_role("button", name="Label for the way back, in the box").click(timeout=60_000)
    expect(page.get_by_text("is being made")).to_be_visible()
    axe(page)
    page.get_by_role("link", name="Returns", exact=True).first.click()
    expect(row_of(page, order["number"])).to_contain_text("Not used yet", timeout=30_000)
    axe(page)
    page.get_by_role("button", name="Close…").first.click()
    done = page.get_by_role("dialog").get_by_label("What is done")
    done.focus()
    page.keyboard.type("nothing")
    expect(page.get_by_role("dialog")).to_contain_text("nothing to do")
    axe(page)
    page.get_by_role("button", name="Close it").click()
    expect(row_of(page, order["number"])).to_contain_text("Cancelled")


def row_of(page, number: str):  # type: ignore[no-untyped-def]
    return page.locator("tr", has_text=number)
