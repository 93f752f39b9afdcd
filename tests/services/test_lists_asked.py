"""Lists asked for in any way, against the same rows asked one by one: orders and the ledger's entries."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Iterator
from datetime import date, datetime, timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.steps import ask, buy, clear_orders, ids_of
from tidewind.core.ledger import ACCOUNTS
from tidewind.core.searching import folded
from tidewind.db.tables import LedgerEntry, Order, Shipment
from tidewind.services.books import (
    EntryFilter,
    balance_now,
    ledger_entries,
    ledger_rows,
    ledger_totals,
    margins,
    top_up,
)
from tidewind.services.books.money import LEDGER_HEADS
from tidewind.services.buying import ask_void, settle_due_voids
from tidewind.services.orders import SORTS, WorkFilter, annotate, edit_hand, list_orders, pick_orders, set_held
from tidewind.web.access import Wiring

FAR = date(9999, 12, 31)


def some_work(wiring: Wiring, clock: Clock) -> list[int]:
    """Buy, void, hold, tag and set by hand, so that lists have something of everything; return the shipments."""
    with wiring.sessions.begin() as session:
        orders = clear_orders(session, "norvia", 5) + clear_orders(session, "brightmile", 4)
        others = session.scalars(
            select(Order).where(Order.state == "open", Order.id.not_in([o.id for o in orders])).order_by(Order.id)
        ).all()
        set_held(session, [o.id for o in others[:3]], True, "Tomé", clock())
        annotate(session, [o.id for o in others[3:8]], ["gift", "été"], [], None, clock())
        edit_hand(session, [o.id for o in others[5:7]], {"desk": "Bench 2"}, "Tomé", clock())
        wanted = list(orders)
    ids = ids_of(wiring, ask(wiring, wanted).batch_id)
    for shipment_id in ids:
        clock.move(minutes=7)
        assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions.begin() as session:
        top_up(session, 12_345, "once", "Inês", clock())
        clock.move(minutes=3)
        ask_void(session, ids[:3], "Inês", True, clock())
    clock.move(minutes=20)
    assert set(settle_due_voids(wiring.sessions, wiring.outside, wiring.clock)) == set(ids[:3])
    return ids


# Orders: what the filter says, said again over one order in memory.


def belongs(order: Order, asks: WorkFilter) -> bool:
    view = {
        "open": order.state == "open",
        "clear": order.state == "open" and order.snag_level != "stops",
        "snags": order.state == "open" and order.snag_level != "",
        "held": order.state in {"held", "left_out"},
        "shipped": order.state in {"shipped", "part_shipped"},
        "all": True,
    }[asks.view]
    return (
        view
        and all(word in order.search for word in folded(asks.text).split())
        and (not asks.channel or order.channel.code == asks.channel)
        and (not asks.country or order.address.country == asks.country.upper())
        and (not asks.destination or order.destination == asks.destination)
        and (not asks.desk or order.desk == asks.desk)
        and (not asks.tag or asks.tag in {*order.tags, *order.plan_tags})
        and (not asks.promise or order.promise == asks.promise)
        and (not asks.service or order.service == asks.service)
        and (not asks.snag or asks.snag in {snag.code for snag in order.snags})
        and (not asks.product or asks.product in {line.sku for line in order.lines})
        and (asks.priced is None or (order.price_minor is not None) == asks.priced)
        and (asks.linked is None or order.promise_linked == asks.linked)
    )


def any_filter(chance: random.Random, orders: list[Order]) -> WorkFilter:
    """A filter of one to three things that some order has, or that none has."""
    one = chance.choice(orders)
    known: dict[str, list[object]] = {
        "text": [one.number[:5].lower(), one.address.name[:4].upper(), "no such words", f" {one.address.city} "],
        "channel": [one.channel.code, "nowhere"],
        "country": [one.address.country, one.address.country.lower(), "XX"],
        "destination": [one.destination],
        "desk": ["Bench 2", "Bench 9"],
        "tag": ["gift", "été", "no such tag"],
        "promise": [one.promise],
        "service": [one.service or ""],
        "snag": [one.snags[0].code if one.snags else "no_service"],
        "product": [one.lines[0].sku if one.lines else "none"],
        "priced": [True, False],
        "linked": [True, False],
    }
    names = chance.sample(sorted(known), chance.choice((1, 1, 2, 3)))
    return WorkFilter(
        view=chance.choice(("open", "clear", "snags", "held", "shipped", "all", "all")),
        sort=chance.choice(SORTS),
        descending=chance.random() < 0.5,
        **{name: chance.choice(known[name]) for name in names},  # type: ignore[arg-type]
    )


def sort_key(order: Order, sort: str) -> object:
    return {
        "age": order.ordered_at,
        "promise": order.promise_date or FAR,
        "arrives": order.arrives or FAR,
        "ship_date": order.ship_date or FAR,
        "price": 10**9 if order.price_minor is None else order.price_minor,
    }.get(sort)


def pages(session: Session, asks: WorkFilter, size: int) -> Iterator[tuple[int, int]]:
    """Yield the ids page by page, each with how many match in all."""
    after: str | None = ""
    while after is not None:
        page = list_orders(session, asks, after, size)
        assert 0 < len(page.orders) <= size or not after
        yield from ((order.id, page.matching) for order in page.orders)
        after = page.next


@pytest.mark.parametrize("seed", seeds(2))
def test_the_work_list_shows_what_was_asked_for(wiring: Wiring, clock: Clock, seed: int) -> None:
    some_work(wiring, clock)
    chance = random.Random(seed)
    empty = 0
    with wiring.sessions() as session:
        orders = list(session.scalars(select(Order).order_by(Order.id)))
        for _ in range(60):
            asks = any_filter(chance, orders)
            wanted = {order.id: order for order in orders if belongs(order, asks)}
            found = list(pages(session, asks, chance.choice((1, 4, 7, 500))))
            assert Counter(i for i, _ in found) == Counter(wanted.keys()), asks
            assert {total for _, total in found} <= {len(wanted)}, asks
            keys = [sort_key(wanted[i], asks.sort) for i, _ in found]
            if keys and keys[0] is not None:
                newest_first = asks.descending != (asks.sort == "age" and asks.view in {"shipped", "all"})
                assert keys == sorted(keys, reverse=newest_first), asks  # type: ignore[type-var]
            picked, total = pick_orders(session, asks, clock(), 1)
            assert (sorted(one.id for one in picked), total) == (sorted(wanted), len(wanted)), asks
            empty += not wanted
    assert 3 < empty < 50, "of the filters some find nothing, and some something"


# The ledger: what is asked for, against every entry.


def asked_entries(chance: random.Random, entries: list[LedgerEntry]) -> EntryFilter:
    one, other = chance.choice(entries), chance.choice(entries)
    since, until = sorted((one.at, other.at))
    words = one.reason.split()
    return EntryFilter(
        kinds=tuple(sorted({one.kind, other.kind})) if chance.random() < 0.4 else (),
        account=chance.choice(ACCOUNTS) if chance.random() < 0.4 else "",
        since=since if chance.random() < 0.4 else None,
        until=until + timedelta(microseconds=chance.choice((0, 1))) if chance.random() < 0.4 else None,
        text=chance.choice([*words, words[0].upper(), "100 %", "_"]) if chance.random() < 0.4 else "",
    )


def entry_belongs(entry: LedgerEntry, asks: EntryFilter) -> bool:
    return (
        (not asks.kinds or entry.kind in asks.kinds)
        and (not asks.account or any(line.account == asks.account for line in entry.lines))
        and (asks.since is None or entry.at >= asks.since)
        and (asks.until is None or entry.at < asks.until)
        and asks.text.lower() in entry.reason.lower()
    )


def test_the_ledger_shows_what_was_asked_for_and_adds_up(wiring: Wiring, clock: Clock) -> None:
    some_work(wiring, clock)
    chance = random.Random(11)
    with wiring.sessions() as session:
        entries = list(session.scalars(select(LedgerEntry).order_by(LedgerEntry.id)))
        # Read once into memory: the rows of a file are let go of while they are written.
        known = [(e.id, e.at, e.kind, {ln.account: ln.amount_minor for ln in e.lines}) for e in entries]
        assert all(sum(moved.values()) == 0 for *_, moved in known)
        for _ in range(60):
            asks = asked_entries(chance, entries)
            wanted = [e.id for e in entries if entry_belongs(e, asks)]
            moved = {i: parts for i, _, _, parts in known}
            expected: Counter[str] = Counter()
            for i in wanted:
                expected.update(moved[i])
            totals = ledger_totals(session, asks)
            assert {name: n for name, n in totals.items() if n} == {n: v for n, v in expected.items() if v}, asks
            shown: list[int] = []
            while page := ledger_entries(session, asks, shown[-1] if shown else None, 4):
                shown += [one.id for one in page]
            assert shown == wanted[::-1], asks
    with wiring.sessions() as session:
        _the_file_says_the_same(session, [i for i, *_ in known], clock())
        _every_balance_follows_from_the_one_before(session)


def _the_file_says_the_same(session: Session, ids: list[int], now: datetime) -> None:
    rows = list(ledger_rows(session, EntryFilter(until=now + timedelta(days=1))))
    assert [int(row[0]) for row in rows] == ids
    assert {len(row) for row in rows} == {len(LEDGER_HEADS)}
    first = LEDGER_HEADS.index(ACCOUNTS[0])
    sums = {name: sum(int(row[first + n]) for row in rows) for n, name in enumerate(ACCOUNTS)}
    now_there = balance_now(session)
    assert (sums["available"], sums["held"]) == (now_there.available_minor, now_there.held_minor)
    assert sum(sums.values()) == 0


def _every_balance_follows_from_the_one_before(session: Session) -> None:
    running: Counter[str] = Counter()
    for entry in session.scalars(select(LedgerEntry).order_by(LedgerEntry.id)):
        for line in sorted(entry.lines, key=lambda ln: ln.id):
            running[line.account] += line.amount_minor
            assert line.balance_after == running[line.account], f"{entry.key}: {line.account}"


def test_a_margin_is_what_was_paid_less_what_the_books_say(wiring: Wiring, clock: Clock) -> None:
    ids = some_work(wiring, clock)
    with wiring.sessions() as session:
        bought = {s.id: s for s in session.scalars(select(Shipment).where(Shipment.id.in_(ids)))}
        found = margins(session, [s.order_id for s in bought.values()])
        for shipment_id in ids[:3]:  # taken back, or asked back: that stands under what is expected
            assert bought[shipment_id].state in {"void_asked", "voided"}
            assert found[bought[shipment_id].order_id].cost_minor == 0
        for shipment_id in ids[3:]:
            shipment = bought[shipment_id]
            margin = found[shipment.order_id]
            assert margin.cost_minor == shipment.price_minor
            assert margin.margin_minor == shipment.order.paid_shipping_minor - shipment.price_minor
        assert margins(session, []) == {}
