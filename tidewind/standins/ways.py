"""Where parcels are: what their carriers say of their way, in each carrier's own codes."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from fastapi import APIRouter, Depends, HTTPException, Request

from tidewind.standins.carriers import at_the_door, before, world_of
from tidewind.standins.stages import CODES, STAGES, first_stage, stage_time
from tidewind.standins.vans import drive
from tidewind.standins.world import World

router = APIRouter(prefix="/carriers", dependencies=[Depends(at_the_door)])


@router.get("/{carrier}/tracking/{number}")
def tracking(carrier: str, number: str, request: Request) -> dict[str, Any]:
    """Return a parcel's events up to now, in this carrier's own codes."""
    world = world_of(request)
    before(world, carrier)
    drive(world, carrier)
    bought, days, travels = _journey(world, carrier, number)
    codes = CODES[carrier]
    events = [{"at": bought.isoformat(), "code": codes["announced"], "words": "Announced by the sender", "spot": ""}]
    for stage in STAGES:
        at = stage_time(travels, stage, days) if travels else None
        if at and at <= world.now():
            events.append({"at": at.isoformat(), "code": codes[stage.code], "words": stage.words, "spot": ""})
    return {"number": number, "events": events}


def _journey(world: World, carrier: str, number: str) -> tuple[datetime, int, datetime | None]:
    """Return when a number was sold, how many days it takes, and when its way began; None where it never does."""
    found = world.rows("select * from parcel where number = ? and carrier = ?", number, carrier)
    if found:
        sold = datetime.fromisoformat(found[0]["bought_at"])
        void = world.rows("select 1 from void where key = ? and not refused", found[0]["shipment_key"])
        left = world.rows("select fetched_at from van_wait where number = ?", number)
        if left and not void:  # a van did not come: it lies at the sender's door until the next one does
            at = left[0]["fetched_at"]
            return sold, found[0]["days"], datetime.fromisoformat(at) if at else None
        return sold, found[0]["days"], None if void else sold
    back = world.rows("select * from return_parcel where number = ? and carrier = ?", number, carrier)
    if not back:
        raise HTTPException(404, {"reason": "unknown_number", "detail": number})
    used = back[0]["used_at"]
    return (datetime.fromisoformat(back[0]["made_at"]), back[0]["days"], datetime.fromisoformat(used) if used else None)


def first_scan(world: World, carrier: str, key: str) -> datetime | None:
    """Return when the carrier scanned the first parcel of a purchase, None where it has not yet."""
    found = world.rows("select bought_at, days from parcel where shipment_key = ? and carrier = ?", key, carrier)
    times = [first_stage(datetime.fromisoformat(r["bought_at"]), r["days"]) for r in found]
    return min((at for at in times if at <= world.now()), default=None)
