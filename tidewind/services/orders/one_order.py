"""One order: read, edit by hand, fix snags, hold; and the same for many at once."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, tidy, tidy_address
from tidewind.core.snags import APPROVAL_WORDS
from tidewind.core.states.orders import OrderMove, OrderStanding
from tidewind.core.stored import read_hand, write_hand
from tidewind.core.written import Written
from tidewind.db.among import among
from tidewind.db.tables import CarrierAccount, Clearance, Order, OrderChange, PackagingRow, Shipment
from tidewind.services.base import (
    Conflict,
    Invalid,
    NotFound,
    history_of,
    lock_orders,
    move_order,
    orders_with_label,
    write_history,
)
from tidewind.services.orders.belonging import set_address
from tidewind.services.orders.work_list import matching
from tidewind.services.planning import Scope, joined_lines, plan_orders, replan_some, screen_of


def get_order(session: Session, order_id: int, *, lock: bool = False) -> Order:
    """Return an order, locked for this transaction where asked.  Raises NotFound."""
    query = select(Order).where(Order.id == order_id)
    if lock:
        query = query.with_for_update(of=Order).execution_options(populate_existing=True)
    order = session.scalar(query)
    if order is None:
        raise NotFound("unknown_order", "This order does not exist.")
    return order


def numbers_of(session: Session, order_ids: Iterable[int]) -> dict[int, str]:
    """Return the numbers of orders by their ids."""
    found = session.execute(select(Order.id, Order.number).where(Order.id.in_(set(order_ids))))
    return {row.id: row.number for row in found}


def shipments_of(session: Session, order_id: int) -> Sequence[Shipment]:
    """Return what was bought or tried for an order, newest first."""
    return session.scalars(select(Shipment).where(Shipment.order_id == order_id).order_by(Shipment.id.desc())).all()


def editable(session: Session, order_id: int) -> Order:
    """Return an order locked for a change.  Raises Conflict where it is shipped, cancelled or being bought."""
    return all_editable(session, [order_id])[0]


def all_editable(session: Session, order_ids: Iterable[int]) -> list[Order]:
    """Return orders locked for a change, by id.  Raises NotFound, or Conflict where one cannot be changed now."""
    orders = lock_orders(session, order_ids, all_there=True)
    labelled = orders_with_label(session, [order.id for order in orders])
    for order in orders:
        if (order.state, order.state_by) not in OrderStanding.EDITABLE:
            words = f"Order {order.number} is {order.state.replace('_', ' ')} and cannot be changed."
            raise Conflict("not_open", words)
        if order.id in labelled:
            raise Conflict("being_bought", f"A label for order {order.number} is bought or being bought just now.")
    return orders


def _plan_many(session: Session, orders: Sequence[Order], words: str, now: datetime) -> None:
    """Plan orders anew after a change by hand: at once where they are few, else in the background."""
    replan_some(session, words, now, Scope(orders=tuple(order.id for order in orders)))


def edit_hand(
    session: Session,
    order_ids: Sequence[int],
    changes: Written,
    who: str,
    now: datetime,
    seen: int | None = None,
) -> list[Order]:
    """Set or take back (None) what is decided by hand, for one order or many; then plan anew.

    ``seen`` is the newest entry of any order's history that the person can have seen: raises Conflict where somebody
    else has set the same thing since.

    ``changes`` are in the written form of ``core/stored``: packaging, service, account, bill_to, point, extras,
    ship_date, desk, split and parcels (these for one order only).
    """
    orders = all_editable(session, order_ids)
    if seen is not None:
        _nobody_since(session, orders, set(changes), who, seen)
    _check_hand(session, orders, changes)
    if isinstance(changes.get("ship_date"), date):
        changes = {**changes, "ship_date": changes["ship_date"].isoformat()}
    if not changes.keys().isdisjoint({"packaging", "parcels", "split"}):
        changes = {"weights_g": None, **changes}  # what was weighed was another parcel
    for order in orders:
        set_by_hand(session, order, changes, who, now)
    _plan_many(session, orders, f"{who} set {_named(changes)}", now)
    return orders


def set_by_hand(session: Session, order: Order, changes: Written, who: str, now: datetime) -> None:
    """Set what is decided by hand for one order, in the written form of ``core/stored``; it can be undone."""
    before = write_hand(order.hand)
    undo = {"hand": before, "fields": list(changes)}
    named = [name for name in changes if changes[name] is not None or name != "weights_g"]
    write_history(session, order, who, f"set {_named(named)}", now, undo)
    merged = {**before, **changes}
    order.hand = read_hand({name: value for name, value in merged.items() if _is_set(name, value)})


_CALLED = {"worth": "value of the goods"}
"""What people call a field whose name they would not say."""


def _named(names: Iterable[str]) -> str:
    return ", ".join(_CALLED.get(name, name.replace("_", " ")) for name in names)


def _check_hand(session: Session, orders: Sequence[Order], changes: Written) -> None:
    """Raise Invalid for what cannot be set by hand: a box or an account that there is not, parcels that do not fit."""
    if changes.get("packaging"):
        known = session.scalar(select(PackagingRow.id).where(PackagingRow.code == changes["packaging"]))
        if known is None:
            raise Invalid("unknown_packaging", f"There is no packaging {changes['packaging']}.")
    if changes.get("account"):
        there = session.scalar(select(CarrierAccount.id).where(CarrierAccount.number == changes["account"]).limit(1))
        if there is None:
            raise Invalid("unknown_account", f"There is no account {changes['account']} with any carrier.")
    if changes.get("parcels"):
        if len(orders) != 1:
            raise Invalid("one_order", "Parcels are put together by hand for one order at a time.")
        _check_parcels(session, orders[0], changes["parcels"])


def _nobody_since(session: Session, orders: Sequence[Order], fields: set[str], who: str, seen: int) -> None:
    numbers = {order.id: order.number for order in orders}
    theirs_since = among(OrderChange.order_id, numbers), OrderChange.id > seen, OrderChange.who != who
    for entry in session.scalars(select(OrderChange).where(*theirs_since).order_by(OrderChange.id)):
        if theirs := fields & set(entry.undo.get("fields", ())):
            fact = f"{entry.who} set the {_named(sorted(theirs))} of order {numbers[entry.order_id]}"
            words = f"{fact} while you were looking at it."
            raise Conflict("changed_meanwhile", f"{words} Nothing was changed; it now shows what stands.")


def _is_set(name: str, value: Any) -> bool:
    # No extras, and no desk, are decisions too; an empty packaging or service is none.
    return value is not None and (name in {"extras", "desk"} or value not in ("", []))


def _check_parcels(session: Session, order: Order, parcels: Sequence[Written]) -> None:
    """Raise Invalid unless parcels put together by hand hold exactly what is still to be sent."""
    along = joined_lines(session, [order]).get(order.id, [])
    left = {line.id: line.quantity - line.sent for line in (*order.lines, *along)}
    for parcel in parcels:
        for line_id, count in parcel["contents"]:
            if line_id not in left:
                raise Invalid("unknown_line", "One of these items is not in this order.")
            left[line_id] -= count
    if any(left.values()):
        raise Invalid("not_all_packed", "The parcels together must hold every item once. Nothing was changed.")


def edit_address(
    session: Session,
    order_id: int,
    address: Address,
    home: bool,
    who: str,
    now: datetime,
    seen: Address | None = None,
) -> Order:
    """Correct where an order goes; what was imported stays on record beside it.

    ``seen`` is the address that the person began from.  Raises Conflict where somebody has changed it since.
    """
    order = editable(session, order_id)
    if order.joined_to:
        raise Conflict("joined", f"Order {order.number} goes with another. Correct the address there, or part them.")
    if seen is not None and tidy_address(seen) != order.address and tidy_address(address) != order.address:
        raise Conflict("changed_meanwhile", _changed_meanwhile(session, order))
    set_address(order, tidy_address(address))
    order.home = home
    write_history(session, order, who, "corrected the address", now)
    plan_orders(session, [order], now)
    return order


def _changed_meanwhile(session: Session, order: Order) -> str:
    newest = next(iter(history_of(session, order.id)), None)
    to = order.address
    now_there = ", ".join(part for part in (to.name, to.street, f"{to.postcode} {to.city}".strip(), to.country) if part)
    return (
        f"{newest.who if newest else 'Somebody'} changed this address while you were typing; it is now: {now_there}. "
        "What you typed is still here. Save again to put it in its place."
    )


def use_billing_name(session: Session, order_ids: Sequence[int], who: str, now: datetime) -> list[Order]:
    """Put the billing name where the recipient's name is missing.  Raises Conflict where there is none to put."""
    orders = all_editable(session, order_ids)
    for order in orders:
        if not order.billing_name or order.address.name:
            raise Conflict("no_billing_name", f"Order {order.number} has a name, or no billing name to use.")
        set_address(order, replace(order.address, name=order.billing_name))
        write_history(session, order, who, f"used the billing name {order.billing_name}", now)
    _plan_many(session, orders, f"{who} used billing names", now)
    return orders


def set_held(
    session: Session, order_ids: Sequence[int], held: bool, who: str, now: datetime, why: str = ""
) -> list[Order]:
    """Hold orders, or take them back onto the work list; ``why`` they are held is said wherever they are."""
    orders = all_editable(session, order_ids)
    for order in orders:
        if order.state_by == "join":
            raise Conflict("joined", f"Order {order.number} goes with another. Undo that there.")
        if order.state_by == "rule" and not held:  # else the same rule would hold it again at once
            order.hand = replace(order.hand, released=True)
        reason = f": {why}" if why else ""
        move_order(order, OrderMove.HOLD if held else OrderMove.TAKE_BACK, f"held by {who}{reason}" if held else "")
        write_history(session, order, who, f"held it{reason}" if held else "took it back onto the work list", now)
    _plan_many(session, orders, f"{who} {'held' if held else 'took back'} orders", now)
    return orders


def annotate(
    session: Session,
    order_ids: Sequence[int],
    add_tags: Sequence[str],
    remove_tags: Sequence[str],
    comment: str | None,
    now: datetime,
) -> list[Order]:
    """Add and remove tags, or write a note for the colleagues; rules that ask for tags follow."""
    orders = lock_orders(session, order_ids, all_there=True)
    for order in orders:
        kept = {*order.tags, *(tidy(tag)[:40] for tag in add_tags)} - set(remove_tags) - {""}
        if len(kept) > 20:
            raise Invalid("too_many_tags", "An order carries at most twenty tags.")
        order.tags = sorted(kept)
        if comment is not None:
            order.comment = tidy(comment)[:500]
    _plan_many(session, orders, "Tags and notes", now)
    return orders


def approve_orders(session: Session, order_ids: Sequence[int], who: str, now: datetime) -> list[Order]:
    """Approve orders that are kept back for it: for the reasons and up to the price that they have now, no others."""
    orders = all_editable(session, order_ids)
    for order in orders:
        reasons = tuple(s.words.removeprefix(APPROVAL_WORDS) for s in order.snags if s.code == "needs_approval")
        order.hand = replace(order.hand, approved=who, approved_for=reasons, approved_minor=None)
        write_history(session, order, who, "approved it", now)
    _plan_many(session, orders, f"{who} approved orders", now)
    for order in orders:
        # What waits for approval shows no price; many are planned later, and their approval has its reasons alone.
        order.hand = replace(order.hand, approved_minor=order.price_minor)
    return orders


def clear_party(
    session: Session, order_id: int, party: str, reason: str, person_id: int, who: str, now: datetime
) -> Order:
    """Clear an order of a near match with a restricted party; the reason stays on record.

    It holds as long as the list's entry stands as it does: one that changes stops the order again.

    Raises Invalid without a reason, Conflict where nothing of that kind stops the order.
    """
    order = editable(session, order_id)
    plain = tidy(reason)
    if len(plain) < 5:
        raise Invalid("no_reason", "Say in a few words why this is not the listed party.")
    snag = next((s for s in order.snags if s.fix == "clear_party" and s.about == party), None)
    if snag is None:
        raise Conflict("nothing_to_clear", "Nothing of that kind stops this order any more.")
    session.add(
        Clearance(order_id=order.id, party=party, words=snag.words, reason=plain[:500], person_id=person_id, at=now)
    )
    entries = screen_of(session)
    stamps = [entry.stamp for entry in entries.entries if entry.key == party] if entries else []
    order.cleared = sorted({*order.cleared, *stamps})
    write_history(session, order, who, f"cleared it: {plain}", now)
    plan_orders(session, [order], now)
    return order


def find_orders(session: Session, text: str, limit: int = 12) -> Sequence[Order]:
    """Return the orders that best match what was typed into the command line, newest first."""
    if not text.strip():
        return []
    return session.scalars(select(Order).where(matching(text)).order_by(Order.id.desc()).limit(limit)).all()
