"""The work list: views, filters, sorting and search on the server, page by page from a key, counts per view."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import Select, String, and_, false, func, literal, literal_column, or_, select, text, type_coerce, union
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session, aliased, lazyload

from tidewind.core.scanned import forms_of, order_of_slip
from tidewind.core.searching import folded
from tidewind.core.states.labels import LabelState
from tidewind.core.written import Written
from tidewind.db.tables import (
    CarrierRow,
    Channel,
    Label,
    Order,
    OrderChange,
    Packing,
    SavedView,
    SerialNumber,
    Shipment,
    SnagRow,
)
from tidewind.db.tables.orders import BY_DEPARTURE
from tidewind.services.base import MOST_ORDERS, Conflict, Invalid, NotFound
from tidewind.services.orders.listed import SHOWN, ListedOrder, listed
from tidewind.services.people import at_work_on
from tidewind.services.planning import concerned_orders

VIEWS = ("open", "clear", "snags", "held", "shipped", "all")
MOST = 500
_FAR = date(9999, 12, 31)


@dataclass(frozen=True, slots=True)
class WorkFilter:
    """What the work list is asked for; empty fields ask for nothing."""

    view: str = "open"
    text: str = ""
    channel: str = ""
    country: str = ""
    destination: str = ""
    desk: str = ""
    tag: str = ""
    promise: str = ""
    service: str = ""
    snag: str = ""
    product: str = ""
    priced: bool | None = None
    linked: bool | None = None
    sort: str = "age"
    descending: bool = False


@dataclass(frozen=True, slots=True)
class WorkPage:
    """One page of the work list, the key to go on from (None at the end), and how many match in all.

    ``newest_change`` is the newest entry in any order's history: who saw this page has seen what stands until then.
    """

    orders: Sequence[ListedOrder]
    next: str | None
    matching: int
    newest_change: int = 0


# What a column is sorted by; nulls come last either way, the id breaks ties.
_SORTS: dict[str, tuple[Any, Any]] = {
    "departure": (type_coerce(literal_column(BY_DEPARTURE), String), str),
    "age": (Order.ordered_at, datetime.fromisoformat),
    "number": (Order.number, str),
    "promise": (func.coalesce(Order.promise_date, literal(_FAR)), date.fromisoformat),
    "arrives": (func.coalesce(Order.arrives, literal(_FAR)), date.fromisoformat),
    "ship_date": (func.coalesce(Order.ship_date, literal(_FAR)), date.fromisoformat),
    "price": (func.coalesce(Order.price_minor, literal(10**9)), int),
    "recipient": (func.lower(Order.address["name"].astext), str),
    "country": (Order.address["country"].astext, str),
    "service": (func.coalesce(Order.service, literal("~")), str),
    "snags": (Order.snag_level, str),
    # By the order in which labels were asked for; what never had one comes from before all of them.
    "shipped": (Order.newest_shipment_id, int),
}
SORTS = tuple(_SORTS)


_OPEN = Order.state == literal_column("'open'")
"""Said outright, not as a parameter: a prepared statement could not use what is indexed of the open ones alone."""


_GONE = Order.state.in_(("shipped", "part_shipped"))
_CHANGED_AFTER_BUYING = and_(_GONE, Order.id.in_(concerned_orders()))


def _in_view(view: str) -> Any:
    match view:
        case "open":
            return _OPEN
        case "clear":
            return and_(_OPEN, Order.snag_level != "stops")
        case "snags":
            return or_(and_(_OPEN, Order.snag_level != ""), _CHANGED_AFTER_BUYING)
        case "held":
            return Order.state.in_(("held", "left_out"))
        case "shipped":
            return _GONE
        case "all":
            return literal(True)
    raise Invalid("unknown_view", f"There is no view {view:.40}; there are {', '.join(VIEWS)}.")


def matching(text: str) -> Any:
    """Return the condition that an order holds every word typed, or has that tracking or serial number."""
    words = folded(text[:120]).split()
    if not words:
        return false()
    if (slip := order_of_slip(forms_of(text))) is not None:
        return Order.id == slip
    other = aliased(Order)
    by_words = select(other.id).where(*(other.search.contains(word, autoescape=True) for word in words))
    number = "".join(words)
    by_label = select(Shipment.order_id).join(Label).where(Label.tracking_number.icontains(number, autoescape=True))
    by_serial = select(Packing.order_id).join(SerialNumber).where(func.lower(SerialNumber.number) == number)
    # A look into an index each, put together; with "or" between them no index would serve.
    return Order.id.in_(union(by_words, by_label, by_serial))


def _where(asks: WorkFilter) -> list[Any]:
    found = [_in_view(asks.view)]
    if asks.text.strip():
        found.append(matching(asks.text))
    plain = {"destination": Order.destination, "desk": Order.desk, "promise": Order.promise, "service": Order.service}
    found += [column == getattr(asks, name) for name, column in plain.items() if getattr(asks, name)]
    if asks.channel:
        found.append(
            Order.channel_id.in_(
                select(Channel.id).where(or_(Channel.code == asks.channel, Channel.name == asks.channel))
            )
        )
    if asks.country:
        found.append(Order.address["country"].astext == asks.country.upper())
    if asks.tag:
        found.append(or_(Order.tags.contains([asks.tag]), Order.plan_tags.contains([asks.tag])))
    if asks.snag:
        found.append(Order.snags.any(SnagRow.code == asks.snag))
    if asks.product:
        found.append(Order.lines.any(sku=asks.product))
    if asks.priced is not None:
        found.append(Order.price_minor.is_not(None) if asks.priced else Order.price_minor.is_(None))
    if asks.linked is not None:
        found.append(Order.promise_linked == asks.linked)
    return found


def _read_key(after: str, parse: Any) -> tuple[Any, int]:
    try:
        value, order_id = json.loads(base64.urlsafe_b64decode(after.encode()))
        return parse(value), int(order_id)
    except (ValueError, TypeError, binascii.Error) as error:
        raise Invalid("bad_key", "This page key was not made here. Begin at the first page.") from error


def _key(value: Any, order_id: int) -> str:
    plain = value.isoformat() if isinstance(value, (date, datetime)) else value
    return base64.urlsafe_b64encode(json.dumps([plain, order_id]).encode()).decode()


def list_orders(session: Session, asks: WorkFilter, after: str = "", limit: int = 200) -> WorkPage:
    """Return the orders that were asked for, after a key, at most 500 at once.  Raises Invalid."""
    limit = min(max(limit, 1), MOST)
    if asks.sort not in _SORTS:
        raise Invalid("unknown_sort", f"It is sorted by one of {', '.join(SORTS)}.")
    column, parse = _SORTS[asks.sort]
    # What is done is read from its newest end; what waits, from its oldest.
    down = asks.descending != (asks.sort == "age" and asks.view in {"shipped", "all"})
    where = _where(asks)
    query: Select[Any] = select(*SHOWN, Order.channel_id, column.label("sort_key")).where(*where)
    if after:
        value, order_id = _read_key(after, parse)
        beyond = (column < value, Order.id < order_id) if down else (column > value, Order.id > order_id)
        query = query.where(or_(beyond[0], and_(column == value, beyond[1])))
    order_by = (column.desc(), Order.id.desc()) if down else (column, Order.id)
    rows = session.execute(query.order_by(*order_by).limit(limit + 1)).all()
    shown = rows[:limit]
    if asks == WorkFilter(view=asks.view, sort=asks.sort, descending=asks.descending):
        total = view_counts(session)[asks.view]
    else:
        total = session.scalar(select(func.count(Order.id)).where(*where)) or 0
    following = _key(shown[-1].sort_key, shown[-1].id) if len(rows) > limit else None
    return WorkPage(listed(session, shown), following, total, newest_change(session))


def newest_change(session: Session) -> int:
    """Return the newest entry in any order's history, 0 where there is none."""
    return session.scalar(select(func.max(OrderChange.id))) or 0


@dataclass(frozen=True, slots=True)
class PickedOrder:
    """What is asked of an order that was selected, whether it was scrolled to or not."""

    id: int
    number: str
    state: str
    buying: bool
    monogram: str | None
    carrier: str | None
    network: str | None
    service: str | None
    service_name: str | None
    ship_date: date | None
    promise_date: date | None
    arrives: date | None
    parcel_count: int
    price_minor: int | None
    paid_shipping_minor: int
    currency: str
    held_by: str | None
    batch_id: int | None


def pick_orders(session: Session, asks: WorkFilter, now: datetime, person_id: int) -> tuple[list[PickedOrder], int]:
    """Return all orders that were asked for, as they are selected, and how many match; at most ``MOST_ORDERS``."""
    where = _where(asks)
    busy = select(Shipment.id).where(Shipment.order_id == Order.id, Shipment.state == "buying").exists()
    query = select(
        Order.id, Order.number, Order.state, busy, CarrierRow.monogram, Order.carrier, Order.network, Order.service,
        type_coerce(Order.plan, JSONB)["service_name"].astext, Order.ship_date, Order.promise_date, Order.arrives,
        Order.parcel_count, Order.price_minor, Order.paid_shipping_minor, Order.currency, literal(None), Order.batch_id,
    )  # fmt: skip
    query = query.outerjoin(CarrierRow, CarrierRow.code == Order.carrier).where(*where)
    rows = session.execute(query.order_by(Order.id).limit(MOST_ORDERS)).all()
    others = {i: held.person for i, held in at_work_on(session, now).items() if held.person_id != person_id}
    picked = [PickedOrder(*row) for row in rows]
    if others:
        picked = [replace(o, held_by=others[o.id]) if o.id in others else o for o in picked]
    total = len(picked) if len(picked) < MOST_ORDERS else session.scalar(select(func.count(Order.id)).where(*where))
    return picked, total or 0


_SEEN = text("select current_database(), pg_current_snapshot()::text where pg_current_xact_id_if_assigned() is null")
_COUNTED: dict[str, tuple[str, dict[str, int]]] = {}
"""By database: what could be seen when the views were counted last, and the counts."""


def view_counts(session: Session) -> dict[str, int]:
    """Return how many orders are in each view.

    They are counted again only once anything was written: as long as the same transactions can be seen (PostgreSQL's
    snapshot), every count is the same.  Who has written something himself counts anew.
    """
    seen = session.execute(_SEEN).first()
    if seen is None:
        return _count_views(session)
    database, snapshot = seen
    before = _COUNTED.get(database)
    if before is None or before[0] != snapshot:
        # Should somebody write in between, the counts are newer than what they are kept under, which nobody sees again.
        before = _COUNTED[database] = snapshot, _count_views(session)
    return dict(before[1])


def _count_views(session: Session) -> dict[str, int]:
    rows = session.execute(select(Order.state, Order.snag_level, func.count()).group_by(Order.state, Order.snag_level))
    found = dict.fromkeys(VIEWS, 0)
    for state, level, number in rows:
        found["all"] += number
        found["open"] += number * (state == "open")
        found["clear"] += number * (state == "open" and level != "stops")
        found["snags"] += number * (state == "open" and level != "")
        found["held"] += number * (state in {"held", "left_out"})
        found["shipped"] += number * (state in {"shipped", "part_shipped"})
    found["snags"] += session.scalar(select(func.count(Order.id)).where(_CHANGED_AFTER_BUYING)) or 0
    return found


def filter_choices(session: Session) -> dict[str, list[str]]:
    """Return what the waiting orders can be filtered by, by the name of each filter."""
    open_ = Order.state == "open"

    def each(column: Any) -> list[str]:
        found = session.scalars(select(column).where(open_).distinct().limit(200))
        return sorted(value for value in found if value)

    channels = session.scalars(select(Channel.name).where(Channel.id.in_(select(Order.channel_id).where(open_))))
    snags = session.scalars(select(SnagRow.code).join(Order, Order.id == SnagRow.order_id).where(open_).distinct())
    tags = session.scalars(
        select(func.jsonb_array_elements_text(Order.plan_tags.op("||")(Order.tags))).where(open_).distinct()
    )
    return {
        "channel": sorted(channels),
        "country": each(Order.address["country"].astext),
        "destination": each(Order.destination),
        "desk": each(Order.desk),
        "promise": each(Order.promise),
        "service": each(Order.service),
        "tag": sorted(tags),
        "snag": sorted(snags),
    }


def saved_views(session: Session, person_id: int, page: str = "orders") -> Sequence[SavedView]:
    """Return a person's saved views of a page's list, in the order they were made."""
    query = select(SavedView).where(SavedView.person_id == person_id, SavedView.page == page)
    return session.scalars(query.order_by(SavedView.id)).all()


def save_view(session: Session, person_id: int, name: str, asks: Written, page: str = "orders") -> SavedView:
    """Keep what is asked for under a name; the same name again replaces it.  Raises Conflict beyond forty."""
    mine = saved_views(session, person_id, page)
    row = next((view for view in mine if view.name == name), None)
    if row is None:
        if len(mine) >= 40:
            raise Conflict("too_many_views", "Forty views are kept for a person. Remove one first.")
        row = SavedView(person_id=person_id, name=name, page=page)
        session.add(row)
    row.asks = asks
    session.flush()
    return row


def remove_view(session: Session, person_id: int, view_id: int) -> None:
    """Remove one of a person's own views.  Raises NotFound."""
    row = session.get(SavedView, view_id)
    if row is None or row.person_id != person_id:
        raise NotFound("unknown_view", "This view does not exist.")
    session.delete(row)


def being_bought(session: Session, order_ids: Sequence[int]) -> set[int]:
    """Return the orders among these whose label is being bought just now."""
    query = select(Shipment.order_id).where(Shipment.order_id.in_(order_ids), Shipment.state == "buying")
    return set(session.scalars(query))


@dataclass(frozen=True, slots=True)
class OnItsWay:
    """The label an order travels under: the numbers of its parcels, and where the carrier last saw them."""

    tracking_numbers: tuple[str, ...]
    tracking_state: str | None


def travelling(session: Session, order_ids: Sequence[int]) -> dict[int, OnItsWay]:
    """Return what can be said of the parcels of those among these orders that have a label."""
    query = select(Shipment).where(Shipment.order_id.in_(order_ids), Shipment.state.in_(LabelState.TRAVELS))
    return {
        s.order_id: OnItsWay(tuple(lb.tracking_number for lb in s.labels if lb.tracking_number), s.tracking_state)
        for s in session.scalars(query.order_by(Shipment.id).options(lazyload(Shipment.order)))
    }


def orders_by_recipient(session: Session, keys: Collection[str]) -> dict[str, int]:
    """Return how many open orders go to each of these recipients, by their keys."""
    query = select(Order.recipient_key, func.count()).where(Order.recipient_key.in_(keys), Order.state == "open")
    return {key: count for key, count in session.execute(query.group_by(Order.recipient_key))}  # noqa: C416 - rows


def count_open(session: Session) -> int:
    """Return how many orders are open."""
    return session.scalar(select(func.count(Order.id)).where(Order.state == "open")) or 0
