"""A carrier that is known by its price list: priced, bought and printed like any other, under numbers of its ranges."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import MONDAY, Clock
from tests.core.builders import card
from tests.services.steps import ask, books, buy, ids_of, person
from tidewind.core.numbering import NumberRange, RangeKind
from tidewind.core.tariffs.simple import EXAMPLE
from tidewind.core.tariffs.written import write_card
from tidewind.db.tables import Label, Order, Shipment
from tidewind.outside.sheets_out import to_csv
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.buying import ask_void, settle_due_voids, sweep
from tidewind.services.handover import alert_counts
from tidewind.services.orders import edit_hand
from tidewind.services.papers import posting_lists, print_labels, print_posting_lists
from tidewind.services.shop import (
    add_range,
    all_carriers,
    begin_with_card,
    carriers_by_code,
    numbers_left,
    propose_card,
    ranges_of,
    rehearse_without,
    remove_carrier,
    remove_range,
    type_number,
)
from tidewind.web.access import Wiring

LIST = to_csv(EXAMPLE[0], EXAMPLE[1:])
TEN = NumberRange(RangeKind.S10, "LX", 47_110_000, 47_110_009, "PT")


def leaf(session: Session, name: str = "Leaf & Twig") -> str:
    row, _ = begin_with_card(session, name, "", LIST, "leaflet.csv", MONDAY)
    return row.code


def _takes(order: Order) -> bool:
    (parcel,) = order.plan.parcels
    return parcel.gross_g <= 20_000 and max(parcel.sides_mm) <= 1_200 and not parcel.carrier_box


def goes_with(session: Session, code: str, count: int) -> list[Order]:
    """Orders that go with a carrier by hand, and have its price."""
    some = select(Order).where(Order.state == "open", Order.price_minor.is_not(None), Order.parcel_count == 1)
    fits = [o for o in session.scalars(some.order_by(Order.id)) if _takes(o)]
    orders = fits[:count]
    edit_hand(session, [order.id for order in orders], {"service": code}, "Inês", MONDAY)
    assert [order.carrier for order in orders] == [code] * count
    return orders


def numbers(session: Session, orders: list[Order]) -> list[str | None]:
    mine = select(Label.tracking_number).join(Shipment).where(Shipment.order_id.in_([o.id for o in orders]))
    return list(session.scalars(mine.order_by(Label.id)))


def test_a_carrier_begins_with_its_list_and_sells_under_the_numbers_of_its_range(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        code = leaf(session)
        assert (code, carriers_by_code(session)[code].monogram) == ("leaf-twig", "LT")
        add_range(session, code, TEN, 8)
        orders = goes_with(session, code, 2)
        assert {o.price_minor for o in orders} <= {int(float(c) * 100) for row in EXAMPLE[4:9] for c in row[1:]}
        before = books(wiring)
    for shipment_id in ids_of(wiring, ask(wiring, orders).batch_id):
        assert buy(wiring, shipment_id) == "bought"
        assert buy(wiring, shipment_id) == "bought"  # the job comes twice
    with wiring.sessions.begin() as session:
        assert numbers(session, orders) == ["LX471100008PT", "LX471100011PT"]
        assert numbers_left(ranges_of(session, carriers_by_code(session)[code].id)) == 8
        assert alert_counts(session, clock())["numbers_low"] == 1
        sold = session.scalars(select(Shipment).where(Shipment.carrier == code)).all()
        (listed,) = posting_lists(session, sold)
        assert ([row[0] for row in listed.rows], listed.title) == (
            numbers(session, orders),
            "Posting list, Leaf & Twig",
        )
        assert print_posting_lists(session, [s.id for s in sold])[:4] == b"%PDF"
        assert print_labels(session, [s.id for s in sold])[:4] == b"%PDF"
        after = books(wiring)
        spent = sum(o.price_minor or 0 for o in orders)
        assert (before["available"], after["owed"] - before["owed"]) == (after["available"], -spent)
        asked = ask_void(session, [sold[0].id], "Inês", True, clock())
        assert asked.asked == [sold[0].id]
    assert settle_due_voids(wiring.sessions, wiring.outside, clock) == {sold[0].id: "voided"}
    assert books(wiring)["owed"] == after["owed"] + sold[0].price_minor


def test_two_draw_at_once_and_the_range_ends(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        code = leaf(session)
        add_range(session, code, TEN, 0)
        orders = goes_with(session, code, 12)
    ids = ids_of(wiring, ask(wiring, orders).batch_id)
    with ThreadPoolExecutor(6) as hands:
        states = list(hands.map(lambda i: buy(wiring, i), [*ids, *ids]))
    assert (set(states), states.count("failed") >= 2) == ({"bought", "failed"}, True)
    with wiring.sessions.begin() as session:
        given = [n for n in numbers(session, orders) if n]
        assert (len(given), len(set(given))) == (10, 10)
        failed = session.scalars(select(Shipment).where(Shipment.id.in_(ids), Shipment.state == "failed")).all()
        assert {s.failure for s in failed} == {
            "Leaf & Twig: its ranges of numbers are used up. Add one in Set-up, Carriers"
        }
        add_range(session, code, NumberRange(RangeKind.COUNTER, "TW", 1, 99, digits=6), 10)
        again = [session.get_one(Order, s.order_id) for s in failed]
    for shipment_id in ids_of(wiring, ask(wiring, again, "once more").batch_id):
        assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions() as session:
        assert {n for n in numbers(session, again) if n} == {"TW000001", "TW000002"}


def test_what_dies_between_finds_the_same_number_again(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        code = leaf(session)
        add_range(session, code, TEN, 0)
        (order,) = goes_with(session, code, 1)
        carrier = carriers_by_code(session)[code]
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    with wiring.sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
    client = wiring.outside.carrier(carrier)
    from tidewind.services.buying.settling import _begin

    with wiring.sessions.begin() as session:
        _, (asking,), _ = _begin(session, [shipment_id], clock())
    first = client.buy(shipment.idempotency_key, asking.purchase)  # and here the worker is killed
    clock.move(minutes=2)
    assert sweep(wiring.sessions, wiring.outside, clock) == {shipment_id: "bought"}
    with wiring.sessions() as session:
        assert numbers(session, [order]) == [first.parcels[0].tracking_number]


def test_without_a_range_the_carriers_number_is_typed_later(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        code = leaf(session)
        orders = goes_with(session, code, 2)
    for shipment_id in ids_of(wiring, ask(wiring, orders).batch_id):
        assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions.begin() as session:
        assert numbers(session, orders) == [None, None]
        mine = session.scalars(select(Shipment).where(Shipment.carrier == code).order_by(Shipment.id)).all()
        assert print_labels(session, [s.id for s in mine])[:4] == b"%PDF"
        first, second = (s.labels[0].id for s in mine)
        assert type_number(session, first, " rx 4711-99 ").tracking_number == "RX4711-99"
        assert type_number(session, first, "RX471200").tracking_number == "RX471200"  # a slip of the finger
        for wrong, kind in (("RX471200", Conflict), ("x", Invalid), ("no spaces äö", Invalid)):
            with pytest.raises(kind):
                type_number(session, second, wrong)


def test_ranges_never_overlap_and_a_carrier_that_goes_leaves_its_history(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        code, other = leaf(session), leaf(session, "Other")
        made = add_range(session, code, TEN, 0)
        with pytest.raises(Conflict, match="overlaps the range from LX471100008PT"):
            add_range(session, other, NumberRange(RangeKind.S10, "LX", 47_110_009, 47_110_020, "PT"), 0)
        with pytest.raises(Invalid, match="two capital letters"):
            add_range(session, other, NumberRange(RangeKind.S10, "L", 1, 2, "PT"), 0)
        with pytest.raises(Conflict, match="gives its own numbers"):
            add_range(session, "norvia", TEN, 0)
        remove_range(session, code, made.id)
        (order,) = goes_with(session, code, 1)
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="being bought"):
        remove_carrier(session, code, clock())
    buy(wiring, shipment_id)
    with wiring.sessions.begin() as session:
        tried = rehearse_without(session, "norvia", clock())
        assert tried.changed
        remove_carrier(session, code, clock())
        assert code not in {c.code for c in all_carriers(session)}
        assert print_labels(session, [shipment_id])[:4] == b"%PDF"
        assert leaf(session) == "leaf-twig-2"
    with wiring.sessions.begin() as session, pytest.raises(NotFound):
        remove_carrier(session, code, clock())


def test_a_whole_card_keeps_the_code_it_is_written_for(session: Session) -> None:
    body = write_card(card("brightmile-2026-07")) | {"carrier": "own-vans"}
    row, _ = begin_with_card(session, "Vans of ours", "", json.dumps(body).encode(), "vans.json", MONDAY)
    assert row.code == "own-vans"
    newer = json.dumps(body | {"valid_from": "2027-01-01"}).encode()
    assert not propose_card(session, row.code, newer, "vans.json", MONDAY).errors  # its next version says the same
    with pytest.raises(Conflict, match="written for the carrier “brightmile”"):
        begin_with_card(session, "Another", "", json.dumps(body | {"carrier": "brightmile"}).encode(), "b.json", MONDAY)
    odd, _ = begin_with_card(session, "Odd", "", json.dumps(body | {"carrier": "No Code!"}).encode(), "o.json", MONDAY)
    assert odd.code == "odd"


def test_a_list_with_faults_adds_nothing(session: Session) -> None:
    before = len(all_carriers(session))
    bad = to_csv(["Up to kg", "Atlantis"], [["1", "cheap"]])
    with pytest.raises(Invalid, match=r"Atlantis.*is no country.*cheap.*is no price"), session.begin_nested():
        begin_with_card(session, "Sunk", "", bad, "x.csv", MONDAY)
    with pytest.raises(Invalid, match="what the carrier is called"):
        begin_with_card(session, "  ", "", LIST, "x.csv", MONDAY)
    assert (len(all_carriers(session)), person(session, "ines") > 0) == (before, True)
