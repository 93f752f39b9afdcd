"""A small adapter: turns a courier's own interface (foreign_carrier.py) into the open carrier protocol.

What it adds is what the courier lacks: keys. A journal in SQLite says, before the courier is asked, under which key it
will be; whatever dies between, the courier is searched by that key, as the customer's reference, before it is asked
again.
docs/protocols/writing-an-adapter.md explains it step by step.
"""

from __future__ import annotations

import sqlite3
import threading
from datetime import datetime
from typing import Annotated, Any
from zoneinfo import ZoneInfo

import httpx
from fastapi import Depends, FastAPI, Header, HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel

ZONE = ZoneInfo("Europe/Lisbon")
WORDS = {"A": "Announced", "B": "Booked in", "D": "Delivered"}
SERVICES = {"hollow-day": "D1", "hollow-heavy": "D2"}
CARD = {
    "carrier": "hollow", "currency": "EUR", "country": "PT", "time_zone": "Europe/Lisbon", "valid_from": "2026-01-01",
    "tax_bp": 2300, "tax_name": "VAT", "networks": [{"id": "main", "name": "Hollow Lane", "cutoff": "16:30"}],
    "zones": [{"id": "pt", "name": "Portugal", "where": [{"countries": ["PT"]}]}],
    "services": [
        {"code": code, "name": name, "network": "main", "kind": "weight", "up_to_g": [most], "prices": {"pt": [price]},
         "transit": {"pt": [1, 2]}, "limits": {"gross_g": most, "parcels": 1}}
        for code, name, most, price in (("hollow-day", "Day", 10_000, 450), ("hollow-heavy", "Heavy", 30_000, 790))
    ],
}  # fmt: skip


class Parcel(BaseModel):
    """What of a parcel this courier asks; fields that are not named here are ignored, as the protocol wants it."""

    gross_g: int


class Consignment(BaseModel):
    """What goes."""

    parcels: list[Parcel]


class Purchase(BaseModel):
    """What is bought."""

    consignment: Consignment
    service: str
    recipient: dict[str, str]
    reference: str


def refusal(status: int, reason: str, detail: str) -> HTTPException:
    """Return a refusal as the protocol says it: a reason for programs, words for people."""
    return HTTPException(status, {"reason": reason, "detail": detail})


class Journal:
    """What became of each key: ``asked``, or ``taken back``; one purchase at a time."""

    def __init__(self, file: str) -> None:
        self._db = sqlite3.connect(file, check_same_thread=False, isolation_level=None)
        self._db.execute("create table if not exists journal (key text primary key, state text not null)")
        self.lock = threading.Lock()

    def state(self, key: str) -> str:
        """Return the state of a key, empty for one never seen."""
        found = self._db.execute("select state from journal where key = ?", (key,)).fetchone()
        return str(found[0]) if found else ""

    def write(self, key: str, state: str) -> None:
        """Keep the state of a key, before anything is done because of it."""
        self._db.execute("insert or replace into journal values (?, ?)", (key, state))


class Adapter:
    """The courier, seen as a carrier of the protocol; each method is one operation of it."""

    def __init__(self, foreign: httpx.Client, journal: Journal) -> None:
        self._foreign, self._journal = foreign, journal

    def capabilities(self) -> dict[str, Any]:
        """Say who the carrier is and what its codes mean."""
        return {
            "protocol": {"name": "tidewind-carrier", "version": "1.0"},
            "carrier": {"code": "hollow", "name": "Hollow Lane Couriers", "monogram": "HL"},
            "can": ["buy", "track"],
            "states": {"A": "announced", "B": "accepted", "D": "delivered"},
        }

    def cards(self) -> dict[str, Any]:
        """Offer the price list."""
        return {"cards": [CARD]}

    def buy(self, wanted: Purchase, idempotency_key: Annotated[str, Header()] = "") -> dict[str, Any]:
        """Sell a label, once for each key."""
        if not idempotency_key:
            raise refusal(400, "no_key", "the header Idempotency-Key is missing")
        if wanted.service not in SERVICES:
            raise refusal(422, "unknown_service", f"there is no service {wanted.service}")
        if len(wanted.consignment.parcels) != 1:
            raise refusal(422, "too_many_parcels", "the courier takes one parcel at a time")
        with self._journal.lock:
            before = self._journal.state(idempotency_key)
            if before == "taken back":
                raise refusal(422, "cancelled", "this purchase was taken back")
            known = self._sold(idempotency_key) if before else None
            if known is None:
                known = self._ask(idempotency_key, wanted)
        return _shown(known)

    def _ask(self, key: str, wanted: Purchase) -> dict[str, Any]:
        self._journal.write(key, "asked")  # before the courier is: after a crash it is searched first
        kilograms = f"{wanted.consignment.parcels[0].gross_g / 1000:.3f}"
        body = {"svc": SERVICES[wanted.service], "kg": kilograms, "cust_ref": key}
        answer = self._foreign.post("/consign", json=body)
        if answer.status_code == 400:
            raise refusal(422, "not_taken", f"the courier says {answer.json()['detail']}")
        answer.raise_for_status()  # a failure here is answered 500: maybe done, and the shop will ask again
        return dict(answer.json())

    def _sold(self, key: str) -> dict[str, Any] | None:
        """Ask what the courier has under a key: the one thing it can be asked that sells nothing."""
        found = self._foreign.get("/consign", params={"cust_ref": key}).raise_for_status().json()
        return dict(found[0]) if found else None

    def find(self, key: str) -> dict[str, Any]:
        """Say what was sold under a key."""
        known = self._sold(key) if self._journal.state(key) == "asked" else None
        if known is None or known["void"]:
            raise refusal(404, "unknown_key", "nothing is sold under this key")
        return _shown(known)

    def cancel(self, key: str) -> dict[str, bool]:
        """Take a key back, whether anything was sold under it or not."""
        with self._journal.lock:
            known = self._sold(key) if self._journal.state(key) else None
            self._journal.write(key, "taken back")
            if known is not None and not known["void"]:
                self._foreign.post(f"/consign/{known['consignment']}/void").raise_for_status()
        return {"cancelled": True}

    def tracking(self, number: str) -> dict[str, Any]:
        """Tell a parcel's events; the courier writes local times, here they get their offset."""
        answer = self._foreign.get(f"/trace/{number}")
        if answer.status_code == 404:
            raise refusal(404, "unknown_number", f"the courier does not know {number}")
        times = [(datetime.strptime(e["t"], "%d/%m/%Y %H:%M").replace(tzinfo=ZONE), e["st"]) for e in answer.json()]
        return {
            "events": [
                {"at": at.isoformat(), "code": code, "words": WORDS.get(code, code)} for at, code in sorted(times)
            ]
        }


def _shown(sold: dict[str, Any]) -> dict[str, Any]:
    """Turn the courier's answer into the protocol's: money in minor units, never by way of a float."""
    euros, cents = sold["charge"].split(".")
    return {"price_minor": int(euros) * 100 + int(cents), "parcels": [{"tracking_number": sold["consignment"]}]}


async def _refused(_request: Request, error: Exception) -> Response:
    if not isinstance(error, HTTPException):
        raise error
    return JSONResponse(error.detail, error.status_code)


async def _unreadable(_request: Request, error: Exception) -> Response:
    where = ".".join(map(str, error.errors()[0]["loc"])) if isinstance(error, RequestValidationError) else "the body"
    return JSONResponse({"reason": "unreadable", "detail": f"{where} makes no sense"[:300]}, 422)


def make_app(courier: httpx.Client, journal_file: str, key_of_shop: str) -> FastAPI:
    """Return the adapter in front of a courier; ``courier`` brings its address and token."""

    def door(authorization: Annotated[str, Header()] = "") -> None:
        if authorization != f"Bearer {key_of_shop}":
            raise refusal(401, "wrong_key", "the key is missing, or is not the one that was given")

    app = FastAPI(dependencies=[Depends(door)])
    app.add_exception_handler(HTTPException, _refused)
    app.add_exception_handler(RequestValidationError, _unreadable)
    adapter = Adapter(courier, Journal(journal_file))
    app.add_api_route("/capabilities", adapter.capabilities)
    app.add_api_route("/cards", adapter.cards)
    app.add_api_route("/shipments", adapter.buy, methods=["POST"], status_code=201)
    app.add_api_route("/shipments/{key}", adapter.find)
    app.add_api_route("/shipments/{key}/cancel", adapter.cancel, methods=["POST"])
    app.add_api_route("/tracking/{number}", adapter.tracking)
    return app
