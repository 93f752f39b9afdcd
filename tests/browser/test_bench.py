"""A shift at the packing bench by scanner alone, and the handing over behind it, in a real browser."""

from __future__ import annotations

import re
import time
from itertools import cycle
from typing import Any

import httpx
from playwright.sync_api import Browser, Page, expect

from tests.browser.people import axe, page_of
from tests.run.length import LONG
from tidewind.running.supervisor import Supervisor

BENCH = "/api/benches/Bench 1"
DELAYS_MS = cycle((5, 30))


def scan(page: Page, code: str, dead_key: bool = False) -> dict[str, Any]:
    """Let a scanner type a code, at 5 or at 30 ms a key, and return what the bench says of it."""
    before = page.evaluate("() => document.querySelector('.said')?.textContent ?? ''")
    half = len(code) // 2
    page.keyboard.type(code[:half], delay=next(DELAYS_MS))
    if dead_key:
        page.evaluate(
            "() => (document.activeElement ?? document.body).dispatchEvent("
            "new KeyboardEvent('keydown', {key: 'Dead', bubbles: true, cancelable: true}))"
        )
    page.keyboard.type(code[half:], delay=next(DELAYS_MS))
    with page.expect_response(lambda answer: answer.url.endswith("/scan")) as heard:
        page.keyboard.press("Enter")
    told: dict[str, Any] = heard.value.json()
    if told["said"]["words"] and told["said"]["words"] not in before:
        expect(page.locator(".said")).to_contain_text(told["said"]["words"][:60])
    return told


def packed(page: Page, number: str) -> None:
    """Wait until the label has come and the next order is awaited."""
    for _ in range(150):
        told = page.request.get(BENCH).json()
        if told["phase"] == "await":
            assert told["said"]["words"].startswith(f"{number} is packed"), told["said"]
            return
        assert told["phase"] == "buying", told["said"]
        time.sleep(0.2)
    raise AssertionError(f"no label came for {number}")


def orders_to_pack(page: Page, codes: dict[str, str]) -> list[dict[str, Any]]:
    """Return orders whose goods all have a barcode and no serial number, with what is to be scanned for each."""
    rows = page.request.get("/api/orders", params={"view": "clear", "limit": 200}).json()["orders"]
    found = []
    for row in rows:
        told = page.request.get(f"/api/orders/{row['id']}").json()
        scans = [codes.get(line["sku"], "") for line in told["lines"] for _ in range(line["quantity"])]
        if scans and all(scans) and len(scans) <= 8:
            found.append({"number": row["number"], "id": row["id"], "scans": scans, "carrier": row["carrier"]})
    return found


def test_a_whole_shift_by_scanner_alone(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop)
    token = page.request.get("/api/me").json()["csrf_token"]
    products = page.request.get("/api/products", params={"limit": 500}).json()["products"]
    codes = {p["sku"]: p["barcode"] for p in products if not p["serial"] and not p["parts"]}
    orders = orders_to_pack(page, codes)
    held, *mine = orders
    assert len(mine) >= 20
    page.request.post(
        "/api/orders/held",
        data={"order_ids": [held["id"]], "held": True},
        headers={"X-CSRF-Token": token},
    )
    strange = next(c for c in codes.values() if c and not any(c in o["scans"] for o in mine[:3]))
    page.goto("/bench")
    expect(page.get_by_role("heading", name="Scan a slip")).to_be_visible()
    axe(page)
    page.get_by_label("Bench", exact=True).focus()  # whatever has the focus, the keys are the scanner's
    first, second, third = mine[:3]
    mistakes = [
        (scan(page, "TWCODE-DO-BUY-AND-PRINT"), "No order yet"),
        (scan(page, "NO-SUCH-ORDER-1"), "Unknown"),
        (scan(page, held["number"]), "Stop"),
    ]
    assert scan(page, first["number"], dead_key=True)["phase"] == "items"
    axe(page)
    mistakes.append((scan(page, strange), "Wrong item"))
    axe(page)
    mistakes.append((scan(page, second["number"]), "Another order"))
    mistakes.append((scan(page, "TWCODE-DO-BUY-ONLY"), "Not yet"))
    mistakes.append((scan(page, "TWCODE-PIECES-9999"), "How many?"))
    scan(page, "TWCODE-PIECES-50")
    mistakes.append((scan(page, first["scans"][0]), "Too many"))
    assert [(told["said"]["kind"], told["said"]["word"]) for told, _ in mistakes] == [
        ("wrong", word) for _, word in mistakes
    ]
    scan(page, "TWCODE-DO-UNDO")
    assert page.request.get(BENCH).json()["phase"] == "await"  # nothing was in it, so the order was put back
    shift = mine[: 20 if LONG else 8]
    for order in shift:
        scan(page, order["number"])
        for code in order["scans"]:
            told = scan(page, code)
            assert told["said"]["kind"] == "right", (order, told["said"])
        packed(page, order["number"])
    again = scan(page, third["number"])
    assert "packed already" in again["said"]["words"]
    assert page.request.get(BENCH).json()["packed_today"] == len(shift)
    prints = page.request.get("/api/prints").json()
    assert sum(one["title"].startswith("Labels of order") for one in prints) >= len(shift)
    page.reload()
    expect(page.get_by_role("heading", name="Scan a slip")).to_be_visible()
    _carrier_down(page, shop, mine[8:])
    _without_network(page, mine[8:])
    assert page.errors == []  # type: ignore[attr-defined]


def _carrier_down(page: Page, shop: Supervisor, orders: list[dict[str, Any]]) -> None:
    """A carrier that does not answer keeps nobody: parcels go aside, the next slip opens at once."""
    by_carrier: dict[str, list[dict[str, Any]]] = {}
    for order in orders:
        by_carrier.setdefault(order["carrier"], []).append(order)
    carrier, (first, second, third, *_) = max(by_carrier.items(), key=lambda one: len(one[1]))
    fault = {"party": carrier, "kind": "down", "times": "1000"}
    httpx.post(f"{shop.settings.standins_url}/faults", data=fault, follow_redirects=True).raise_for_status()
    scan(page, first["number"])
    for code in first["scans"]:
        told = scan(page, code)
    assert told["phase"] == "buying"
    assert scan(page, second["number"])["phase"] == "items"
    for code in second["scans"]:
        told = scan(page, code)
    assert (told["phase"], scan(page, third["number"])["phase"]) == ("buying", "items")
    aside = page.get_by_role("region", name="Set aside here").get_by_role("listitem")
    expect(aside).to_have_text([re.compile(f"{one['number']} its label is awaited") for one in (first, second)])
    axe(page)
    httpx.post(f"{shop.settings.standins_url}/faults", data={**fault, "times": "0"})
    assert scan(page, "TWCODE-DO-SKIP")["said"]["word"] == "Skipped"


def _without_network(page: Page, orders: list[dict[str, Any]]) -> None:
    """What was scanned while no answer came is sent in its order, and each answer is shown, the wrong ones loudly."""
    order = next(one for one in reversed(orders) if len(one["scans"]) > 1)
    page.context.set_offline(True)
    for code in (order["number"], "NO-SUCH-ITEM", order["scans"][0]):
        page.keyboard.type(code)
        page.keyboard.press("Enter")
    expect(page.get_by_text("No connection. 3 scans wait here")).to_be_visible()
    page.context.set_offline(False)
    late = page.get_by_role("region", name="Scans made without a connection").get_by_role("listitem")
    expect(late).to_have_text([re.compile(words) for words in ("✓.*Pack it", "✕.*Wrong item", "✓.*Right")])
    axe(page)
    scan(page, "TWCODE-DO-SKIP")
    expect(late).to_have_count(0)


def test_a_departure_is_fetched_listed_counted_and_handed_over(browser: Browser, shop: Supervisor) -> None:
    page = page_of(browser, shop, "Inês Valadar", width=1024)
    headers = {"X-CSRF-Token": page.request.get("/api/me").json()["csrf_token"]}
    day = page.request.get("/api/departures").json()["days"][1]
    rows = page.request.get("/api/orders", params={"view": "clear", "limit": 200}).json()["orders"]
    mine = [row["id"] for row in rows if row["carrier"] == "brightmile"][:6]
    page.request.post("/api/orders/hand", data={"order_ids": mine, "set": {"ship_date": day}}, headers=headers)
    rows = page.request.get("/api/orders", params={"view": "clear", "limit": 200}).json()["orders"]
    wanted = [{"order_id": r["id"], "shown_minor": r["price_minor"]} for r in rows if r["id"] in mine]
    page.request.post("/api/purchases", data={"orders": wanted, "client_key": "departures-1"}, headers=headers)
    page.goto(f"/departures?day={day}")
    road = page.get_by_role("option").filter(has_text="Brightmile road")
    expect(road).to_contain_text("label")
    axe(page)
    road.click()
    expect(page.get_by_text("Manifest not closed")).to_be_visible(timeout=60_000)
    page.keyboard.press("a")
    pickup = page.get_by_role("region", name="Pickup", exact=True)
    expect(pickup.get_by_text("✓ Booked")).to_be_visible(timeout=60_000)
    axe(page)
    page.keyboard.press("m")
    paper = page.get_by_role("region", name="Paper and driver")
    expect(paper.get_by_text("closed")).to_be_visible()
    expect(paper.get_by_text("The carrier has it.")).to_be_visible(timeout=60_000)
    number = (paper.locator(".mono").text_content() or "").strip()
    listed = page.request.get(f"/api/manifests/{number}.json").json()["parcels"]
    assert listed
    page.keyboard.press("d")
    dialog = page.get_by_role("dialog")
    code = dialog.get_by_label("Scan each parcel")
    expect(code).to_be_focused()
    code.press_sequentially("no label of ours")
    code.press("Enter")
    expect(dialog.get_by_text("✕ Unknown")).to_be_visible()
    for parcel in listed[1:] if len(listed) > 1 else listed:
        code.press_sequentially(parcel["tracking_number"])
        code.press("Enter")
        expect(dialog.get_by_text("✓ Goes")).to_be_visible()
    dialog.get_by_role("button", name="Take the last one back").click()
    expect(dialog.get_by_text("✓ Goes")).to_have_count(0)
    code.press_sequentially(parcel["tracking_number"])
    code.press("Enter")
    expect(dialog.get_by_text("✓ Goes")).to_be_visible()
    axe(page)
    dialog.get_by_label("Driver's name").fill("Rui Salgado")
    if len(listed) > 1:  # what the driver took is asked, and never guessed
        asked = dialog.get_by_text(f"{len(listed) - 1} of {len(listed)} scanned. Did the driver take")
        expect(asked).to_be_visible()
        expect(dialog.get_by_role("button", name="Hand over")).to_be_disabled()
        asked.get_by_role("button", name=str(len(listed) - 1), exact=True).click()
    dialog.get_by_role("button", name="Hand over").click()
    expect(dialog.get_by_text("handed over", exact=False).first).to_be_visible()
    if len(listed) > 1:
        expect(dialog.get_by_text(f"{listed[0]['order_number']} stays here")).to_be_visible()
    page.keyboard.press("Escape")
    expect(paper.get_by_text("Rui Salgado")).to_be_visible()
    axe(page)
    paper.get_by_role("button", name="Open the count again").press("Enter")
    dialog.get_by_label("Why").fill("he brought one back")
    axe(page)
    page.keyboard.press("Enter")
    expect(paper.get_by_text("Its count is open again: Inês Valadar: he brought one back.")).to_be_visible()
    expect(paper.get_by_role("button", name="Count with the driver")).to_be_visible()
    axe(page)
    page.goto("/set-up/bench")
    expect(page.get_by_role("heading", name="Sheets of codes")).to_be_visible()
    axe(page)
