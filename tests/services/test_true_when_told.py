"""Nothing told is false at its time, nothing is told twice, nothing owed is forgotten: stories of parcels at random."""

from __future__ import annotations

import random
from collections import Counter
from datetime import datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.test_after_the_purchase import bought
from tests.services.test_messages import ON, address, hear, rules, told
from tidewind.core.messages.triggers import TRIGGERS
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import BlockedAddress, Message, Shipment
from tidewind.outside.carrier import CarrierEvent
from tidewind.services.follow import let_go, send_due_news, take_events, tell_what_happened
from tidewind.web.access import Wiring

# What each message claims, in the words of whoever reads it: the states of a parcel in which it is so.
CLAIMS = {
    "label": {"announced", "accepted", "moving"},
    "handed_over": {"announced", "accepted", "moving"},
    "moving": {"accepted", "moving"},
    "out_for_delivery": {"out_for_delivery"},
    "awaiting_collection": {"awaiting_collection"},
    "delivered": {"delivered"},
    "late": {"accepted", "moving"},
    **{kind: {"problem"} for kind in ("problem", "damaged", "address", "customs")},
    "lost": {"lost"},
    "returning": {"returning"},
}
# Where a true story goes on from each state; a delivery is taken back by the carrier.
NEXT = {
    "announced": ("accepted", "moving"),
    "accepted": ("moving",),
    "moving": ("moving", "out_for_delivery", "problem", "lost"),
    "out_for_delivery": ("delivered", "problem", "awaiting_collection"),
    "problem": ("moving", "out_for_delivery", "returning"),
    "awaiting_collection": ("delivered", "returning"),
    "delivered": ("taken back",),
    "lost": ("moving",),
    "returning": (),
}


class Story:
    """A parcel's true story, as its carrier tells it."""

    def __init__(self, wiring: Wiring, shipment_id: int, chance: random.Random) -> None:
        self.wiring, self.shipment_id, self.chance = wiring, shipment_id, chance
        self.states, self.serial = ["announced"], 0

    def goes_on(self, now: datetime) -> None:
        ways = NEXT[self.states[-1]]
        if not ways:
            return
        then = self.chance.choice(ways)
        self.serial += 1
        name, takes_back, reason = f"e{self.serial}", "", ""
        if then == "taken back":
            takes_back = f"e{self.serial - 1}"
            self.states.append(self.states[-2])
            state = None
        else:
            self.states.append(then)
            state = TrackingState(then)
            reason = self.chance.choice(("", "damaged", "address", "customs", "refused")) if then == "problem" else ""
        event = CarrierEvent(now, state, "said", "Évora", id=name, takes_back=takes_back, reason=reason)
        with self.wiring.sessions.begin() as session:
            shipment = session.get_one(Shipment, self.shipment_id)
            take_events(session, shipment, {label.id: [event] for label in shipment.labels}, "http://shop", now)


def sent(wiring: Wiring, shipment_id: int) -> list[Message]:
    with wiring.sessions() as session:
        query = select(Message).where(Message.shipment_id == shipment_id, Message.sent_at.is_not(None))
        return list(session.scalars(query.order_by(Message.id)))


@pytest.mark.parametrize("seed", seeds(4))
def test_whatever_happens_what_is_told_is_so(wiring: Wiring, clock: Clock, seed: int) -> None:
    chance = random.Random(seed)
    stories = [Story(wiring, one, chance) for one in bought(wiring, 2)]
    body: dict[str, Any] = {"triggers": {t: ON for t in TRIGGERS if chance.random() < 0.8}}
    if chance.random() < 0.7:
        body |= {"quiet_from": "21:00", "quiet_until": "08:00"}
    body["hold_over"] = chance.choice((1, 2, 1_000))
    rules(wiring, body)
    for story in stories:
        address(wiring, story.shipment_id, email=f"b{story.shipment_id}@buyers.example", phone="+351912000111")
    with wiring.sessions.begin() as session:
        session.get_one(Shipment, stories[0].shipment_id).arrives = clock().date() + timedelta(days=1)
    seen: Counter[int] = Counter()
    for _ in range(24):
        clock.move(minutes=chance.choice((5, 40, 200, 700)))
        deed = chance.random()
        if deed < 0.55:
            chance.choice(stories).goes_on(clock())
        elif deed < 0.65:
            tell_what_happened(wiring.sessions, wiring.outside, clock)
        elif deed < 0.75:
            with wiring.sessions.begin() as session:
                let_go(session, "Rute", send=True)
        send_due_news(wiring.sessions, wiring.outside, clock)
        for story in stories:
            new = sent(wiring, story.shipment_id)[seen[story.shipment_id] :]
            seen[story.shipment_id] += len(new)
            for message in new:
                _is_so(story, message)
    for story in stories:
        _said_once_and_not_forgotten(wiring, story)


def _is_so(story: Story, message: Message) -> None:
    state = story.states[-1]
    if message.trigger == "not_delivered":
        assert state != "delivered", (story.states, message.kind)
    elif message.trigger in CLAIMS:
        assert state in CLAIMS[message.trigger], (story.states, message.kind)


def _said_once_and_not_forgotten(wiring: Wiring, story: Story) -> None:
    with wiring.sessions() as session:
        rows = session.scalars(
            select(Message).where(Message.shipment_id == story.shipment_id, Message.trigger != "").order_by(Message.id)
        ).all()
    by_way: dict[str, list[str]] = {}
    for row in rows:
        if row.sent_at is not None:
            by_way.setdefault(row.by, []).append(row.trigger)
    for told_before in by_way.values():
        for n, trigger in enumerate(told_before):  # once more only after it was taken back
            between = told_before[told_before.index(trigger) + 1 : n]
            assert trigger not in told_before[:n] or {"not_delivered", "delivered"} & set(between), told_before
    # Of where the parcel is now something was written: sent, or it waits, or its row says why it is not sent.
    assert all(row.sent_at or row.not_sent or row.next_at for row in rows)


def test_a_delivery_that_is_taken_back_is_taken_back_by_a_mail_and_told_again_when_it_comes(
    wiring: Wiring, clock: Clock
) -> None:
    (one,) = bought(wiring, 1)
    rules(wiring, {"triggers": {"delivered": {"mail": True}}})
    address(wiring, one, email="ana@buyers.example")

    def happens(name: str, state: str | None, takes_back: str = "") -> None:
        event = CarrierEvent(clock(), TrackingState(state) if state else None, "", "", id=name, takes_back=takes_back)
        with wiring.sessions.begin() as session:
            shipment = session.get_one(Shipment, one)
            take_events(session, shipment, {label.id: [event] for label in shipment.labels}, "http://shop", clock())
        send_due_news(wiring.sessions, wiring.outside, clock)
        clock.move(hours=1)

    happens("1", "out_for_delivery")
    happens("2", "delivered")
    happens("3", None, takes_back="2")
    happens("4", "delivered")
    mails = [m.kind for m in sent(wiring, one) if m.trigger != "label"]
    assert mails == ["delivered", "not_delivered", "delivered#2"]


def test_kinds_of_problems_are_told_where_problems_are_until_something_is_said_of_one(
    wiring: Wiring, clock: Clock
) -> None:
    one, two = bought(wiring, 2)
    rules(wiring, {"triggers": {"problem": {"mail": True}, "customs": {"mail": False}}})
    for shipment_id, reason in ((one, "damaged"), (two, "customs")):
        address(wiring, shipment_id, email="ana@buyers.example")
        event = CarrierEvent(clock(), TrackingState.PROBLEM, "", "Évora", reason=reason)
        with wiring.sessions.begin() as session:
            shipment = session.get_one(Shipment, shipment_id)
            take_events(session, shipment, {label.id: [event] for label in shipment.labels}, "http://shop", clock())
    assert set(told(wiring, one)) == {"label", "damaged"}
    assert set(told(wiring, two)) == {"label"}


def test_what_was_overtaken_is_withdrawn_and_the_log_says_so(wiring: Wiring, clock: Clock) -> None:
    (one,) = bought(wiring, 1)
    rules(wiring, {"triggers": {t: {"mail": True} for t in ("moving", "out_for_delivery", "delivered")}})
    address(wiring, one, email="ana@buyers.example")
    hear(wiring, one, "moving")
    hear(wiring, one, "out_for_delivery", hours_ago=0.8)
    hear(wiring, one, "delivered", hours_ago=0.5)
    send_due_news(wiring.sessions, wiring.outside, clock)
    found = told(wiring, one)
    assert found["moving"][1] == found["out_for_delivery"][1] == "overtaken: the parcel is delivered by now"
    assert [m.kind for m in sent(wiring, one) if m.trigger != "label"] == ["delivered"]


def test_an_address_that_is_blocked_keeps_nobody_else_from_being_told(wiring: Wiring, clock: Clock) -> None:
    (one,) = bought(wiring, 1)
    rules(wiring, {"triggers": {"moving": {"mail": True}}})
    address(wiring, one, email="ana@buyers.example")
    with wiring.sessions.begin() as session:
        session.add(BlockedAddress(address="ana@buyers.example", why="asked"))
        session.get_one(Shipment, one).order.also_tell = ["eva@buyers.example"]
    hear(wiring, one, "moving")
    assert told(wiring, one)["moving"] == (
        "ana@buyers.example",
        "nothing is sent to this address: its owner wants no more",
    )
    assert told(wiring, one)["moving:also1"] == ("eva@buyers.example", "")


def test_an_hour_ahead_counts_when_it_has_come_and_a_correction_counts_for_the_first_telling(
    wiring: Wiring, clock: Clock
) -> None:
    (one,) = bought(wiring, 1)

    def hears(*events: CarrierEvent) -> TrackingState:
        with wiring.sessions.begin() as session:
            shipment = session.get_one(Shipment, one)
            take_events(session, shipment, {label.id: events for label in shipment.labels}, "http://shop", clock())
            return TrackingState(shipment.tracking_state)

    def event(name: str, hours: float, state: str | None, takes_back: str = "") -> CarrierEvent:
        at = clock() + timedelta(hours=hours)
        return CarrierEvent(at, TrackingState(state) if state else None, "", "", id=name, takes_back=takes_back)

    assert hears(event("a", -2, "moving"), event("b", 3, "delivered")) == "moving"
    with wiring.sessions() as session:
        assert session.get_one(Shipment, one).next_look_at <= clock() + timedelta(hours=3)
    clock.move(hours=3.5)
    assert hears() == "delivered"
    clock.move(hours=1)
    # Told again with an earlier hour, it is the same event; two amendments of one instant take back one each.
    assert hears(event("b", -4, "delivered"), event("c", -3, "out_for_delivery")) == "delivered"
    assert hears(event("", -0.5, None, takes_back="b"), event("", -0.5, None, takes_back="c")) == "moving"
