"""Put new orders into the database and plan them; one that is there already is left alone."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.customs.said import NOTHING_SAID
from tidewind.core.order_facts import Hand
from tidewind.core.screening import plain_name
from tidewind.core.searching import folded
from tidewind.core.stored import NO_HAND, write_address
from tidewind.core.written import Written
from tidewind.db.among import among
from tidewind.db.bulk import Columns, take_ids
from tidewind.db.tables import Channel, Order, OrderLine, Product
from tidewind.services.planning import LineRecord, OrderRecord, insert_records, is_waiting, plan_records


@dataclass(frozen=True, slots=True)
class NewLine:
    """One line of a new order."""

    sku: str
    name: str
    quantity: int
    unit_price_minor: int
    weight_g: int | None = None


@dataclass(frozen=True, slots=True)
class NewOrder:
    """An order on its way in, whatever it came from."""

    number: str
    address: Address
    lines: tuple[NewLine, ...]
    ordered_at: datetime
    home: bool = True
    promise: str = ""
    promise_date: date | None = None
    offer: str = ""
    paid_shipping_minor: int = 0
    note: str = ""
    fingerprint: str = ""
    state: str = "open"
    state_why: str = ""
    state_by: str = ""
    payment: str = "paid"
    billing_name: str = ""
    reference: str = ""
    tags: tuple[str, ...] = ()
    imported: Written = field(default_factory=dict)
    hand: Hand = NO_HAND
    recipient_number: str = ""
    currency: str = ""


def store_orders(
    session: Session, channel: Channel, incoming: list[NewOrder], now: datetime, import_id: int | None = None
) -> tuple[list[OrderRecord], list[NewOrder]]:
    """Store and plan the orders whose numbers the channel does not have yet; return them, and those it had.

    The channel's row is locked, so two imports at once make nothing twice.
    """
    session.execute(select(Channel.id).where(Channel.id == channel.id).with_for_update())
    numbers = [order.number for order in incoming]
    there = set(
        session.scalars(select(Order.number).where(Order.channel_id == channel.id, among(Order.number, numbers)))
    )
    fresh = [new for new in incoming if new.number not in there]
    learn_products(session, fresh)
    made = _records(session, channel, fresh)
    plan_records(session, [record for record in made if is_waiting(record)], now)
    insert_records(session, made, [_beside_the_plan(new, import_id) for new in fresh])
    return made, [new for new in incoming if new.number in there]


def _records(session: Session, channel: Channel, fresh: Sequence[NewOrder]) -> list[OrderRecord]:
    """Return new orders as records, with the ids that plans name them and their lines by."""
    line_ids = iter(take_ids(session, OrderLine, sum(len(new.lines) for new in fresh)))
    ids = take_ids(session, Order, len(fresh))
    return [_record(channel, new, order_id, line_ids) for new, order_id in zip(fresh, ids, strict=True)]


def _record(channel: Channel, new: NewOrder, order_id: int, line_ids: Iterator[int]) -> OrderRecord:
    return OrderRecord(
        id=order_id,
        channel_id=channel.id,
        channel=channel,
        number=new.number,
        state=new.state,
        state_why=new.state_why,
        state_by=new.state_by or ("channel" if new.state != "open" else ""),
        payment=new.payment,
        billing_name=new.billing_name,
        tags=list(new.tags),
        ordered_at=new.ordered_at,
        address=new.address,
        home=new.home,
        promise=new.promise,
        promise_date=new.promise_date,
        offer=new.offer,
        paid_shipping_minor=new.paid_shipping_minor,
        currency=new.currency,
        note=new.note,
        hand=with_recipient_number(new.hand, new.recipient_number) if new.recipient_number else new.hand,
        lines=[
            LineRecord(
                next(line_ids), order_id, n, line.sku, line.name, line.quantity, 0, line.unit_price_minor, line.weight_g
            )
            for n, line in enumerate(new.lines, 1)
        ],
    )


def with_recipient_number(hand: Hand, number: str) -> Hand:
    """Return what was said of an order with the number that its recipient's country asks them for."""
    return replace(hand, customs=replace(hand.customs or NOTHING_SAID, recipient_number=number))


def _beside_the_plan(new: NewOrder, import_id: int | None) -> Written:
    """Return the columns of a new order that planning does not ask for."""
    return {
        "reference": new.reference,
        "search": search_text(new.number, new.address, [f"{ln.name} {ln.sku}" for ln in new.lines], new.reference),
        "recipient_key": recipient_key(new.address),
        "imported": new.imported or {"address": write_address(new.address)},
        "fingerprint": new.fingerprint,
        "import_id": import_id,
    }


def learn_products(session: Session, orders: Sequence[NewOrder]) -> None:
    """Let the catalogue grow: products never seen before, and weights it did not have; what it knows stays."""
    told: dict[str, Columns] = {}
    for order in orders:
        for line in order.lines:
            told.setdefault(
                line.sku,
                {
                    "name": line.name or line.sku,
                    "value_minor": 0 if order.currency else line.unit_price_minor,
                    "weight_g": line.weight_g,
                    "learned_from": f"order {order.number}"[:60],
                    "contents": [],
                    "tags": [],
                },
            )
    known = select(Product.sku, Product.weight_g).where(among(Product.sku, told))
    for sku, weight_g in session.execute(known).all():
        if weight_g is not None or told[sku]["weight_g"] is None:
            del told[sku]
    if not told:
        return
    statement = insert(Product).on_conflict_do_update(
        index_elements=["sku"],
        set_={"weight_g": insert(Product).excluded.weight_g},
        where=Product.weight_g.is_(None) & insert(Product).excluded.weight_g.is_not(None),
    )
    session.execute(statement, [{"sku": sku, **facts} for sku, facts in sorted(told.items())])


def forget_learned(session: Session, import_id: int) -> None:
    """Let the catalogue forget products that it learned from an import alone, and nobody has touched since."""
    mine = select(Order.id).where(Order.import_id == import_id)
    learned = select(func.concat("order ", Order.number)).where(Order.import_id == import_id)
    elsewhere = select(OrderLine.sku).where(OrderLine.order_id.not_in(mine), OrderLine.sku == Product.sku)
    as_learned = (
        Product.learned_from.in_(learned), Product.length_mm.is_(None), Product.customs_text == "",
        Product.hs_code == "", Product.barcode == "", Product.recipe == "", Product.shelf == "", Product.origin == "",
        Product.material == "", Product.used_for == "", Product.tags == [], Product.contents == [], ~Product.own_box,
        ~Product.upright, ~Product.no_weekend, ~Product.not_stackable,
    )  # fmt: skip
    session.execute(delete(Product).where(*as_learned, ~elsewhere.exists()))


def search_text(number: str, address: Address, items: Sequence[str], reference: str = "") -> str:
    """Return everything an order is searched by, as ``folded``."""
    to = address
    parts = (number, reference, to.name, to.company, to.street, to.city, to.postcode, to.email, to.phone, *items[:50])
    return folded(" ".join(part for part in parts if part))[:4000]


def recipient_key(address: Address) -> str:
    """Return a hash that is the same for parcels to one person at one address."""
    to = (plain_name(address.name or address.company), address.street, address.postcode, address.city, address.country)
    return hashlib.sha256("|".join("".join(p.casefold().split()) for p in to).encode()).hexdigest()
