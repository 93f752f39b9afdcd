"""An order that customs would hold, from its two snags to its papers, without touching the mouse; then Set-up."""

from __future__ import annotations

from playwright.sync_api import Browser, expect

from tests.browser.people import axe, page_of
from tidewind.running.supervisor import Supervisor


def test_a_vague_word_and_a_missing_number_are_mended_by_keyboard_and_the_papers_are_there(
    browser: Browser, shop: Supervisor
) -> None:
    page = page_of(browser, shop)
    orders = page.request.get("/api/orders?view=snags").json()["orders"]
    brazil = next(o for o in orders if any(s["code"] == "vague_customs_text" for s in o["snags"]))
    page.goto(f"/orders/{brazil['id']}?view=all")
    expect(page.get_by_role("heading", name="Customs, PT to BR")).to_contain_text("2 things missing")
    axe(page)
    page.get_by_role("button", name="Fix").first.focus()
    page.keyboard.press("Enter")
    dialog = page.get_by_role("dialog")
    words = dialog.get_by_label("What it is, of what, for what")
    expect(words).to_be_focused()
    expect(words).to_have_value("Garden tool")
    expect(dialog.get_by_role("status")).to_contain_text("Too vague")
    expect(dialog.get_by_text("8201.90")).to_be_visible()  # found by the product's name, since the words find nothing
    axe(page)
    page.keyboard.press("ControlOrMeta+a")
    page.keyboard.type("Daisy weeder for lawns, steel, ash handle")
    expect(dialog.get_by_role("status")).to_have_count(0)
    page.keyboard.press("Enter")
    expect(dialog).to_have_count(0)
    expect(page.get_by_role("heading", name="Customs, PT to BR")).to_contain_text("1 thing missing")
    expect(page.get_by_role("button", name="Fix")).to_have_count(1)  # the order itself is read anew, too
    page.get_by_role("button", name="Fix").focus()
    page.keyboard.press("Enter")
    expect(dialog.get_by_label("Its number")).to_be_focused()
    page.keyboard.type("390.533.447-06")  # a wrong check digit
    page.keyboard.press("Enter")
    expect(dialog).to_have_count(0)
    sheet = page.get_by_role("region", name="Order", exact=True)  # the list behind it says the same, unseen
    expect(sheet.get_by_text("A CPF number is eleven digits").first).to_be_visible()
    page.get_by_role("button", name="Change the declaration").click()
    dialog.get_by_label("The recipient's tax number").fill("390.533.447-05")
    dialog.get_by_label("What it is, of what, for what").first.fill("Pruning knife, fixed steel blade, as a trial")
    axe(page)
    dialog.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("heading", name="Customs, PT to BR")).to_contain_text("nothing is missing")
    paper = page.get_by_role("region", name="Declaration")
    expect(paper).to_contain_text("as a trial")
    expect(paper).to_contain_text("set for this order")
    expect(page.get_by_role("list", name="From the customs value to what is due")).to_contain_text("ICMS")
    expect(page.get_by_role("button", name="Buy 1 label")).to_be_visible()
    pdf = page.request.get(f"/api/orders/{brazil['id']}/customs.pdf")
    assert (pdf.status, pdf.body()[:5]) == (200, b"%PDF-")


def test_numbers_tables_and_codes_in_set_up(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.keyboard.press("ControlOrMeta+k")
    expect(page.get_by_role("textbox", name="Search")).to_be_focused()
    page.keyboard.type("customs")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Customs", exact=True)).to_be_visible()
    page.get_by_label("REX", exact=True).fill("PT1")
    page.keyboard.press("Enter")
    expect(page.get_by_text("A REX number is")).to_be_visible()
    page.get_by_label("REX", exact=True).fill("PTREX980000001")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status")).to_contain_text("Kept")
    page.get_by_label("Everyday words").fill("terracotta pots")
    expect(page.get_by_text("6914.90")).to_be_visible()
    axe(page)
    page.set_input_files(
        "input[type=file]", {"name": "t.json", "mimeType": "application/json", "buffer": b'{"duty": []}'}
    )
    expect(page.get_by_text("there is no table “duty”")).to_be_visible()
    tables = page.request.get("/api/customs/tables.json").body()
    page.set_input_files("input[type=file]", {"name": "t.json", "mimeType": "application/json", "buffer": tables})
    expect(page.get_by_role("region", name="Tables").or_(page.get_by_label("Tables")).first).to_contain_text("Duties")
