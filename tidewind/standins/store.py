"""The Larkspur web shop once more, as a store that speaks the open channel protocol: what any shop can connect to."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter, Depends, HTTPException, Request, Response
from pydantic import BaseModel

from tidewind.standins.faults import answer, strike
from tidewind.standins.notices import STORE_KEY as KEY
from tidewind.standins.notices import tell_of_change
from tidewind.standins.shelves import Levels, be_told, hand_out
from tidewind.standins.webshop import PAGE
from tidewind.standins.world import World

STATES = {"processing": "fetch", "on_hold": "hold", "collected": "leave_out", "cancelled": "cancelled"}
PAYMENTS = {"paid": "paid", "pending": "unpaid"}


class News(BaseModel):
    """What became of an order."""

    kind: str
    carrier: str = ""
    tracking_numbers: list[str] = []
    tracking_url: str = ""


def at_the_door(request: Request) -> None:
    """Let in who has the store's key."""
    if request.headers.get("Authorization") != f"Bearer {KEY}":
        raise HTTPException(401, {"reason": "wrong_key", "detail": "the key is missing, or is not the store's"})


__all__ = ["KEY", "router"]
router = APIRouter(prefix="/store", dependencies=[Depends(at_the_door)])


@router.get("/capabilities")
def capabilities() -> dict[str, Any]:
    """Say which store this is, and its words."""
    return {
        "protocol": {"name": "tidewind-channel", "version": "1.0"},
        "channel": {"name": "Larkspur & Loam store", "currency": "EUR"},
        "states": STATES,
        "payments": PAYMENTS,
        "can": ["hook", "stock"],
    }


@router.get("/stock")
def stock(request: Request, after: str = "") -> Response:
    """Return what is left to sell, page by page in the order of the SKUs."""
    world: World = request.app.state.world
    strike(world, "larkspur")
    found = [level for level in hand_out(world, "larkspur") if level["sku"] > after]
    page = found[:PAGE]
    body = {"levels": page, "cursor": page[-1]["sku"] if page else after, "more": len(found) > PAGE}
    return answer(world, "larkspur", body)


@router.put("/stock")
def stock_told(told: Levels, request: Request) -> dict[str, list[str]]:
    """Be told what is left to sell."""
    strike(request.app.state.world, "larkspur")
    return be_told(request.app.state.world, "larkspur", told)


class Hook(BaseModel):
    """Where notices are sent; none for no notices any more."""

    url: str | None


@router.put("/hook")
def hook(said: Hook, request: Request) -> dict[str, bool]:
    """Keep where notices go, and send one at once."""
    world: World = request.app.state.world
    with world.work() as db:
        db.execute("delete from consent where market = 'store'")
        if said.url:
            db.execute("insert into consent values ('store', 'store', ?)", (said.url,))
    tell_of_change(world)
    return {"kept": True}


@router.get("/orders")
def orders(request: Request, after: str = "0") -> Response:
    """Return the orders that changed after a cursor."""
    world: World = request.app.state.world
    strike(world, "larkspur")
    if not after.isdigit():
        raise HTTPException(422, {"reason": "bad_cursor", "detail": "this cursor was never handed out"})
    found = world.rows("select id, body from shop_order where id > ? order by id limit ?", int(after), PAGE)
    body = {
        "orders": [_order(json.loads(row["body"])) for row in found],
        "cursor": str(found[-1]["id"]) if found else after,
        "more": len(found) == PAGE,
    }
    return answer(world, "larkspur", body)


def _order(said: dict[str, Any]) -> dict[str, Any]:
    to, delivery = said["shipping"], said["delivery"]
    return {
        "number": said["number"],
        "state": said["status"],
        "payment": said["payment"],
        "placed_at": said["placed_at"],
        "recipient": {"street": to["line1"], **{k: to[k] for k in _SAME}},
        "business": to["business"],
        "lines": [
            {"sku": ln["sku"], "name": ln["title"], "quantity": ln["quantity"], "unit_price_minor": ln["price_cents"]}
            for ln in said["lines"]
        ],
        "promise": {"text": delivery["title"], "date": delivery.get("promised")},
        "shipping_paid_minor": delivery["paid_cents"],
        "note": said["note"],
    }


_SAME = ("name", "city", "region", "postcode", "country", "phone", "email")


@router.get("/counts")
def counts(request: Request) -> dict[str, dict[str, int]]:
    """Return how many orders are in each state, and in each state of payment."""
    world: World = request.app.state.world
    found: dict[str, dict[str, int]] = {"states": {}, "payments": {}}
    for row in world.rows("select body from shop_order"):
        order = json.loads(row["body"])
        for part, word in (("states", order["status"]), ("payments", order["payment"])):
            found[part][word] = found[part].get(word, 0) + 1
    return found


@router.post("/orders/{number}/news")
def tell(number: str, news: News, request: Request) -> dict[str, bool]:
    """Be told what became of an order; the same news twice is kept once."""
    world: World = request.app.state.world
    strike(world, "larkspur")
    if news.kind not in {"shipped", "delivered", "withdrawn", "paid", "refunded"}:
        raise HTTPException(422, {"reason": "unknown_kind", "detail": f"no such news: {news.kind[:40]}"})
    if not world.rows("select 1 from shop_order where number = ?", number):
        raise HTTPException(404, {"reason": "unknown_order", "detail": f"no order {number[:40]}"})
    with world.work() as db:
        row = (number, news.model_dump_json(), world.now().isoformat())
        db.execute("insert or ignore into shop_told values (?, ?, ?)", row)
    return {"kept": True}
