"""Where parcels are: what their carriers say of their way, in each carrier's own codes."""

from __future__ import annotations

import json
from contextlib import suppress
from datetime import UTC, date, datetime
from typing import Annotated, Any, Literal

import httpx
from fastapi import APIRouter, Depends, Header, HTTPException, Request
from pydantic import BaseModel, Field

from tidewind.settings import real_now
from tidewind.standins.carriers import WISHES, at_the_door, before, world_of
from tidewind.standins.notices import signed
from tidewind.standins.stages import CODES, STAGES, code_of, first_stage, stage_time
from tidewind.standins.vans import drive
from tidewind.standins.world import World

SUNDAY = 6
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


class Numbers(BaseModel):
    """The parcels that are asked about at once."""

    numbers: Annotated[list[str], Field(max_length=100)]


@router.post("/{carrier}/tracking")
def tracking_of_many(carrier: str, asked: Numbers, request: Request) -> dict[str, Any]:
    """Return the events of many parcels; what is not known is not among them."""
    before(world_of(request), carrier)
    found = []
    for number in asked.numbers:
        with suppress(HTTPException):
            found.append(tracking(carrier, number, request))
    return {"parcels": found}


def _told(carrier: str, row: Any) -> dict[str, Any]:
    event = {"at": row["at"], "code": code_of(carrier, row["stage"]), "words": row["words"], "spot": row["spot"]}
    return event | {"id": f"{row['number']}-{row['at']}-{row['stage']}"}


class Wished(BaseModel):
    """What a recipient wishes of a parcel."""

    kind: Literal["other_day", "neighbour", "collect"]
    day: date | None = None
    words: Annotated[str, Field(max_length=120)] = ""


@router.post("/{carrier}/tracking/{number}/wishes")
def wish(
    carrier: str, number: str, wished: Wished, request: Request, idempotency_key: Annotated[str, Header()]
) -> dict[str, bool]:
    """Take a wish: nobody delivers on a Sunday, and a parcel that is out or there already goes on as it does."""
    world = world_of(request)
    before(world, carrier)
    if f"wish_{wished.kind}" not in WISHES.get(carrier, ()):
        raise HTTPException(422, {"reason": "cannot", "detail": "this carrier does not do that"})
    if world.rows("select 1 from wish where key = ?", idempotency_key):
        return {"taken": True}
    if wished.day and wished.day.weekday() == SUNDAY:
        raise HTTPException(422, {"reason": "no_such_day", "detail": "nobody delivers on that day"})
    said = {code_of(carrier, stage) for stage in ("delivering", "delivered")}
    if said & {event["code"] for event in tracking(carrier, number, request)["events"]}:
        raise HTTPException(422, {"reason": "too_late", "detail": "the driver has it already"})
    with world.work() as db:
        db.execute("insert into wish values (?, ?, ?)", (idempotency_key, number, wished.model_dump_json()))
    return {"taken": True}


class Subscription(BaseModel):
    """Where events are to be told."""

    url: str


@router.post("/{carrier}/subscriptions")
def subscribe(carrier: str, wanted: Subscription, request: Request) -> dict[str, bool]:
    """Tell events there from now on, as they happen."""
    world = world_of(request)
    before(world, carrier)
    with world.work() as db:
        db.execute(
            "insert into hook values (?, ?, ?) on conflict (carrier) do update set url = excluded.url",
            (carrier, wanted.url, world.now().isoformat()),
        )
    return {"ok": True}


def tell_events(world: World) -> int:
    """Tell who asked for it what has happened since the last time; return how many events were taken.

    Only of parcels that were on their way before: the others are asked about.
    """
    told = 0
    for hook in world.rows("select * from hook"):
        now = world.now().isoformat()
        query = "select * from told_event where carrier = ? and at > ? and at <= ? order by at limit 1000"
        rows = world.rows(query, hook["carrier"], hook["told_until"], now)
        if not rows:
            continue
        events = [_told(hook["carrier"], row) | {"number": row["number"]} for row in rows]
        body = json.dumps({"events": events})
        with suppress(httpx.HTTPError):
            headers = signed(f"{hook['carrier']}-key", body, real_now())
            if httpx.post(hook["url"], content=body, headers=headers, timeout=5).status_code == 200:
                with world.work() as db:
                    row = (rows[-1]["at"], hook["carrier"])
                    db.execute("update hook set told_until = ? where carrier = ?", row)
                told += len(events)
    return told


class UnderWay(BaseModel):
    """A parcel that was sold before the simulated world began: its number, and its events, also those to come.

    With the key of its purchase it is known as sold, so that a label for the way back can be made.
    """

    number: str
    events: list[tuple[datetime, str, str, str]]
    key: str = ""
    price_minor: int = 0


@router.post("/{carrier}/under-way")
def put_under_way(carrier: str, parcels: list[UnderWay], request: Request) -> dict[str, int]:
    """Take parcels that were handed over before: each event with its time, stage, words and place."""
    with world_of(request).work() as db:
        for parcel in parcels:
            if parcel.key:
                sold = {"price_minor": parcel.price_minor, "parcels": [{"tracking_number": parcel.number}]}
                said = (parcel.key, carrier, json.dumps(sold))
                db.execute("insert or ignore into shipment (key, carrier, body) values (?, ?, ?)", said)
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
