"""Handing over to the stand-in carriers: vans by the rules of their cards, vans that do not come, closed lists."""

from __future__ import annotations

import json
import sqlite3
import time as clock
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Depends, HTTPException, Request
from pydantic import BaseModel, Field

from tidewind.core.addresses.check import Address
from tidewind.core.pickups.asked import Window, wish_refusal
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.pickups.taking import pickup_fee
from tidewind.core.pickups.when import Where, change_until
from tidewind.core.ship_days import leaving_from
from tidewind.core.tariffs.card import RateCard, card_in_force
from tidewind.standins import carriers
from tidewind.standins.carriers import at_the_door, before, world_of
from tidewind.standins.stages import first_stage
from tidewind.standins.world import World

ADDRESS_FIELDS = frozenset(Address.__dataclass_fields__)
router = APIRouter(prefix="/carriers", dependencies=[Depends(at_the_door)])


class PickupIn(BaseModel):
    """A van that is asked for."""

    network: str
    day: date
    start: time
    until: time
    address: dict[str, Any]
    parcels: int = Field(ge=1, le=10_000)
    classes: dict[str, int] = Field(default_factory=dict)
    gross_g: int = Field(ge=1)
    heaviest_g: int = 0
    longest_mm: int = 0
    spot: str = ""
    note: str = ""
    contact: str = ""
    phone: str = ""
    account: str = ""
    manifest: str = ""
    instead_of: str = ""


class ManifestIn(BaseModel):
    """A closed list."""

    number: str = Field(min_length=1, max_length=40)
    network: str
    day: date
    labels: list[str] = Field(min_length=1)
    gross_g: int


def _rules(carrier: str, network: str, now: datetime, day: date) -> tuple[RateCard, PickupRules]:
    today = now.astimezone(ZoneInfo("Europe/Lisbon")).date()
    card = card_in_force(carriers.cards(carrier), today, day)
    mine = next((n for n in card.networks if n.id == network), None) if card else None
    if card is None or mine is None or mine.pickup is None:
        raise HTTPException(422, {"reason": "no_pickups", "detail": "we do not fetch; parcels are brought to us"})
    return card, mine.pickup


def _refuse(reason: str, detail: str) -> HTTPException:
    return HTTPException(422, {"reason": reason, "detail": detail})


@router.post("/{carrier}/pickups", status_code=201)
def book(carrier: str, wanted: PickupIn, request: Request) -> dict[str, Any]:
    """Book a van; the header ``Idempotency-Key`` makes a repeated request give the first answer again."""
    world = world_of(request)
    before(world, carrier)
    key = request.headers.get("Idempotency-Key", "")
    if not key:
        raise HTTPException(400, {"reason": "no_key", "detail": "the header Idempotency-Key is missing"})
    answer = _book(world, carrier, key, wanted)
    if world.take_fault(carrier, "timeout_after_work"):
        clock.sleep(carriers.HANG_SECONDS)
    return answer


def _book(world: World, carrier: str, key: str, wanted: PickupIn) -> dict[str, Any]:
    now = world.now()
    with world.work() as db:
        if db.execute("select 1 from closed_key where key = ?", (key,)).fetchone():
            raise _refuse("cancelled", "this pickup was cancelled")
        known = db.execute("select * from van where key = ?", (key,)).fetchone()
        if known is None:
            card, rules = _rules(carrier, wanted.network, now, wanted.day)
            _check(db, carrier, wanted, rules, card, now)
            exact = wanted.start == wanted.until
            fee = pickup_fee(wanted.parcels, wanted.day, exact_hour=exact, rules=rules)
            zone = ZoneInfo(card.time_zone)
            ends = datetime.combine(wanted.day, wanted.until, zone) + (timedelta(minutes=30) if exact else timedelta(0))
            last = change_until(wanted.day, wanted.start, rules, _where(card, wanted))
            number = f"{carrier[:2].upper()}{world.next_serial(db, f'van-{carrier}', 310442)}"
            misses = db.execute("delete from fault where party = ? and kind = 'van_missed'", (carrier,)).rowcount
            if wanted.instead_of:
                db.execute("update van set state = 'cancelled' where key = ?", (wanted.instead_of,))
                db.execute("insert or ignore into closed_key values (?)", (wanted.instead_of,))
            db.execute(
                "insert into van values (?, ?, ?, ?, ?, ?, ?, 'booked', ?, ?, ?)",
                (key, carrier, wanted.network, wanted.day.isoformat(), number, fee, wanted.model_dump_json(),
                 _utc(ends), _utc(last), int(bool(misses))),
            )  # fmt: skip
            known = db.execute("select * from van where key = ?", (key,)).fetchone()
    return _said(known)


def _where(card: RateCard, wanted: PickupIn) -> Where:
    door = Address(**{name: str(value) for name, value in wanted.address.items() if name in ADDRESS_FIELDS})
    return Where(card.time_zone, leaving_from(card.country, door), door.postcode)


def _check(
    db: sqlite3.Connection, carrier: str, wanted: PickupIn, rules: PickupRules, card: RateCard, now: datetime
) -> None:
    """Raise HTTPException for what the rules of the card do not let through."""
    why = wish_refusal(wanted.day, Window(wanted.start, wanted.until), now, rules, _where(card, wanted))
    if why is not None:
        raise _refuse(why.reason, why.detail)
    if rules.parcel_gross_g is not None and wanted.heaviest_g > rules.parcel_gross_g:
        raise _refuse("too_heavy", f"a parcel weighs more than {rules.parcel_gross_g / 1000:g} kg")
    names = {service.name: service.code for service in card.services}
    if wanted.classes and all(names.get(name) in rules.not_alone for name in wanted.classes):
        raise _refuse("alone", "we do not come for these alone")
    if rules.manifest_first:
        held = "select 1 from closed_list where number = ? and carrier = ? and reopened = 0"
        if not db.execute(held, (wanted.manifest, carrier)).fetchone():
            raise _refuse("manifest_first", "we come once the manifest is closed and told to us")
    same = "select key from van where carrier = ? and network = ? and day = ? and state = 'booked' and key <> ?"
    if db.execute(same, (carrier, wanted.network, wanted.day.isoformat(), wanted.instead_of)).fetchone():
        raise _refuse("booked_already", "a van is booked for that day already")


def _utc(at: datetime) -> str:
    return at.astimezone(ZoneInfo("UTC")).isoformat()


def _said(row: sqlite3.Row) -> dict[str, Any]:
    words = {"missed": "our driver found nobody there"}.get(row["state"], "")
    return {"state": row["state"], "confirmation": row["number"], "fee_minor": row["fee"], "words": words}


@router.get("/{carrier}/pickups/{key}")
def pickup_state(carrier: str, key: str, request: Request) -> dict[str, Any]:
    """Tell where a pickup stands; 404 where none was booked under the key."""
    world = world_of(request)
    before(world, carrier)
    drive(world, carrier)
    found = world.rows("select * from van where key = ? and carrier = ?", key, carrier)
    if not found:
        raise HTTPException(404, {"reason": "unknown_key", "detail": "no pickup is booked under this key"})
    return _said(found[0])


@router.post("/{carrier}/pickups/{key}/cancel")
def cancel_pickup(carrier: str, key: str, request: Request) -> dict[str, bool]:
    """Take a pickup back, also one that was never seen; refused once the van is on its way."""
    world = world_of(request)
    before(world, carrier)
    with world.work() as db:
        known = db.execute("select * from van where key = ? and carrier = ?", (key, carrier)).fetchone()
        if known and known["state"] != "cancelled" and _utc(world.now()) > known["change_until"]:
            raise _refuse("too_late", "the van is on its way already")
        db.execute("update van set state = 'cancelled' where key = ? and carrier = ?", (key, carrier))
        db.execute("insert or ignore into closed_key values (?)", (key,))
    if world.take_fault(carrier, "timeout_after_work"):
        clock.sleep(carriers.HANG_SECONDS)
    return {"cancelled": True}


@router.get("/{carrier}/vans")
def vans(carrier: str, request: Request) -> list[dict[str, Any]]:
    """Return every van that was booked, to compare with the shop's ledger."""
    drive(world_of(request), carrier)
    found = world_of(request).rows("select key, network, day, number, fee, state from van where carrier = ?", carrier)
    return [dict(row) for row in found]


def drive(world: World, carrier: str) -> None:
    """Let the vans whose time is over have come, or not; what a missed one left lies there until the next comes."""
    with world.work() as db:
        due = db.execute(
            "select * from van where carrier = ? and state = 'booked' and ends_at <= ? order by ends_at",
            (carrier, _utc(world.now())),
        ).fetchall()
        for van in due:
            db.execute("update van set state = ? where key = ?", ("missed" if van["misses"] else "done", van["key"]))
            if van["misses"]:
                _leave(db, van)
            else:
                fetched = "update van_wait set fetched_at = ? where carrier = ? and network = ? and fetched_at is null"
                db.execute(fetched, (van["ends_at"], carrier, van["network"]))


def _leave(db: sqlite3.Connection, van: sqlite3.Row) -> None:
    rows = db.execute(
        "select p.number, p.bought_at, p.days from parcel p join parcel_network n on n.number = p.number "
        "where p.carrier = ? and n.network = ? and p.bought_at <= ?",
        (van["carrier"], van["network"], van["ends_at"]),
    ).fetchall()
    for row in rows:
        if first_stage(datetime.fromisoformat(row["bought_at"]), row["days"]) > datetime.fromisoformat(van["ends_at"]):
            waits = (row["number"], van["carrier"], van["network"])
            db.execute("insert or ignore into van_wait values (?, ?, ?, null)", waits)


@router.post("/{carrier}/manifests", status_code=201)
def take_manifest(carrier: str, told: ManifestIn, request: Request) -> dict[str, Any]:
    """Take a closed list; the same key is the same list.  One with a number that we never sold is refused."""
    world = world_of(request)
    before(world, carrier)
    key = request.headers.get("Idempotency-Key", "")
    with world.work() as db:
        known = {row["number"] for row in db.execute("select number from parcel where carrier = ?", (carrier,))}
        strange = [number for number in told.labels if number not in known]
        if strange:
            raise _refuse("unknown_label", f"{strange[0]} is no label of ours")
        row = (key, carrier, told.number, json.dumps(told.labels))
        db.execute("insert or ignore into closed_list values (?, ?, ?, ?, 0)", row)
    if world.take_fault(carrier, "timeout_after_work"):
        clock.sleep(carriers.HANG_SECONDS)
    return {"number": told.number, "labels": len(told.labels)}


@router.post("/{carrier}/manifests/{key}/reopen")
def reopen_manifest(carrier: str, key: str, request: Request) -> dict[str, bool]:
    """Take a list back; asking twice changes nothing."""
    world = world_of(request)
    before(world, carrier)
    with world.work() as db:
        db.execute("update closed_list set reopened = 1 where key = ? and carrier = ?", (key, carrier))
    return {"reopened": True}


class PackagingIn(BaseModel):
    """Packaging that a shop orders: pieces by code, and where they go."""

    pieces: dict[str, int]
    address: dict[str, Any]


MOST_BOXES, BOXES_TAKE = 500, timedelta(days=3)


@router.post("/{carrier}/packaging-orders", status_code=201)
def order_packaging(carrier: str, wanted: PackagingIn, request: Request) -> dict[str, Any]:
    """Take an order of packaging; the same key is the same order.  More than it gives away at once is refused."""
    world = world_of(request)
    before(world, carrier)
    key = request.headers.get("Idempotency-Key", "")
    if sum(wanted.pieces.values()) > MOST_BOXES:
        raise _refuse("too_many", f"at most {MOST_BOXES} pieces are sent at once")
    with world.work() as db:
        row = (key, carrier, json.dumps(wanted.pieces), (world.now() + BOXES_TAKE).date().isoformat())
        db.execute("insert or ignore into packaging_order values (?, ?, ?, ?)", row)
        arrives = db.execute("select arrives from packaging_order where key = ?", (key,)).fetchone()["arrives"]
    if world.take_fault(carrier, "timeout_after_work"):
        clock.sleep(carriers.HANG_SECONDS)
    return {"confirmation": f"{carriers.NAMES[carrier][1]}-{key[-6:].upper()}", "arrives": arrives}
