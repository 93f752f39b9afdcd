"""The checkout of the stand-in web shop: a page for a phone, without script, that asks the shop what it may offer."""

from __future__ import annotations

import json
from html import escape
from typing import Annotated, Any

import httpx
from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse
from pydantic import BaseModel

from tidewind.standins.notices import tell_of_change
from tidewind.standins.webshop_orders import new_order, prices_of_goods
from tidewind.standins.world import World

router = APIRouter(prefix="/larkspur")
WAITS_S = 3.0
GOODS = ("TR-02", "SC-BEE", "HF-01", "GL-M")
_STYLE = """
body { font: 16px/1.5 system-ui, sans-serif; max-width: 30rem; margin: 0 auto; padding: 1rem; color: #23292E }
label { display: block; margin: .5rem 0 }
input[type=text], select { font: inherit; width: 100%; padding: .5rem; box-sizing: border-box }
.offer { display: flex; gap: .6rem; border: 1px solid #DDD8D0; border-radius: 8px; padding: .7rem; margin: .4rem 0 }
.offer span { flex: 1 }
.offer small { display: block; color: #5F6468 }
button { font: inherit; padding: .7rem 1.2rem; width: 100%; margin-top: .6rem }
h1 { font-size: 1.3rem }
.note { background: #F8E5E1; padding: .6rem }
"""


class Way(BaseModel):
    """Where the shop's prices are asked, and with which key."""

    url: str
    key: str


@router.put("/checkout-key")
def keep_way(way: Way, request: Request) -> dict[str, bool]:
    """Keep where prices are asked from now on."""
    world: World = request.app.state.world
    with world.work() as db:
        db.execute("insert or replace into setting values ('checkout', ?)", (way.model_dump_json(),))
    return {"ok": True}


class Shopper(BaseModel):
    """What somebody has typed so far."""

    goods: str = "TR-02"
    pieces: int = 2
    name: str = ""
    street: str = ""
    city: str = ""
    postcode: str = "3500-108"
    country: str = "PT"
    offer: str = ""


def _offers(world: World, shopper: Shopper) -> list[dict[str, Any]] | None:
    """Return what the shop offers, None where it does not answer."""
    kept = world.rows("select value from setting where name = 'checkout'")
    if not kept:
        return None
    way, price = json.loads(kept[0]["value"]), prices_of_goods()[shopper.goods][1]
    body = {
        "cart": [{"sku": shopper.goods, "pieces": shopper.pieces, "cents": price}],
        "to": {"country": shopper.country, "postcode": shopper.postcode, "town": shopper.city},
    }
    try:
        answer = httpx.post(
            f"{way['url']}/api/checkout/v1/channels/larkspur/offers",
            json=body,
            headers={"Authorization": f"Bearer {way['key']}"},
            timeout=WAITS_S,
        )
        found: list[dict[str, Any]] = answer.raise_for_status().json()["choices"]
    except (httpx.HTTPError, ValueError, KeyError):
        return None
    return found


@router.get("/checkout", response_class=HTMLResponse)
def checkout(
    request: Request, goods: str = "TR-02", pieces: int = 2, postcode: str = "3500-108", country: str = "PT"
) -> str:
    """Show the checkout for a basket and a destination."""
    sku = goods if goods in prices_of_goods() else "TR-02"
    shopper = Shopper(goods=sku, pieces=min(max(pieces, 1), 99), postcode=postcode[:20], country=country[:2].upper())
    return _page(request, shopper, "")


@router.post("/checkout", response_class=HTMLResponse)
def order(request: Request, said: Annotated[Shopper, Form()]) -> str:
    """Take an order with the offer that was chosen, and hand it to the shop at its next pull."""
    world: World = request.app.state.world
    if said.goods not in prices_of_goods():
        raise HTTPException(404, "no such goods")
    chosen = next((o for o in _offers(world, said) or [] if o["id"] == said.offer), None)
    if chosen is None or not (said.name and said.street and said.city):
        return _page(request, said, "Choose how it shall come, and write name, street and town.")
    orders = world.rows("select count(*) as many from shop_order")[0]["many"]
    number = f"LL-{25_000 + orders}"
    to = {**said.model_dump(include={"name", "city", "postcode", "country"}), "line1": said.street}
    body = new_order(number, world.now(), to, (said.goods, said.pieces), chosen)
    with world.work() as db:
        db.execute("insert into shop_order (number, body) values (?, ?)", (number, json.dumps(body)))
    tell_of_change(world)
    return _frame(f"<h1>Thank you</h1><p>Order {escape(number)} is on its way to us: {escape(chosen['title'])}.</p>")


def _page(request: Request, shopper: Shopper, note: str) -> str:
    offers, goods = _offers(request.app.state.world, shopper), prices_of_goods()
    choices = "".join(
        f'<option value="{sku}"{" selected" if sku == shopper.goods else ""}>{escape(goods[sku][0])}</option>'
        for sku in dict.fromkeys((shopper.goods, *(sku for sku in GOODS if sku in goods)))
    )
    fields = "".join(
        f'<label>{label}<input type="text" name="{name}" value="{escape(str(getattr(shopper, name)))}"></label>'
        for name, label in (
            ("pieces", "Pieces"), ("name", "Name"), ("street", "Street"), ("postcode", "Postcode"), ("city", "Town"),
            ("country", "Country, two letters"),
        )
    )  # fmt: skip
    said = f'<p class="note">{escape(note)}</p>' if note else ""
    return _frame(
        f'<h1>Larkspur &amp; Loam: checkout</h1>{said}<form method="post"><label>Goods<select name="goods">{choices}'
        f'</select></label>{fields}<button formmethod="get">Show how it can come</button><h1>How shall it come?</h1>'
        f"{_lines(offers)}<button>Order</button></form>"
    )


def _lines(offers: list[dict[str, Any]] | None) -> str:
    if offers is None:
        return '<p class="note">Prices are not to be had at the moment.</p>'
    if not offers:
        return '<p class="note">We do not send there.</p>'
    return "".join(
        f'<label class="offer"><input type="radio" name="offer" value="{escape(o["id"])}"'
        f"{' checked' if not n else ''}><span>{escape(o['title'])}<small>{escape(_arrives(o))}</small></span>"
        f"<b>{'free' if not o['cents'] else '€{:.2f}'.format(o['cents'] / 100)}</b></label>"
        for n, o in enumerate(offers)
    )


def _border(offer: dict[str, Any]) -> str:
    cents = offer.get("border_cents")
    return f"; about €{cents / 100:.2f} of duties and taxes are asked for on arrival" if cents else ""


def _arrives(offer: dict[str, Any]) -> str:
    by, start = offer["by"], offer["from"]
    days = "" if not by else f"by {by}" if not start or start == by else f"{start} to {by}"
    return f"{days}{_border(offer)}"


def _frame(body: str) -> str:
    return (
        '<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        f"<title>Larkspur &amp; Loam</title><style>{_STYLE}</style>{body}</html>"
    )
