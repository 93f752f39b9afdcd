"""Pull orders from a channel: page by page, from where the last pull ended, with reasons for what is left out."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.written import Written
from tidewind.db.tables import Channel, ChannelLog, Order
from tidewind.outside.channels.upstream import ChannelClient, OrdersPage, Unreadable, UpstreamOrder
from tidewind.outside.errors import MaybeDone, NeverSent, OutsideError
from tidewind.services.base import Conflict, NotFound, Outside, is_time_again
from tidewind.services.orders.asides import LeftOut, keep_aside, no_longer_aside, read_again
from tidewind.services.orders.completeness import prove_complete
from tidewind.services.orders.differences import Fate, compare_with_channel, follow_channel
from tidewind.services.orders.taking_in import NewLine, NewOrder, store_orders

_MOST_PAGES, _MOST_PASSES, _TRIES, _PAUSE_S, _MOST_ENTRIES = 5_000, 5, 3, 0.3, 200
PULL_COUNTS = ("made", "already", "kept_back", "ignored", "changed", "unreadable")


@dataclass(slots=True)
class _Tally:
    """What one pull brought so far."""

    counts: dict[str, int] = field(default_factory=lambda: dict.fromkeys(PULL_COUNTS, 0))
    entries: list[dict[str, str]] = field(default_factory=list)
    seen: dict[str, UpstreamOrder | Unreadable] = field(default_factory=dict)

    def is_new(self, upstream: UpstreamOrder | Unreadable) -> bool:
        """Tell whether this pull has not read the very same before: pages overlap on purpose."""
        key = upstream.number or repr(upstream)  # one that has no number is known by all that it says
        same = self.seen.get(key) == upstream
        self.seen[key] = upstream
        return not same

    def note(self, what: str, number: str, why: str = "") -> None:
        self.counts[what] += 1
        if what != "already" and len(self.entries) < _MOST_ENTRIES:
            self.entries.append({"number": number, "what": what, "why": why[:200]})


def _channel(session: Session, code: str, *, lock: bool = False) -> Channel:
    query = select(Channel).where(Channel.code == code)
    channel = session.scalar(query.with_for_update() if lock else query)
    if channel is None:
        raise NotFound("unknown_channel", f"There is no channel {code}.")
    return channel


def pull(
    sessions: sessionmaker[Session],
    outside: Outside,
    channel_code: str,
    now: datetime,
    pause: Callable[[float], None] = time.sleep,
) -> dict[str, int]:
    """Pull everything new from a channel; each page is one transaction, so a broken pull goes on where it stopped.

    What took several pages is read again until nothing new turns up: an order that changes while we read can shift
    another one across the border of two pages.  Returns the counts of ``PULL_COUNTS``; what came, what was left out
    and why is in the channel's log, and so is a failure.  Raises Conflict for a paused channel, OutsideError where the
    channel does not answer after three tries.
    """
    tally = _Tally()
    with sessions() as session:
        channel = _channel(session, channel_code)
        if channel.kind != "webshop":
            raise Conflict("not_pulled", f"Nothing is pulled for {channel.name}: its orders come another way.")
        if channel.state != "connected":
            raise Conflict("not_connected", f"{channel.name} is {channel.state}. Switch it on in Set-up, Channels.")
        client, start = outside.channel(channel), channel.cursor
    try:
        for _ in range(_MOST_PASSES):
            fresh, pages = _read_through(sessions, client, channel_code, start, tally, now, pause)
            if pages == 1 or not fresh:
                break
    except OutsideError as error:
        _log(sessions, channel_code, tally, now, f"{error}; the next pull goes on from here"[:300])
        raise
    _log(sessions, channel_code, tally, now, "")
    prove_complete(sessions, client, channel_code, now)
    return tally.counts


def _read_through(
    sessions: sessionmaker[Session],
    client: ChannelClient,
    code: str,
    start: str,
    tally: _Tally,
    now: datetime,
    pause: Callable[[float], None],
) -> tuple[bool, int]:
    """Read all pages from a cursor on; return whether any had something new in it, and how many there were."""
    cursor, fresh, pages = start, False, 0
    while pages < _MOST_PAGES:
        pages += 1
        page = _patiently(client.orders_after, cursor, pause)
        with sessions.begin() as session:
            channel = _channel(session, code, lock=True)
            fresh |= _take(session, channel, page, cursor, tally, now)
            channel.cursor, channel.last_pull_at, channel.last_pull = page.cursor, now, dict(tally.counts)
        if not page.more or page.cursor == cursor:
            break
        cursor = page.cursor
    return fresh, pages


def _patiently(ask: Callable[[str], OrdersPage], cursor: str, pause: Callable[[float], None]) -> OrdersPage:
    """Ask for a page; reading can be repeated without harm, so a time-out or half a page is asked for again."""
    for attempt in range(1, _TRIES):
        try:
            return ask(cursor)
        except (NeverSent, MaybeDone):
            pause(_PAUSE_S * attempt)
    return ask(cursor)


def _log(sessions: sessionmaker[Session], code: str, tally: _Tally, now: datetime, failure: str) -> None:
    with sessions.begin() as session:
        channel = _channel(session, code)
        quiet = not failure and not any(n for what, n in tally.counts.items() if what != "already")
        newest = session.scalar(
            select(ChannelLog).where(ChannelLog.channel_id == channel.id).order_by(ChannelLog.id.desc())
        )
        if quiet and newest and newest.kind == "pull" and not newest.failure and not newest.entries:
            newest.at = now  # one line says that nothing came, and since when
            return
        line = ChannelLog(channel_id=channel.id, at=now, kind="pull", counts=tally.counts, failure=failure)
        line.entries = tally.entries
        session.add(line)


def _take(session: Session, channel: Channel, page: OrdersPage, cursor: str, tally: _Tally, now: datetime) -> bool:
    """Store what is new, compare what is there, keep aside what is left out; return whether anything was unseen."""
    fresh: dict[str, NewOrder] = {}
    aside: list[LeftOut] = []
    news = [upstream for upstream in page.orders if tally.is_new(upstream)]
    numbers = [upstream.number for upstream in news]
    found = session.scalars(select(Order).where(Order.channel_id == channel.id, Order.number.in_(numbers)))
    there = {order.number: order for order in found}
    for upstream in news:
        if isinstance(upstream, Unreadable):
            tally.note("unreadable", upstream.number, upstream.why)
            aside.append(LeftOut(upstream, upstream.why, cursor))
            continue
        decided = fate(channel, upstream)
        if upstream.number in there:
            what = compare_with_channel(session, there[upstream.number], upstream, decided, now)
            tally.note("changed" if what else "already", upstream.number, what)
        elif decided.state == "ignored":
            tally.note("ignored", upstream.number, decided.why)
            aside.append(LeftOut(upstream, decided.why, cursor))
        else:
            fresh[upstream.number] = new_order(upstream, decided)
    made, _ = store_orders(session, channel, list(fresh.values()), now)
    for order in made:
        kept_back = fresh[order.number].state != "open"
        tally.note("kept_back" if kept_back else "made", order.number, fresh[order.number].state_why)
    no_longer_aside(session, channel, {*fresh, *there} - {left.order.number for left in aside})
    keep_aside(session, channel, aside, now)
    return bool(news)


def fate(channel: Channel, upstream: UpstreamOrder) -> Fate:
    """Return what becomes of an order by the channel's mapping: its state with us, why, and how it is paid."""
    return fate_of(channel, upstream.stage, upstream.money)


def fate_of(channel: Channel, stage: str, money: str) -> Fate:
    """Return what the channel's words for a state and a payment mean for us.

    A state or payment that nobody mapped holds the order, so that none is lost silently.
    """
    wanted, payment = channel.states.get(stage), channel.payments.get(money)
    paid = payment or "unpaid"
    said = stage.replace("_", " ")
    if wanted == "ignore":
        return Fate("ignored", f"{channel.name} says “{said}”, which is not fetched", paid)
    if wanted == "leave_out":
        return Fate("left_out", f"{said} in {channel.name}", paid)
    if wanted == "cancelled":
        return Fate("cancelled", f"cancelled in {channel.name}", paid)
    if wanted is None:
        return Fate("held", f"the state “{said}” of {channel.name} is not mapped", paid)
    if payment is None:
        return Fate("held", f"the payment “{money}” of {channel.name} is not mapped", paid)
    if payment == "unpaid":
        return Fate("held", f"payment {money.replace('_', ' ')}", paid)
    return Fate("held", f"held in {channel.name}", paid) if wanted == "hold" else Fate("open", "", paid)


def after_mapping(session: Session, channel: Channel, now: datetime) -> int:
    """Let the orders that a channel keeps back follow a mapping that was changed; return how many more will come.

    Those that were not fetched under the mapping before come with the next pull.
    """
    kept = select(Order).where(Order.channel_id == channel.id, Order.state_by == "channel").order_by(Order.id)
    for order in session.scalars(kept.with_for_update(of=Order)):
        said = order.imported.get("said")
        if said:
            follow_channel(session, order, said, fate_of(channel, said["stage"], said["money"]), now)
    return read_again(session, channel)


def new_order(upstream: UpstreamOrder, decided: Fate) -> NewOrder:
    """Return an order of a channel on its way in."""
    said: Written = upstream.snapshot()
    return NewOrder(
        number=upstream.number,
        address=upstream.address,
        lines=tuple(NewLine(ln.sku, ln.name, ln.quantity, ln.unit_price_minor) for ln in upstream.lines),
        ordered_at=upstream.ordered_at,
        home=upstream.home,
        promise=upstream.promise,
        promise_date=upstream.promise_date,
        offer=upstream.offer,
        paid_shipping_minor=upstream.paid_shipping_minor,
        note=upstream.note,
        state=decided.state,
        state_why=decided.why,
        payment=decided.payment,
        billing_name=upstream.billing_name if not upstream.address.name else "",
        recipient_number=upstream.recipient_number,
        imported={"said": said},
    )


def pull_due(sessions: sessionmaker[Session], outside: Outside, now: datetime) -> list[str]:
    """Pull every connected channel whose time has come; one that does not answer keeps none of the others waiting."""
    with sessions() as session:
        channels = session.scalars(select(Channel).where(Channel.kind == "webshop", Channel.state == "connected")).all()
    due = [c.code for c in channels if is_time_again(c.last_pull_at, c.every_minutes, now)]
    done = []
    for code in due:
        try:
            pull(sessions, outside, code, now)
        except (OutsideError, Conflict):
            continue  # the log says so, and the next pull goes on from the same place
        done.append(code)
    return done
