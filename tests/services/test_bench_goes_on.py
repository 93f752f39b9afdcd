"""Nothing keeps a packer waiting, nothing is voided unsaid: labels that are late, undo, holds, printers, other carriers'."""

from __future__ import annotations

from collections.abc import Sequence

import pytest
from sqlalchemy import select, update

from tests.conftest import Clock
from tests.services.steps import buy
from tests.services.test_bench import (
    bought,
    do,
    finished,
    goods,
    goods_skus,
    jobs,
    order_with,
    said,
    scan,
    several_of_one,
    who_is,
)
from tidewind.core.bench.codes import Action, Code, CodeKind
from tidewind.core.bench.weighing import Reading
from tidewind.db.tables import Difference, Label, Order, Packing, PrintJob, Product, SerialNumber, Shipment
from tidewind.services.bench import (
    BenchSettings,
    BenchView,
    finish_packings,
    packing_for_photo,
    see_bench,
    set_bench_settings,
    weigh_at_bench,
)
from tidewind.services.bench.standing import locked_bench
from tidewind.services.orders import set_held
from tidewind.services.papers import mark_printed
from tidewind.services.shop import edit_products
from tidewind.web.access import Wiring


def see(wiring: Wiring, at: str = "Bench 1") -> BenchView:
    with wiring.sessions() as session:
        return see_bench(session, at, who_is(wiring), wiring.clock())


def asides(view: BenchView) -> Sequence[tuple[str, str, bool]]:
    return [(one.number, one.kind, one.printed) for one in view.asides]


def packing_of(wiring: Wiring, order: Order) -> Packing:
    with wiring.sessions() as session:
        return session.scalars(select(Packing).where(Packing.order_id == order.id)).one()


def on_paper(wiring: Wiring) -> None:
    """Let every print that waits come out of its printer."""
    with wiring.sessions.begin() as session:
        session.execute(update(PrintJob).values(state="printed", printed_at=wiring.clock(), last_error=""))


def test_a_label_that_is_late_lies_aside_and_is_called_when_it_has_come(wiring: Wiring) -> None:
    first, second, third = (order_with(wiring, skip=n) for n in range(3))
    assert scan(wiring, first.number, *goods(wiring, first)).phase == "buying"
    for code, word in (
        (do(Action.BUY_AND_PRINT), "Not now"),
        (do(Action.UNDO), "Not now"),
        (goods(wiring, second)[0], "Wrong item"),
        ("NOBODY-KNOWS", "Wrong item"),
        (first.number, "This one"),
        (do(Action.PHOTO), "Photo"),
    ):
        assert scan(wiring, code).said["word"] == word
    view = scan(wiring, second.number)
    assert (view.phase, view.order_id, said(view)) == ("items", second.id, ("right", "Pack it"))
    assert f"{first.number} lies aside with its slip" in view.said["words"]
    assert asides(view) == [(first.number, "waits", True)]
    assert scan(wiring, *goods(wiring, second)).phase == "buying"
    view = scan(wiring, do(Action.SKIP))
    assert (view.phase, said(view)) == ("await", ("note", "Aside"))
    assert [kind for _, kind, _ in asides(view)] == ["waits", "waits"]
    assert "waits at Bench 1 for its label" in scan(wiring, first.number, at="Bench 2").said["words"]
    view = scan(wiring, third.number)
    assert finished(wiring, packing_of(wiring, first).id) == "packed"  # while another order is open
    view = see(wiring)
    assert (view.order_id, said(view)) == (third.id, ("right", "Pack it"))
    assert asides(view) == [(first.number, "come", False), (second.number, "waits", True)]
    assert scan(wiring, first.number).said["word"] == "Not yet"
    on_paper(wiring)
    assert said(scan(wiring, first.number)) == ("right", "Label on")
    view = see(wiring)
    assert (view.order_id, asides(view)) == (third.id, [(second.number, "waits", True)])
    # What comes back from aside while it is awaited lies on the bench again, and goes aside again with the next slip.
    scan(wiring, do(Action.SKIP))
    view = scan(wiring, second.number)
    assert (view.phase, view.order_id, asides(view)) == ("buying", second.id, [])
    assert asides(scan(wiring, third.number)) == [(second.number, "waits", True)]


def test_a_purchase_that_is_given_up_calls_the_parcel_in_words(wiring: Wiring) -> None:
    first, second = order_with(wiring), order_with(wiring, skip=1)
    scan(wiring, first.number, *goods(wiring, first), second.number)
    with wiring.sessions.begin() as session:
        session.execute(update(Shipment).where(Shipment.order_id == first.id).values(service="gone"))
        failed = session.scalars(select(Shipment.id).where(Shipment.order_id == first.id)).one()
    assert buy(wiring, failed) == "failed"
    assert finish_packings(wiring.sessions, wiring.clock) == {packing_of(wiring, first).id: "left"}
    view = see(wiring)
    assert (view.order_id, asides(view)) == (second.id, [(first.number, "refused", True)])
    assert view.asides[0].words
    scan(wiring, do(Action.SKIP))
    view = scan(wiring, first.number)
    assert (view.phase, asides(view)) == ("stopped", [])
    assert all(line.counted == line.pieces for line in view.lines)


def test_undo_takes_back_what_this_bench_did_last_and_asks_before_it_voids(wiring: Wiring) -> None:
    second = several_of_one(wiring)
    first = next(order for n in range(3) if (order := order_with(wiring, skip=n)).id != second.id)
    scan(wiring, first.number, *goods(wiring, first))
    assert finished(wiring, packing_of(wiring, first).id) == "packed"
    scan(wiring, second.number, goods(wiring, second)[0], do(Action.SKIP))
    view = scan(wiring, do(Action.UNDO))  # the skip, and not the parcel before it
    assert (view.order_id, sum(line.counted for line in view.lines)) == (second.id, 1)
    view = scan(wiring, do(Action.HOLD), Code(CodeKind.WHY, "DAMAGED").payload)
    assert said(view) == ("note", "Held")
    with wiring.sessions() as session:
        held = session.get_one(Order, second.id)
        assert (held.state, held.state_why) == ("held", "held by Tomé Brisson: damaged, at Bench 1")
    view = scan(wiring, do(Action.UNDO))
    assert (view.order_id, said(view)) == (second.id, ("right", "Pack it"))
    scan(wiring, do(Action.UNDO), do(Action.UNDO))  # out with the piece, back with the order
    view = scan(wiring, do(Action.UNDO))
    assert said(view) == ("note", "Void it?")
    assert first.number in view.said["words"]
    scan(wiring, do(Action.HELP))  # something else in between: it is asked again
    assert said(scan(wiring, do(Action.UNDO))) == ("note", "Void it?")
    with wiring.sessions() as session:
        assert session.get_one(Shipment, packing_of(wiring, first).shipment_id).state == "bought"
    assert "voided: take it off the parcel" in scan(wiring, do(Action.UNDO)).said["words"]


def test_a_hold_says_its_reason_and_is_released_by_its_code(wiring: Wiring) -> None:
    order = order_with(wiring)
    assert said(scan(wiring, do(Action.RELEASE))) == ("wrong", "No order yet")
    with wiring.sessions.begin() as session:
        set_held(session, [order.id], True, "Rute", wiring.clock(), "comes in later")
    view = scan(wiring, order.number)
    assert view.said["words"].endswith("held by Rute: comes in later. Put it back. Or scan Release.")
    view = scan(wiring, do(Action.RELEASE))
    assert (view.order_id, said(view)) == (order.id, ("right", "Pack it"))


def test_what_is_printed_or_gone_is_not_printed_or_packed_again(wiring: Wiring, clock: Clock) -> None:
    printed, gone = order_with(wiring), order_with(wiring, skip=1)
    with wiring.sessions.begin() as session:
        mark_printed(session, [bought(wiring, printed).id], True, clock())
    view = scan(wiring, printed.number, *goods(wiring, printed))
    assert (view.said["word"], jobs(wiring)) == ("Done", [])
    assert "printed before: Print again makes another" in view.said["words"]
    view = scan(wiring, do(Action.PRINT_AGAIN))
    assert (view.said["words"], len(jobs(wiring))) == (f"the label of {printed.number}", 1)
    shipment = bought(wiring, gone)
    for state, words in (
        ("moving", "is with the carrier already since 23 November, 10:00"),
        ("delivered", "was delivered since"),
        ("returning", "is on its way back"),
    ):
        with wiring.sessions.begin() as session:
            session.execute(update(Shipment).where(Shipment.id == shipment.id).values(tracking_state=state))
            session.execute(update(Label).where(Label.shipment_id == shipment.id).values(tracking_since=clock()))
        assert words in scan(wiring, gone.number).said["words"]


def test_a_printer_in_trouble_is_said_and_keeps_nobody(wiring: Wiring) -> None:
    first, second = order_with(wiring), order_with(wiring, skip=1)
    bought(wiring, first)
    assert scan(wiring, first.number, *goods(wiring, first)).printer == ""
    with wiring.sessions.begin() as session:
        session.execute(update(PrintJob).values(last_error="Label printer: out of paper"))
        session.add(
            PrintJob(
                client_key="pack-xx",
                printer="a",
                kind="label",
                title="t",
                body=b"",
                person_id=1,
                next_at=wiring.clock(),
                last_error="another's",
            )
        )
    view = scan(wiring, second.number)
    assert (view.printer, view.phase) == ("Label printer: out of paper. 1 label of this bench waits", "items")
    assert see(wiring, "Bench 2").printer == ""
    on_paper(wiring)
    assert see(wiring).printer == ""


def test_a_change_upstream_is_said_with_the_next_scan_and_what_it_is(wiring: Wiring) -> None:
    order = order_with(wiring)
    scan(wiring, order.number)
    with wiring.sessions.begin() as session:
        session.add(
            Difference(order_id=order.id, at=wiring.clock(), kind="cancelled", changes=[], upstream={}, state="waiting")
        )
    assert see(wiring).changed.startswith("The channel cancelled this order")
    view = scan(wiring, goods(wiring, order)[0])
    assert (said(view), view.said["order"]) == (("wrong", "Changed"), str(order.id))
    assert sum(line.counted for line in view.lines) == 0
    assert said(scan(wiring, do(Action.SKIP))) == ("note", "Skipped")


def test_a_sets_own_code_counts_its_parts_and_goes_back_as_one(wiring: Wiring) -> None:
    order = order_with(wiring)
    with wiring.sessions.begin() as session:
        sku = goods_skus(wiring, order)[0]
        edit_products(session, [sku], {"parts": ["2x TR-01", "HF-01"]}, wiring.clock())
        pieces = session.get_one(Order, order.id).lines[0].quantity
        code, part = (session.scalars(select(Product.barcode).where(Product.sku == s)).one() for s in (sku, "HF-01"))
    view = scan(wiring, order.number, code)
    counted = {line.sku: line.counted for line in view.lines}
    assert (counted["TR-01"], counted["HF-01"], view.said["kind"]) == (2, 1, "right")
    view = scan(wiring, do(Action.UNDO))
    assert sum(line.counted for line in view.lines) == 0
    view = scan(wiring, *[code] * pieces)
    assert view.said["kind"] == "right"
    if view.phase == "items":
        assert said(scan(wiring, code)) == ("wrong", "Too many")
        assert said(scan(wiring, part)) == ("wrong", "Too many")


@pytest.mark.parametrize("twice", [False, True])
def test_a_serial_number_is_the_pieces_own(wiring: Wiring, twice: bool) -> None:
    order, other = order_with(wiring), order_with(wiring, skip=1)
    sku = goods_skus(wiring, order)[0]
    with wiring.sessions.begin() as session:
        edit_products(session, [sku], {"serial": True}, wiring.clock())
        if twice:  # the one it was packed with was not the one that is packed now
            shipment = bought(wiring, other)
            scan(wiring, other.number)
            before = session.scalars(select(Packing).where(Packing.order_id == other.id)).one()
            before.state, before.packed_at, before.shipment_id = "packed", wiring.clock(), shipment.id
            session.add(SerialNumber(packing_id=before.id, sku=sku, number="SN-1"))
    scan(wiring, order.number, goods(wiring, order)[0], at="Bench 2")
    for code in (other.number, goods(wiring, other)[-1], *(["SN-1"] if twice else [])):
        assert said(scan(wiring, code, at="Bench 2")) == ("wrong", "No serial number"), code
    if twice:
        assert f"packed before, with order {other.number}" in see(wiring, "Bench 2").said["words"]
    assert scan(wiring, "SN-2", at="Bench 2").said["kind"] == "right"


def test_a_weight_is_that_of_this_parcel_and_a_picture_that_of_its_own(wiring: Wiring) -> None:
    order, who = order_with(wiring), who_is(wiring)
    with wiring.sessions.begin() as session:
        set_bench_settings(session, BenchSettings(weighs=True))
    view = scan(wiring, order.number, *goods(wiring, order))
    assert view.scale is not None
    with wiring.sessions.begin() as session:
        told = weigh_at_bench(session, "Bench 1", Reading(view.scale.expected_g, fresh=False), who, wiring.clock())
    assert (told.phase, said(told)) == ("weigh", ("wrong", "Scale"))
    view = scan(wiring, do(Action.PHOTO))
    mine = int(view.said["packing"])
    scan(wiring, do(Action.SKIP), order_with(wiring, skip=1).number)
    with wiring.sessions.begin() as session:
        bench = locked_bench(session, "Bench 1", who.id, wiring.clock()).bench
        assert packing_for_photo(session, bench, mine) == mine != packing_for_photo(session, bench)
