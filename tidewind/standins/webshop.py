"""The Larkspur web shop: hands out its orders page by page, and is told of shipments."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel

from tidewind.standins.faults import answer, strike
from tidewind.standins.notices import tell_of_change
from tidewind.standins.shelves import Levels, be_told, hand_out
from tidewind.standins.webshop_orders import orders_for
from tidewind.standins.world import World

router = APIRouter(prefix="/larkspur")
PAGE = 25


class Told(BaseModel):
    """What the shop is told when a parcel was shipped."""

    carrier: str
    tracking_numbers: list[str]
    tracking_url: str


def open_shop(world: World) -> None:
    """Fill the shop with its orders on the first day."""
    if world.rows("select 1 from shop_order limit 1"):
        return
    with world.work() as db:
        for body in orders_for(world.now()):
            db.execute("insert into shop_order (number, body) values (?, ?)", (body["number"], json.dumps(body)))


@router.get("/orders")
def orders(request: Request, after: int = 0) -> Response:
    """Return the orders after a cursor, oldest first, and the next cursor."""
    world: World = request.app.state.world
    strike(world, "larkspur")
    found = world.rows("select id, body from shop_order where id > ? order by id limit ?", after, PAGE)
    body = {
        "orders": [json.loads(row["body"]) for row in found],
        "next": found[-1]["id"] if found else after,
        "more": len(found) == PAGE,
    }
    return answer(world, "larkspur", body)


@router.get("/stock")
def stock(request: Request) -> Response:
    """Return what is left to sell of each article."""
    world: World = request.app.state.world
    strike(world, "larkspur")
    return answer(world, "larkspur", {"levels": hand_out(world, "larkspur")})


@router.put("/stock")
def stock_told(told: Levels, request: Request) -> dict[str, list[str]]:
    """Be told what is left to sell."""
    strike(request.app.state.world, "larkspur")
    return be_told(request.app.state.world, "larkspur", told)


@router.get("/states")
def states(request: Request) -> dict[str, dict[str, int]]:
    """Return how many orders are in each state, and in each state of payment."""
    world: World = request.app.state.world
    found: dict[str, dict[str, int]] = {"status": {}, "payment": {}}
    for row in world.rows("select body from shop_order"):
        order = json.loads(row["body"])
        for part, counts in found.items():
            counts[order[part]] = counts.get(order[part], 0) + 1
    return found


def change(world: World, number: str, **fields: Any) -> None:
    """Change an order; it comes again, behind all others, as the shop's list of changes has it."""
    with world.work() as db:
        row = db.execute("select body from shop_order where number = ?", (number,)).fetchone()
        db.execute("delete from shop_order where number = ?", (number,))
        body = {**json.loads(row["body"]), **fields}
        db.execute("insert into shop_order (number, body) values (?, ?)", (number, json.dumps(body)))
    tell_of_change(world)


@router.post("/orders/{number}/shipped")
def shipped(number: str, told: Told, request: Request) -> dict[str, bool]:
    """Be told that an order was shipped; the same news twice is kept once."""
    world: World = request.app.state.world
    if world.take_fault("larkspur", "down"):
        raise HTTPException(503, "the shop is closed for maintenance")
    if not world.rows("select 1 from shop_order where number = ?", number):
        raise HTTPException(404, f"no order {number}")
    with world.work() as db:
        db.execute(
            "insert or ignore into shop_told values (?, ?, ?)",
            (number, told.model_dump_json(), world.now().isoformat()),
        )
    return {"kept": True}


@router.post("/orders/{number}/withdrawn")
def withdrawn(number: str, told: dict[str, list[str]], request: Request) -> dict[str, bool]:
    """Be told that a label does not count any more; the same news twice is kept once."""
    world: World = request.app.state.world
    body = json.dumps({"withdrawn": told.get("tracking_numbers", [])})
    with world.work() as db:
        db.execute("insert or ignore into shop_told values (?, ?, ?)", (number, body, world.now().isoformat()))
    return {"kept": True}


@router.get("/told")
def told(request: Request) -> list[dict[str, Any]]:
    """Return what the shop has been told so far."""
    world: World = request.app.state.world
    return [{"number": r["number"], **json.loads(r["body"])} for r in world.rows("select * from shop_told")]
