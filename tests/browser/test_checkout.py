"""The checkout: a first offer, a table with a pasted block, by keyboard, what the shopper sees, what is kept."""

from __future__ import annotations

from playwright.sync_api import Browser, expect

from tests.browser.people import axe, page_of
from tidewind.running.supervisor import Supervisor

PASTE = """([cell, text]) => {
  const data = new DataTransfer()
  data.setData('text/plain', text)
  document.querySelector(cell).dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}))
}"""


def test_an_offer_is_begun_changed_in_its_sentence_saved_and_brought_back(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.goto("/checkout")
    seen = page.get_by_role("region", name="As the shopper sees it")
    expect(seen.get_by_role("button", name="Home delivery")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="One price at home").click()  # 1
    part = page.get_by_role("button", name="Price: 4.90").last
    part.click()  # 2
    page.keyboard.type("2.95")  # 3
    page.keyboard.press("Enter")
    expect(seen.get_by_role("button", name="€2.95")).to_be_visible()  # before anything is saved
    page.get_by_role("button", name="Save the checkout").click()  # 4
    expect(page.get_by_role("button", name="Save the checkout")).to_have_count(0)
    told = page.request.get("/api/checkout").json()
    assert told["body"]["offers"][-1]["price"] == {"kind": "flat", "minor": 295}
    page.get_by_label("Postcode", exact=True).fill("9450-123")
    expect(seen.get_by_text("Nothing is offered")).to_have_count(0)
    page.get_by_role("button", name="Bring it back").last.click()
    expect(page.get_by_role("button", name="Price: 2.95")).to_have_count(0)
    axe(page)


def test_a_table_takes_a_block_of_200_cells_and_gives_it_back(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.goto("/checkout")
    rows = page.get_by_role("region", name="Rows of Islands 2026")
    expect(rows).to_be_visible()
    block = "\n".join(f"Strip {n}\tPT\t{9000 + n}\t{n}.10\t{n}.20" for n in range(1, 41))  # 40 × 5
    page.evaluate(PASTE, ["[data-cell='1-0']", block])
    table = page.locator("section", has=page.get_by_role("heading", name="Islands 2026"))
    expect(table.get_by_text("41 rows")).to_be_visible()
    expect(page.get_by_label("Price, band 2, row 12").first).to_have_value("11.20")
    page.get_by_label("Called, row 2").first.focus()
    for _ in range(30):  # rows far below are drawn as they are reached
        page.keyboard.press("ArrowDown")
    expect(page.get_by_label("Called, row 32").first).to_be_focused()
    expect(page.get_by_label("Called, row 32").first).to_have_value("Strip 31")
    page.keyboard.press("Control+d")
    expect(page.get_by_label("Called, row 32").first).to_have_value("Strip 30")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(table.get_by_text("2 rows")).to_be_visible()
    axe(page)
