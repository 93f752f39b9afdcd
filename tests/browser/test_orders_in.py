"""Orders in and planned: rules as sentences, promises linked, two people on the same orders, copied addresses, channels."""

from __future__ import annotations

import httpx
from playwright.sync_api import Browser, Page, expect

from tests.browser.people import axe, choose, choose_by_keys, page_of, row
from tidewind.running.supervisor import Supervisor
from tidewind.settings import DATA


def open_order(page: Page, name: str) -> None:
    page.goto("/orders")
    row(page, name).first.click()
    expect(page.get_by_role("region", name="Order", exact=True)).to_be_visible()


def test_two_people_on_the_same_orders_see_each_other(browser: Browser, shop: Supervisor) -> None:
    tome, ines = page_of(browser, shop), page_of(browser, shop, "Inês Valadar")
    open_order(tome, "Beatriz Amorim")
    expect(tome.get_by_role("heading", name="Price against arrival")).to_be_visible()
    ines.goto("/orders")
    mine = row(ines, "Beatriz Amorim")
    expect(mine).to_contain_text("Tomé Brisson", timeout=15_000)
    mine.get_by_role("checkbox").check()
    row(ines, "Tomás Vilaça").get_by_role("checkbox").check()
    expect(ines.get_by_role("region", name="Selected orders")).to_contain_text("with others just now")
    ines.keyboard.press("b")
    dialog = ines.get_by_role("dialog")
    expect(dialog).to_contain_text("Tomé Brisson is working on it")
    axe(ines)
    dialog.get_by_role("button", name="Leave out: Tomé Brisson").click()
    expect(dialog.get_by_role("button", name="Buy 1 label")).to_be_visible()
    dialog.get_by_role("button", name="Not now").click()
    mine.click()
    ines.get_by_role("button", name="Take it over").click()
    expect(tome.get_by_text("is working on this order just now")).to_be_visible(timeout=60_000)
    # A change by one is seen by the other without anybody loading the page again.
    ines.get_by_role("button", name="Signature").click()
    expect(ines.get_by_text("Set by hand: extras.")).to_be_visible()
    expect(tome.get_by_text("Set by hand: extras.")).to_be_visible(timeout=15_000)
    ines.get_by_role("button", name="Undo: set extras").click()
    expect(ines.get_by_text("Set by hand: extras.")).to_have_count(0)


def test_a_rule_is_written_as_a_sentence_rehearsed_switched_on_and_brought_back(
    browser: Browser, shop: Supervisor
) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.goto("/rules")
    expect(page.get_by_role("heading", name="5 · Rules")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="Add a rule").click()
    page.get_by_placeholder("What it is for").fill("Night for the south")
    choose(page, "Fact", "the postcode")
    page.get_by_label("the postcode, with commas").fill("8000-8999")
    page.get_by_label("the postcode, with commas").press("Tab")
    choose(page, "Action", "send by")
    choose(page, "Which", "Brightmile Parcel Night, by 12:00")
    expect(
        page.get_by_text("If the postcode is 8000-8999, then send by Brightmile Parcel Night, by 12:00.")
    ).to_be_visible()
    expect(page.get_by_role("heading", name="If you switch this on")).to_be_visible()
    axe(page)
    page.reload()  # nothing typed is lost
    expect(page.get_by_text("If the postcode is 8000-8999")).to_be_visible()
    page.get_by_label("A note for the versions").fill("South by night")
    page.get_by_role("button", name="Switch on").click()
    expect(page.get_by_role("heading", name="As it is now")).to_be_visible()
    page.get_by_role("button", name="Versions").click()
    expect(page.get_by_role("cell", name="South by night")).to_be_visible()
    page.get_by_role("button", name="Bring this back").first.click()
    expect(page.get_by_text("If the postcode is 8000-8999")).to_have_count(0)
    body = page.request.get("/api/rules/file").json()
    assert [rule["id"] for rule in body["rules"]] == ["dear", "clubs", "abroad-dear"]


def test_an_unlinked_promise_is_linked_where_it_is_read(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    page.goto("/orders")
    row(page, "Hélder Roque").get_by_role("button", name="Slow and green").click()
    axe(page)
    page.get_by_role("dialog").locator(".v-field").first.click()
    page.get_by_role("option", name="Night, by noon").click()
    expect(page.get_by_role("status")).to_contain_text("1 will change")
    page.get_by_role("button", name="Link it and change 1 order").click()
    expect(row(page, "Hélder Roque")).to_contain_text("promise link")
    expect(row(page, "Hélder Roque")).to_contain_text("Night")
    row(page, "Simone").or_(row(page, "no name")).get_by_role("button", name="Fix").first.click()
    page.get_by_role("button", name="Use that name").click()
    expect(row(page, "Simone Achterberg")).to_contain_text("€")
    row(page, "Viktor Halvorsen Quade").get_by_role("button", name="Fix").click()
    page.get_by_label("Why this is not the listed party").fill("Another year of birth, seen on the invoice")
    axe(page)
    page.get_by_role("button", name="Clear it, on record").click()
    expect(row(page, "Viktor Halvorsen Quade")).to_contain_text("€")
    page.goto("/set-up/restricted")
    expect(page.get_by_role("cell", name="Another year of birth, seen on the invoice")).to_be_visible()
    axe(page)


def test_a_copied_address_becomes_a_shipment_divided_by_hand(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    page.goto("/orders/new")
    page.get_by_role("button", name="Read a copied address").click()
    page.get_by_label("Address as it was written").fill("Joana Freitas\nRua das Olarias 5\n3810-142 Aveiro\nPortugal")
    page.get_by_role("button", name="Put it into the fields").click()
    expect(page.get_by_label("City")).to_have_value("Aveiro")
    page.get_by_label("SKU", exact=True).fill("HF-02")
    page.get_by_label("Pieces").fill("4")
    expect(page.get_by_role("button", name="Make the shipment · €")).to_be_visible()
    axe(page)
    page.goto("/today")
    page.goto("/orders/new")  # left half-way, and here again
    expect(page.get_by_label("City")).to_have_value("Aveiro")
    page.get_by_role("button", name="Make the shipment · €").click()
    expect(page.get_by_role("heading", name="S-1001 Joana Freitas, Aveiro")).to_be_visible()
    page.get_by_role("button", name="Divide into parcels").click()
    axe(page)
    page.get_by_role("button", name="to parcel 2").first.click()
    page.get_by_role("button", name="Keep 2 parcels").click()
    expect(page.get_by_text("Parcel 2 of 2")).to_be_visible()
    page.get_by_role("button", name="Undo: set split, parcels").click()
    expect(page.get_by_text("Parcel 1 of 1")).to_be_visible()


def test_a_key_on_several_asks_is_undone_for_all_and_a_search_is_left_whole(browser: Browser, shop: Supervisor) -> None:
    """By keyboard alone: two rows are selected, a recipe's key asks, Enter sets it, z takes it back for both."""
    page = page_of(browser, shop)
    page.goto("/orders?view=clear")
    rows = page.locator("tr[data-order]")
    expect(rows.first).to_be_visible()
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("region", name="Selected orders")).to_contain_text("2 orders")
    page.keyboard.press("1")
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("for 2 orders?")
    axe(page)
    page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)
    expect(page.get_by_role("region", name="Selected orders")).to_contain_text("2 orders")
    page.keyboard.press("1")
    expect(page.get_by_role("button", name="Set it for 2 orders")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").filter(has_text="set for 2 orders.")).to_be_visible()
    page.keyboard.press("z")
    expect(page.get_by_role("status").filter(has_text="Undone for 2 orders.")).to_be_visible()
    page.keyboard.press("Escape")
    all_of_them = page.get_by_role("button", name="Clear", exact=False).first.inner_text()
    page.keyboard.press("/")
    page.keyboard.type("amorim")
    expect(rows).to_have_count(1)
    page.keyboard.press("Escape")
    expect(page.get_by_role("searchbox")).to_have_value("")
    expect(rows.nth(3)).to_be_visible()
    assert page.get_by_role("button", name="Clear", exact=False).first.inner_text() == all_of_them
    page.get_by_role("button", name="Filter").click()
    choose(page, "Channel", "Tallyfair")
    expect(page.get_by_text("orders match")).to_be_visible()
    axe(page)


def test_channels_show_what_came_and_a_change_there_is_taken_here(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar")
    page.goto("/set-up/channels?channel=tallyfair")
    expect(page.get_by_role("table", name="States").get_by_role("row", name="to dispatch")).to_contain_text("4")
    expect(page.get_by_text("kept back: payment pending")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="Test").click()
    expect(page.get_by_text("It answers: 5 orders")).to_be_visible()
    httpx.post(f"{shop.settings.standins_url}/tallyfair/play", data={"what": "move"})
    page.get_by_role("button", name="Pull now").click()
    # Brought by this pull, or by the one that the channel's own notice set off a moment before.
    expect(page.get_by_role("row", name="TF-7305 changed there: changed after import: address")).to_be_visible()
    page.goto("/orders")
    expect(row(page, "Otília Camacho")).to_contain_text("The channel changed this order after it was imported: address")
    row(page, "Otília Camacho").get_by_role("button", name="Fix").click()
    expect(page.get_by_role("dialog")).to_contain_text("Rua das Flores 99")
    axe(page)
    page.get_by_role("button", name="Take the change").click()
    expect(row(page, "Otília Camacho")).not_to_contain_text("The channel changed this order")


def test_a_cancellation_after_buying_is_decided_by_keyboard_from_today(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    headers = {"X-CSRF-Token": page.request.get("/api/me").json()["csrf_token"]}
    asked = {"view": "clear", "channel": "tallyfair", "limit": "50"}
    rows = page.request.get("/api/orders", params=asked).json()["orders"]
    wanted = [{"order_id": r["id"], "shown_minor": r["price_minor"]} for r in rows]
    page.request.post("/api/purchases", data={"orders": wanted, "client_key": "after-buying"}, headers=headers)
    for r in rows:
        page.wait_for_function(
            f"async () => (await (await fetch('/api/orders/{r['id']}')).json()).row.state === 'shipped'", timeout=60_000
        )
    httpx.post(f"{shop.settings.standins_url}/tallyfair/play", data={"what": "cancel"})
    page.request.post("/api/channels/tallyfair/pull", headers=headers)
    page.goto("/today")
    line = page.get_by_role("row", name="The channel cancelled this order after it was imported; its label is bought")
    expect(line).to_be_visible()
    page.keyboard.press(line.locator(".key").inner_text())
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("1 label for €")
    axe(page)
    expect(page.get_by_role("button", name="Keep it here")).to_be_focused()
    page.keyboard.press("Enter")  # costs nothing: the parcel stays, the question too
    expect(dialog).to_have_count(0)
    page.keyboard.press("s")
    expect(page.get_by_role("button", name="Keep it here")).to_be_focused()
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(dialog).to_have_count(0)
    expect(page.get_by_text("cancelled: cancelled in the channel after import")).to_be_visible()


def test_a_column_nobody_understood_is_said_by_keyboard_before_anything_comes_in(
    browser: Browser, shop: Supervisor
) -> None:
    page = page_of(browser, shop)
    page.goto("/import")
    file = (
        "order,name,address,postcode,city,country,sku,qty,Basis,Colour of the ribbon,Wave\n"
        "Q-1,Ana Prado,Rua do Sol 4,3000-310,Coimbra,PT,HF-02,1,Order,red,7\n"
        "Q-2,Rui Melo,Rua Nova 8,3000-010,Coimbra,PT,HF-02,1,On approval,blue,7\n"
    )
    page.set_input_files("input[type=file]", {"name": "q.csv", "mimeType": "text/csv", "buffer": file.encode()})
    asked = page.get_by_role("region", name="Columns not understood")
    expect(asked.get_by_role("row", name="Basis 2 rows Order · On approval")).to_be_visible()
    expect(page.get_by_role("button", name="Import 2 orders")).to_be_disabled()
    axe(page)
    choose_by_keys(page, "What “Basis” is", "State")
    choose_by_keys(page, "What “on approval” means", "the order must not go")
    choose_by_keys(page, "What “order” means", "the order may go")
    asked.get_by_role("button", name="Leave both out").press("Enter")
    expect(asked).to_have_count(0)
    axe(page)
    page.get_by_role("button", name="Import 1 order").press("Enter")
    expect(page.get_by_text("1 order imported.")).to_be_visible()
    page.get_by_role("button", name="Take this import back").press("Enter")
    expect(page.get_by_text("This import was taken back.")).to_be_visible()


def test_orders_in_pounds_are_accepted_and_valued_at_one_rate_by_keyboard(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    page.goto("/import")
    file = (
        "order,name,address,postcode,city,country,sku,qty,price,currency\n"
        "P-1,Tom Hale,12 Mill Lane,BS1 4QA,Bristol,GB,HF-02,2,18.20,GBP\n"
        "P-2,Eve Hale,14 Mill Lane,BS1 4QA,Bristol,GB,HF-02,1,18.20,GBP\n"
    )
    page.set_input_files("input[type=file]", {"name": "p.csv", "mimeType": "text/csv", "buffer": file.encode()})
    expect(page.get_by_role("heading", name="0 good orders, 2 rows kept back")).to_be_visible()
    choose_by_keys(page, "What “GBP” means", "import, prices stay as they are")
    page.get_by_role("button", name="Import 2 orders").press("Enter")
    expect(page.get_by_text("2 orders imported.")).to_be_visible()

    page.goto("/orders")
    page.get_by_label("Search in the list").fill("Hale")
    expect(row(page, "Tom Hale")).to_contain_text("Priced at 36.40 GBP; enter the value in EUR")
    row(page, "Tom Hale").get_by_role("button", name="Fix").press("Enter")
    value = page.get_by_role("textbox", name="Value of the goods")
    value.fill("forty")
    value.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("“forty” is not a valid amount in EUR.")
    axe(page)
    value.fill("42,50")
    page.get_by_label("At the same rate for all 2 orders in GBP").press("Space")
    page.get_by_role("button", name="Save and plan 2 orders again").press("Enter")
    for who in ("Tom Hale", "Eve Hale"):
        expect(row(page, who)).not_to_contain_text("enter the value")
        expect(row(page, who)).to_contain_text("€")
    row(page, "Eve Hale").click()
    page.keyboard.press("Enter")
    expect(page.get_by_text("Valued at €21.25")).to_be_visible()
    expect(page.get_by_text("£18.20").first).to_be_visible()
    axe(page)


def test_a_row_is_corrected_in_place_and_an_import_taken_back(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    page.goto("/import")
    page.set_input_files("input[type=file]", DATA / "orders-messy.csv")
    page.get_by_role("row", name="“Atlantis” is no country").get_by_role("button", name="Correct").click()
    axe(page)
    page.get_by_role("textbox", name="Country").fill("Portugal")
    page.get_by_role("button", name="Correct the row").click()
    expect(page.get_by_text("“Atlantis” is no country")).to_have_count(0)
    page.get_by_role("button", name="Import 9 orders").click()
    page.get_by_role("button", name="Take this import back").click()
    expect(page.get_by_text("This import was taken back.")).to_be_visible()
