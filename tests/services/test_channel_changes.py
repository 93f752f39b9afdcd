"""What a channel says afterwards, against every place an order can stand in here: nothing cancelled or doubled goes."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta
from typing import cast

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.own_store import STATES, TO, Store, an_order, one, pull
from tests.services.steps import ask, buy, ids_of
from tidewind.db.tables import Aside, Channel, ChannelLog, Difference, Order, Shipment, Shop
from tidewind.outside.channels.upstream import Unreadable, UpstreamLine, UpstreamOrder
from tidewind.services import orders as orders_room
from tidewind.services.base import Conflict, ServiceError, history_of
from tidewind.services.buying import ask_void, fill_batch, start_batch
from tidewind.services.orders import (
    after_mapping,
    approve_orders,
    decide_difference,
    edit_address,
    edit_hand,
    join_orders,
    orders_aside,
    send_apart,
    set_held,
    undo_change,
    waiting_differences,
)
from tidewind.services.planning import plan_orders
from tidewind.web.access import Wiring


def stops(order: Order) -> set[str]:
    return {s.code for s in order.snags if s.level == "stops"}


def hold(session: Session, clock: Clock) -> None:
    set_held(session, [one(session, "A-1").id], True, "Tomé", clock())


def join(first: str, second: str) -> Callable[[Session, Clock], None]:
    def go(session: Session, clock: Clock) -> None:
        join_orders(session, [one(session, first).id, one(session, second).id], "Tomé", clock())

    return go


def divide(session: Session, clock: Clock) -> None:
    whole = one(session, "A-1")
    send_apart(session, whole.id, {whole.lines[0].id: 2}, "Tomé", clock())


def nothing(session: Session, clock: Clock) -> None:
    """The order waits as it came."""


LOCAL = {
    "open": nothing,
    "held": hold,
    "host": join("A-1", "A-2"),
    "guest": join("A-0", "A-1"),
    "divided": divide,
}
SAID: dict[str, tuple[dict[str, object], str, str]] = {
    "cancelled": ({"stage": "no"}, "cancelled_upstream", "cancelled"),
    "on hold": ({"stage": "wait"}, "stopped_upstream", "held"),
    "unpaid": ({"money": "not"}, "stopped_upstream", "held"),
    "collected there": ({"stage": "sent"}, "stopped_upstream", "left_out"),
    "a state nobody mapped": ({"stage": "?"}, "stopped_upstream", "held"),
    "fewer goods": ({"lines": (UpstreamLine("TW-1", "Twine", 1, 450),)}, "changed_upstream", "open"),
    "another place": (
        {"address": replace(TO, street="Rua Nova 1", city="Porto", postcode="4100-320")},
        "changed_upstream",
        "open",
    ),
}


@pytest.mark.parametrize("local", LOCAL)
@pytest.mark.parametrize("said", SAID)
def test_what_must_not_go_stops_at_once_and_with_it_whatever_it_belongs_to(
    wiring: Wiring, store: Store, clock: Clock, local: str, said: str
) -> None:
    changes, snag, after = SAID[said]
    with wiring.sessions.begin() as session:
        LOCAL[local](session, clock)
    store.say("A-1", **changes)
    assert pull(wiring, store)["changed"] == 1
    assert pull(wiring, store)["changed"] == 0, "it is asked once"
    with wiring.sessions.begin() as session:
        order = one(session, "A-1")
        going = {"guest": ["A-0"], "divided": ["A-1", "A-1/2"], "held": []}.get(local, ["A-1"])
        for number in going:
            assert snag in stops(one(session, number)), number
            assert one(session, number).price_minor is None or snag == "changed_upstream"
        assert [d.order_id for d in waiting_differences(session, [one(session, n).id for n in going or ["A-1"]])]
        (difference,) = waiting_differences(session, [order.id])
        decide_difference(session, difference.id, True, "Rute", clock())
        session.flush()
        kept = local == "held" or (local == "guest" and said == "fewer goods")  # nothing that the channel decides
        assert (order.state, stops(order)) == ("held" if kept and after == "open" else after, set())
        wanted = Counter({ln.sku: ln.quantity for ln in cast(UpstreamOrder, store.orders["A-1"]).lines})
        if after == "open":
            parts = session.scalars(select(Order).where(Order.part_of == order.id)).all()
            has = Counter({ln.sku: 0 for ln in order.lines})
            for belonging in (order, *parts):
                has.update({ln.sku: ln.quantity - ln.sent for ln in belonging.lines})
            assert +has == +wanted, "what was divided is whole again, and nothing doubled"
        other = one(session, "A-0" if local == "guest" else "A-2")
        apart = local in {"host", "guest"} and said != "fewer goods"
        assert other.joined_to is None or not apart
        assert stops(other) == set()
        if apart:
            assert {ln.sku for ln in other.lines} == {"TW-1", "HF-02"}
            assert (other.state, other.parcel_count > 0) == ("open", True), "the other goes by itself"
    store.say("A-1", stage="open", money="paid")
    pull(wiring, store)
    with wiring.sessions() as session:
        order = one(session, "A-1")
        assert order.state == ("held" if kept and after == "open" else "open"), "what is revived comes back"
        assert stops(order) == set()


@pytest.mark.parametrize("stage", ["in a batch", "being bought", "bought", "voided"])
@pytest.mark.parametrize("said", SAID)
def test_what_is_under_way_is_left_alone_until_it_is_voided(
    wiring: Wiring, store: Store, clock: Clock, said: str, stage: str
) -> None:
    changes, snag, _ = SAID[said]
    with wiring.sessions.begin() as session:
        order_id = one(session, "A-1").id
        if stage == "in a batch":
            batch = start_batch(session, "Morning", "a-batch-key", 2)
            fill_batch(session, batch.id, [order_id], 2, False, clock())
        orders = [one(session, "A-1")]
    shipments = [] if stage == "in a batch" else ids_of(wiring, ask(wiring, orders).batch_id)
    if stage in {"bought", "voided"}:
        assert buy(wiring, shipments[0]) == "bought"
    if stage == "voided":
        with wiring.sessions.begin() as session:
            ask_void(session, shipments, "Tomé", False, clock())
    store.say("A-1", **changes)
    goes_anyhow = said == "collected there" and stage in {"being bought", "bought"}
    assert pull(wiring, store)["changed"] == (0 if goes_anyhow else 1)
    with wiring.sessions.begin() as session:
        order = one(session, "A-1")
        waiting = waiting_differences(session, [order.id])
        assert len(waiting) == (0 if goes_anyhow else 1), "that it went is no news while it goes"
        if stage in {"in a batch", "voided"}:
            assert (order.state, stops(order)) == ("open", {snag})
            assert (order.batch_id is not None) == (stage == "in a batch"), "it lies in its batch, and stops there"
            return
        assert order.state == ("shipped" if stage == "bought" else "open")
        for difference in waiting:
            with pytest.raises(Conflict, match="Void it first"):
                decide_difference(session, difference.id, True, "Rute", clock())
    if stage == "bought" and not goes_anyhow:
        with wiring.sessions.begin() as session:
            ask_void(session, shipments, "Tomé", False, clock())
        with wiring.sessions.begin() as session:
            assert stops(one(session, "A-1")) == {snag}, "back on the list it must not go again"


def test_what_was_corrected_here_survives_and_two_people_are_told_of_each_other(
    wiring: Wiring, store: Store, clock: Clock
) -> None:
    mine = replace(TO, street="Rua do Sol 4, 2.º D")
    with wiring.sessions.begin() as session:
        order = one(session, "A-1")
        edit_address(session, order.id, mine, False, "Rute", clock())
        with pytest.raises(Conflict, match="Rute changed this address while you were typing; it is now: Ana Prado"):
            edit_address(session, order.id, replace(TO, phone="1"), True, "Tomé", clock(), seen=TO)
    store.say("A-1", address=replace(TO, phone="+351 000 555 009"), note="Ring twice")
    pull(wiring, store)
    with wiring.sessions.begin() as session:
        order = one(session, "A-1")
        (row,) = waiting_differences(session, [order.id])
        decide_difference(session, row.id, True, "Rute", clock())
        assert order.address == replace(mine, phone="+351 000 555 009")
        assert (order.home, order.note) == (False, "Ring twice")
        edit_hand(session, [order.id], {"service": "bp-road"}, "Tomé", clock())
        order.hand = replace(order.hand, approved="Inês", approved_for=("a reason",), approved_minor=100)
        with pytest.raises(Conflict, match=r"The last change is by Tomé: “set service”. Nothing was undone"):
            undo_change(session, order.id, "Rute", clock())
        seen = history_of(session, order.id)[0].id - 1
        with pytest.raises(Conflict, match="Tomé set the service of order A-1 while you were looking at it"):
            edit_hand(session, [order.id], {"service": "np-economy"}, "Rute", clock(), seen)
        undo_change(session, order.id, "Rute", clock(), of_others=True)
        assert (order.hand.service, order.hand.approved) == (None, "Inês"), "only what that change set goes back"


def test_an_approval_holds_for_its_reason_and_up_to_its_price(session: Session, clock: Clock) -> None:
    session.get_one(Shop, 1).approve_over_minor = 1
    order = session.scalars(select(Order).where(Order.state == "open", Order.service == "bp-road")).first()
    assert order is not None
    plan_orders(session, [order], clock())
    assert "needs_approval" in stops(order)
    approve_orders(session, [order.id], "Inês", clock())
    price = order.price_minor or 0
    assert (stops(order), order.hand.approved_minor) == (set(), price)
    order.hand = replace(order.hand, approved_minor=price - 1)
    plan_orders(session, [order], clock())
    assert next(s.words for s in order.snags if s.code == "needs_approval").startswith("Needs approval: it costs ")
    order.hand = replace(order.hand, approved_minor=price, approved_for=("something else",))
    plan_orders(session, [order], clock())
    assert "needs_approval" in stops(order)


def test_a_mapping_corrected_later_brings_what_it_left_out_and_lets_go_what_waited(
    wiring: Wiring, store: Store, clock: Clock
) -> None:
    store.orders |= {n: an_order(n, stage=stage) for n, stage in (("A-3", "sent"), ("A-4", "?"), ("A-5", "open"))}
    store.orders["odd"] = Unreadable("odd", "“lines” is missing", {"deep": [float("nan"), "\ud800", 2**80, None]})
    store.page = 2
    tally = pull(wiring, store)
    assert (tally["ignored"], tally["kept_back"], tally["unreadable"], tally["made"]) == (1, 1, 1, 1)
    with wiring.sessions.begin() as session:
        row = session.scalars(select(Channel).where(Channel.code == "own")).one()
        assert orders_room.not_mapped(session, row) == {"?": 1}
        count, (odd,) = orders_aside(session, row.id)
        assert (count, odd.body) == (1, {"deep": ["nan", "\ufffd", str(2**80), None]})
        row.cursor = "6"
        row.states = {**STATES, "sent": "fetch", "?": "fetch"}
        assert after_mapping(session, row, clock()) == 1
        assert one(session, "A-4").state == "open"
        assert row.cursor == "2"
    store.orders["odd"] = an_order("odd")
    assert pull(wiring, store)["made"] == 2
    with wiring.sessions() as session:
        assert (one(session, "A-3").state, session.scalars(select(Aside)).all()) == ("open", [])


def test_an_order_that_moves_between_two_pages_hides_no_other(wiring: Wiring, store: Store) -> None:
    store.orders = {f"P-{n}": an_order(f"P-{n}") for n in range(6)}
    store.page = 2
    moved = []

    def between() -> None:
        if not moved:
            moved.append("P-0")
            store.say("P-0", note="moved to the end while page one was read")

    store.between = between
    pull(wiring, store)
    with wiring.sessions() as session:
        assert {o.number for o in session.scalars(select(Order).where(Order.number.like("P-%")))} == set(store.orders)


@pytest.mark.parametrize("seed", seeds(2, 24))
def test_goods_sent_are_goods_owed_whatever_channel_and_people_do(
    wiring: Wiring, store: Store, clock: Clock, seed: int
) -> None:
    """Random news and work; at every purchase and at the end, an oracle that knows the store alone is asked."""
    chance = random.Random(seed)
    store.orders |= {"A-3": an_order("A-3", "SC-BEE")}
    pull(wiring, store)
    sent: dict[str, Counter[str]] = {number: Counter() for number in store.orders}
    for step in range(14):
        _news(chance, store)
        pull(wiring, store)
        with wiring.sessions.begin() as session:
            _work(chance, session, clock)
        if step % 3 == 2:
            _buy_some(wiring, store, sent, f"{seed}-{step}")
        clock.move(minutes=1)
    for number in sorted(store.orders):
        store.say(number, stage="open", money="paid")
    pull(wiring, store)
    with wiring.sessions.begin() as session:
        for difference in waiting_differences(session):
            if one_of(session, difference).state not in {"shipped"}:
                _allowed(lambda d=difference: decide_difference(session, d.id, True, "Rute", clock()))
        held = [o.id for o in session.scalars(select(Order).where(Order.state_by == "person"))]
        if held:
            _allowed(lambda: set_held(session, held, False, "Rute", clock()))
    for last in range(3):
        _buy_some(wiring, store, sent, f"{seed}-end-{last}", everything=True)
    with wiring.sessions() as session:
        for number, said in store.orders.items():
            owed = Counter({ln.sku: ln.quantity for ln in cast(UpstreamOrder, said).lines})
            unsettled = waiting_differences(session, [one(session, number).id])
            missing = owed - sent[number]
            stands = [
                (o.number, o.state, o.state_by, o.state_why, stops(o))
                for o in session.scalars(select(Order))
                if o.number.startswith("A-")
            ]
            assert not missing or unsettled, f"{number}: {missing} were never sent; {stands}"


def one_of(session: Session, difference: Difference) -> Order:
    return session.get_one(Order, difference.order_id)


def _allowed(do: Callable[[], object]) -> None:
    try:
        do()
    except ServiceError:
        return  # refused in words, and nothing was changed


def _news(chance: random.Random, store: Store) -> None:
    number = chance.choice(sorted(store.orders))
    now = cast(UpstreamOrder, store.orders[number])
    lines = list(now.lines)
    k = chance.randrange(len(lines))
    more = [*lines[:k], replace(lines[k], quantity=lines[k].quantity + 1), *lines[k + 1 :]]
    less = [replace(ln, quantity=max(1, ln.quantity - 1)) for ln in lines]
    street = replace(now.address, street=f"Rua do Sol {chance.randrange(1, 4)}")
    store.say(number, **chance.choice([
        {"stage": "no"}, {"stage": "wait"}, {"stage": "open", "money": "paid"}, {"stage": "open", "money": "paid"},
        {"money": "not"}, {"lines": tuple(more)}, {"lines": tuple(less)}, {"lines": tuple(lines[:1])},
        {"address": street}, {"note": f"note {chance.randrange(9)}"},
    ]))  # fmt: skip


def _work(chance: random.Random, session: Session, clock: Clock) -> None:
    mine = list(session.scalars(select(Order).join(Channel).where(Channel.code == "own").order_by(Order.id)))
    order = chance.choice(mine)
    what = chance.randrange(7)
    line = chance.choice(order.lines) if order.lines else None
    with session.begin_nested() as inner:
        try:
            if what == 0 and order.state_by != "channel":  # a person may let go what its channel keeps: not asked here
                set_held(session, [order.id], order.state == "open", "Tomé", clock())
            elif what == 1 and line:
                send_apart(session, order.id, {line.id: 1}, "Tomé", clock())
            elif what == 2:
                join_orders(session, [o.id for o in chance.sample(mine, 2)], "Tomé", clock())
            elif what == 3:
                undo_change(session, order.id, "Tomé", clock())
            else:
                for difference in waiting_differences(session, [order.id]):
                    decide_difference(session, difference.id, True, "Rute", clock())
        except ServiceError:
            inner.rollback()


def _buy_some(
    wiring: Wiring, store: Store, sent: dict[str, Counter[str]], key: str, *, everything: bool = False
) -> None:
    with wiring.sessions() as session:
        query = select(Order).join(Channel).where(Channel.code == "own", Order.state == "open")
        orders = [o for o in session.scalars(query) if o.price_minor is not None]
        wanted = orders if everything else orders[:1]
    if not wanted:
        return
    for shipment_id in ids_of(wiring, ask(wiring, wanted, key).batch_id):
        with wiring.sessions() as session:
            shipment = session.get_one(Shipment, shipment_id)
            host = session.get_one(Order, shipment.order_id)
            goods: dict[str, Counter[str]] = {}
            for order in (host, *session.scalars(select(Order).where(Order.joined_to == host.id))):
                whole = session.get_one(Order, order.part_of) if order.part_of else order
                left = {ln.sku: ln.quantity - ln.sent for ln in order.lines}
                goods.setdefault(whole.number, Counter()).update(left)
            packed = sum(n for p in host.plan.parcels for _, n in p.contents)
            assert packed == sum(sum(c.values()) for c in goods.values()), "the parcels hold what the orders say"
        assert buy(wiring, shipment_id) == "bought"
        for number, counts in goods.items():
            said = cast(UpstreamOrder, store.orders[number])
            assert (said.stage, said.money) == ("open", "paid"), f"{number} must not go: {said.stage}, {said.money}"
            sent[number].update(counts)
            owed = Counter({ln.sku: ln.quantity for ln in said.lines})
            assert not sent[number] - owed, f"{number}: {sent[number]} went, {owed} are owed"


def test_every_step_is_in_the_history(wiring: Wiring, store: Store, clock: Clock) -> None:
    store.say("A-1", stage="wait")
    pull(wiring, store)
    clock.move(minutes=5)
    store.say("A-1", stage="open")
    pull(wiring, store)
    store.say("A-2", money="cod")
    pull(wiring, store)
    with wiring.sessions() as session:
        assert [h.what for h in history_of(session, one(session, "A-1").id)] == ["is again as it was imported"]
        assert one(session, "A-2").payment == "pay_on_delivery"
        assert timedelta(0) <= clock() - history_of(session, one(session, "A-2").id)[0].at


def test_the_channels_own_count_proves_a_day_that_nothing_is_missing(
    wiring: Wiring, store: Store, clock: Clock
) -> None:
    def counted() -> list[tuple[int, str]]:
        with wiring.sessions() as session:
            row = session.scalars(select(Channel).where(Channel.code == "own")).one()
            lines = select(ChannelLog).where(ChannelLog.channel_id == row.id, ChannelLog.kind == "count")
            return [(ln.counts["missing"], ln.failure) for ln in session.scalars(lines.order_by(ChannelLog.id))]

    assert counted() == [(0, "")]
    lost = an_order("A-9")
    with wiring.sessions.begin() as session:
        session.scalars(select(Channel).where(Channel.code == "own")).one().cursor = "3"
    store.orders = {"A-9": lost, **store.orders}  # it stands before what is read from here on
    pull(wiring, store)
    assert len(counted()) == 1, "once a day"
    clock.move(hours=25)
    with wiring.sessions.begin() as session:
        session.scalars(select(Channel).where(Channel.code == "own")).one().cursor = "3"
        assert session.scalar(select(Order.id).where(Order.number == "A-9")) is None
    store.orders.pop("A-0")
    store.orders = {**store.orders, "A-0": an_order("A-0")}
    store.hidden = 1
    pull(wiring, store)
    assert counted()[-1] == (2, "Own counts 5 orders, 3 are known here: all is read again with the next pull")
    assert pull(wiring, store)["made"] == 1
    clock.move(hours=25)
    pull(wiring, store)
    assert counted()[-1] == (1, "Own counts 5 orders, 4 are known here: all is read again with the next pull")
    clock.move(hours=25)
    pull(wiring, store)
    assert counted()[-1] == (1, "Own counts 5 orders, 4 are known here, though all was read again")


def test_the_number_that_a_country_asks_the_recipient_for_comes_with_the_order(
    wiring: Wiring, clock: Clock, store: Store
) -> None:
    abroad = replace(TO, city="Curitiba", region="PR", postcode="80020-310", country="BR")
    store.orders["B-1"] = an_order("B-1", address=abroad, recipient_number="390.533.447-05")
    store.orders["B-2"] = an_order("B-2", address=abroad)
    assert pull(wiring, store)["made"] == 2
    with wiring.sessions.begin() as session:
        with_it, without = one(session, "B-1"), one(session, "B-2")
        assert ("recipient_number" in stops(with_it), "recipient_number" in stops(without)) == (False, True)
        line = with_it.lines[0]
        part = send_apart(session, with_it.id, {line.id: 1}, "Tomé", clock())
        assert part.hand.customs
        assert part.hand.customs.recipient_number == "390.533.447-05"  # both are cleared by it
        assert "recipient_number" not in stops(part)
    store.say("B-2", recipient_number="390.533.447-05")
    assert pull(wiring, store)["changed"] == 1
    with wiring.sessions.begin() as session:
        without = one(session, "B-2")
        (difference,) = waiting_differences(session, [without.id])
        assert difference.changes == [{"field": "recipient's tax number", "before": "", "after": "390.533.447-05"}]
        decide_difference(session, difference.id, True, "Tomé", clock())
        assert "recipient_number" not in stops(without)
    assert pull(wiring, store)["changed"] == 0
