"""What a channel says once the label is bought: everybody whom it concerns hears it, and somebody decides."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.run.length import seeds
from tests.services.own_store import TO, Store, one, pull
from tests.services.steps import ask, buy, ids_of, person
from tests.services.test_bench import scan
from tidewind.db.tables import Departure, Difference, Label, Order, Shipment
from tidewind.outside.channels.upstream import UpstreamLine
from tidewind.services.base import Conflict, ServiceError, history_of
from tidewind.services.buying import check_orders, keep_here, settle_due_voids, void_and_take
from tidewind.services.handover import DepartureKey, close_manifest, count_out, hand_over, lanes_on
from tidewind.services.orders import (
    WorkFilter,
    decide_difference,
    join_orders,
    list_orders,
    send_apart,
    snag_groups,
    view_counts,
    waiting_differences,
)
from tidewind.services.papers import mark_printed
from tidewind.standins.world import World
from tidewind.web.access import Wiring

MOVED = {"address": replace(TO, street="Rua Nova 1", city="Porto", postcode="4100-320")}
LESS = {"lines": (UpstreamLine("TW-1", "Twine", 1, 450),)}


def bought(wiring: Wiring, *numbers: str, key: str = "click") -> list[int]:
    """Buy the labels of orders; return their shipments."""
    with wiring.sessions() as session:
        orders = [one(session, number) for number in numbers]
    ids = ids_of(wiring, ask(wiring, orders, key).batch_id)
    assert [buy(wiring, shipment) for shipment in ids] == ["bought"] * len(numbers)
    return ids


def key_of(session: Session, shipment_id: int) -> DepartureKey:
    departure = session.scalars(select(Departure).join(Label).where(Label.shipment_id == shipment_id)).first()
    assert departure is not None
    return DepartureKey(departure.carrier, departure.network, departure.day)


def count(wiring: Wiring, shipment_id: int, clock: Clock) -> tuple[str, str, int | None]:
    with wiring.sessions.begin() as session:
        label = session.scalars(select(Label).where(Label.shipment_id == shipment_id)).first()
        assert label is not None
        said = count_out(session, key_of(session, shipment_id), label.tracking_number or "", clock())
        return said.verdict, said.words, said.decide_order_id


@pytest.mark.parametrize(
    ("change", "snag", "words"),
    [
        pytest.param({"stage": "no"}, "cancelled_upstream", "The channel cancelled this order", id="cancelled"),
        pytest.param({"stage": "wait"}, "stopped_upstream", "The channel keeps this order back", id="kept back"),
        pytest.param(MOVED, "changed_upstream", "The channel changed this order", id="another place"),
        pytest.param(LESS, "changed_upstream", "The channel changed this order", id="a line less"),
    ],
)
def test_everybody_hears_of_it_and_nothing_goes_before_somebody_decides(
    wiring: Wiring, store: Store, clock: Clock, change: dict[str, object], snag: str, words: str
) -> None:
    (shipment,) = bought(wiring, "A-1")
    assert count(wiring, shipment, clock)[0] == "right"
    store.say("A-1", **change)
    pull(wiring, store)
    with wiring.sessions.begin() as session:
        order = one(session, "A-1")
        assert order.state == "shipped"
        key = key_of(session, shipment)
        assert [g.order_ids for g in snag_groups(session) if g.code == snag] == [(order.id,)]
        assert order.id in {row.id for row in list_orders(session, WorkFilter(view="snags")).orders}
        listed = list_orders(session, WorkFilter(view="snags", text="Coimbra"))
        assert listed.matching == 1
        assert view_counts(session)["snags"] >= 1
        lane = next(
            n for n in lanes_on(session, key.day, clock()) if (n.carrier, n.network) == (key.carrier, key.network)
        )
        assert [(s.order_number, s.words.startswith(words)) for s in lane.stopped] == [("A-1", True)]
        with pytest.raises(Conflict, match=r"A-1: .* Take it off the truck"):
            hand_over(session, key, None, "Ana", "", "Tomé", clock())
    verdict, said, asks = count(wiring, shipment, clock)
    assert (verdict, asks) == ("not_to_go", order.id)
    assert said.startswith(words)
    bench = scan(wiring, "A-1")
    assert (bench.said["word"], bench.said["order"], bench.packing_id) == ("Stop", str(order.id), None)
    with wiring.sessions.begin() as session:
        (difference,) = waiting_differences(session, [order.id])
        with pytest.raises(Conflict, match="Void it first"):
            decide_difference(session, difference.id, True, "Rute", clock())
    with wiring.sessions.begin() as session:
        keep_here(session, difference.id, "Rute", clock())
        assert session.scalar(select(func.count(Label.id)).where(Label.counted_at.is_not(None))) == 0
        assert history_of(session, order.id)[0].what == "keeps the parcel here until it is decided"
        mark_printed(session, [shipment], True, clock())
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="on no parcel"):
        void_and_take(session, difference.id, "Tomé", False, clock())
    with wiring.sessions.begin() as session:
        void_and_take(session, difference.id, "Tomé", True, clock())
    with wiring.sessions() as session:
        order = one(session, "A-1")
        expected = {"cancelled_upstream": "cancelled", "stopped_upstream": "held", "changed_upstream": "open"}[snag]
        assert (order.state, session.get_one(Shipment, shipment).state) == (expected, "void_asked")
        assert order.address.street == ("Rua Nova 1" if change is MOVED else TO.street)
        assert [line.quantity for line in order.lines] == ([1] if change is LESS else [3, 1])
        assert snag not in {g.code for g in snag_groups(session) if g.about == "bought"}


def test_sent_on_it_goes_and_what_the_channel_takes_back_is_no_question(
    wiring: Wiring, store: Store, clock: Clock
) -> None:
    first, second, third = bought(wiring, "A-0", "A-1", "A-2")
    with wiring.sessions.begin() as session:
        key = key_of(session, first)
    for number in ("A-0", "A-1"):
        store.say(number, stage="no")
    store.say("A-2", address=replace(TO, email="ana.prado@new.example", phone="+351 000 555 777"), note="thanks")
    pull(wiring, store)
    with wiring.sessions.begin() as session:
        refused, _ = (waiting_differences(session, [one(session, number).id])[0] for number in ("A-0", "A-1"))
        decide_difference(session, refused.id, False, "Rute", clock())
        (reached,) = waiting_differences(session, [one(session, "A-2").id])
        assert (reached.kind, [c["field"] for c in reached.changes]) == ("edited", ["e-mail or phone", "note"])
        decide_difference(session, reached.id, True, "Rute", clock())  # no label is wrong for it
        assert one(session, "A-2").address.email == "ana.prado@new.example"
    store.say("A-1", stage="open")
    pull(wiring, store)
    assert [count(wiring, shipment, clock)[0] for shipment in (first, second, third)] == ["right"] * 3
    store.say("A-0", stage="open")
    pull(wiring, store)
    store.say("A-0", stage="no")  # refused before, taken back, said again: it is asked again
    pull(wiring, store)
    assert count(wiring, first, clock)[0] == "not_to_go"
    with wiring.sessions.begin() as session:
        manifest = close_manifest(session, key, "Tomé", clock())
        assert {line["order_number"] for line in manifest.lines} == {"A-1", "A-2"}
        words = history_of(session, one(session, "A-0").id)[0].what
        assert words.startswith("stays here, its channel changed it and nobody has decided; goes on ")


@pytest.mark.parametrize(
    "change", [{"stage": "no"}, {"stage": "wait"}, MOVED, LESS], ids=["no", "wait", "moved", "less"]
)
def test_a_void_refused_later_lets_nothing_go_that_its_order_has_overtaken(
    wiring: Wiring, store: Store, world: World, clock: Clock, change: dict[str, object]
) -> None:
    (shipment,) = bought(wiring, "A-1")
    with wiring.sessions() as session:
        carrier, key = session.get_one(Shipment, shipment).carrier, key_of(session, shipment)
    store.say("A-1", **change)
    pull(wiring, store)
    with wiring.sessions.begin() as session:
        (difference,) = waiting_differences(session, [one(session, "A-1").id])
        void_and_take(session, difference.id, "Tomé", False, clock())
        state = one(session, "A-1").state
    world.set_fault(carrier, "void_refused", 5)
    for _ in range(30):
        settle_due_voids(wiring.sessions, wiring.outside, clock)
        clock.move(hours=24)
    with wiring.sessions.begin() as session:
        refused = session.get_one(Shipment, shipment)
        assert (refused.state, "nothing goes out with it" in refused.unsettled) == ("void_refused", True)
        assert one(session, "A-1").state == state, "nothing went"
        lane = next(
            n for n in lanes_on(session, key.day, clock()) if (n.carrier, n.network) == (key.carrier, key.network)
        )
        assert lane.piles == ()
    verdict, words, asks = count(wiring, shipment, clock)
    assert (verdict, asks) == ("not_to_go", None)
    assert words.startswith("its order was changed after this label was bought")


def goods_of(session: Session, order: Order) -> set[str]:
    """Return the numbers of the channel's orders whose goods are in the parcel of an order."""
    together = (order, *session.scalars(select(Order).where(Order.joined_to == order.id)))
    return {session.get_one(Order, o.part_of).number if o.part_of else o.number for o in together}


def travelling(session: Session) -> Iterator[tuple[Shipment, Order]]:
    for shipment in session.scalars(select(Shipment).where(Shipment.state == "bought").order_by(Shipment.id)):
        if shipment.order.number.startswith("A-"):
            yield shipment, shipment.order


@pytest.mark.parametrize("seed", seeds(3))
def test_nothing_cancelled_is_packed_counted_or_handed_over_unsaid(
    wiring: Wiring, store: Store, clock: Clock, seed: int
) -> None:
    """Random joins, parts, purchases, changes and decisions; the oracle knows only what was said and not decided."""
    chance = random.Random(seed)
    numbers = sorted(store.orders)
    settled = dict.fromkeys(numbers, ("open", TO.street))
    _belonging(wiring, chance, clock)
    for step in range(8):
        if step > 1:
            number, street = chance.choice(numbers), chance.choice([TO.street, TO.street, "Rua Nova 1"])
            store.say(number, stage=chance.choice(["open", "no"]), address=replace(TO, street=street))
            pull(wiring, store)
        if step > 2:
            _work(wiring, chance, clock)
        with wiring.sessions() as session:
            ready = [o for o in session.scalars(select(Order)) if o.number.startswith("A-") and o.state == "open"]
            good = _passed(session, ready, clock)
        if good and step % 2 == 0:
            bought(wiring, chance.choice(good), key=f"click-{step}")
        with wiring.sessions() as session:
            waits = {session.get_one(Order, d.order_id).number for d in waiting_differences(session)}
            for one_number in numbers:
                said = store.orders[one_number]
                now = (said.stage, said.address.street)  # type: ignore[union-attr]
                order = one(session, one_number)
                if one_number not in waits:
                    settled[one_number] = now
                assert now == settled[one_number] or one_number in waits or order.state_by == "channel", one_number
            parcels = [(s.id, o.id, o.number, goods_of(session, o)) for s, o in travelling(session)]
        for shipment, order_id, order_number, goods in parcels:
            stopped = bool(goods & waits)
            verdict, _, asks = count(wiring, shipment, clock)
            assert (verdict == "not_to_go") == stopped, (step, order_number, goods, waits, verdict)
            assert (asks == order_id) == stopped
            bench = scan(wiring, order_number)
            assert (bench.said.get("order") == str(order_id)) == stopped, (step, order_number, bench.said)
            if bench.packing_id is not None:
                scan(wiring, "TWCODE-DO-SKIP")
            with wiring.sessions.begin() as session:
                key = key_of(session, shipment)
                lane = next(
                    n
                    for n in lanes_on(session, key.day, clock())
                    if (n.carrier, n.network) == (key.carrier, key.network)
                )
                assert (order_id in {s.order_id for s in lane.stopped}) == stopped
        clock.move(seconds=30)


def _passed(session: Session, orders: list[Order], clock: Clock) -> list[str]:
    """Return the numbers that pass the checks; of those, none has goods that somebody must decide about."""
    if not orders:
        return []
    found = check_orders(session, {o.id: None for o in orders}, person(session, "tome"), clock())
    good = [o.number for o in orders if o.id in set(found.order_ids)]
    waits = {session.get_one(Order, d.order_id).number for d in waiting_differences(session)}
    for order in orders:
        assert order.number not in good or not goods_of(session, order) & waits
    return good


def _belonging(wiring: Wiring, chance: random.Random, clock: Clock) -> None:
    """Let two orders go together, and a part of another go along with them or by itself."""
    with wiring.sessions.begin() as session:
        first, second, third = chance.sample([one(session, f"A-{n}") for n in range(3)], 3)
        part = send_apart(session, third.id, {third.lines[0].id: 1}, "Tomé", clock())
        together = [first.id, second.id, *([part.id] if chance.random() < 0.5 else [])]
        join_orders(session, chance.sample(together, len(together)), "Tomé", clock())


def _work(wiring: Wiring, chance: random.Random, clock: Clock) -> None:
    with wiring.sessions.begin() as session, session.begin_nested() as inner:
        mine = [o for o in session.scalars(select(Order).order_by(Order.id)) if o.number.startswith("A-")]
        order = chance.choice(mine)
        try:
            match chance.randrange(8):
                case 0:
                    join_orders(session, [o.id for o in chance.sample(mine, 2)], "Tomé", clock())
                case 1 if order.lines:
                    send_apart(session, order.id, {order.lines[0].id: 1}, "Tomé", clock())
                case 2:
                    for difference in session.scalars(select(Difference).where(Difference.state == "waiting")).all():
                        if chance.random() < 0.5:
                            decide_difference(session, difference.id, False, "Rute", clock())
                        else:
                            void_and_take(session, difference.id, "Tomé", True, clock())
                case _:
                    clock.at += timedelta(minutes=1)
        except ServiceError:
            inner.rollback()
