"""Nothing is bought twice, nothing is lost, whatever is killed, repeated, doubled or answered wrongly."""

from __future__ import annotations

import signal
import threading
from typing import Any

import httpx
import pytest
from sqlalchemy import func, select, text
from sqlalchemy.exc import DBAPIError, IntegrityError

from tests.conftest import Clock
from tests.services.steps import agree, ask, books, buy, clear_orders, crash, ids_of, person
from tidewind.db.tables import (
    Label,
    Message,
    Order,
    Shipment,
    TrackingEvent,
)
from tidewind.services.base import Conflict
from tidewind.services.books import post
from tidewind.services.buying import (
    AT_ONCE_PER_CARRIER,
    FIRST_PARCELS,
    PARCELS_PER_JOB,
    PurchaseAsked,
    ToBuy,
    ask_to_buy,
    sweep,
)
from tidewind.services.buying.asking import _chunks
from tidewind.services.follow import buyers_view, follow_parcels, send_due_news
from tidewind.standins.world import World
from tidewind.web.access import Wiring


@pytest.mark.parametrize("point", ["before_call", "after_call", "before_commit", "after_commit"])
def test_a_worker_killed_at_any_point_buys_once(wiring: Wiring, world: World, clock: Clock, point: str) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    shipment_id = ids_of(wiring, ask(wiring, [order]).batch_id)[0]
    assert books(wiring)["held"] == order.price_minor
    assert crash(wiring, point, str(shipment_id), clock()) == -signal.SIGKILL
    assert len(world.book("norvia")) == (0 if point == "before_call" else 1)
    with wiring.sessions() as session:
        assert session.get_one(Shipment, shipment_id).state == ("bought" if point == "after_commit" else "buying")
    clock.move(seconds=30)
    swept = sweep(wiring.sessions, wiring.outside, clock)
    assert swept == ({} if point == "after_commit" else {shipment_id: "bought"})
    assert sweep(wiring.sessions, wiring.outside, clock) == {}
    assert agree(wiring, world) == 1
    after = books(wiring)
    assert (after["held"], after["available"], after["postage"]) == (
        0,
        60_000 - (order.price_minor or 0),
        order.price_minor,
    )
    with wiring.sessions() as session:
        assert (
            session.scalar(select(func.count(Label.id)).where(Label.shipment_id == shipment_id)) == order.parcel_count
        )
        assert session.scalar(select(func.count(Message.id))) == 1


def test_a_doubled_click_and_a_doubled_job_are_one_purchase(wiring: Wiring, world: World) -> None:
    with wiring.sessions() as session:
        orders = clear_orders(session, "norvia", 2)
    answers: list[Any] = []

    def click() -> None:
        try:
            answers.append(ask(wiring, orders))
        except (Conflict, IntegrityError) as error:
            answers.append(error)

    clicks = [threading.Thread(target=click) for _ in range(4)]
    for c in clicks:
        c.start()
    for c in clicks:
        c.join()
    batches = {a.batch_id for a in answers if isinstance(a, PurchaseAsked)}
    assert len(batches) == 1
    assert ask(wiring, orders).batch_id in batches
    shipment_ids = ids_of(wiring, batches.pop())
    assert len(shipment_ids) == 2
    jobs = [threading.Thread(target=buy, args=(wiring, i)) for i in shipment_ids * 3]
    for j in jobs:
        j.start()
    for j in jobs:
        j.join()
    assert agree(wiring, world) == 2
    assert books(wiring)["postage"] == sum(o.price_minor or 0 for o in orders)


def test_two_people_on_the_same_orders_each_get_what_the_other_has_not(wiring: Wiring, world: World) -> None:
    with wiring.sessions() as session:
        orders = clear_orders(session, "norvia", 8)
    asked: dict[str, PurchaseAsked] = {}

    def work(login: str, mine: list[Order]) -> None:
        asked[login] = ask(wiring, mine, f"click-of-{login}", login)

    people = [
        threading.Thread(target=work, args=("tome", orders[:6])),
        threading.Thread(target=work, args=("ines", orders[:1:-1])),
    ]
    for p in people:
        p.start()
    for p in people:
        p.join()
    taken = asked["tome"].taken + asked["ines"].taken
    assert sorted(taken) == sorted(o.id for o in orders)
    words = {**asked["tome"].dropped, **asked["ines"].dropped}
    assert len(words) == 4
    assert all("being bought by" in w for w in words.values())
    for theirs in asked.values():
        for shipment_id in ids_of(wiring, theirs.batch_id):
            assert buy(wiring, shipment_id) == "bought"
    assert agree(wiring, world) == 8
    assert books(wiring)["held"] == 0


@pytest.mark.impatient
@pytest.mark.parametrize(
    ("fault", "at_once"),
    [
        ("timeout_after_work", "bought"),
        ("duplicate_answer", "bought"),
        ("error", "buying"),
        ("down", "buying"),
        ("dearer", "failed"),
    ],
)
def test_a_carriers_faults_are_settled(
    wiring: Wiring, world: World, clock: Clock, monkeypatch: pytest.MonkeyPatch, fault: str, at_once: str
) -> None:
    monkeypatch.setattr(
        "tidewind.standins.carriers.HANG_SECONDS", 2.0
    )  # longer than our time-out, no longer than needed
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    shipment_id = ids_of(wiring, ask(wiring, [order]).batch_id)[0]
    world.set_fault("norvia", fault, 1)
    state = buy(wiring, shipment_id)
    assert state == at_once
    clock.move(seconds=30)
    sweep(wiring.sessions, wiring.outside, clock)
    assert agree(wiring, world) == (0 if fault == "dearer" else 1)
    assert books(wiring)["held"] == 0
    if fault == "dearer":
        with wiring.sessions() as session:
            assert "asks" in session.get_one(Shipment, shipment_id).failure
            assert session.get_one(Order, order.id).state == "open"
        assert books(wiring)["available"] == 60_000
        assert ask(wiring, [order], "second-click").taken == [order.id]


def test_a_carrier_that_stays_down_is_given_up_after_ten_minutes_and_touches_nobody_else(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    with wiring.sessions() as session:
        mine, other = clear_orders(session, "norvia", 1)[0], clear_orders(session, "brightmile", 1)[0]
    ids = ids_of(wiring, ask(wiring, [mine, other]).batch_id)
    world.set_fault("norvia", "down", 2)
    clock.move(minutes=1)
    assert sweep(wiring.sessions, wiring.outside, clock) == {}  # its job may still be on the way
    clock.move(minutes=5)
    with wiring.sessions() as session:
        by_carrier = {session.get_one(Shipment, i).carrier: i for i in ids}
    assert sweep(wiring.sessions, wiring.outside, clock) == {
        by_carrier["norvia"]: "buying",
        by_carrier["brightmile"]: "bought",
    }
    clock.move(minutes=15)
    assert sweep(wiring.sessions, wiring.outside, clock) == {by_carrier["norvia"]: "failed"}
    assert agree(wiring, world, "brightmile") == 1
    assert (agree(wiring, world), books(wiring)["held"]) == (0, 0)


def test_what_cannot_be_bought_is_said_and_nothing_is_held(wiring: Wiring) -> None:
    with wiring.sessions() as session:
        good = clear_orders(session, "norvia", 2)
        snagged = session.scalars(select(Order).where(Order.price_minor.is_(None), Order.state == "open")).first()
        held = session.scalars(select(Order).where(Order.state == "held")).first()
        assert snagged
        assert held
    with wiring.sessions.begin() as session:
        wishes = [ToBuy(good[0].id, (good[0].price_minor or 0) - 1), ToBuy(snagged.id, 0), ToBuy(held.id, 0)]
        asked = ask_to_buy(session, wishes, "click-no-1", person(session, "tome"), wiring.clock())
    assert asked.taken == []
    assert "look again" in asked.dropped[good[0].id]
    assert asked.dropped[snagged.id] == snagged.snags[0].words
    assert asked.dropped[held.id] == "is held"
    assert books(wiring)["held"] == 0
    with wiring.sessions.begin() as session:
        post(session, "hold", 59_990, key="elsewhere", reason="elsewhere", at=wiring.clock())
    with pytest.raises(Conflict, match="Nothing was bought"):
        ask(wiring, good, "click-no-2")
    with wiring.sessions() as session:
        assert session.scalar(select(func.count(Shipment.id))) == 0


def test_the_database_itself_guards_the_ledger_and_the_one_live_label(wiring: Wiring) -> None:
    def refused(*statements: str) -> None:
        with pytest.raises(DBAPIError), wiring.sessions.begin() as session:
            for statement in statements:
                session.execute(text(statement))

    new = "insert into ledger_entry (key, at, kind, reason) values ('x', now(), 'hold', 'x')"
    line = "insert into ledger_line (entry_id, account, amount_minor) values (currval('ledger_entry_id_seq'), '{}', {})"
    refused(new, line.format("held", 5))  # does not balance
    refused(new, line.format("held", 5), line.format("available", -4))
    refused(new, line.format("held", 99_999), line.format("available", -99_999))  # overdraws
    refused("update ledger_line set amount_minor = 1")
    refused("delete from ledger_entry")
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    ask(wiring, [order])
    copy = 'insert into shipment select (s).* from (select s #= \'"id"=>"999", "idempotency_key"=>"k", "tracking_key"=>"t"\'::hstore as s from shipment s) x'
    refused("create extension if not exists hstore", copy)
    assert books(wiring)["held"] == order.price_minor


def test_after_the_purchase_the_shop_is_told_the_buyer_gets_a_mail_and_the_parcel_is_followed(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    shipment_id = ids_of(wiring, ask(wiring, [order]).batch_id)[0]
    assert buy(wiring, shipment_id) == "bought"
    world.set_fault("larkspur", "down", 2)
    assert send_due_news(wiring.sessions, wiring.outside, clock) == 1  # the mail; the shop is closed
    clock.move(seconds=8)
    assert send_due_news(wiring.sessions, wiring.outside, clock) == 0  # still waiting, or closed again
    clock.move(minutes=2)
    send_due_news(wiring.sessions, wiring.outside, clock)
    clock.move(minutes=2)
    send_due_news(wiring.sessions, wiring.outside, clock)
    told = httpx.get(f"{wiring.settings.standins_url}/larkspur/told").json()
    mails = httpx.get(f"{wiring.settings.standins_url}/mail/all").json()
    with wiring.sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        number = shipment.labels[0].tracking_number
        assert [(t["number"], t["tracking_numbers"]) for t in told if t["number"]] != []
    assert len(mails) == 1
    assert number in mails[0]["body"]
    assert f"http://shop.test/t/{shipment.tracking_key}" in mails[0]["body"]
    clock.move(days=9)
    assert follow_parcels(wiring.sessions, wiring.outside, clock) == 1
    clock.move(days=1)
    assert follow_parcels(wiring.sessions, wiring.outside, clock) == 0  # delivered: nobody asks again
    with wiring.sessions() as session:
        seen = buyers_view(session, shipment.tracking_key).shipment
        assert (seen.state, seen.events[0].words) == ("delivered", "Delivered")
        assert session.scalar(select(func.count(TrackingEvent.id))) == 5


@pytest.mark.parametrize("count", [0, 1, 3, 12, 13, 171, 172, 250, 500, 1_999, 5_000])
def test_work_is_shared_evenly_between_lanes_and_begins_small(count: int) -> None:
    jobs = _chunks(list(range(count)))
    assert [i for job in jobs for i in job] == list(range(count))
    lanes = [sum(map(len, jobs[n::AT_ONCE_PER_CARRIER])) for n in range(AT_ONCE_PER_CARRIER)]
    assert max(map(len, jobs), default=0) <= PARCELS_PER_JOB
    assert all(len(job) <= FIRST_PARCELS for job in jobs[:AT_ONCE_PER_CARRIER])
    assert max(lanes) - min(lanes) <= max(map(len, jobs), default=0)
