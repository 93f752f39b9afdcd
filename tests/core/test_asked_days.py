"""A carrier that is asked is asked about the day on which it takes the parcel along, and no price is another day's."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.any_orders import orders
from tests.core.builders import BOX_L, MONDAY, POT, SHOP, card
from tidewind.core.addresses.check import Address
from tidewind.core.calendar import is_working_day, working_day_after
from tidewind.core.checkout.holding import LONGEST, holds_until
from tidewind.core.checkout.offer import Flat, Offer, Times
from tidewind.core.comparing import compare
from tidewind.core.options import option_of, options_for
from tidewind.core.order_facts import Carrier, Hand, OrderFacts, Shop
from tidewind.core.planning import plan
from tidewind.core.price_tables import price_table
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.live import Answers, LiveAnswer, LivePrice, Question

AIR = CompiledCard(card("cobaltair-2026-01"), MONDAY)
VISEU, LISBON = Address("Ada", "", "Rua 1", "", "Viseu", "", "3500-108", "PT"), ZoneInfo("Europe/Lisbon")
FIRST = date(2026, 11, 20).toordinal()
days = st.integers(0, 30).map(lambda n: date.fromordinal(FIRST + n))


def asking(shop: Shop, asked: list[Question]) -> Shop:
    """The shop with a carrier whose every price is the number of the day it is asked about."""

    def find(question: Question) -> LiveAnswer:
        asked.append(question)
        price = LivePrice((("base", "Base", question.ship_date.toordinal()),), 400, 0, 1)
        return LiveAnswer(shop.now, shop.now + timedelta(minutes=15), dict.fromkeys(AIR.services, price), {})

    own = AIR.with_answers(Answers(find, shop.now, shop.local.date()))
    return replace(shop, carriers=(*shop.carriers, Carrier("cobaltair", "Cobalt Air", own, AIR)))


@given(
    st.integers(0, 60 * 24 * 14),
    st.none() | days,
    st.none() | st.tuples(days, st.integers(0, 12)),
    st.sampled_from(["Europe/Lisbon", "Pacific/Honolulu", "Pacific/Auckland", "America/Toronto"]),
    st.booleans(),
    orders,
)
def test_every_price_is_of_the_day_on_which_it_leaves(
    minutes: int,
    ship_date: date | None,
    closed: tuple[date, int] | None,
    zone: str,
    tender: bool,
    order: OrderFacts,
) -> None:
    shop = replace(
        SHOP,
        now=datetime(2026, 11, 20, tzinfo=UTC) + timedelta(minutes=minutes),
        time_zone=ZoneInfo(zone),
        closed=((closed[0], closed[0] + timedelta(days=closed[1])),) if closed else (),
    )
    asked: list[Question] = []
    shop = asking(shop, asked)
    lines = tuple(replace(line, no_weekend=tender) for line in order.lines)
    order = replace(order, lines=lines, address=VISEU, hand=Hand(ship_date=ship_date))
    settled = plan(order, shop).settled
    if settled is None:
        return
    table, compared = price_table([order], shop, [settled]), compare(order, shop, settled)
    asked.clear()
    options = [o for o in options_for(order, shop, settled) if o.carrier == "cobaltair"]
    priced = {o.service: o for o in options if o.quote and o.arrival}
    for option in priced.values():
        day = option.arrival.ship_date  # type: ignore[union-attr]
        assert option.quote.net == day.toordinal()  # type: ignore[union-attr]
        alone = option_of(order, shop, shop.carriers[-1], settled, settled.packed, option.service)
        assert (alone.quote, alone.arrival) == (option.quote, option.arrival)
        # What a service takes ahead holds whatever moved the day, but for the first that the carrier itself leaves on.
        ahead = AIR.services[option.service].service.ahead_days
        if day > shop.local.date() + timedelta(days=ahead):
            assert day <= shop.local.date() + timedelta(days=4), (day, shop.local)  # a weekend and its edges
    assert {q.ship_date for q in asked} == {o.arrival.ship_date for o in priced.values() if o.arrival} or not priced
    for number, (carrier, service) in enumerate(table.services):
        if carrier.code == "cobaltair":
            found = priced.get(service.code)
            assert (table.net[0, number] >= 0) == (found is not None), service.code
            assert found is None or table.net[0, number] == found.quote.net  # type: ignore[union-attr]
    for cell in compared.cells:
        if cell.option.carrier == "cobaltair" and cell.option.quote and cell.option.arrival:
            assert cell.option.quote.net == cell.option.arrival.ship_date.toordinal()


@pytest.mark.parametrize(
    ("today", "count", "closed", "then"),
    [
        (date(2026, 11, 23), 0, (), date(2026, 11, 23)),
        (date(2026, 11, 27), 1, (), date(2026, 11, 30)),  # over a weekend
        (date(2026, 11, 28), 0, (), date(2026, 11, 30)),  # a Saturday's order
        (date(2026, 11, 28), 1, (), date(2026, 11, 30)),  # is packed on the same Monday
        (date(2026, 11, 30), 1, (), date(2026, 12, 2)),  # 1 December is a holiday in Portugal
        (date(2026, 11, 24), 2, ((date(2026, 11, 25), date(2026, 11, 27)),), date(2026, 12, 2)),
        (date(2026, 11, 25), 0, ((date(2026, 11, 25), date(2026, 11, 27)),), date(2026, 11, 30)),
    ],
)
def test_packing_days_are_days_on_which_the_shop_works(
    today: date, count: int, closed: tuple[tuple[date, date], ...], then: date
) -> None:
    assert working_day_after(today, count, "PT", closed) == then
    shop = replace(SHOP, now=datetime.combine(today, time(9), LISBON), time_zone=LISBON, closed=closed, origin=VISEU)
    later, ready = shop.when_packed(count)
    assert ready == then
    assert later.local.date() == then
    assert (later is shop) == (then == today)


@given(days, st.integers(0, 9), days, st.integers(0, 9))
def test_a_day_of_work_is_found_by_counting(day: date, count: int, first: date, length: int) -> None:
    closed = (first, first + timedelta(days=length))
    found = working_day_after(day, count, "PT", (closed,))
    every = [day + timedelta(days=n) for n in range(80)]
    at_work = [d for d in every if is_working_day(d, "PT") and not closed[0] <= d <= closed[1]]
    after = at_work if count == 0 else [d for d in at_work if d > day]
    assert found == after[max(count - 1, 0)]


def test_what_is_closed_for_long_waits_for_a_service_that_takes_it_so_far_ahead() -> None:
    shop = asking(replace(SHOP, closed=((MONDAY, MONDAY + timedelta(days=13)),), packagings=(BOX_L,)), [])
    settled = plan(OrderFacts((POT,), VISEU), shop).settled
    assert settled
    refused = {o.refused.reason for o in options_for(OrderFacts((POT,), VISEU), shop, settled) if o.refused}
    offered = {o.service for o in options_for(OrderFacts((POT,), VISEU), shop, settled) if o.quote}
    assert "too_far_ahead" in refused
    ahead = {code: s.service.ahead_days for c in shop.carriers for code, s in c.own.services.items()}
    assert all(ahead[code] >= 14 for code in offered)


@given(st.integers(0, 60 * 24 * 14 * 60), st.sampled_from(["Europe/Lisbon", "America/Toronto", "Pacific/Auckland"]))
def test_until_the_clock_turns_something_every_arrival_stays(seconds: int, zone: str) -> None:
    now = datetime(2026, 11, 20, tzinfo=UTC) + timedelta(seconds=seconds)
    shop = replace(SHOP, now=now, time_zone=ZoneInfo(zone), origin=VISEU, closed=((MONDAY, MONDAY),))
    morning = Offer("m", (("en", "Morning"),), Flat(1), times=Times(start="08:00", until="12:30"))
    until = holds_until(shop, [morning])
    assert now < until <= now + LONGEST

    def seen(at: datetime) -> object:
        then = replace(shop, now=at)
        settled = plan(OrderFacts((POT,), VISEU), then).settled
        assert settled
        arrivals = [(o.service, o.arrival) for o in options_for(OrderFacts((POT,), VISEU), then, settled)]
        return arrivals, morning.times.hold(then.local.replace(tzinfo=None)), then.when_packed(2)[1], then.local.date()

    assert seen(now) == seen(until - timedelta(microseconds=1))
