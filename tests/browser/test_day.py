"""A shipping day in a real browser, against the real processes: web server, job worker, stand-ins, database."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from tests.browser.people import axe, page_of, row
from tests.documents.reading import codes
from tidewind.running.supervisor import Supervisor
from tidewind.settings import DATA, ROOT


def buy(page: Page, labels: str) -> None:
    """Buy what the preflight shows, as one does who has read it: by Enter."""
    expect(page.get_by_role("dialog").get_by_role("button", name=f"Buy {labels}")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=f"Print {labels} on label printer")).to_be_visible(timeout=60_000)


def bought_now(page: Page, href: str) -> list[dict[str, Any]]:
    """Return the shipments of the batch that an address of labels means."""
    batch = parse_qs(urlsplit(href).query)["batch"][0]
    found: list[dict[str, Any]] = page.request.get(f"/api/batches/{batch}").json()["shipments"]
    return found


def test_a_messy_file_becomes_paid_printed_labels(browser: Browser, shop: Supervisor, tmp_path: Path) -> None:
    page = page_of(browser, shop)
    axe(page)
    page.get_by_role("link", name="Orders").click()
    page.get_by_role("link", name="Import").click()
    page.set_input_files("input[type=file]", DATA / "orders-messy.csv")
    expect(page.get_by_text("read as CSV, semicolon, cp1252, header in row 3")).to_be_visible()
    expect(page.get_by_text("“Atlantis” is no country")).to_be_visible()
    axe(page)
    page.get_by_role("button", name="Import 8 orders").click()
    expect(page.get_by_text("8 orders imported.")).to_be_visible()
    page.get_by_role("button", name="Import again 8 orders").click()
    expect(page.get_by_text("8 orders here already, left alone.")).to_be_visible()

    page.get_by_role("link", name="See the orders").click()
    page.get_by_label("Search in the list").fill("CJ-")
    expect(page.locator("tr[data-order]")).to_have_count(8)
    page.keyboard.press("Enter")
    row(page, "Dinis Valente").get_by_role("button", name="Fix").click()
    axe(page)
    page.get_by_label("Postcode").fill("3800-331")
    page.get_by_role("button", name="Save and plan again").click()
    expect(row(page, "Dinis Valente")).not_to_contain_text("Postcode")
    row(page, "Edite Romão").get_by_role("button", name="Fix").click()
    page.get_by_label("Weight of one piece").fill("900")
    page.keyboard.press("Enter")
    expect(row(page, "Edite Romão")).to_contain_text("has no size")
    row(page, "Edite Romão").get_by_role("button", name="Fix").click()
    expect(page.get_by_label("Length")).to_be_focused()  # or its focus would come in between
    for side, size in (("Length", "60"), ("Width", "40"), ("Height", "5,5")):
        page.get_by_label(side).fill(size)
    page.keyboard.press("Enter")
    expect(row(page, "Edite Romão")).not_to_contain_text("has no size")

    for name in ("Dinis Valente", "Adélia Bravo", "=CMD|'calc'!A1"):
        row(page, name).get_by_role("checkbox").check()
    expect(page.get_by_role("region", name="Selected orders")).to_contain_text("3 orders")
    axe(page)
    page.keyboard.press("b")
    expect(page.get_by_role("dialog")).to_contain_text("From the postage balance")
    axe(page)
    buy(page, "3 labels")
    href = page.get_by_role("link", name="Labels as PDF").get_attribute("href") or ""
    pdf = page.request.get(href).body()
    read = codes(pdf, tmp_path)
    assert not [s for s in bought_now(page, href) if s["labels"][0]["printed_at"]]  # looked at is not printed
    numbers = [label["Code128"].removeprefix("(00)") for label in read]
    assert len(set(numbers)) == 3
    assert all(n in (page.get_by_role("dialog").text_content() or "") for n in numbers)
    slips = page.request.get(href.replace("labels.pdf", "packing-slips.pdf").partition("&sequence")[0])
    assert slips.headers["content-type"] == "application/pdf"
    with page.context.expect_page():
        page.get_by_role("link", name="Labels as PDF").click()
    page.get_by_role("button", name="They are on paper: mark 3 labels printed").click()
    expect(page.get_by_role("button", name="They are on paper")).to_have_count(0)
    assert all(s["labels"][0]["printed_at"] for s in bought_now(page, href))
    page.get_by_role("button", name="Close").click()
    expect(row(page, "Dinis Valente")).to_have_count(0)

    inbox = page.context.new_page()
    for _ in range(40):  # the page of the mails does not follow by itself
        inbox.goto(f"{shop.settings.standins_url}/mail")
        if inbox.get_by_text("Your order CJ-704 is on its way").count():
            break
        inbox.wait_for_timeout(250)
    link = inbox.locator("pre", has_text="CJ-704").text_content() or ""
    inbox.goto(next(word for word in link.split() if "/t/" in word))
    expect(inbox.get_by_role("heading", name=re.compile("^(Announced|Anunciad)"))).to_be_visible()
    inbox.errors = []  # type: ignore[attr-defined]
    axe(inbox)


def test_the_days_work_by_keyboard_alone_in_the_dark_and_narrow(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, scheme="dark", width=1024)
    axe(page)
    page.keyboard.press("Control+k")
    page.get_by_role("textbox", name="Search").press_sequentially("amorim")
    expect(page.get_by_role("button", name="Beatriz Amorim")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Price against arrival")).to_be_visible()
    axe(page)
    before = page.locator("tr.chosen").text_content() or ""
    page.get_by_role("button", name="Road", exact=False).last.focus()
    page.keyboard.press("Enter")
    expect(page.locator("tr.chosen")).not_to_have_text(before)
    expect(page.get_by_text("Set by hand: service.")).to_be_visible()
    page.keyboard.press("w")
    expect(page.get_by_role("dialog")).to_contain_text("by hand")
    expect(page.get_by_role("dialog")).to_contain_text("overridden: choice policy")
    axe(page)
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="Price against arrival")).to_have_count(0)
    page.get_by_role("button", name="Clear").click()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("region", name="Selected orders")).to_contain_text("2 orders")
    page.keyboard.press("h")
    page.get_by_role("button", name="Held or left out").click()
    expect(page.get_by_text("held by Tomé Brisson").first).to_be_visible()
    for path in (
        "/money",
        "/set-up/places",
        "/set-up/packaging",
        "/import",
        "/recipes",
        "/set-up/channels",
        "/set-up/carriers",
        "/set-up/products",
        "/set-up/contacts",
        "/rules",
        "/quote",
        "/batches",
        "/returns",
        "/requests",
        "/set-up/printing",
        "/nowhere",
    ):
        page.goto(path)
        expect(page.get_by_role("heading").first).to_be_visible()
        axe(page)


def books(standins: str) -> list[dict[str, int]]:
    """Return everything the carriers have sold in this world."""
    return [s for party in ("norvia", "brightmile") for s in httpx.get(f"{standins}/carriers/{party}/book").json()]


@pytest.mark.long("a worker is killed behind the pages; the services' own tests kill it at each commit")
def test_a_worker_killed_while_buying_loses_nothing_and_buys_nothing_twice(browser: Browser, shop: Supervisor) -> None:
    standins = shop.settings.standins_url
    for party in ("norvia", "brightmile"):
        # More than six, for whoever asks where parcels are takes some of them.
        httpx.post(f"{standins}/faults", data={"party": party, "kind": "slow", "times": 9})
    page = page_of(browser, shop)
    before = page.request.get("/api/orders?view=shipped").json()["counts"]["shipped"]
    sold_before = books(standins)
    had_minor = page.request.get("/api/money").json()["balance"]["available_minor"]
    page.goto("/orders?view=clear")
    expect(page.locator("tr[data-order]").first).to_be_visible()
    for box in page.locator("tr[data-order] input").all()[:6]:
        box.check()
    page.keyboard.press("b")
    page.get_by_role("dialog").get_by_role("button", name="Buy ").click()
    expect(page.get_by_text("Asking the carrier…").first).to_be_visible()
    shop.kill("worker")
    page.reload()  # the browser forgets too
    shop.start("worker")
    key = {"view": "shipped"}
    with httpx.Client(base_url=shop.settings.base_url, timeout=30) as client:
        people = client.get("/api/start").json()["demo_people"]
        client.post("/api/sign-in", json={"login": people[0]["login"], "password": people[0]["password"]})
        for _ in range(120):
            if client.get("/api/orders", params=key).json()["counts"]["shipped"] >= before + 6:
                break
            page.wait_for_timeout(500)
        ledger = client.get("/api/money").json()
        assert client.get("/api/orders", params=key).json()["counts"]["shipped"] == before + 6
    assert ledger["balance"]["held_minor"] == 0
    sold = books(standins)
    assert len(sold) == len(sold_before) + 6
    assert ledger["balance"]["available_minor"] == had_minor - sum(s["price_minor"] for s in sold) + sum(
        s["price_minor"] for s in sold_before
    )
    assert httpx.get(f"{shop.settings.base_url}/api/health").json()["ok"] is True


@pytest.mark.long("the pages as two more roles; every operation as every role is in the short run")
def test_what_care_and_the_owner_may_do(browser: Browser, shop: Supervisor) -> None:
    care = page_of(browser, shop, "Rute Carmo")
    expect(care.get_by_role("link", name="Money")).to_have_count(0)
    care.goto("/orders")
    expect(care.locator("tr[data-order]").first).to_be_visible()
    care.keyboard.press("b")
    expect(care.get_by_role("dialog")).to_have_count(0)
    owner = page_of(browser, shop, "Inês Valadar")
    owner.goto("/money")
    owner.get_by_label("Top up by").fill("25")
    owner.get_by_role("button", name="Top up").click()
    expect(owner.get_by_role("cell", name="Top-up by Inês Valadar").first).to_be_visible()
    owner.goto("/set-up/packaging")
    owner.get_by_role("button", name="Add packaging").click()
    for label, text in (
        ("Name", "Seed sleeve"),
        ("Code", "ENV-XS"),
        ("Inner length", "18"),
        ("Inner width", "12"),
        ("Inner height", "1"),
        ("Outer length", "17"),
        ("Outer width", "12.5"),
        ("Outer height", "1.2"),
        ("Own weight", "9"),
        ("Padding", "0"),
        ("Most load", "200"),
    ):
        owner.get_by_role("textbox", name=label, exact=True).fill(text)
    owner.get_by_role("button", name="Save the packaging").click()
    expect(owner.get_by_text("The inner size is larger")).to_have_count(0)
    owner.goto("/set-up/places")
    owner.get_by_role("button", name="Add a place").click()
    owner.get_by_label("Name of the place").fill("Kiosk")
    owner.get_by_role("button", name="Save the place").click()
    expect(owner.get_by_role("alert")).to_contain_text("country is missing")
    assert owner.get_by_label("Name of the place").input_value() == "Kiosk"  # what was typed is still there
    axe(owner)
    owner.goto("/set-up/printing")
    owner.get_by_role("button", name="Add a printer").click()
    owner.keyboard.type("Roll in the hall")  # at once, without looking where the cursor is
    owner.keyboard.press("Tab")
    owner.keyboard.press("Control+a")
    owner.keyboard.type("ipp://localhost:9/ipp/print")
    expect(owner.get_by_label("Name", exact=True)).to_have_value("Roll in the hall")
    owner.get_by_role("button", name="Add it").click()
    expect(owner.get_by_text("No printer answers at ipp://localhost:9/ipp/print")).to_be_visible()
    axe(owner)
    owner.goto("/set-up/channels")
    owner.get_by_role("button", name="Add a feed").click()
    owner.get_by_label("Name of its channel").fill("Shed shop")
    owner.get_by_label("Address", exact=True).fill("https://10.1.2.3/orders.json")
    owner.get_by_role("button", name="Look there, keep nothing").click()
    expect(owner.get_by_text("lies in a private network")).to_be_visible()
    axe(owner)
    owner.goto("/departures")
    lanes = owner.get_by_role("listbox", name="Departures of the day").get_by_role("option")
    expect(lanes.first).to_be_visible()
    pressed = owner.locator(".chip[aria-pressed=true]")
    shown = pressed.inner_text()
    owner.keyboard.press("ArrowRight")
    expect(pressed).not_to_have_text(shown)
    owner.keyboard.press("ArrowDown")
    owner.keyboard.press("ArrowUp")
    expect(lanes.and_(owner.locator("[aria-selected=true]"))).to_have_count(1)
    lanes.filter(has_text="Pontolo Points").click()
    owner.get_by_role("button", name="All 14 points").click()
    always = owner.get_by_role("button", name="Lockers, bus station")  # day and night, whenever this runs
    always.click()
    expect(always).to_have_attribute("aria-pressed", "true")
    expect(owner.get_by_text("Taken to")).to_be_visible()
    axe(owner)


def test_the_pictures_in_the_readme_are_there() -> None:
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    readme = (ROOT / "README.md").read_text("utf-8")
    assert 0 < len(pictures) < 20
    for picture in pictures:
        assert picture.name in readme
        with Image.open(picture) as image:
            assert image.width == 1280
