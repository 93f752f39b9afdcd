"""Buying labels: the intent first, then the carrier, then the answer; nothing twice, nothing lost.

One transaction writes the intent with its idempotency key and the ledger hold, and puts the job into the queue.
The job asks the carrier outside any transaction and writes the answer in another one, under the shipment's lock.
Whatever dies in between is settled by asking the carrier what became of the key.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import Address, is_po_box
from tidewind.core.addresses.latin import latin_address
from tidewind.core.quantities import money_text
from tidewind.db.tables import Batch, CarrierAccount, Label, Order, Person, Shipment
from tidewind.outside.carrier import Sold, Wanted, WantedParcel
from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.services import followups
from tidewind.services.departures import default_place, departure_for
from tidewind.services.errors import Conflict, Invalid
from tidewind.services.live import tell
from tidewind.services.money import lock_available, post
from tidewind.services.orders import get_order
from tidewind.services.planning import all_facts, plan_orders
from tidewind.services.precedents import remember
from tidewind.services.queue import defer
from tidewind.services.shop_facts import carriers_in_force, shop_settings
from tidewind.services.world import Outside

SETTLE_AFTER = timedelta(seconds=20)
GIVE_UP_AFTER = timedelta(minutes=10)
PARCELS_PER_JOB = 10
MOST_ORDERS = 2_000


@dataclass(frozen=True, slots=True)
class Wish:
    """One order to buy and the price the person saw, in minor units."""

    order_id: int
    shown_minor: int


@dataclass(slots=True)
class Asked:
    """What came of asking: the batch, and the orders that were not taken, with the reason in words."""

    batch_id: int
    taken: list[int] = field(default_factory=list)
    dropped: dict[int, str] = field(default_factory=dict)


def ask(session: Session, wishes: Sequence[Wish], client_key: str, person_id: int, now: datetime) -> Asked:
    """Write the intents and holds for ``wishes`` and queue the purchase; a repeated ``client_key`` changes nothing.

    Orders that cannot be bought (a snag, another price than shown, bought by somebody else) are dropped with words.
    Raises Conflict where the balance does not reach, Invalid for an empty or too long list.
    """
    if not wishes or len(wishes) > MOST_ORDERS:
        raise Invalid("batch_size", f"Choose between 1 and {MOST_ORDERS:,} orders.")
    before = session.scalar(select(Batch).where(Batch.client_key == client_key))
    if before is not None:
        taken = session.scalars(select(Shipment.order_id).where(Shipment.batch_id == before.id)).all()
        return Asked(before.id, list(taken))
    batch = Batch(client_key=client_key, person_id=person_id)
    session.add(batch)
    try:
        session.flush()
    except IntegrityError as error:  # the doubled click came at the very same moment
        raise Conflict("asked_twice", "This purchase is already under way; nothing was bought twice.") from error
    asked = Asked(batch.id)
    orders: list[Order] = []
    shown = {wish.order_id: wish.shown_minor for wish in wishes}
    for order_id in sorted(shown):  # one locking order for everybody, so that two batches never wait in a circle
        order = get_order(session, order_id, lock=True)
        reason = _reason_against(session, order, shown[order_id])
        if reason:
            asked.dropped[order_id] = reason
        else:
            orders.append(order)
    _hold(session, orders, batch, asked, now)
    return asked


def _reason_against(session: Session, order: Order, shown_minor: int) -> str | None:
    live = session.scalar(
        select(Shipment).where(
            Shipment.order_id == order.id, Shipment.state.in_(("buying", "bought", "void_asked", "void_refused"))
        )
    )
    if live is not None:
        buyer = session.scalar(
            select(Person.name).join(Batch, Batch.person_id == Person.id).where(Batch.id == live.batch_id)
        )
        return f"already bought by {buyer}" if live.state == "bought" else f"being bought by {buyer} just now"
    if order.state != "open":
        return f"is {order.state.replace('_', ' ')}"
    stops = [s.words for s in order.snags if s.level == "stops"]
    if stops or order.price_minor is None:
        return stops[0] if stops else "has no price"
    if order.price_minor != shown_minor:
        return f"costs {money_text(order.price_minor)} now, not {money_text(shown_minor)}; look again"
    return None


def _hold(session: Session, orders: list[Order], batch: Batch, asked: Asked, now: datetime) -> None:
    if not orders:
        return
    total = sum(order.price_minor or 0 for order in orders)
    available = lock_available(session)
    if total > available:
        words = f"The labels cost {money_text(total)}, the balance has {money_text(available)}. Nothing was bought."
        raise Conflict("no_balance", f"{words} Top up, or choose fewer orders.")
    today = now.astimezone(ZoneInfo(shop_settings(session).time_zone)).date()
    carriers = {carrier.code: carrier for carrier in carriers_in_force(session, today)}
    place = default_place(session)
    shipment_ids = []
    for order in orders:
        carrier = carriers[order.carrier or ""]
        departure_id = departure_for(session, carrier, order.network or "", place.id, order.ship_date or today)
        shipment = _intent(order, batch.id, departure_id, place.address, now)
        session.add(shipment)
        session.flush()
        post(
            session, "hold", shipment.price_minor, key=f"hold:{shipment.idempotency_key}",
            reason=f"Label for order {order.number}, {shipment.service_name}", at=now, shipment_id=shipment.id,
        )  # fmt: skip
        shipment_ids.append(shipment.id)
        asked.taken.append(order.id)
    for start in range(0, len(shipment_ids), PARCELS_PER_JOB):
        defer(session, "buy_shipments", shipment_ids=shipment_ids[start : start + PARCELS_PER_JOB])


def _intent(order: Order, batch_id: int, departure_id: int, sender: dict[str, str], now: datetime) -> Shipment:
    return Shipment(
        order=order,
        order_id=order.id,
        batch_id=batch_id,
        departure_id=departure_id,
        idempotency_key=secrets.token_hex(16),
        state="buying",
        carrier=order.carrier or "",
        service=order.service or "",
        service_name=order.plan["service_name"],
        price_minor=order.price_minor or 0,
        quote=order.plan["quote"],
        sender=dict(sender),
        address=dict(order.address),
        extras=list(order.plan.get("extras", [])),
        ship_date=order.ship_date or now.date(),
        arrives=order.arrives,
        asked_at=now,
        tracking_key=secrets.token_urlsafe(24),
        labels=[
            Label(parcel_no=n, parcel=parcel, gross_g=parcel["gross_g"])
            for n, parcel in enumerate(order.plan["parcels"], 1)
        ],
    )


def buy_shipment(
    sessions: sessionmaker[Session], outside: Outside, shipment_id: int, clock: Callable[[], datetime]
) -> str:
    """Ask the carrier for one shipment and write its answer; return the state afterwards.

    Safe to repeat at any point: the carrier honours the key, and only a shipment still being bought is changed.
    Raises NeverSent or MaybeDone where the carrier gave no answer; the sweep settles it later.
    """
    with sessions() as session:
        shipment = session.get(Shipment, shipment_id)
        if shipment is None or shipment.state != "buying":
            return shipment.state if shipment else "gone"
        account = session.scalars(select(CarrierAccount).where(CarrierAccount.code == shipment.carrier)).one()
        key, wanted = shipment.idempotency_key, _wanted(session, shipment, account.latin_only)
    client = outside.carrier(account)
    try:
        sold = client.buy(key, wanted)
    except RefusedOutside as refusal:
        return _write_failure(sessions, shipment_id, f"{account.name}: {refusal}", clock())
    except MaybeDone:
        found = client.find(key)  # the answer was lost on the way: what became of it?
        if found is None:
            raise
        sold = found
    if _over_tolerance(sessions, shipment_id, sold):
        client.cancel(key)
        words = (
            f"{account.name} asks {money_text(sold.price_minor)} now. It was voided at once; buy again if you agree."
        )
        return _write_failure(sessions, shipment_id, words, clock())
    return _write_answer(sessions, outside, shipment_id, sold, clock())


def _wanted(session: Session, shipment: Shipment, latin_only: bool) -> Wanted:
    order = shipment.order
    facts = all_facts(session, [order])[0]
    address = Address(**shipment.address)
    return Wanted(
        service=shipment.service,
        country=address.country,
        postcode=address.postcode,
        home=order.home,
        recipient=asdict(latin_address(address)) if latin_only else dict(shipment.address),
        value_minor=order.plan.get("value_minor", facts.value),
        contents=sorted({c for line in facts.lines for c in line.contents}),
        extras=list(shipment.extras),
        po_box=is_po_box(address),
        ship_date=shipment.ship_date,
        reference=order.number,
        parcels=[
            WantedParcel(
                label.gross_g, tuple(label.parcel["sides_mm"]),
                label.parcel["packaging"] if label.parcel["carrier_box"] else None,
            )
            for label in shipment.labels
        ],
        point=order.hand.get("point", ""), region=address.region, from_country=shipment.sender.get("country", ""),
        from_postcode=shipment.sender.get("postcode", ""),
    )  # fmt: skip


def _locked(session: Session, shipment_id: int) -> Shipment | None:
    """Return a shipment that is still being bought, its row locked; None where somebody has settled it."""
    shipment = session.scalar(
        select(Shipment)
        .where(Shipment.id == shipment_id)
        .with_for_update(of=Shipment)
        .execution_options(populate_existing=True)
    )
    return shipment if shipment is not None and shipment.state == "buying" else None


def _over_tolerance(sessions: sessionmaker[Session], shipment_id: int, sold: Sold) -> bool:
    with sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        return sold.price_minor > shipment.price_minor + shop_settings(session).price_tolerance_minor


def _write_answer(
    sessions: sessionmaker[Session], outside: Outside, shipment_id: int, sold: Sold, now: datetime
) -> str:
    with sessions.begin() as session:
        shipment = _locked(session, shipment_id)
        if shipment is None:
            return session.get_one(Shipment, shipment_id).state
        if len(sold.parcels) != len(shipment.labels):
            raise MaybeDone(f"{len(sold.parcels)} numbers for {len(shipment.labels)} parcels")
        for label, parcel in zip(shipment.labels, sold.parcels, strict=True):
            label.tracking_number, label.routing = parcel.tracking_number[:40], parcel.routing[:40]
        key, held = shipment.idempotency_key, shipment.price_minor
        reason = f"Order {shipment.order.number}, {shipment.service_name}"
        if sold.price_minor != held:
            # Cheaper, or dearer within the tolerance: the hold is exchanged for one of the true sum.
            post(session, "release", held, key=f"release:{key}", reason=reason, at=now, shipment_id=shipment_id)
            post(session, "hold", sold.price_minor, key=f"rehold:{key}", reason=reason, at=now, shipment_id=shipment_id)
            shipment.price_minor = sold.price_minor
        post(session, "charge", sold.price_minor, key=f"charge:{key}", reason=reason, at=now, shipment_id=shipment_id)
        shipment.state, shipment.bought_at, shipment.next_look_at = "bought", now, now
        _order_is_shipped(session, shipment.order, now)
        tell(session, f"batch:{shipment.batch_id}")
        followups.after_purchase(session, shipment, outside.base_url, now)
        return "bought"


def _order_is_shipped(session: Session, order: Order, now: datetime) -> None:
    """Mark an order, and those that went along with it, as shipped; a choice made by hand becomes a precedent."""
    order.state = "shipped"
    session.execute(
        update(Order)
        .where(Order.joined_to == order.id)
        .values(state="shipped", state_by="", state_why=f"went with order {order.number}"[:200])
    )
    remember(session, order, now)


def _write_failure(sessions: sessionmaker[Session], shipment_id: int, words: str, now: datetime) -> str:
    with sessions.begin() as session:
        shipment = _locked(session, shipment_id)
        if shipment is None:
            return session.get_one(Shipment, shipment_id).state
        post(
            session, "release", shipment.price_minor, key=f"release:{shipment.idempotency_key}",
            reason=f"Not bought: {words}", at=now, shipment_id=shipment_id,
        )  # fmt: skip
        shipment.state, shipment.failure = "failed", words[:500]
        tell(session, f"batch:{shipment.batch_id}")
        plan_orders(session, [shipment.order], now)
        return "failed"


def sweep(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> dict[int, str]:
    """Settle every purchase that has been under way for too long; return what became of each.

    A carrier that cannot be reached leaves its shipments for the next sweep; after ten minutes without a sale it
    is given up, once the carrier says that the key was never sold.
    """
    with sessions() as session:
        stuck = session.execute(
            select(Shipment.id, Shipment.asked_at)
            .where(Shipment.state == "buying", Shipment.asked_at < clock() - SETTLE_AFTER)
            .order_by(Shipment.id)
        ).all()
    settled = {}
    for shipment_id, asked_at in stuck:
        try:
            settled[shipment_id] = buy_shipment(sessions, outside, shipment_id, clock)
        except (NeverSent, MaybeDone):
            gone = clock() - asked_at > GIVE_UP_AFTER and _never_sold(sessions, outside, shipment_id)
            settled[shipment_id] = (
                _write_failure(sessions, shipment_id, "the carrier did not answer for ten minutes", clock())
                if gone else "buying"
            )  # fmt: skip
    return settled


def _never_sold(sessions: sessionmaker[Session], outside: Outside, shipment_id: int) -> bool:
    with sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        account = session.scalars(select(CarrierAccount).where(CarrierAccount.code == shipment.carrier)).one()
        key = shipment.idempotency_key
    try:
        return outside.carrier(account).find(key) is None
    except (NeverSent, MaybeDone):
        return False


def batch_shipments(session: Session, batch_id: int) -> Sequence[Shipment]:
    """Return the shipments of a batch in the order of their ids."""
    return session.scalars(select(Shipment).where(Shipment.batch_id == batch_id).order_by(Shipment.id)).all()
