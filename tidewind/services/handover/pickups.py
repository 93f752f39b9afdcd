"""Asking for vans: the intent first, with its key and its hold in the ledger; the carrier is asked in ``booking``."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.pickups.asked import Window, wish_refusal
from tidewind.core.pickups.taking import pickup_fee
from tidewind.core.pickups.when import Where, change_until
from tidewind.core.quantities import money_text
from tidewind.core.ship_days import leaving_from
from tidewind.core.states.departures import DepartureState
from tidewind.core.states.pickups import PICKUP_MOVES, PickupMove, PickupState
from tidewind.core.tariffs.card import RateCard
from tidewind.db.bulk import Columns
from tidewind.db.tables import CarrierRow, Departure, Manifest, Pickup, Place
from tidewind.services.base import Conflict, Invalid, NotFound, defer, move_row
from tidewind.services.books import lock_available, post
from tidewind.services.handover.departures import DepartureKey, lock_departure
from tidewind.services.handover.lanes import Lane, lane_of
from tidewind.services.planning import carriers_in_force, closed_days, default_place, shop_settings

MOST_AT_ONCE = 50
EXACT_HOUR = timedelta(minutes=30)
"""So long after the hour that was named a van that is asked for exactly may still come (shop policy)."""


@dataclass(frozen=True, slots=True)
class PickupWish:
    """A van to be asked for; None and empty texts stand for what is suggested.  ``shown_minor`` is the fee seen."""

    key: DepartureKey
    shown_minor: int
    start: time | None = None
    until: time | None = None
    parcels: int | None = None
    gross_g: int | None = None
    spot: str = ""
    note: str = ""
    contact: str = ""
    phone: str = ""


@dataclass(slots=True)
class PickupsAsked:
    """What came of asking: the pickups that are under way, and for which departures none is, with the reason."""

    asked: list[Pickup] = field(default_factory=list)
    dropped: dict[DepartureKey, str] = field(default_factory=dict)


def ask_for_pickups(session: Session, wishes: Sequence[PickupWish], who: str, now: datetime) -> PickupsAsked:
    """Write the intents with their holds and queue the asking; what cannot be asked for is dropped with words.

    A departure that has a booked van gets the new one in its stead once the carrier has said yes.  Raises Conflict
    where the balance does not reach for the fees, Invalid for none or too many, NotFound for a strange network.
    """
    if not 1 <= len(wishes) <= MOST_AT_ONCE or len({wish.key for wish in wishes}) != len(wishes):
        raise Invalid("how_many", f"Between 1 and {MOST_AT_ONCE} pickups are asked for at once, one for a departure.")
    done = PickupsAsked()
    # In one order, so that two who ask for the same vans never wait for each other in a circle.
    for wish in sorted(wishes, key=lambda one: (one.key.carrier, one.key.network, one.key.day)):
        departure = lock_departure(session, wish.key, now)
        lane = lane_of(session, wish.key, now)
        made = _intent(session, wish, departure, lane, who, now) if lane else "there is no such departure"
        if isinstance(made, str):
            done.dropped[wish.key] = made
        else:
            done.asked.append(made)
    session.add_all(done.asked)
    session.flush()
    _hold(session, done.asked, now)
    if done.asked:
        defer(session, "settle_pickups")
    return done


def _dearer(fee: int, shown: int, currency: str) -> str:
    return f"it costs {money_text(fee, currency)} now, not {money_text(shown, currency)}; look again"


def _standing(session: Session, departure_id: int) -> Sequence[Pickup]:
    mine = select(Pickup).where(Pickup.departure_id == departure_id, Pickup.state.in_(PickupState.STANDS))
    return session.scalars(mine).all()


def _from_where(session: Session, card: RateCard, place: Place) -> Where:
    closed = closed_days(shop_settings(session))
    return Where(card.time_zone, leaving_from(card.country, place.address), place.address.postcode, closed)


def _intent(
    session: Session, wish: PickupWish, departure: Departure, lane: Lane, who: str, now: datetime
) -> Pickup | str:
    """Return the pickup to be asked for, or in words why it is not."""
    standing = _standing(session, departure.id)
    carrier = next(c for c in carriers_in_force(session, wish.key.day) if c.code == wish.key.carrier)
    card, place = carrier.own.card, default_place(session)
    rules = next(n.pickup for n in card.networks if n.id == wish.key.network)
    if lane.fetching is None or rules is None:
        return "this carrier does not fetch; its parcels are taken along"
    where = _from_where(session, card, place)
    suggested = lane.fetching.suggested
    window = Window(wish.start or suggested.start, wish.until or suggested.until)
    parcels = suggested.parcels if wish.parcels is None else wish.parcels
    fee = pickup_fee(parcels, wish.key.day, exact_hour=window.exact, rules=rules)
    why = _against(standing, departure, lane, now) or _unfit(wish, lane, parcels, now)
    if not why and (refusal := wish_refusal(wish.key.day, window, now, rules, where)):
        why = refusal.detail
    if why or fee != wish.shown_minor:
        return why or _dearer(fee, wish.shown_minor, card.currency)
    zone = ZoneInfo(card.time_zone)
    return Pickup(
        departure=departure,
        replaces_id=standing[0].id if standing else None,
        idempotency_key=secrets.token_hex(16),
        calendar_key=secrets.token_urlsafe(24),
        state=PickupState.ASKED,
        start=window.start,
        until=window.until,
        begins_at=datetime.combine(wish.key.day, window.start, zone),
        ends_at=datetime.combine(wish.key.day, window.until, zone) + (EXACT_HOUR if window.exact else timedelta(0)),
        change_until=change_until(wish.key.day, window.start, rules, where),
        parcels=parcels,
        fee_minor=fee,
        asked_by=who,
        asked_at=now,
        next_try_at=now,
        **_what_and_where(wish, lane, place),
        **_paid_from(session, carrier.code),
    )


def _unfit(wish: PickupWish, lane: Lane, parcels: int, now: datetime) -> str:
    """Return what of the parcels themselves speaks against asking; nothing where nothing does."""
    fetching = lane.fetching
    if fetching is None:
        return ""
    if parcels < 1:
        return fetching.refused or "nothing lies there to be fetched"
    if fetching.manifest_first and lane.manifest is None:
        return "its manifest is to be closed first"
    # Whoever names a number of parcels knows of some that we do not; the carrier's own rules are tried all the same.
    still_asked = fetching.until is None or now <= fetching.until
    return fetching.refused if wish.parcels is None and still_asked else ""


def _what_and_where(wish: PickupWish, lane: Lane, place: Place) -> Columns:
    """Return the columns that say what is fetched and where: what a person said, else what is suggested."""
    suggested = lane.fetching.suggested if lane.fetching else None
    if suggested is None:
        return {}
    return {
        "classes": dict(suggested.classes),
        "gross_g": suggested.gross_g if wish.gross_g is None else wish.gross_g,
        "heaviest_g": suggested.heaviest_g,
        "longest_mm": suggested.longest_mm,
        "address": place.address,
        "spot": (wish.spot or place.pickup_spot)[:120],
        "note": wish.note,
        "contact": wish.contact or place.address.name,
        "phone": wish.phone or place.address.phone,
        "manifest": lane.manifest.number if lane.manifest else "",
    }


def _paid_from(session: Session, carrier: str) -> Columns:
    account = session.scalars(select(CarrierRow).where(CarrierRow.code == carrier)).one().account("")
    return {"payer": account.payer, "account": account.number} if account else {"payer": "balance"}


def _against(standing: Sequence[Pickup], departure: Departure, lane: Lane, now: datetime) -> str:
    """Return what of the departure itself speaks against asking; nothing where nothing does."""
    if departure.state == DepartureState.HANDED_OVER:
        return "it has been handed over"
    for pickup in standing:
        if pickup.state == PickupState.ASKED:
            return f"it is being asked for by {pickup.asked_by} just now"
        if pickup.state == PickupState.CANCELLING:
            return f"it is being cancelled by {pickup.cancelled_by} just now; wait for the carrier's answer"
        if now > pickup.change_until:
            return f"the booked one of {lane.name} can be changed no more"
    return ""


def _hold(session: Session, pickups: Sequence[Pickup], now: datetime) -> None:
    """Hold the fees that are paid from the balance.  Raises Conflict where it does not reach."""
    paid = [pickup for pickup in pickups if pickup.payer == "balance" and pickup.fee_minor]
    total = sum(pickup.fee_minor for pickup in paid)
    if not total:
        return
    available, currency = lock_available(session), shop_settings(session).currency
    if total > available:
        words = f"The pickups cost {money_text(total, currency)}, the balance has {money_text(available, currency)}."
        raise Conflict("no_balance", f"{words} Nothing was asked for. Top up first.")
    for pickup in paid:
        post(
            session,
            "hold",
            pickup.fee_minor,
            key=f"hold:{pickup.idempotency_key}",
            reason=f"Pickup by {pickup.departure.carrier} on {pickup.departure.day:%-d %B}",
            at=now,
            pickup_id=pickup.id,
        )


def locked_pickup(session: Session, pickup_id: int) -> Pickup:
    """Return a pickup, locked.  Raises NotFound."""
    query = select(Pickup).where(Pickup.id == pickup_id).with_for_update(of=Pickup)
    found = session.scalar(query.execution_options(populate_existing=True))
    if found is None:
        raise NotFound("unknown_pickup", "There is no such pickup.")
    return found


def cancel_pickup(session: Session, pickup_id: int, who: str, now: datetime) -> Pickup:
    """Ask a carrier to take a pickup back.  Raises Conflict where it is too late or it is not booked, NotFound."""
    pickup = locked_pickup(session, pickup_id)
    if pickup.state == PickupState.BOOKED and now > pickup.change_until:
        raise Conflict("too_late", "It can be cancelled no more: the van is on its way. Call the carrier.")
    move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.ASK_CANCEL)
    pickup.cancelled_by, pickup.attempts, pickup.next_try_at = who, 0, now
    defer(session, "settle_pickups")
    return pickup


def newest_pickups(session: Session, limit: int = 100) -> Sequence[Pickup]:
    """Return the pickups that were asked for last, whatever became of them."""
    return session.scalars(select(Pickup).order_by(Pickup.id.desc()).limit(limit)).all()


def pickup_by_calendar_key(session: Session, calendar_key: str) -> Pickup:
    """Return a pickup by the unguessable key of its calendar file.  Raises NotFound."""
    found = session.scalar(select(Pickup).where(Pickup.calendar_key == calendar_key))
    if found is None:
        raise NotFound("unknown_pickup", "There is no pickup at this address.")
    return found


def shop_calendar(session: Session, calendar_key: str, now: datetime) -> Sequence[Pickup]:
    """Return the pickups of the feed with an unguessable key: of the last fortnight and to come.  Raises NotFound."""
    if not calendar_key or calendar_key != shop_settings(session).calendar_key:
        raise NotFound("unknown_calendar", "There is no calendar at this address.")
    query = select(Pickup).where(Pickup.state != PickupState.REFUSED, Pickup.begins_at > now - timedelta(days=14))
    return session.scalars(query.order_by(Pickup.begins_at)).all()


def calendar_key(session: Session) -> str:
    """Return the key of the shop's calendar feed, made at need."""
    shop = shop_settings(session)
    if not shop.calendar_key:
        shop.calendar_key = secrets.token_urlsafe(24)
    return shop.calendar_key


def standing_manifest(session: Session, departure_id: int) -> Manifest | None:
    """Lock and return the closed list of a departure, as it is now; None where it is open.

    What its carrier answers is written under this lock alone: a list read before it is not what stands.
    """
    query = select(Manifest).where(Manifest.departure_id == departure_id, Manifest.reopened_at.is_(None))
    return session.scalar(query.with_for_update(of=Manifest).execution_options(populate_existing=True))
