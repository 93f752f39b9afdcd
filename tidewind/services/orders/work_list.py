"""The work list: views, filters, sorting and search on the server, page by page from a key, counts per view."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Select, and_, case, false, func, literal, or_, select
from sqlalchemy.orm import Session, lazyload

from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Channel, Difference, Label, Order, SavedView, Shipment, SnagRow
from tidewind.services.base import Conflict, Invalid, NotFound

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
    """One page of the work list, the key to go on from (None at the end), and how many match in all."""

    orders: Sequence[Order]
    next: str | None
    matching: int


# What a column is sorted by; nulls come last either way, the id breaks ties.
_SORTS: dict[str, tuple[Any, Any]] = {
    # First what needs a decision, then by the departure that each can catch.
    "departure": (
        case(
            (Order.price_minor.is_(None), literal("0")),
            else_=func.concat_ws(" ", Order.ship_date, Order.carrier, Order.network),
        ),
        str,
    ),
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
    "shipped": (
        func.coalesce(
            select(func.max(Shipment.id)).where(Shipment.order_id == Order.id).correlate(Order).scalar_subquery(), 0
        ),
        int,
    ),
}
SORTS = tuple(_SORTS)


def _in_view(view: str) -> Any:
    match view:
        case "open":
            return Order.state == "open"
        case "clear":
            return and_(Order.state == "open", Order.snag_level != "stops")
        case "snags":
            return and_(Order.state == "open", Order.snag_level != "")
        case "held":
            return Order.state.in_(("held", "left_out"))
        case "shipped":
            return Order.state.in_(("shipped", "part_shipped"))
        case "all":
            return literal(True)
    raise Invalid("unknown_view", f"There is no view {view:.40}; there are {', '.join(VIEWS)}.")


def matching(text: str) -> Any:
    """Return the condition that an order holds every word typed, or has that tracking number."""
    words = [w.replace("\\", "").replace("%", "").replace("_", "\\_") for w in text.strip().lower()[:120].split()]
    words = [w for w in words if w]
    if not words:
        return false()
    by_label = select(Shipment.order_id).join(Label).where(Label.tracking_number.ilike(f"%{''.join(words)}%"))
    return or_(and_(*(Order.search.like(f"%{word}%") for word in words)), Order.id.in_(by_label))


def _where(asks: WorkFilter) -> list[Any]:
    found = [_in_view(asks.view)]
    if asks.text.strip():
        found.append(matching(asks.text))
    plain = {"destination": Order.destination, "desk": Order.desk, "promise": Order.promise, "service": Order.service}
    found += [column == getattr(asks, name) for name, column in plain.items() if getattr(asks, name)]
    if asks.channel:
        found.append(Order.channel_id.in_(select(Channel.id).where(Channel.code == asks.channel)))
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
    query: Select[Any] = select(Order, column.label("sort_key")).where(*where)
    if after:
        value, order_id = _read_key(after, parse)
        beyond = (column < value, Order.id < order_id) if down else (column > value, Order.id > order_id)
        query = query.where(or_(beyond[0], and_(column == value, beyond[1])))
    order_by = (column.desc(), Order.id.desc()) if down else (column, Order.id)
    rows = session.execute(query.order_by(*order_by).limit(limit + 1)).all()
    shown = rows[:limit]
    total = session.scalar(select(func.count(Order.id)).where(*where)) or 0
    following = _key(shown[-1].sort_key, shown[-1].Order.id) if len(rows) > limit else None
    return WorkPage([row.Order for row in shown], following, total)


def view_counts(session: Session) -> dict[str, int]:
    """Return how many orders are in each view, in one pass."""
    rows = session.execute(select(Order.state, Order.snag_level, func.count()).group_by(Order.state, Order.snag_level))
    found = dict.fromkeys(VIEWS, 0)
    for state, level, number in rows:
        found["all"] += number
        found["open"] += number * (state == "open")
        found["clear"] += number * (state == "open" and level != "stops")
        found["snags"] += number * (state == "open" and level != "")
        found["held"] += number * (state in {"held", "left_out"})
        found["shipped"] += number * (state in {"shipped", "part_shipped"})
    return found


def filter_choices(session: Session) -> dict[str, list[str]]:
    """Return what the waiting orders can be filtered by: countries, desks, tags, promises, services, snags."""
    open_ = Order.state == "open"

    def each(column: Any) -> list[str]:
        found = session.scalars(select(column).where(open_).distinct().limit(200))
        return sorted(value for value in found if value)

    snags = session.scalars(select(SnagRow.code).join(Order, Order.id == SnagRow.order_id).where(open_).distinct())
    tags = session.scalars(
        select(func.jsonb_array_elements_text(Order.plan_tags.op("||")(Order.tags))).where(open_).distinct()
    )
    return {
        "country": each(Order.address["country"].astext),
        "destination": each(Order.destination),
        "desk": each(Order.desk),
        "promise": each(Order.promise),
        "service": each(Order.service),
        "tag": sorted(tags),
        "snag": sorted(snags),
    }


def saved_views(session: Session, person_id: int) -> Sequence[SavedView]:
    """Return a person's saved views, in the order they were made."""
    return session.scalars(select(SavedView).where(SavedView.person_id == person_id).order_by(SavedView.id)).all()


def save_view(session: Session, person_id: int, name: str, asks: dict[str, Any]) -> SavedView:
    """Keep what is asked for under a name; the same name again replaces it.  Raises Conflict beyond forty."""
    mine = saved_views(session, person_id)
    row = next((view for view in mine if view.name == name), None)
    if row is None:
        if len(mine) >= 40:
            raise Conflict("too_many_views", "Forty views are kept for a person. Remove one first.")
        row = SavedView(person_id=person_id, name=name)
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


def changed_upstream(session: Session, order_ids: Sequence[int]) -> set[int]:
    """Return the orders among these with a difference that waits for a decision."""
    query = select(Difference.order_id).where(Difference.state == "waiting", Difference.order_id.in_(order_ids))
    return set(session.scalars(query))


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
