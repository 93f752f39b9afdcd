"""A made-up courier with an interface of its own, for the example adapter: money as text, local times, no keys.

It is as real ones are: asked twice it sells twice, but it keeps a reference that the customer gives and finds by it.
"""

from __future__ import annotations

import itertools
from typing import Any

from fastapi import FastAPI, HTTPException, Request

RATES = {"D1": ("4.50", 10.0), "D2": ("7.90", 30.0)}


def make_app(token: str) -> FastAPI:
    """Return the courier's service; ``token`` lets a customer in."""
    app, serial, book = FastAPI(), itertools.count(100_001), dict[str, dict[str, Any]]()

    def enter(request: Request) -> None:
        if request.headers.get("X-Token") != token:
            raise HTTPException(403, "token?")

    @app.post("/consign")
    async def consign(request: Request) -> dict[str, Any]:
        enter(request)
        wanted = await request.json()
        if wanted.get("svc") not in RATES:
            raise HTTPException(400, "E17 svc")
        price, most = RATES[wanted["svc"]]
        if float(wanted["kg"]) > most:
            raise HTTPException(400, f"E21 over {most} kg")
        made = f"HL{next(serial)}"
        book[made] = {
            "consignment": made,
            "charge": price,
            "cust_ref": wanted["cust_ref"],
            "void": False,
            "t": "26/11/2026 10:00",
        }
        return book[made]

    @app.get("/consign")
    def search(cust_ref: str, request: Request) -> list[dict[str, Any]]:
        enter(request)
        return [one for one in book.values() if one["cust_ref"] == cust_ref]

    @app.post("/consign/{made}/void")
    def void(made: str, request: Request) -> dict[str, Any]:
        enter(request)
        book[made]["void"] = True
        return book[made]

    @app.get("/trace/{made}")
    def trace(made: str, request: Request) -> list[dict[str, str]]:
        enter(request)
        if made not in book:
            raise HTTPException(404, "E03")
        return [{"t": book[made]["t"], "st": "B"}]

    return app
