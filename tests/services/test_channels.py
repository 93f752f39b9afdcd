"""Channels: mapped, kept back with reasons, differences never merged silently, faults that lose and double nothing."""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import signal
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.services.steps import ask, crash, ids_of
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import Aside, Channel, ChannelLog, Difference, Order, Shipment, TrackingEvent
from tidewind.outside.carrier import CarrierEvent
from tidewind.outside.errors import OutsideError
from tidewind.services import orders as orders_room
from tidewind.services.base import Conflict, Invalid, NotAllowed, NotFound
from tidewind.services.buying import buy_shipment
from tidewind.services.follow import follow_parcels, send_due_news, take_events
from tidewind.services.follow.telling import tell_of_refund
from tidewind.services.orders import decide_difference, edit_hand, pull_due, use_billing_name, waiting_differences
from tidewind.services.shop import (
    channel_log,
    connect_channel,
    consent_url,
    get_channel,
    save_mapping,
    set_channel_paused,
    take_notice,
    try_connection,
    upstream_counts,
)
from tidewind.standins import markets, webshop
from tidewind.standins.world import World
from tidewind.web.access import Wiring

MARKETS = ("tallyfair", "ovenbird")


def quick(_seconds: float) -> None:
    """Do not wait between tries."""


def pull(wiring: Wiring, code: str) -> dict[str, int]:
    counts = orders_room.pull(wiring.sessions, wiring.outside, code, wiring.clock(), quick)
    return {what: n for what, n in counts.items() if n}


def one(session: Session, number: str) -> Order:
    return session.scalars(select(Order).where(Order.number == number)).one()


def forget(session: Session, code: str) -> Channel:
    channel = session.scalars(select(Channel).where(Channel.code == code)).one()
    for order in session.scalars(select(Order).where(Order.channel_id == channel.id)):
        session.delete(order)
    channel.cursor = ""
    return channel


def newest_log(session: Session, code: str) -> ChannelLog:
    return channel_log(session, code)[0]


def test_marketplaces_arrive_with_their_own_states_names_and_payments(session: Session) -> None:
    assert (one(session, "TF-7304").state, one(session, "TF-7304").state_why) == ("held", "payment pending")
    assert one(session, "TF-7305").payment == "pay_on_delivery"
    assert one(session, "OB-90121").state_why == "payment authorised"
    nameless = one(session, "OB-90118")
    assert [(s.code, s.fix, s.about) for s in nameless.snags] == [("no_recipient", "billing_name", "Simone Achterberg")]
    use_billing_name(session, [nameless.id], "Rute", nameless.ordered_at)
    assert (nameless.address.name, nameless.snags) == ("Simone Achterberg", [])
    doubt = one(session, "OB-90120").snags[0]
    assert (doubt.level, doubt.words) == (
        "warns",
        "Postcode 9500-218 is in Ponta Delgada, São Miguel (Azores); the city says Aveiro",
    )


@pytest.mark.impatient
@pytest.mark.parametrize("code", [*MARKETS, "larkspur"])
@pytest.mark.parametrize("fault", ["rate_limit", "half_page", "slow", "error", "clock_skew", "down"])
def test_a_fault_in_the_middle_of_a_pull_loses_no_order_and_makes_none_twice(
    wiring: Wiring, world: World, code: str, fault: str
) -> None:
    with wiring.sessions.begin() as session:
        before = session.scalar(select(func.count(Order.id)))
        forget(session, code)
    world.set_fault(code, fault, 4)  # longer than a pull is patient: the first one breaks off
    for _ in range(3):
        try:
            pull(wiring, code)
        except OutsideError:
            continue
    world.set_fault(code, fault, 0)
    pull(wiring, code)
    with wiring.sessions() as session:
        assert session.scalar(select(func.count(Order.id))) == before
        logs = channel_log(session, code)
        assert fault == "clock_skew" or any("goes on from here" in line.failure for line in logs)


def test_a_pull_killed_before_any_of_its_commits_loses_nothing_of_what_is_kept_aside(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    nothing = [{"article": "X", "label": "X", "pieces": 0, "unit_price": "1"}]
    markets.change(world, "tallyfair", "TF-7303", basket=nothing)
    markets.change(world, "tallyfair", "TF-7302", ship_to={"full_name": "N"})

    def there() -> tuple[set[str], dict[str, str]]:
        with wiring.sessions() as session:
            mine = select(Order.number).join(Channel).where(Channel.code == "tallyfair")
            aside = {row.number: row.why for row in session.scalars(select(Aside))}
            return set(session.scalars(mine)), aside

    def start_anew() -> None:
        with wiring.sessions.begin() as session:
            forget(session, "tallyfair")
            session.execute(delete(Aside))

    start_anew()
    pull(wiring, "tallyfair")
    whole = there()
    assert set(whole[1]) == {"TF-7302", "TF-7303"}
    died = 0
    for nth in range(1, 20):
        start_anew()
        ended = crash(wiring, f"pull:{nth}", "tallyfair", clock())
        if ended == 0:
            break
        assert ended == -signal.SIGKILL
        died += 1
        pull(wiring, "tallyfair")
        assert there() == whole
    assert died >= 3


@pytest.mark.parametrize("code", MARKETS)
def test_an_order_that_changes_while_we_read_is_not_lost_and_shifts_no_other_out_of_sight(
    wiring: Wiring, world: World, clock: Clock, code: str
) -> None:
    with wiring.sessions.begin() as session:
        numbers = {o.number for o in session.scalars(select(Order).join(Channel).where(Channel.code == code))}
        client = wiring.outside.channel(forget(session, code))
    first = client.orders_after("")
    seen = {order.number for order in first.orders}
    clock.move(hours=1)
    moved = min(seen)
    markets.change(world, code, moved, **({"stage": "on_hold"} if code == "tallyfair" else {"status": "HOLD"}))
    cursor, more = first.cursor, True
    while more:
        page = client.orders_after(cursor)
        seen |= {order.number for order in page.orders}
        cursor, more = page.cursor, page.more
    assert seen == numbers
    again = client.orders_after(cursor)
    assert moved in {order.number for order in (*again.orders, *page.orders)}


def test_a_change_upstream_waits_for_a_decision_and_never_touches_what_is_bought(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    clock.move(minutes=30)
    with wiring.sessions() as session:
        to = one(session, "TF-7301").imported["said"]["address"]
    moved = {
        "full_name": to["name"],
        "lines": ["Rua Nova 1"],
        "town": "Coimbra",
        "zip": "3000-310",
        "nation": "PT",
        "phone": to["phone"],
        "mail": to["email"],
    }
    markets.change(world, "tallyfair", "TF-7301", ship_to=moved)
    assert pull(wiring, "tallyfair")["changed"] == 1
    assert "changed" not in pull(wiring, "tallyfair")  # said once
    with wiring.sessions.begin() as session:
        order = one(session, "TF-7301")
        assert [(s.code, s.level) for s in order.snags] == [("changed_upstream", "stops")]
        assert order.address.street == "Rua do Pinheiro 5"
        (difference,) = waiting_differences(session, [order.id])
        assert difference.changes[0]["field"] == "address"
        assert "Rua Nova 1" in difference.changes[0]["after"]
        edit_hand(session, [order.id], {"service": "bp-road"}, "Tomé", clock())
        decide_difference(session, difference.id, True, "Tomé", clock())
        assert (order.address.street, order.service, order.snags) == ("Rua Nova 1", "bp-road", [])
        with pytest.raises(NotFound, match="already"):
            decide_difference(session, difference.id, False, "Rute", clock())
    with wiring.sessions() as session:
        bought = one(session, "TF-7302")
    (shipment_id,) = ids_of(wiring, ask(wiring, [bought]).batch_id)
    assert buy_shipment(wiring.sessions, wiring.outside, shipment_id, clock) == "bought"
    markets.change(world, "tallyfair", "TF-7302", stage="revoked")
    pull(wiring, "tallyfair")
    with wiring.sessions.begin() as session:
        (difference,) = waiting_differences(session, [bought.id])
        assert (difference.kind, one(session, "TF-7302").state) == ("cancelled", "shipped")
        with pytest.raises(Conflict, match="Void it first"):
            decide_difference(session, difference.id, True, "Tomé", clock())
        decide_difference(session, difference.id, False, "Tomé", clock())


def test_a_cancellation_stops_an_order_and_a_payment_that_arrives_lets_it_go(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    clock.move(minutes=30)
    markets.change(world, "ovenbird", "OB-90119", status="CANCELED")
    markets.change(world, "tallyfair", "TF-7304", money="settled", stage="to_dispatch")
    webshop.change(world, "LL-20380", note="Leave it with the neighbour")
    pull(wiring, "ovenbird")
    pull(wiring, "tallyfair")
    assert pull(wiring, "larkspur") == {"changed": 1}
    with wiring.sessions.begin() as session:
        order = one(session, "OB-90119")
        assert (order.price_minor, order.snags[0].code) == (None, "cancelled_upstream")
        assert (one(session, "TF-7304").state, one(session, "TF-7304").payment) == ("open", "paid")
        kept = session.scalars(select(Difference).where(Difference.order_id == order.id)).one()
        decide_difference(session, kept.id, True, "Rute", clock())
        assert (order.state, order.state_why) == ("cancelled", "cancelled in the channel after import")


def test_an_unmapped_state_holds_instead_of_losing_and_odd_orders_are_named(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    clock.move(minutes=30)
    with wiring.sessions.begin() as session:
        counts = upstream_counts(session, wiring.outside, "tallyfair")
        assert counts.states == {"to_dispatch": 4, "awaiting_payment": 1}
        row = get_channel(session, "tallyfair")
        states = {name: fate for name, fate in row.states.items() if name != "to_dispatch"}
        save_mapping(session, "tallyfair", states, row.payments, {"shipped": True}, 5, "Brand")
        with pytest.raises(Invalid, match="States become"):
            save_mapping(session, "tallyfair", {"x": "explode"}, {}, {}, 5, "")
        forget(session, "tallyfair")
    markets.change(
        world, "tallyfair", "TF-7303", basket=[{"article": "X", "label": "X", "pieces": 0, "unit_price": "1"}]
    )
    markets.change(world, "tallyfair", "TF-7302", ship_to={"full_name": "N"})
    assert pull(wiring, "tallyfair") == {"kept_back": 3, "unreadable": 2}
    with wiring.sessions() as session:
        entries = {e["number"]: (e["what"], e["why"]) for e in newest_log(session, "tallyfair").entries}
    assert entries["TF-7301"] == ("kept_back", "the state “to dispatch” of Tallyfair is not mapped")
    assert entries["TF-7303"] == ("unreadable", "the quantity is 0, possible are 1 to 100,000")
    assert entries["TF-7302"] == ("unreadable", "“lines” is missing")


def test_consent_secrets_pause_and_test(wiring: Wiring, world: World, clock: Clock) -> None:
    with wiring.sessions() as session:
        sealed = get_channel(session, "tallyfair").secret_sealed
        url = consent_url(session, wiring.outside, "tallyfair")
    token = markets.token_of("tallyfair")
    assert token not in sealed
    assert wiring.outside.sealer.open(sealed) == token
    assert url.endswith("/tallyfair/consent?back=http%3A%2F%2Fshop.test%2Fset-up%2Fchannels%3Fchannel%3Dtallyfair")
    with pytest.raises(OutsideError, match="never given"):
        connect_channel(wiring.sessions, wiring.outside, "tallyfair", "forged", clock())
    assert try_connection(wiring.sessions, wiring.outside, "ovenbird", clock())[0]
    world.set_fault("ovenbird", "down", 0)
    with wiring.sessions.begin() as session:
        set_channel_paused(session, "ovenbird", True, clock())
    with pytest.raises(Conflict, match="paused"):
        pull(wiring, "ovenbird")
    clock.move(minutes=11)
    assert pull_due(wiring.sessions, wiring.outside, clock()) == ["larkspur", "tallyfair"]


def test_notices_are_signed_and_heard_once(wiring: Wiring, clock: Clock) -> None:
    body = b'{"type": "order.changed", "number": "TF-7301"}'

    def notice(secret: str = markets.token_of("tallyfair"), at: int | None = None, given: str = "n-1") -> Any:
        stamp = str(int(clock().timestamp()) if at is None else at)
        mac = hmac.new(secret.encode(), f"{given}.{stamp}.".encode() + body, hashlib.sha256).digest()
        headers = {
            "webhook-id": given,
            "webhook-timestamp": stamp,
            "webhook-signature": "v1,xx v1," + base64.b64encode(mac).decode(),
        }
        with wiring.sessions.begin() as session:
            return take_notice(session, wiring.outside, "tallyfair", headers, body, clock())

    assert [notice(), notice(), notice(given="n-2")] == ["taken", "heard before", "taken"]
    for forged in ({"secret": "guess"}, {"at": 0}, {"at": int(clock().timestamp()) + 3600}):
        with pytest.raises(NotAllowed, match="not signed"):
            notice(**forged)  # type: ignore[arg-type]
    with wiring.sessions() as session:
        assert [line.kind for line in channel_log(session, "tallyfair")][:3] == [
            "notice",
            "notice again",
            "notice",
        ]


def test_addresses_taken_over_from_a_channel_are_tidied(session: Session) -> None:
    for order in session.scalars(select(Order)):
        assert order.address.country in {*"PT ES FR DE GR NO JP GB CH AT US BR NL CZ IT".split()}  # noqa: SIM905


def test_a_channel_is_told_of_what_it_wants_to_hear_once(wiring: Wiring, world: World, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        row = get_channel(session, "tallyfair")
        wanted = {"delivered": True, "paid": True, "refunded": True}
        save_mapping(session, "tallyfair", row.states, row.payments, wanted, 10, "")
        with pytest.raises(Invalid, match="shipped, delivered"):
            save_mapping(session, "tallyfair", {}, {}, {"lost": True}, 10, "")
        order = one(session, "TF-7302")
        order.payment = "pay_on_delivery"
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    buy_shipment(wiring.sessions, wiring.outside, shipment_id, clock)
    for _ in range(8):
        clock.move(hours=24)
        follow_parcels(wiring.sessions, wiring.outside, clock)
        send_due_news(wiring.sessions, wiring.outside, clock)
    told = [r["body"] for r in world.rows("select body from shop_told where number = 'tallyfair/TF-7302'")]
    assert sorted(json.loads(body)["kind"] for body in told) == ["delivered", "paid"]
    with wiring.sessions.begin() as session:  # the delivery was a mistake, and then it was not; money went back, twice
        shipment = session.get_one(Shipment, shipment_id)
        (label,) = shipment.labels
        at = clock()
        heard = session.scalars(select(TrackingEvent).where(TrackingEvent.state == "delivered")).one()
        heard.event_id = "d"
        for event, state in (
            (CarrierEvent(at, TrackingState.MOVING, "Not delivered", "", id="m", takes_back="d"), "moving"),
            (CarrierEvent(at + timedelta(hours=3), TrackingState.DELIVERED, "Delivered", "", id="e"), "delivered"),
        ):
            take_events(session, shipment, {label.id: [event]}, "http://shop", event.at)
            assert shipment.tracking_state == state
        for _ in range(2):
            tell_of_refund(session, shipment, at)
    clock.move(hours=5)
    send_due_news(wiring.sessions, wiring.outside, clock)
    told = [r["body"] for r in world.rows("select body from shop_told where number = 'tallyfair/TF-7302'")]
    assert sorted(json.loads(body)["kind"] for body in told) == ["delivered", "paid", "refunded"]
