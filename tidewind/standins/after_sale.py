"""What carriers do after a sale: voids that take days to be answered, and labels for the way back."""

from __future__ import annotations

import json
import time
from datetime import datetime, timedelta
from typing import Any

from fastapi import APIRouter, Depends, HTTPException, Request

from tidewind.standins import carriers
from tidewind.standins.carriers import at_the_door, before, number_for, world_of
from tidewind.standins.ways import first_scan
from tidewind.standins.world import World

router = APIRouter(prefix="/carriers", dependencies=[Depends(at_the_door)])
VOID_DAYS = {"norvia": (28, 6), "brightmile": (14, 3), "pontolo": (30, 1), "cobaltair": (28, 9)}
"""For each carrier: within how many days a label can be voided, and after how many the refund is decided."""
RETURNS = {
    "norvia": {"np-economy", "np-parcel", "np-box-s", "np-box-m", "np-box-l"},
    "brightmile": {"bp-road"},
    "pontolo": {"pp-locker", "pp-shop"},
    "cobaltair": set[str](),
}


def _sold(world: World, carrier: str, key: str) -> dict[str, Any]:
    found = world.rows("select body, cancelled from shipment where key = ? and carrier = ?", key, carrier)
    if not found:
        raise HTTPException(404, {"reason": "unknown_key", "detail": "nothing was sold for this key"})
    return {**json.loads(found[0]["body"]), "cancelled": found[0]["cancelled"]}


@router.post("/{carrier}/shipments/{key}/void")
def void(carrier: str, key: str, request: Request) -> dict[str, str]:
    """Take a void; the answer comes days later. Refused once a parcel was scanned, or when it is too late."""
    world = world_of(request)
    before(world, carrier)
    _sold(world, carrier, key)
    if not world.rows("select 1 from void where key = ?", key):
        if first_scan(world, carrier, key):
            raise HTTPException(422, {"reason": "scanned", "detail": "a parcel of it was scanned already"})
        bought = world.rows("select min(bought_at) as at from parcel where shipment_key = ?", key)[0]["at"]
        within, decides = VOID_DAYS[carrier]
        if world.now() > datetime.fromisoformat(bought) + timedelta(days=within + 1):
            raise HTTPException(422, {"reason": "too_late", "detail": f"labels are voided within {within} days"})
        refused = world.take_fault(carrier, "void_refused")
        until = world.now() + timedelta(days=decides)
        with world.work() as db:
            db.execute(
                "insert or ignore into void values (?, ?, ?, ?, ?)",
                (key, carrier, world.now().isoformat(), until.isoformat(), int(refused)),
            )
    if world.take_fault(carrier, "timeout_after_work"):
        time.sleep(carriers.HANG_SECONDS)
    return {"state": "pending", "words": ""}


@router.get("/{carrier}/shipments/{key}/void")
def void_state(carrier: str, key: str, request: Request) -> dict[str, str]:
    """Tell what became of a void: pending, refunded or refused; 404 where none was asked."""
    world = world_of(request)
    before(world, carrier)
    found = world.rows("select * from void where key = ? and carrier = ?", key, carrier)
    if not found:
        raise HTTPException(404, {"reason": "unknown_key", "detail": "no void was asked for this key"})
    if datetime.fromisoformat(found[0]["decides_at"]) > world.now():
        return {"state": "pending", "words": ""}
    if found[0]["refused"]:
        return {"state": "refused", "words": "our depot says that this label was used"}
    with world.work() as db:
        db.execute("update shipment set cancelled = 1 where key = ?", (key,))
    return {"state": "refunded", "words": ""}


@router.post("/{carrier}/shipments/{key}/return", status_code=201)
def make_return(carrier: str, key: str, service: str, request: Request) -> dict[str, Any]:
    """Make a label for the way back of something sold; it is charged when it is first scanned."""
    world = world_of(request)
    before(world, carrier)
    sold = _sold(world, carrier, key)
    own_key = request.headers.get("Idempotency-Key", "")
    if service not in RETURNS[carrier]:
        raise HTTPException(422, {"reason": "no_returns", "detail": "this service has no labels for the way back"})
    if sold["cancelled"]:
        raise HTTPException(422, {"reason": "cancelled", "detail": "the way out was cancelled"})
    with world.work() as db:
        known = db.execute("select * from return_parcel where key = ?", (own_key,)).fetchone()
        if known is None:
            number = number_for(world, db, carrier, service)
            db.execute(
                "insert into return_parcel values (?, ?, ?, ?, ?, null, ?, ?)",
                (number, carrier, own_key, key, world.now().isoformat(), 3, sold["price_minor"]),
            )
            known = db.execute("select * from return_parcel where key = ?", (own_key,)).fetchone()
    if world.take_fault(carrier, "timeout_after_work"):
        time.sleep(carriers.HANG_SECONDS)
    return {"tracking_number": known["number"], "routing": "BACK", "price_minor": known["price_minor"]}


@router.post("/{carrier}/returns/{number}/use")
def use_return(carrier: str, number: str, request: Request) -> dict[str, bool]:
    """The buyer hands the parcel in: from now on it travels back."""
    world = world_of(request)
    with world.work() as db:
        db.execute(
            "update return_parcel set used_at = coalesce(used_at, ?) where number = ? and carrier = ?",
            (world.now().isoformat(), number, carrier),
        )
    return {"used": True}


@router.get("/{carrier}/returns")
def returns(carrier: str, request: Request) -> list[dict[str, Any]]:
    """Return all labels for the way back, to compare with the shop's ledger."""
    return [dict(r) for r in world_of(request).rows("select * from return_parcel where carrier = ?", carrier)]
