"""What goes wrong with one row is that row's: voids, labels for the way back and followed parcels go on behind it."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select

from tests.conftest import Clock
from tests.services.steps import ask, books, buy, clear_orders, ids_of
from tests.services.test_late_sales import Only
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import Order, Return, Shipment
from tidewind.outside.carrier import CarrierEvent, SoldParcel, SoldReturn, VoidAnswer
from tidewind.outside.errors import MaybeDone, NeverSent, NotBelieved, RefusedOutside
from tidewind.services.buying import ask_void, settle_due_voids
from tidewind.services.follow import follow_parcels, make_due_returns
from tidewind.web.access import Wiring


class Script:
    """A carrier that answers by a script: the name of the call and the key → what it returns or raises, in turn."""

    def __init__(self, turns: dict[tuple[str, str], list[Any]]) -> None:
        self.turns = turns
        self.asked: list[tuple[str, str]] = []

    def _say(self, call: str, key: str) -> Any:
        self.asked.append((call, key))
        told = self.turns[call, key]
        answer = told.pop(0) if len(told) > 1 else told[0]
        if isinstance(answer, Exception):
            raise answer
        return answer

    def void(self, key: str) -> Any:
        return self._say("void", key)

    def void_state(self, key: str) -> Any:
        return self._say("void_state", key)

    def make_return(self, key: str, own_key: str, service: str) -> Any:
        return self._say("make_return", key)

    def events(self, number: str) -> Any:
        self.turns.setdefault(("events", number), [[]])  # the other parcels of a shipment have nothing to tell
        return self._say("events", number)

    def events_of(self, numbers: Any) -> Any:
        return {number: self.events(number) for number in numbers}


def bought(wiring: Wiring, carrier: str, many: int, click: str = "one-click") -> list[int]:
    with wiring.sessions() as session:
        orders = clear_orders(session, carrier, many)
    ids = ids_of(wiring, ask(wiring, orders, click).batch_id)
    for shipment_id in ids:
        assert buy(wiring, shipment_id) == "bought"
    return ids


def keys(wiring: Wiring, ids: list[int]) -> dict[int, str]:
    with wiring.sessions() as session:
        return {s.id: s.idempotency_key for s in session.scalars(select(Shipment).where(Shipment.id.in_(ids)))}


def outside_of(wiring: Wiring, script: Script) -> Any:
    return Only(wiring.outside, script)  # type: ignore[arg-type]


def test_a_void_whose_answer_was_lost_is_not_refused_by_the_refusal_of_its_repeat(wiring: Wiring, clock: Clock) -> None:
    first, second = bought(wiring, "norvia", 2)
    key = keys(wiring, [first, second])
    with wiring.sessions.begin() as session:
        ask_void(session, [first, second], "Inês", False, clock())
    repeated = RefusedOutside("repeated", "a void was asked before")
    script = Script(
        {
            ("void_state", key[first]): [None, None, None, VoidAnswer("refunded")],
            ("void", key[first]): [MaybeDone("no answer"), repeated],
            ("void_state", key[second]): [None],
            ("void", key[second]): [RefusedOutside("scanned", "it was scanned")],
        }
    )
    outside = outside_of(wiring, script)
    settle_due_voids(wiring.sessions, outside, clock)  # the answer is lost; the other waits behind its carrier
    became = settle_due_voids(wiring.sessions, outside, clock)
    assert became == {first: "pending", second: "void_refused"}  # a refusal of the first request is final
    held = books(wiring)
    clock.move(hours=1, minutes=1)
    assert settle_due_voids(wiring.sessions, outside, clock) == {first: "voided"}
    with wiring.sessions() as session:
        price = session.get_one(Shipment, first).price_minor
        assert session.get_one(Shipment, second).order.state == "shipped"
    after = books(wiring)
    assert after["available"] - held["available"] == price
    settle_due_voids(wiring.sessions, outside, clock)
    assert books(wiring) == after


def test_a_return_that_cannot_be_holds_no_other_up(wiring: Wiring, clock: Clock) -> None:
    ids = [*bought(wiring, "norvia", 3), *bought(wiring, "brightmile", 1, "two")]
    key = keys(wiring, ids)
    with wiring.sessions.begin() as session:
        for n, shipment_id in enumerate(ids):
            session.add(
                Return(
                    shipment_id=shipment_id,
                    idempotency_key=f"back-{n}",
                    in_box=True,
                    reason="",
                    price_minor=100,
                    asked_by="Inês",
                    asked_at=clock(),
                )
            )
    good = [SoldReturn(300, SoldParcel(f"RB0000000{n}", "")) for n in range(4)]
    script = Script(
        {
            ("make_return", key[ids[0]]): [NotBelieved("'None' is no tracking number")],
            ("make_return", key[ids[1]]): [ZeroDivisionError("nobody foresaw this")],
            ("make_return", key[ids[2]]): [NeverSent("not reached"), good[2]],
            ("make_return", key[ids[3]]): [good[3]],
        }
    )
    outside = outside_of(wiring, script)
    made = make_due_returns(wiring.sessions, outside, clock)
    assert sorted(made.values()) == ["failed", "making", "ready"]
    make_due_returns(wiring.sessions, outside, clock)
    with wiring.sessions() as session:
        states = {r.shipment_id: (r.state, r.failure, r.tracking_number) for r in session.scalars(select(Return))}
    assert states[ids[0]][0] == "failed"
    assert "cannot be true" in states[ids[0]][1]
    assert states[ids[1]][0] == "making"  # it is tried again, and said in the log each time
    assert (states[ids[2]][0], states[ids[3]][0]) == ("ready", "ready")


def test_a_parcel_whose_events_make_no_sense_stops_no_other(wiring: Wiring, clock: Clock) -> None:
    ids = bought(wiring, "norvia", 3)
    clock.move(hours=1)
    with wiring.sessions() as session:
        found = session.scalars(
            select(Shipment).where(Shipment.id.in_(ids)).order_by(Shipment.next_look_at, Shipment.id)
        )
        numbers = {s.id: s.labels[0].tracking_number or "" for s in found}
    scan = CarrierEvent(datetime(2026, 11, 23, 10, 30, tzinfo=UTC), TrackingState.MOVING, "On its way", "Viseu")
    said = [[NotBelieved("no sense")], [TypeError("nobody foresaw this")], [[scan]]]
    script = Script({("events", number): answer for number, answer in zip(numbers.values(), said, strict=True)})
    follow_parcels(wiring.sessions, outside_of(wiring, script), clock)
    with wiring.sessions() as session:
        states = [session.get_one(Shipment, i).tracking_state for i in numbers]
    assert states[2] == "moving"
    assert states[:2] != ["moving", "moving"]


def test_a_mail_address_that_is_none_is_a_snag_that_warns(wiring: Wiring, clock: Clock) -> None:
    from dataclasses import replace

    from tidewind.services.planning import plan_orders

    with wiring.sessions.begin() as session:
        order = clear_orders(session, "norvia", 1)[0]
        order.address = replace(order.address, email="ana@")
        session.flush()
        plan_orders(session, [order], clock())
        session.flush()
        told = [(s.code, s.level, s.about) for s in session.get_one(Order, order.id).snags]
    assert ("mail_address", "warns", "email") in told
