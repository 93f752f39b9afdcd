"""Levels of stock at the stand-in shops and markets: handed out, and told by whoever counts."""

from __future__ import annotations

import json
from typing import Any

from pydantic import BaseModel

from tidewind.standins.world import World


class Level(BaseModel):
    """How many pieces of an article are left to sell."""

    sku: str
    pieces: int


class Levels(BaseModel):
    """Several of them."""

    levels: list[Level]


def articles(world: World, seller: str) -> set[str]:
    """Return the articles that a seller has ever sold."""
    rows = world.rows("select sku from shelf_level where seller = ?", seller)
    found = {row["sku"] for row in rows}
    if seller == "larkspur":
        bodies = [json.loads(row["body"]) for row in world.rows("select body from shop_order")]
        return found | {line["sku"] for body in bodies for line in body["lines"]}
    bodies = [json.loads(r["body"]) for r in world.rows("select body from market_order where market = ?", seller)]
    if seller == "tallyfair":
        return found | {line["article"] for body in bodies for line in body["basket"]}
    return found | {line["sku"] for body in bodies for line in body["rows"]}


def hand_out(world: World, seller: str) -> list[dict[str, Any]]:
    """Return what is left of each article that has a level, in the order of their SKUs."""
    rows = world.rows("select sku, pieces from shelf_level where seller = ? order by sku", seller)
    return [dict(row) for row in rows]


def be_told(world: World, seller: str, told: Levels) -> dict[str, list[str]]:
    """Keep levels; articles that the seller never had are named and kept out."""
    known = articles(world, seller)
    with world.work() as db:
        for level in told.levels:
            if level.sku in known:
                db.execute("insert or replace into shelf_level values (?, ?, ?)", (seller, level.sku, level.pieces))
    return {"unknown": [level.sku for level in told.levels if level.sku not in known]}
