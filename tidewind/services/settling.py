"""Settling purchases: the carrier is asked outside any transaction, its answer is written in one of its own.

The answer is written under the shipment's lock.  Whatever dies in between is settled by asking the carrier what became
of the key.  Nothing is bought twice, nothing is lost.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from datetime import datetime, timedelta

from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import Address, is_po_box
from tidewind.core.addresses.latin import latin_address
from tidewind.core.ledger import charge_kind
from tidewind.core.quantities import money_text
from tidewind.db.tables import CarrierAccount, Order, Shipment
from tidewind.outside.carrier import Sold, Wanted, WantedParcel
from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.services import followups, requests
from tidewind.services.live import tell
from tidewind.services.money import post
from tidewind.services.planning import all_facts, plan_orders
from tidewind.services.precedents import remember
from tidewind.services.shop_facts import shop_settings
from tidewind.services.world import Outside

SETTLE_AFTER = timedelta(seconds=20)
GIVE_UP_AFTER = timedelta(minutes=10)
NEVER_BEGUN_AFTER = timedelta(minutes=5)
LONGEST_PAUSE = timedelta(minutes=1)


def buy_shipment(
    sessions: sessionmaker[Session], outside: Outside, shipment_id: int, clock: Callable[[], datetime]
) -> str:
    """Ask the carrier for one shipment and write its answer; return the state afterwards.

    Safe to repeat at any point: the carrier honours the key, and only a shipment still being bought is changed.
    Raises NeverSent or MaybeDone where the carrier gave no answer; the sweep settles it later.
    """
    with sessions.begin() as session:
        shipment = _locked(session, shipment_id)
        if shipment is None:
            return _state(session, shipment_id)
        shipment.begun_at = shipment.begun_at or clock()
        shipment.attempts += 1
        pause = SETTLE_AFTER if shipment.attempts == 1 else timedelta(seconds=5 * 2 ** min(shipment.attempts, 5))
        shipment.next_try_at = clock() + min(pause, LONGEST_PAUSE)
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
        from_postcode=shipment.sender.get("postcode", ""), bill_to=str(shipment.bill_to.get("account", "")),
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


def _state(session: Session, shipment_id: int) -> str:
    return session.scalar(select(Shipment.state).where(Shipment.id == shipment_id)) or "gone"


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
            return _state(session, shipment_id)
        if len(sold.parcels) != len(shipment.labels):
            raise MaybeDone(f"{len(sold.parcels)} numbers for {len(shipment.labels)} parcels")
        for label, parcel in zip(shipment.labels, sold.parcels, strict=True):
            label.tracking_number, label.routing = parcel.tracking_number[:40], parcel.routing[:40]
        shipment.state, shipment.bought_at, shipment.next_look_at = "bought", now, now
        _order_is_shipped(session, shipment.order, now)
        tell(session, f"batch:{shipment.batch_id}")
        if not requests.after_purchase(session, shipment, outside.base_url, now):
            followups.after_purchase(session, shipment, outside.base_url, now)
        _charge(session, shipment, sold.price_minor, now)  # last: it holds the balances until the commit
        return "bought"


def _charge(session: Session, shipment: Shipment, price: int, now: datetime) -> None:
    """Turn the hold into a charge of what the carrier asked; what is billed to us later goes on account."""
    key, held, at = shipment.idempotency_key, shipment.price_minor, now
    reason = f"Order {shipment.order.number}, {shipment.service_name}"
    if shipment.payer == "balance" and price != held:
        # Cheaper, or dearer within the tolerance: the hold is exchanged for one of the true sum.
        post(session, "release", held, key=f"release:{key}", reason=reason, at=at, shipment_id=shipment.id)
        post(session, "hold", price, key=f"rehold:{key}", reason=reason, at=at, shipment_id=shipment.id)
    shipment.price_minor = price
    kind = charge_kind(shipment.payer)  # type: ignore[arg-type]  # a check on the table holds it to the three
    if kind:
        post(session, kind, price, key=f"charge:{key}", reason=reason, at=at, shipment_id=shipment.id)


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
            return _state(session, shipment_id)
        _fail(session, shipment, words, now)
        plan_orders(session, [shipment.order], now)
        return "failed"


def _fail(session: Session, shipment: Shipment, words: str, now: datetime) -> None:
    if shipment.payer == "balance":
        post(
            session, "release", shipment.price_minor, key=f"release:{shipment.idempotency_key}",
            reason=f"Not bought: {words}", at=now, shipment_id=shipment.id,
        )  # fmt: skip
    shipment.state, shipment.failure = "failed", words[:500]
    tell(session, f"batch:{shipment.batch_id}")


def cancel_waiting(session: Session, batch_id: int, who: str, now: datetime) -> int:
    """Cancel what of a batch no carrier has been asked for yet; return how many. Nothing of it was charged."""
    waiting = session.scalars(
        select(Shipment)
        .where(Shipment.batch_id == batch_id, Shipment.state == "buying", Shipment.begun_at.is_(None))
        .order_by(Shipment.id)
        .with_for_update(of=Shipment)
        .execution_options(populate_existing=True)
    ).all()
    still = [s for s in waiting if s.state == "buying" and s.begun_at is None]
    for shipment in still:
        _fail(session, shipment, f"cancelled by {who} before the carrier was asked", now)
    plan_orders(session, [s.order for s in still], now)
    return len(still)


def sweep(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> dict[int, str]:
    """Settle every purchase that has been under way for too long; return what became of each.

    Each carrier's are settled beside the others', so that one that hangs holds nobody up.  A carrier that cannot be
    reached leaves its shipments for the next sweep; after ten minutes without a sale it is given up, once the carrier
    says that the key was never sold.
    """
    with sessions() as session:
        rows = session.execute(
            select(Shipment.id, Shipment.carrier, Shipment.asked_at)
            .where(Shipment.state == "buying")
            .where(
                (Shipment.next_try_at <= clock())
                | (Shipment.next_try_at.is_(None) & (Shipment.asked_at < clock() - NEVER_BEGUN_AFTER))
            )
            .order_by(Shipment.id)
        ).all()
    stuck: dict[str, list[tuple[int, datetime]]] = {}
    for shipment_id, carrier, asked_at in rows:
        stuck.setdefault(carrier, []).append((shipment_id, asked_at))
    if not stuck:
        return {}
    with ThreadPoolExecutor(len(stuck)) as threads:
        parts = threads.map(lambda some: _sweep_carrier(sessions, outside, some, clock), stuck.values())
        return {shipment_id: state for part in parts for shipment_id, state in part.items()}


def _sweep_carrier(
    sessions: sessionmaker[Session], outside: Outside, stuck: Sequence[tuple[int, datetime]],
    clock: Callable[[], datetime],
) -> dict[int, str]:  # fmt: skip
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
