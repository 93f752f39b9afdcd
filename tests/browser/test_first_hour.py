"""A stranger's own shop, from nothing to the first label, with the keyboard and two files."""

from __future__ import annotations

import httpx
from playwright.sync_api import Browser, Locator, Page, expect

from tests.browser.people import axe
from tidewind.core.tariffs.simple import EXAMPLE
from tidewind.outside.sheets_out import to_csv
from tidewind.running.supervisor import Supervisor
from tidewind.standins.store import KEY
from tidewind.standins.world import World

ORDERS = """order number,name,street,city,postcode,country,sku,item name,quantity,unit price,weight
W-1,Ana Prado,Rua do Sol 4,Coimbra,3000-310,PT,KNIFE,Carving knife,1,24.00,310 g
W-2,Luc Besse,Rue du Port 8,Nantes,44000,FR,SPOON,Spoon of olive wood,2,9.50,80 g
W-3,Rui Antas,Praça Velha 1,Porto,4100-320,PT,BOARD,Board of ash,1,31.00,1.4 kg
"""


class Hands:
    """Somebody at the keyboard: every field filled, button or link pressed and file given counts as one action."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions = page, 0

    def fill(self, label: str, text: str) -> None:
        self.actions += 1
        self.page.get_by_label(label, exact=True).last.focus()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.insert_text(text)

    def key(self, key: str) -> None:
        self.actions += 1
        self.page.keyboard.press(key)

    def press(self, what: Locator) -> None:
        expect(what).to_be_enabled()
        what.focus()
        self.key("Enter")

    def button(self, name: str) -> None:
        self.press(self.page.get_by_role("button", name=name))

    def give(self, label: str, name: str, data: bytes) -> None:
        self.actions += 1
        self.page.get_by_label(label).set_input_files({"name": name, "mimeType": "text/csv", "buffer": data})

    def today(self, words: str) -> None:
        self.press(self.page.get_by_role("link", name="Today"))
        expect(self.page.get_by_text(words)).to_be_visible()
        expect(self.page.get_by_role("link", name="Set it up").first).to_be_focused()


def test_from_an_empty_start_to_the_first_label(browser: Browser, empty_shop: Supervisor) -> None:
    url = empty_shop.settings.base_url
    somebody = {"login": "eve", "password": "five lilac wheelbarrows", "name": "Eve", "shop": "x"}
    for wrong, code in (("Moon/Crater", "unknown_zone"), ("UTC", "unknown_currency")):
        said = httpx.post(f"{url}/api/first-owner", json={**somebody, "time_zone": wrong, "currency": "XYZ"})
        assert said.json()["code"] == code
    page = browser.new_context(
        base_url=url, viewport={"width": 1280, "height": 800}, timezone_id="Europe/Lisbon", locale="pt-PT"
    ).new_page()
    page.errors = []  # type: ignore[attr-defined]
    page.on("pageerror", lambda error: page.errors.append(str(error)))  # type: ignore[attr-defined]
    page.goto("/")
    hands = Hands(page)
    _owner(hands)
    said = httpx.post(f"{url}/api/first-owner", json={**somebody, "time_zone": "UTC", "currency": "EUR"})
    assert said.json()["code"] == "already_set_up"
    _place(hands)
    _packaging(hands)
    _carrier(hands)
    _orders(hands)
    _label(hands)
    assert hands.actions <= 40, hands.actions
    print(f"{hands.actions} actions")


def test_the_same_shop_connects_a_carrier_and_a_store_by_address_and_key(
    browser: Browser, empty_shop: Supervisor, outside_world: tuple[str, int, World]
) -> None:
    page = browser.new_context(
        base_url=empty_shop.settings.base_url, viewport={"width": 1280, "height": 800}
    ).new_page()
    page.errors = []  # type: ignore[attr-defined]
    page.goto("/sign-in")
    hands, there = Hands(page), outside_world[0]
    hands.fill("Login", "ada")
    hands.fill("Password", "seven wooden crates")
    hands.key("Enter")
    expect(page.get_by_role("link", name="Set-up")).to_be_visible()
    page.goto("/set-up/carriers")
    hands.button("Add a carrier")
    expect(page.get_by_label("Name of the carrier")).to_be_focused()
    hands.button("It is reached at an address")
    expect(page.get_by_label("Address", exact=True)).to_be_focused()  # a new field takes the cursor a moment later
    hands.fill("Address", f"{there}/carriers/brightmile")
    hands.fill("Key that it gave you", "wrong")
    hands.button("Add the carrier")
    expect(page.get_by_role("alert")).to_contain_text("The key is missing, or is not one of ours")
    axe(page)
    hands.fill("Key that it gave you", "brightmile-key")
    hands.button("Add the carrier")
    expect(page.get_by_role("heading", name="Brightmile Parcel")).to_be_visible()
    expect(page.get_by_role("heading", name="Card from Wed 1 Jul")).to_be_visible()
    page.goto("/set-up/channels")
    hands.button("Connect a store")
    expect(page.get_by_label("Address", exact=True)).to_be_focused()
    hands.fill("Address", f"{there}/store")
    hands.fill("Key that it gave you", KEY)
    axe(page)
    hands.button("Connect it")
    expect(page.get_by_role("heading", name="Larkspur & Loam store")).to_be_visible()
    expect(page.get_by_role("row", name="on hold")).to_contain_text("hold")
    hands.button("Pull now")
    expect(page.get_by_text("kept back").first).to_be_visible()
    axe(page)
    page.goto("/orders")
    expect(page.locator("tr[data-order]", has_text="Sara Lindim").first).to_be_visible()
    # The goods of a store have no weight here yet; one that is said serves all orders of it.
    expect(page.get_by_text("has no weight").first).to_be_visible()
    assert page.errors == []  # type: ignore[attr-defined]


def _owner(hands: Hands) -> None:
    page = hands.page
    expect(page.get_by_label("Shop name")).to_be_visible()
    axe(page)
    for label, text in (("Shop name", "Ash & Knife"), ("Your name", "Ada Pine"), ("Login", "ada")):
        hands.fill(label, text)
    hands.fill("Password, at least 15 characters", "seven wooden crates")
    hands.key("Enter")
    expect(page.get_by_text("4 things are needed")).to_be_visible()
    expect(page.get_by_role("link", name="Set it up").first).to_be_focused()
    axe(page)


def _place(hands: Hands) -> None:
    page = hands.page
    hands.key("Enter")
    expect(page.get_by_text("No place yet.")).to_be_visible()
    axe(page)
    hands.button("Add a place")
    for label, text in (
        ("Name of the place", "Workshop"),
        ("Company", "Ash & Knife"),
        ("Street and number", "Rua da Serra 12"),
        ("Postcode", "3510-024"),
        ("City", "Viseu"),
    ):
        hands.fill(label, text)
    hands.fill("Country", "Portugal")
    expect(page.get_by_role("option", name="Portugal")).to_be_visible()
    page.keyboard.press("Enter")
    hands.button("Save the place")
    expect(page.get_by_role("cell", name="Workshop")).to_be_visible()


def _packaging(hands: Hands) -> None:
    hands.today("3 things are needed")
    hands.key("Enter")
    hands.button("Take six common sizes")
    expect(hands.page.get_by_text("Carton 40 × 30 × 20 cm")).to_be_visible()


def _carrier(hands: Hands) -> None:
    page = hands.page
    hands.today("2 things are needed")
    hands.key("Enter")
    expect(page.get_by_text("No carrier yet.")).to_be_visible()
    axe(page)
    hands.button("Add a carrier")
    hands.fill("Name of the carrier", "Serra Post")
    hands.give("Price list", "wrong.csv", b"Up to kg,Atlantis\n1,4.50\n")
    hands.button("Add the carrier")
    expect(page.get_by_role("alert")).to_contain_text("“Atlantis” is no country")
    axe(page)
    hands.give("Price list", "list.csv", to_csv(EXAMPLE[0], EXAMPLE[1:]))
    hands.button("Add the carrier")
    expect(page.get_by_text("No range yet")).to_be_visible()
    axe(page)
    hands.button("Add a range of numbers")
    hands.fill("What stands before it", "SP")
    hands.button("Add the range")
    expect(page.get_by_role("cell", name="SP00000001").first).to_be_visible()


def _orders(hands: Hands) -> None:
    page = hands.page
    hands.today("One more thing is needed")
    hands.key("Enter")
    expect(page.get_by_role("heading", name="Import orders")).to_be_visible()
    page.locator("input[type=file]").set_input_files(
        {"name": "week.csv", "mimeType": "text/csv", "buffer": ORDERS.encode()}
    )
    hands.actions += 1
    hands.press(page.get_by_role("button", name="Import 3"))
    expect(page.get_by_text("3 orders imported.")).to_be_visible()


def _label(hands: Hands) -> None:
    page = hands.page
    hands.press(page.get_by_role("link", name="Orders").first)
    expect(page.locator("tr[data-order]")).to_have_count(3)
    expect(page.get_by_text("Serra Post").first).to_be_visible()
    page.locator("body").focus()
    hands.key("a")
    expect(page.get_by_role("button", name="Buy 3 labels")).to_be_visible()
    hands.key("b")
    hands.press(page.get_by_role("dialog").get_by_role("button", name="Buy 3 labels"))
    expect(page.get_by_text("SP00000001").first).to_be_visible()
    pdf = page.request.get("/api/labels.pdf?shipment=1&shipment=2&shipment=3")
    assert (pdf.status, pdf.body()[:4]) == (200, b"%PDF")
    assert page.errors == []  # type: ignore[attr-defined]
