"""Shops that have none of something: every page opens, every deed is done or refused in words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from sqlalchemy import text

from tests.run.length import LONG
from tests.web.who_may import BODIES, MAY, in_person
from tidewind.web.access import Wiring

# What is not there any more, or was never made; each statement leaves rows that point there alone.
LACKS = {
    "carriers": "update carrier set active = false",
    "accounts": "delete from carrier_account",
    "cards": "delete from rate_card",
    "packaging": "update packaging set active = false",
    "places": "update place set is_default = false",
    "products": "delete from product",
    "rules": "delete from rule_set; delete from recipe; delete from promise_link; delete from precedent",
    "checkout": "delete from checkout_version",
    "orders": "truncate customer_order cascade",
    "channels": "update channel set state = 'removed'",
    "everything to ship by": "update carrier set active = false; update packaging set active = false; delete from product",
}
HEAD = "Order;Name;Street;Postcode;City;Country;SKU;Quantity;Price;Weight g\n"
ROW = "N-{n};Ana Prado;Rua do Sol {n};3000-310;Coimbra;Portugal;NEW-{n};2;4,50;420\n"
BASKET = {
    "destination": {"country": "PT", "postcode": "3000-310", "city": "Coimbra"},
    "lines": [{"sku": "HF-02", "quantity": 2, "unit_price_minor": 450}],
}


@pytest.fixture
def owner(wiring: Wiring, base_url: str) -> Iterator[httpx.Client]:
    with wiring.sessions.begin() as session:
        headers = in_person(session, "owner", wiring.clock())
    with httpx.Client(base_url=base_url, timeout=60, headers=headers) as client:
        yield client


def deeds(client: httpx.Client) -> Iterator[tuple[str, httpx.Response]]:
    """Do what a day is made of, and open every page; give what was answered to each."""
    # More than a dozen weighed orders are planned by columns, fewer one by one.
    for first, count in ((0, 2), (100, 15)):
        file = HEAD + "".join(ROW.format(n=n) for n in range(first, first + count))
        made = client.post("/api/imports", files={"file": ("new.csv", file)})
        yield "upload", made
        yield "import", client.post(f"/api/imports/{made.json()['id']}/run")
    rows = client.get("/api/orders", params={"view": "all", "limit": 20})
    yield "orders", rows
    for row in rows.json()["orders"][:3]:
        for path in ("", "/compare", "/history"):
            yield f"order{path}", client.get(f"/api/orders/{row['id']}{path}")
        yield "hand", client.patch(f"/api/orders/{row['id']}/hand", json={"service": "no-such-service"})
        wish = {"order_id": row["id"], "shown_minor": row["price_minor"] or 0}
        yield "buy", client.post("/api/purchases", json={"client_key": f"lacks-{row['id']}", "orders": [wish]})
    packaging = client.get("/api/packaging").json()
    for box in packaging[:2]:
        yield (
            "packaging",
            client.post("/api/packaging", json={k: v for k, v in box.items() if k in _BOX} | {"own_g": 77}),
        )
    yield "checkout", client.post("/api/checkout/v1/offers", json=BASKET)
    for route in MAY:
        method, path = route.split()
        if method == "GET" and "{" not in path and path != "/api/news":
            yield path, client.get(path)
        elif method == "POST" and "{" not in path and path not in _ENDS:
            yield f"POST {path}", client.post(path, json=BODIES.get(route, {}))


_BOX = frozenset(
    "id code name inner_length inner_width inner_height outer_length outer_width outer_height own_g padding_g".split()  # noqa: SIM905
) | {"max_load_g", "cost_minor", "carrier", "active"}
_ENDS = frozenset({"/api/sign-out"})


@pytest.mark.parametrize("lack", LACKS if LONG else ("carriers", "places", "everything to ship by"))
def test_a_shop_without_some_of_its_parts_answers_in_words(
    wiring: Wiring, owner: httpx.Client, lack: str, document: dict[str, Any]
) -> None:
    with wiring.sessions.begin() as session:
        for statement in LACKS[lack].split(";"):
            session.execute(text(statement))
    done = list(deeds(owner))
    assert {
        (what, answer.status_code, answer.text[:300]) for what, answer in done if answer.status_code >= 500
    } == set()
    assert {"upload", "import", "orders"} <= {what for what, answer in done if answer.status_code < 300}
