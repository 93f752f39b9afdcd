"""From rows to what goes over HTTP."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from tidewind.core.addresses.countries import country_name
from tidewind.core.addresses.latin import latin_address
from tidewind.core.channel_changes import ChangeKind, ChannelChange
from tidewind.core.checkout.sold import sold_from
from tidewind.core.order_rows.reading import RowOrder
from tidewind.core.snags import Snag, snag_of_change
from tidewind.core.states.labels import LabelState
from tidewind.core.stored import NO_ADDRESS
from tidewind.db.tables import CarrierRow, Order, Shipment
from tidewind.services import orders as service
from tidewind.services.base import history_of
from tidewind.services.books import margins
from tidewind.services.follow import events_of
from tidewind.services.orders import (
    ListedOrder,
    OnItsWay,
    WorkFilter,
    being_bought,
    labels_made_wrong,
    list_orders,
    numbers_of,
    orders_along,
    orders_by_recipient,
    shipments_of,
    travelling,
    view_counts,
    waiting_differences,
)
from tidewind.services.people import AtWork, Who, at_work_on
from tidewind.services.planning import changes_upstream, joined_lines
from tidewind.services.rates import offer_name
from tidewind.services.shop import all_packaging, carriers_by_code
from tidewind.web.access import MONEY_ROLES
from tidewind.web.base.schemas import AddressIO, HandOut
from tidewind.web.orders.schemas.imports import PreviewOrder
from tidewind.web.orders.schemas.order import (
    DifferenceOut,
    EventOut,
    FieldChange,
    LabelAtStake,
    LabelOut,
    MarginOut,
    OrderLineOut,
    OrderPage,
    OrderRow,
    OrderSheet,
    ParcelOut,
    QuoteOut,
    SamePerson,
    ShipmentOut,
    SnagOut,
    SoldAsOut,
    TrailStep,
)


def order_rows(session: Session, orders: Sequence[Order], now: datetime, person_id: int) -> list[OrderRow]:
    """Return the rows of the work list as a person sees them: others' work is named, one's own is not."""
    at_work = at_work_on(session, now, [order.id for order in orders])
    return _rows(session, orders, now, {i: work for i, work in at_work.items() if work.person_id != person_id})


@dataclass(frozen=True, slots=True)
class SharedPage:
    """A page of the work list that is nobody's own yet: whoever works on its orders is named in it."""

    page: OrderPage
    at_work: Mapping[int, AtWork]
    written: bytes

    def seen_by(self, person_id: int) -> bytes:
        """Return the page as JSON without this person's own name: what one does oneself is no news."""
        if all(work.person_id != person_id for work in self.at_work.values()):
            return self.written
        mine = {i for i, work in self.at_work.items() if work.person_id == person_id}
        rows = [row.model_copy(update={"held_by": None}) if row.id in mine else row for row in self.page.orders]
        return self.page.model_copy(update={"orders": rows}).model_dump_json().encode()


def order_page(session: Session, asks: WorkFilter, after: str, limit: int, now: datetime) -> SharedPage:
    """Return one page of the work list for everybody who asks for it now.  Raises Invalid."""
    found = list_orders(session, asks, after, limit)
    at_work = at_work_on(session, now, [order.id for order in found.orders])
    page = OrderPage(
        orders=_rows(session, found.orders, now, at_work),
        counts=view_counts(session),
        next=found.next,
        more=found.next is not None,
        matching=found.matching,
        newest_change=found.newest_change,
    )
    return SharedPage(page, at_work, page.model_dump_json().encode())


def _rows(
    session: Session, orders: Sequence[Order | ListedOrder], now: datetime, at_work: Mapping[int, AtWork]
) -> list[OrderRow]:
    known = carriers_by_code(session)
    ids = [order.id for order in orders]
    busy = being_bought(session, ids)
    not_open = [order.id for order in orders if order.state != "open"]
    gone = travelling(session, not_open)
    changed = {i: snag_of_change(change) for i, change in changes_upstream(session, not_open).items()}
    keys = {order.recipient_key for order in orders if order.state == "open" and order.recipient_key}
    same = orders_by_recipient(session, keys)
    return [
        _row(
            order,
            known.get(order.carrier or ""),
            _Beside(
                buying=order.id in busy,
                held_by=at_work[order.id].person if order.id in at_work else None,
                way=gone.get(order.id, _NOT_SENT),
                same_person=max(same.get(order.recipient_key, 1) - 1, 0) if order.state == "open" else 0,
                outdated=bool(order.good_until and order.good_until < now),
                changed=changed.get(order.id),
            ),
        )
        for order in orders
    ]


_NOT_SENT = OnItsWay((), None)


@dataclass(frozen=True, slots=True)
class _Beside:
    """What a row says that stands beside the order: people, labels, the clock."""

    buying: bool
    held_by: str | None
    way: OnItsWay
    same_person: int
    outdated: bool
    changed: Snag | None


def _row(order: Order | ListedOrder, carrier: CarrierRow | None, beside: _Beside) -> OrderRow:
    plan = order.plan
    steps = plan.trail.get("service", ())
    return OrderRow(
        id=order.id, number=order.number, channel=order.channel.name, state=order.state,
        state_why=order.state_why, buying=beside.buying, ordered_at=order.ordered_at,
        recipient=order.address.name or order.address.company, city=order.address.city,
        country=order.address.country, items=_items(order),
        item_count=sum(line.quantity for line in order.lines), promise=order.promise,
        promise_date=order.promise_date, packaging=plan.packaging,
        monogram=carrier.monogram if carrier else None, carrier=order.carrier, network=order.network,
        service=order.service, service_name=plan.service_name,
        decided_by=f"{steps[-1].layer}: {steps[-1].why}" if steps else "", ship_date=order.ship_date,
        arrives=order.arrives, parcel_count=order.parcel_count, price_minor=order.price_minor,
        paid_shipping_minor=order.paid_shipping_minor, currency=order.currency,
        snags=[SnagOut.model_validate(s) for s in _snags(order, beside)],
        payment=order.payment,
        value_minor=_value(order), gross_g=sum(p.gross_g for p in plan.parcels),
        extras=list(plan.extras), destination=order.destination, promise_linked=order.promise_linked,
        desk=order.desk, tags=sorted({*order.tags, *order.plan_tags}), comment=order.comment,
        reference=order.reference, part_of=order.part_of, held_by=beside.held_by, batch_id=order.batch_id,
        same_person=beside.same_person, outdated=beside.outdated,
        tracking_numbers=list(beside.way.tracking_numbers), tracking_state=beside.way.tracking_state,
    )  # fmt: skip


def _value(order: Order | ListedOrder) -> int | None:
    """Return what the goods are worth in the shop's currency; None where nobody has said it yet."""
    return None if any(snag.code == "worth" for snag in order.snags) else order.plan.value_minor


def _snags(order: Order | ListedOrder, beside: _Beside) -> Sequence[Any]:
    """Return what stops or endangers an order; once its label is bought, what its channel changed since."""
    if beside.changed is None or any(snag.fix == "difference" for snag in order.snags):
        return order.snags
    return [beside.changed, *order.snags]


def _items(order: Order | ListedOrder) -> str:
    first = [f"{ln.name or ln.sku}{f' × {ln.quantity}' if ln.quantity > 1 else ''}" for ln in order.lines[:2]]
    rest = len(order.lines) - 2
    return ", ".join(first) + (f" +{rest}" if rest > 0 else "")


def order_sheet(session: Session, order: Order, now: datetime, who: Who) -> OrderSheet:
    """Return one order whole; what it cost beside what the buyer paid only for those who may see the ledger."""
    shipments = shipments_of(session, order.id)
    bought = next((s for s in shipments if s.state in LabelState.TRAVELS), None)
    plan, sees_money = order.plan, who.role in MONEY_ROLES
    margin = margins(session, [order.id]).get(order.id) if sees_money else None
    along = joined_lines(session, [order]).get(order.id, [])
    joined = orders_along(session, order.id)
    past = history_of(session, order.id)
    undoable = next((entry for entry in past if entry.undo), None)
    return OrderSheet(
        row=order_rows(session, [order], now, who.id)[0],
        address=AddressIO.model_validate(order.address),
        home=order.home,
        sender=None if order.sender == NO_ADDRESS else AddressIO.model_validate(order.sender),
        note=order.note,
        lines=[OrderLineOut.model_validate(line) for line in (*order.lines, *along)],
        hand=HandOut.model_validate(order.hand),
        parcels=[ParcelOut.model_validate(p) for p in plan.parcels],
        quote=QuoteOut.model_validate(plan.quote) if plan.quote else None,
        trail={n: [TrailStep.model_validate(s) for s in steps] for n, steps in plan.trail.items()},
        shipments=[shipment_out(s) for s in shipments],
        margin=MarginOut.model_validate(margin) if margin else None,
        sold=_sold(session, order),
        events=[EventOut.model_validate(e) for e in events_of(session, bought)] if bought else [],
        billing_name=order.billing_name,
        latin=_latin(order),
        same_person=[_other(o) for o in service.same_person(session, order)],
        joined=[_other(o) for o in joined],
        difference=next(iter(differences_out(session, [order.id])), None),
        can_undo=undoable.what if undoable else "",
        newest_change=max((entry.id for entry in past), default=0),
        undo_by=undoable.who if undoable and undoable.who != who.name else "",
    )


def differences_out(session: Session, order_ids: Sequence[int] | None = None) -> list[DifferenceOut]:
    """Return what channels changed and nobody has decided about, those that concern some orders or all."""
    found = waiting_differences(session, order_ids)
    numbers = numbers_of(session, {d.order_id for d in found})
    return [
        DifferenceOut(
            id=d.id,
            order_id=d.order_id,
            number=numbers[d.order_id],
            at=d.at,
            kind=ChangeKind(d.kind),
            changes=[FieldChange.model_validate(c) for c in d.changes],
            labels=[
                LabelAtStake(
                    order_number=s.order.number,
                    service_name=s.service_name,
                    price_minor=s.price_minor,
                    printed=any(label.printed_at for label in s.labels),
                    handed_over=any(label.handed_over_at for label in s.labels),
                )
                for s in labels_made_wrong(session, d)
            ],
        )
        for d in found
    ]


def _other(order: Order) -> SamePerson:
    return SamePerson(id=order.id, number=order.number, items=_items(order))


def _latin(order: Order) -> AddressIO | None:
    spelt = latin_address(order.address)
    return AddressIO.model_validate(spelt) if spelt != order.address else None


def shipment_out(shipment: Shipment, changed: ChannelChange | None = None) -> ShipmentOut:
    """Return a shipment with its labels, and what its order's channel changed since."""
    return ShipmentOut(
        id=shipment.id,
        batch_id=shipment.batch_id,
        order_id=shipment.order_id,
        order_number=shipment.order.number,
        state=shipment.state,
        carrier=shipment.carrier,
        service_name=shipment.service_name,
        price_minor=shipment.price_minor,
        premium_minor=shipment.premium_minor,
        ship_date=shipment.ship_date,
        arrives=shipment.arrives,
        failure=shipment.failure,
        tracking_state=shipment.tracking_state,
        crosses_border=bool(shipment.customs),
        tracking_path=f"/t/{shipment.tracking_key}",
        payer=shipment.payer,
        begun=shipment.begun_at is not None,
        void_due_on=shipment.void_due_on,
        void_words=shipment.void_words,
        changed=changed.words if changed else "",
        labels=[LabelOut.model_validate(label) for label in shipment.labels],
    )


def preview_order(order: RowOrder) -> PreviewOrder:
    """Return an order out of rows as it is shown before anything is made of it."""
    return PreviewOrder(
        number=order.number,
        recipient=order.address.name,
        destination=f"{order.address.postcode} {order.address.city}, {country_name(order.address.country)}",
        items=", ".join(f"{line.quantity} × {line.name or line.sku}" for line in order.lines[:3]),
        rows=order.rows,
    )


def _sold(session: Session, order: Order) -> SoldAsOut | None:
    sold = sold_from(order.offer)
    if sold is None:
        return None
    known = {box.code: box.name for box in all_packaging(session)} | {"own": "its own carton"}
    boxes = [known.get(code, code) for code in sold.boxes]
    return SoldAsOut(name=offer_name(session, sold), version=sold.version, boxes=boxes, price_minor=sold.price)
