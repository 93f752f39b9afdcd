"""Asking for labels: the intent first, with its hold in the ledger, and the jobs that will buy.

One transaction writes the intent with its idempotency key and the ledger hold, and puts the jobs into the queue.
What happens then is in ``settling``.
"""

from __future__ import annotations

import secrets
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from itertools import count
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, joinedload, lazyload, load_only
from sqlalchemy.orm import defer as read_later

from tidewind.core.order_facts import BillTo
from tidewind.core.quantities import money_text
from tidewind.core.screening import Screen, uncleared
from tidewind.core.states.labels import LabelState
from tidewind.core.stored import first_known
from tidewind.db.bulk import insert_rows, take_ids, write_rows
from tidewind.db.tables import Batch, CarrierRow, Label, Order, Person, Shipment
from tidewind.services.base import MOST_ORDERS, Conflict, Invalid, NotFound, defer, lock_orders
from tidewind.services.books import Posting, lock_available, post_all
from tidewind.services.customs import Declared, borders_to_buy
from tidewind.services.handover import departure_for
from tidewind.services.planning import carriers_in_force, default_place, keep_up, screen_of, shop_day, shop_settings

PARCELS_PER_JOB, FIRST_PARCELS = 40, 3
AT_ONCE_PER_CARRIER = 4
"""So many jobs ask one carrier side by side; a carrier that hangs holds up no other's."""
Intent = dict[str, Any]
"""A shipment to be bought, by column."""


@dataclass(frozen=True, slots=True)
class ToBuy:
    """One order to buy and the price the person saw, in minor units."""

    order_id: int
    shown_minor: int


@dataclass(slots=True)
class PurchaseAsked:
    """What came of asking: the batch, and the orders that were not taken, with the reason in words."""

    batch_id: int
    taken: list[int] = field(default_factory=list)
    dropped: dict[int, str] = field(default_factory=dict)


def _asked_before(session: Session, client_key: str) -> PurchaseAsked | None:
    """Return what the same click has asked for already."""
    batch_id = session.scalar(select(Batch.id).where(Batch.client_key == client_key))
    if batch_id is None:
        return None
    return PurchaseAsked(
        batch_id, list(session.scalars(select(Shipment.order_id).where(Shipment.batch_id == batch_id)))
    )


def _not_too_many(wishes: Sequence[ToBuy]) -> None:
    if not 1 <= len(wishes) <= MOST_ORDERS:
        raise Invalid("batch_size", f"Choose between 1 and {MOST_ORDERS:,} orders.")


def _listed(screen: Screen | None, order: Order) -> str:
    """Return in words whom a recipient is like; lists of a moment ago count before the plans have followed them."""
    found = uncleared(screen, order.address, order.cleared)
    return found[0].words if found else ""


def ask_to_buy(
    session: Session,
    wishes: Sequence[ToBuy],
    client_key: str,
    person_id: int,
    now: datetime,
    batch_id: int | None = None,
) -> PurchaseAsked:
    """Write the intents and holds for ``wishes`` and queue the purchase; a repeated ``client_key`` changes nothing.

    With ``batch_id`` they are bought as part of that batch (again, for those that failed).  Orders that cannot be
    bought (a snag, another price than shown, bought by somebody else) are dropped with words.  Raises Conflict where
    the balance does not reach, Invalid for an empty or too long list, NotFound for an unknown batch.
    """
    _not_too_many(wishes)
    before = _asked_before(session, client_key) if batch_id is None else None
    if before is not None:
        return before
    batch = _new_batch(session, client_key, person_id) if batch_id is None else _locked_batch(session, batch_id)
    shown, currency = {wish.order_id: wish.shown_minor for wish in wishes}, shop_settings(session).currency
    asked = PurchaseAsked(batch.id)
    found = lock_orders(session, shown, options=[lazyload(Order.lines)], all_there=True)
    standing = standing_labels(session, shown)
    keep_up(session, [order for order in found if order.id not in standing], now)
    declared = borders_to_buy(session, [order for order in found if order.plan.parcels], now)
    screen = screen_of(session)
    orders: list[Order] = []
    for order in found:
        mine = standing.get(order.id)
        at_border = declared[order.id].stops if order.id in declared else ""
        reason = _reason_against(order, shown[order.id], mine, currency) or at_border or _listed(screen, order)
        if mine is not None and mine.shipment.batch_id == batch.id:
            asked.taken.append(order.id)  # the same click again
        elif reason:
            asked.dropped[order.id] = reason
        else:
            orders.append(order)
    _hold(session, orders, batch, asked, declared, now)
    _close(session, batch, now)
    return asked


def _new_batch(session: Session, client_key: str, person_id: int) -> Batch:
    batch = Batch(client_key=client_key, person_id=person_id)
    session.add(batch)
    try:
        session.flush()
    except IntegrityError as error:  # the doubled click came at the very same moment
        raise Conflict("asked_twice", "This purchase is already under way; nothing was bought twice.") from error
    return batch


def _locked_batch(session: Session, batch_id: int) -> Batch:
    batch = session.scalar(select(Batch).where(Batch.id == batch_id).with_for_update(of=Batch))
    if batch is None:
        raise NotFound("unknown_batch", "This batch does not exist.")
    return batch


@dataclass(frozen=True, slots=True)
class StandingLabel:
    """The label that an order has, or is about to have, and who bought it."""

    shipment: Shipment
    buyer: str

    @property
    def words(self) -> str:
        """Say why the order cannot be bought again."""
        if self.shipment.state == "bought":
            return f"already bought by {self.buyer}"
        return f"being bought by {self.buyer} just now"


def standing_labels(session: Session, order_ids: Collection[int]) -> dict[int, StandingLabel]:
    """Return the standing labels of orders, by order id; those without one are left out."""
    rows = session.execute(
        select(Shipment, Person.name)
        .join(Batch, Batch.id == Shipment.batch_id)
        .join(Person, Person.id == Batch.person_id)
        .where(Shipment.order_id.in_(order_ids), Shipment.state.in_(LabelState.COUNTS))
    )
    return {shipment.order_id: StandingLabel(shipment, name) for shipment, name in rows}


def _reason_against(order: Order, shown_minor: int, standing: StandingLabel | None, currency: str) -> str | None:
    if standing is not None:
        return standing.words
    if order.state != "open":
        return f"is {order.state.replace('_', ' ')}"
    stops = [s.words for s in order.snags if s.level == "stops"]
    if stops or order.price_minor is None:
        return stops[0] if stops else "has no price"
    if order.price_minor != shown_minor:
        return (
            f"costs {money_text(order.price_minor, currency)} now, not {money_text(shown_minor, currency)}; look again"
        )
    return None


def payer_of(order: Order, accounts: Mapping[str, CarrierRow]) -> str:
    """Return who pays for an order's label: somebody else's account, our account with the carrier, or the balance."""
    if order.hand.bill_to:
        return "elsewhere"
    carrier = accounts.get(order.carrier or "")
    account = carrier.account(account_of(order)) if carrier else None
    return account.payer if account else "balance"


def premium_of(order: Order) -> int:
    """Return what of an order's price an insurer asks for, later and by itself, in minor units."""
    return order.plan.premium_minor


def carriers_price(order: Order) -> int:
    """Return what the carrier asks for an order, in minor units."""
    return (order.price_minor or 0) - premium_of(order)


def account_of(order: Order) -> str:
    """Return the number of the account with the carrier that an order is planned on; empty for none."""
    return order.plan.account


def _write_intents(session: Session, orders: Sequence[Order], intents: Sequence[tuple[int, Intent]]) -> None:
    """Write the shipments that are meant, with a label for each parcel; each order knows its newest one."""
    insert_rows(session, Shipment, [intent for _, intent in intents])
    newest = [{"id": i["order_id"], "newest_shipment_id": i["id"]} for _, i in intents]
    write_rows(session, Order, ["newest_shipment_id"], newest)
    labels = [
        {
            "shipment_id": intent["id"],
            "parcel_no": n,
            "parcel": parcel,
            "gross_g": parcel.gross_g,
            "departure_id": departure,
        }
        for (departure, intent), order in zip(intents, orders, strict=True)
        for n, parcel in enumerate(order.plan.parcels, 1)
    ]
    insert_rows(session, Label, labels)


def _hold(
    session: Session,
    orders: Sequence[Order],
    batch: Batch,
    asked: PurchaseAsked,
    declared: Mapping[int, Declared],
    now: datetime,
) -> None:
    if not orders:
        return
    accounts = {a.code: a for a in session.scalars(select(CarrierRow))}
    total = sum(carriers_price(order) for order in orders if payer_of(order, accounts) == "balance")
    available = lock_available(session)
    if total > available:
        currency = shop_settings(session).currency
        words = f"The labels cost {money_text(total, currency)}, the balance has {money_text(available, currency)}."
        raise Conflict("no_balance", f"{words} Nothing was bought. Top up, or choose fewer orders.")
    intents = _intents(session, orders, batch, accounts, declared, now)
    _write_intents(session, orders, intents)
    post_all(
        session,
        [
            Posting(
                "hold",
                intent["price_minor"],
                f"hold:{intent['idempotency_key']}",
                f"Label for order {order.number}, {intent['service_name']}",
                now,
                intent["id"],
            )
            for (_, intent), order in zip(intents, orders, strict=True)
            if intent["payer"] == "balance" and intent["price_minor"]
        ],
    )
    asked.taken += [order.id for order in orders]
    for order in orders:
        order.batch_id = None
    _queue(session, [intent for _, intent in intents])


def _intents(
    session: Session,
    orders: Sequence[Order],
    batch: Batch,
    accounts: Mapping[str, CarrierRow],
    declared: Mapping[int, Declared],
    now: datetime,
) -> list[tuple[int, Intent]]:
    """Return the departures and rows of the shipments to be bought, in the order of ``orders``."""
    today = shop_day(session, now)
    carriers = {carrier.code: carrier for carrier in carriers_in_force(session, today)}
    place = default_place(session)
    departures: dict[tuple[str, str, object], int] = {}
    made = []
    for shipment_id, order in zip(take_ids(session, Shipment, len(orders)), orders, strict=True):
        carrier, network, day = carriers[order.carrier or ""], order.network or "", order.ship_date or today
        key = (carrier.code, network, day)
        if key not in departures:
            departures[key] = departure_for(session, carrier, network, place.id, day)
        payer = payer_of(order, accounts)
        intent = {
            "id": shipment_id,
            "batch_id": batch.id,
            "payer": payer,
            "sender": first_known(order.sender, place.address),
            "asked_at": now,
            "customs": declared[order.id].kept if order.id in declared else {},
            **_bought_of(order, today),
        }
        made.append((departures[key], intent))
    return made


def _bought_of(order: Order, today: date) -> Intent:
    """Return what an order's plan says in the columns of a shipment, with keys of its own."""
    return {
        "order_id": order.id,
        "idempotency_key": secrets.token_hex(16),
        "tracking_key": secrets.token_urlsafe(24),
        "state": "buying",
        "carrier": order.carrier or "",
        "service": order.service or "",
        "service_name": order.plan.service_name,
        "price_minor": carriers_price(order),
        "premium_minor": premium_of(order),
        "quote": order.plan.quote,
        "address": order.address,
        "extras": list(order.plan.extras),
        "ship_date": order.ship_date or today,
        "arrives": order.arrives,
        "reference": order.reference,
        "account": account_of(order),
        "bill_to": order.hand.bill_to or BillTo(),
    }


def _queue(session: Session, intents: Sequence[Intent]) -> None:
    """Queue the purchase, several parcels a job, each carrier's jobs in a few lanes of their own."""
    by_carrier: dict[str, list[int]] = {}
    for intent in intents:
        by_carrier.setdefault(intent["carrier"], []).append(intent["id"])
    for carrier, ids in by_carrier.items():
        for lane, some in zip(count(), _chunks(ids)):
            lock = f"buy:{carrier}:{lane % AT_ONCE_PER_CARRIER}"
            defer(session, "buy_shipments", lock=lock, shipment_ids=some)


def _chunks(ids: Sequence[int]) -> list[list[int]]:
    """Split a carrier's shipments: small jobs at first, so that labels are seen soon, then as many for every lane."""
    early = AT_ONCE_PER_CARRIER * FIRST_PARCELS
    rest = max(len(ids) - early, 0)
    rounds = max(-(-rest // (AT_ONCE_PER_CARRIER * PARCELS_PER_JOB)), 1)
    size = max(-(-rest // (AT_ONCE_PER_CARRIER * rounds)), 1)
    first = [list(ids[n : n + FIRST_PARCELS]) for n in range(0, min(early, len(ids)), FIRST_PARCELS)]
    return first + [list(ids[n : n + size]) for n in range(early, len(ids), size)]


def _close(session: Session, batch: Batch, now: datetime) -> None:
    """A batch is not done as long as orders lie in it that were not bought."""
    session.flush()
    if session.scalar(select(Order.id).where(Order.batch_id == batch.id).limit(1)) is None:
        batch.state = "asked"
    batch.asked_at = now


def batch_shipments(session: Session, batch_id: int) -> Sequence[Shipment]:
    """Return the shipments of a batch in the order of their ids; of their orders only the numbers are read at once."""
    light = joinedload(Shipment.order).options(
        load_only(Order.number), lazyload(Order.lines), lazyload(Order.snags), lazyload(Order.channel)
    )
    query = select(Shipment).where(Shipment.batch_id == batch_id).order_by(Shipment.id)
    heavy = (Shipment.quote, Shipment.sender, Shipment.address)
    return session.scalars(query.options(light, *map(read_later, heavy))).all()
