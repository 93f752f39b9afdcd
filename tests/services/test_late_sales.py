"""A label is bought once, whatever the carrier says and in whatever order: only its word about the key settles."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any, cast

import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.steps import ask, books, clear_orders, ids_of
from tidewind.db.tables import OrderChange, Shipment
from tidewind.outside.carrier import Purchase, Sold, SoldParcel
from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.services.base import NotFound, Outside
from tidewind.services.buying import buy_shipments, look_for_late_sales, settle_label, sweep
from tidewind.services.buying.watching import WATCHED_FOR
from tidewind.services.handover import unsettled
from tidewind.web.access import Wiring

PRICE = 321


@dataclass
class OddCarrier:
    """A carrier that may answer late, not at all, or with a no to what it has sold; about a key it says the truth.

    ``mood`` decides what becomes of each request: ``well``, ``away`` (never reached it), ``lost`` (done, the answer
    lost), ``nothing`` (lost, and not done), ``later`` (sold minutes after).  With ``lies`` a key that was taken back
    may be sold all the same, and with ``keeps`` such a sale is not taken back again.
    """

    clock: Callable[[], datetime]
    mood: Callable[[str], str]
    lies: bool = False
    keeps: bool = False
    book: dict[str, Sold] = field(default_factory=dict)
    cancelled: set[str] = field(default_factory=set)
    closed: set[str] = field(default_factory=set)
    later: list[tuple[datetime, str, Purchase]] = field(default_factory=list)

    def _sell(self, key: str, purchase: Purchase) -> None:
        if key not in self.book:
            numbers = [f"OC{len(self.book):05d}{n}" for n in range(len(purchase.consignment.parcels))]
            self.book[key] = Sold(PRICE, tuple(SoldParcel(number, "") for number in numbers))

    def _due(self) -> None:
        for entry in [e for e in self.later if e[0] <= self.clock()]:
            self.later.remove(entry)
            if self.lies or entry[1] not in self.closed:
                self._sell(entry[1], entry[2])

    def buy(self, key: str, purchase: Purchase) -> Sold:
        self._due()
        mood = self.mood("buy")
        if mood == "away":
            raise NeverSent("not reached")
        if mood == "nothing":
            raise MaybeDone("no answer")
        if mood == "later":
            self.later.append((self.clock() + timedelta(minutes=15), key, purchase))
            raise MaybeDone("no answer")
        if key in self.closed:
            raise RefusedOutside("cancelled", "cancelled")
        if mood == "no" and (key in self.book or any(k == key for _, k, _ in self.later)):
            raise RefusedOutside("repeated", "this request was made before")
        self._sell(key, purchase)
        if mood == "lost":
            raise MaybeDone("no answer")
        return self.book[key]

    def find(self, key: str) -> Sold | None:
        self._due()
        if self.mood("find") != "well":
            raise NeverSent("not reached")
        return None if key in self.cancelled else self.book.get(key)

    def cancel(self, key: str) -> None:
        self._due()
        mood = self.mood("cancel")
        if mood == "away":
            raise NeverSent("not reached")
        if self.keeps and key in self.book:
            raise RefusedOutside("scanned", "it was scanned already")
        self.closed.add(key)
        if key in self.book:
            self.cancelled.add(key)
        if mood == "lost":
            raise MaybeDone("no answer")

    @property
    def live(self) -> set[str]:
        return set(self.book) - self.cancelled


class Only:
    """The outside world with one carrier, whoever is asked for."""

    def __init__(self, real: Outside, client: OddCarrier) -> None:
        self._real, self._client = real, client

    def carrier(self, _: object) -> OddCarrier:
        return self._client

    def __getattr__(self, name: str) -> Any:
        return getattr(self._real, name)


def begun(wiring: Wiring, count: int) -> list[int]:
    """Ask for the labels of some orders of one parcel each; nobody has asked the carrier yet."""
    with wiring.sessions() as session:
        orders = [o for o in clear_orders(session, "norvia", 60) if o.parcel_count == 1][:count]
    return ids_of(wiring, ask(wiring, orders).batch_id)


def shipments(wiring: Wiring, ids: list[int]) -> list[Shipment]:
    with wiring.sessions() as session:
        return list(session.scalars(select(Shipment).where(Shipment.id.in_(ids)).order_by(Shipment.id)))


def scripted(*moods: str) -> Callable[[str], str]:
    left = list(moods)
    return lambda _: left.pop(0) if left else "well"


def turn(wiring: Wiring, clock: Clock, outside: Outside, minutes: float) -> None:
    clock.move(minutes=minutes)
    sweep(wiring.sessions, outside, clock)
    look_for_late_sales(wiring.sessions, outside, clock)


def test_a_refused_repeat_is_no_word_about_the_first_request(wiring: Wiring, clock: Clock) -> None:
    (mine,) = begun(wiring, 1)
    carrier = OddCarrier(clock, scripted("lost", "away", "no", "well"))
    outside = cast(Outside, Only(wiring.outside, carrier))
    assert buy_shipments(wiring.sessions, outside, [mine], clock) == {mine: "buying"}  # sold, and nobody heard it
    assert buy_shipments(wiring.sessions, outside, [mine], clock) == {mine: "bought"}  # the repeat: no; the key: sold
    assert len(carrier.live) == 1
    assert books(wiring)["postage"] == PRICE


def test_a_refused_repeat_of_what_is_sold_later_takes_the_key_back(wiring: Wiring, clock: Clock) -> None:
    (mine,) = begun(wiring, 1)
    carrier = OddCarrier(clock, scripted("later", "well", "no"))
    outside = cast(Outside, Only(wiring.outside, carrier))
    assert buy_shipments(wiring.sessions, outside, [mine], clock) == {mine: "buying"}
    assert buy_shipments(wiring.sessions, outside, [mine], clock) == {mine: "failed"}
    clock.move(minutes=20)
    carrier.find("")
    assert carrier.live == set()
    assert books(wiring)["held"] == 0


def test_what_is_given_up_is_taken_back_first_and_a_carrier_out_of_reach_is_waited_for(
    wiring: Wiring, clock: Clock
) -> None:
    (mine,) = begun(wiring, 1)
    away = OddCarrier(clock, lambda _: "away")
    outside = cast(Outside, Only(wiring.outside, away))
    buy_shipments(wiring.sessions, outside, [mine], clock)
    for _ in range(20):
        turn(wiring, clock, outside, 2)
    assert shipments(wiring, [mine])[0].state == "buying"  # ten minutes are no word of the carrier's
    assert books(wiring)["held"] > 0
    away.mood = lambda what: "nothing" if what == "buy" else "well"
    turn(wiring, clock, outside, 2)
    assert shipments(wiring, [mine])[0].state == "failed"
    assert (books(wiring)["held"], len(away.closed), away.live) == (0, 1, set())


@pytest.mark.parametrize("keeps", [False, True])
def test_a_sale_after_all_is_found_taken_back_and_told(wiring: Wiring, clock: Clock, keeps: bool) -> None:
    (mine,) = begun(wiring, 1)
    moods = iter(["later"])
    carrier = OddCarrier(
        clock, lambda what: next(moods, "nothing") if what == "buy" else "well", lies=True, keeps=keeps
    )
    outside = cast(Outside, Only(wiring.outside, carrier))
    buy_shipments(wiring.sessions, outside, [mine], clock)
    for _ in range(6):
        turn(wiring, clock, outside, 2)
    given_up = shipments(wiring, [mine])[0]
    assert (given_up.state, bool(given_up.watched_until), carrier.live) == ("failed", True, set())
    for _ in range(12):
        turn(wiring, clock, outside, 4)
    told = shipments(wiring, [mine])[0]
    assert (told.state, told.watched_until, len(carrier.live)) == ("failed", None, int(keeps))
    assert "sold OC000000 for 3.21 EUR after all" in told.failure
    assert ("was taken back" in told.failure, "it was scanned already" in told.unsettled) == (not keeps, keeps)
    with wiring.sessions() as session:
        what = select(OrderChange.what).where(OrderChange.order_id == told.order_id).order_by(OrderChange.id.desc())
        assert "after all" in (session.scalars(what.limit(1)).one())
        shown = unsettled(session)
        assert len(shown) == int(keeps)
    for sale in shown:
        with wiring.sessions.begin() as session:
            settle_label(session, sale.id, "the carrier credits it", "Inês", clock())
        with wiring.sessions.begin() as session:
            assert unsettled(session) == []
            with pytest.raises(NotFound, match="somebody has settled it"):
                settle_label(session, sale.id, "again", "Tomé", clock())


def test_a_key_is_looked_after_for_a_day_and_then_no_more(wiring: Wiring, clock: Clock) -> None:
    (mine,) = begun(wiring, 1)
    carrier = OddCarrier(clock, lambda what: "nothing" if what == "buy" else "well")
    outside = cast(Outside, Only(wiring.outside, carrier))
    buy_shipments(wiring.sessions, outside, [mine], clock)
    for _ in range(6):
        turn(wiring, clock, outside, 2)
    assert shipments(wiring, [mine])[0].watched_until
    turn(wiring, clock, outside, WATCHED_FOR.total_seconds() / 60 + 1)
    assert (shipments(wiring, [mine])[0].watched_until, look_for_late_sales(wiring.sessions, outside, clock)) == (
        None,
        0,
    )


@pytest.mark.parametrize("seed", seeds(2))
def test_whatever_comes_each_label_is_bought_once_or_not_at_all(wiring: Wiring, clock: Clock, seed: int) -> None:
    chance = random.Random(seed)
    moods = {
        "buy": ["well", "away", "lost", "nothing", "later", "no"],
        "find": ["well", "well", "away"],
        "cancel": ["well", "away", "lost"],
    }
    carrier = OddCarrier(clock, lambda what: chance.choice(moods[what]))
    outside = cast(Outside, Only(wiring.outside, carrier))
    ids = begun(wiring, 12)
    for step in range(120):
        if step == 80:  # the carrier comes to its senses
            carrier.mood = lambda _: "well"
        some = chance.sample(ids, 3)
        buy_shipments(wiring.sessions, outside, some, clock)
        turn(wiring, clock, outside, chance.uniform(0.1, 3))
        now = shipments(wiring, ids)
        bought = {s.idempotency_key for s in now if s.state == "bought"}
        failed = {s.idempotency_key for s in now if s.state == "failed"}
        assert bought <= carrier.live
        assert not failed & carrier.live
    clock.move(minutes=30)
    carrier.find("")
    assert {s.state for s in now} <= {"bought", "failed"}
    assert bought == carrier.live
    account = books(wiring)
    assert (account["held"], account["postage"]) == (0, PRICE * len(bought))


@pytest.mark.parametrize(
    ("sold", "words"),
    [
        (Sold(PRICE, ()), "0 numbers for 1 parcels"),
        (Sold(PRICE, (SoldParcel("OC1", ""), SoldParcel("OC2", ""))), "2 numbers for 1 parcels"),
        (None, "its tracking number is another parcel's"),  # the number of what was bought before
    ],
)
def test_an_answer_that_cannot_be_true_is_taken_back_and_holds_nobody_up(
    wiring: Wiring, clock: Clock, sold: Sold | None, words: str
) -> None:
    first, odd, last = begun(wiring, 3)
    carrier = OddCarrier(clock, lambda _: "well")
    outside = cast(Outside, Only(wiring.outside, carrier))
    assert buy_shipments(wiring.sessions, outside, [first], clock) == {first: "bought"}
    (key,) = carrier.book
    carrier.book[shipments(wiring, [odd])[0].idempotency_key] = sold or carrier.book[key]
    assert buy_shipments(wiring.sessions, outside, [odd, last], clock) == {odd: "failed", last: "bought"}
    assert words in shipments(wiring, [odd])[0].failure
    assert len(carrier.live) == 2
    assert (books(wiring)["held"], books(wiring)["postage"]) == (0, 2 * PRICE)


def test_a_carrier_out_of_reach_is_tried_once_in_a_round(wiring: Wiring, clock: Clock) -> None:
    ids = begun(wiring, 4)
    carrier = OddCarrier(clock, lambda what: "nothing" if what == "buy" else "well")
    outside = cast(Outside, Only(wiring.outside, carrier))
    buy_shipments(wiring.sessions, outside, ids, clock)
    for _ in range(6):
        turn(wiring, clock, outside, 2)
    assert all(s.watched_until for s in shipments(wiring, ids))
    asked: list[str] = []
    carrier.mood = lambda what: asked.append(what) or "away"  # type: ignore[func-returns-value]
    clock.move(minutes=60)
    assert look_for_late_sales(wiring.sessions, outside, clock) == 0
    assert asked == ["find"]
    carrier.mood = lambda _: "well"
    clock.move(minutes=60)
    assert look_for_late_sales(wiring.sessions, outside, clock) == 0
    assert all(s.next_try_at and s.next_try_at > clock() for s in shipments(wiring, ids))
