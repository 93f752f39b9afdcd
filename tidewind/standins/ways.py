"""Where parcels are: what their carriers say of their way, in each carrier's own codes."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Depends, HTTPException, Request
from pydantic import BaseModel

from tidewind.standins.carriers import at_the_door, before, world_of
from tidewind.standins.stages import CODES, STAGES, code_of, first_stage, stage_time
from tidewind.standins.vans import drive
from tidewind.standins.world import World

router = APIRouter(prefix="/carriers", dependencies=[Depends(at_the_door)])


@router.get("/{carrier}/tracking/{number}")
def tracking(carrier: str, number: str, request: Request) -> dict[str, Any]:
    """Return a parcel's events up to now, in this carrier's own codes."""
    world = world_of(request)
    before(world, carrier)
    told = world.rows("select * from told_event where number = ? and carrier = ? order by at", number, carrier)
    if told:
        now = world.now().isoformat()
        return {"number": number, "events": [_told(carrier, row) for row in told if row["at"] <= now]}
    drive(world, carrier)
    bought, days, travels = _journey(world, carrier, number)
    codes = CODES[carrier]
    events = [{"at": bought.isoformat(), "code": codes["announced"], "words": "Announced by the sender", "spot": ""}]
    for stage in STAGES:
        at = stage_time(travels, stage, days) if travels else None
        if at and at <= world.now():
            events.append({"at": at.isoformat(), "code": codes[stage.code], "words": stage.words, "spot": ""})
    return {"number": number, "events": events}


def _told(carrier: str, row: Any) -> dict[str, Any]:
    event = {"at": row["at"], "code": code_of(carrier, row["stage"]), "words": row["words"], "spot": row["spot"]}
    return event | {"id": f"{row['number']}-{row['at']}-{row['stage']}"}


class UnderWay(BaseModel):
    """A parcel that was on its way before the simulated world began: its number, and its events, also those to come."""

    number: str
    events: list[tuple[datetime, str, str, str]]


@router.post("/{carrier}/under-way")
def put_under_way(carrier: str, parcels: list[UnderWay], request: Request) -> dict[str, int]:
    """Take parcels that were handed over before: each event with its time, stage, words and place."""
    with world_of(request).work() as db:
        for parcel in parcels:
            for at, stage, words, spot in parcel.events:
                row = (parcel.number, carrier, at.astimezone(UTC).isoformat(), stage, words, spot)
                db.execute("insert or ignore into told_event values (?, ?, ?, ?, ?, ?)", row)
    return {"parcels": len(parcels)}


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
