"""Batches, voids, refunds, returns, requests and papers, each through what people do with it."""

from __future__ import annotations

import random
from datetime import timedelta

import httpx
import pytest
from sqlalchemy import func, select, text
from sqlalchemy.exc import DBAPIError

from tests.conftest import Clock
from tests.documents.reading import text_of
from tests.services.steps import agree, ask, books, buy, clear_orders, ids_of, person
from tidewind.core.addresses.check import Address
from tidewind.db.tables import (
    CarrierRow,
    ChannelNotice,
    Label,
    LabelRequest,
    Message,
    Order,
    PrintJob,
    Return,
    Shipment,
)
from tidewind.jobs import _each_by_itself
from tidewind.services.base import Conflict, Invalid, NotFound, TooMany
from tidewind.services.books import (
    EntryFilter,
    balance_now,
    cover_declarations,
    ledger_entries,
    ledger_rows,
    ledger_totals,
    margins,
    pay_bill,
    set_cover_terms,
    top_up,
)
from tidewind.services.buying import (
    ToBuy,
    Voided,
    archive_batch,
    ask_to_buy,
    ask_void,
    batch_summaries,
    cancel_waiting,
    change_batch,
    chase_refund,
    check_orders,
    exceptions_of,
    fill_batch,
    get_batch,
    orders_in_batch,
    scan_into_batch,
    settle_due_voids,
    settle_label,
    start_batch,
    sweep,
    take_out,
    waiting_refunds,
)
from tidewind.services.follow import (
    ReturnDone,
    ReturnRequest,
    TypedRequest,
    approve_request,
    ask_for_label,
    ask_return,
    close_return,
    decline_request,
    follow_parcels,
    follow_returns,
    make_due_returns,
    request_links,
    send_due_news,
)
from tidewind.services.handover import alert_counts, unsettled
from tidewind.services.orders import approve_orders, edit_hand
from tidewind.services.papers import (
    PrintRequest,
    change_print,
    goods_of,
    mark_printed,
    print_batch_summary,
    print_interleaved,
    print_invoices,
    print_labels,
    print_pick_list,
    print_pictures,
    print_returns,
    print_slips,
    send_due_prints,
    send_to_printer,
    shipments_in,
    trial_labels,
)
from tidewind.services.people import start_work
from tidewind.services.planning import shop_settings
from tidewind.services.rates import price_matrix
from tidewind.services.shop import recipe_barcodes, set_logo, set_paper_template
from tidewind.standins.world import World
from tidewind.web.access import Wiring


def bought(wiring: Wiring, count: int, carrier: str = "norvia", key: str = "first-click") -> list[int]:
    with wiring.sessions() as session:
        wanted = clear_orders(session, carrier, count)
    ids = ids_of(wiring, ask(wiring, wanted, key).batch_id)
    assert {buy(wiring, i) for i in ids} == {"bought"}
    return ids


def void(wiring: Wiring, ids: list[int], printed_too: bool = False) -> Voided:
    with wiring.sessions.begin() as session:
        return ask_void(session, ids, "Inês", printed_too, wiring.clock())


def settle(wiring: Wiring) -> dict[int, str]:
    return settle_due_voids(wiring.sessions, wiring.outside, wiring.clock)


def state(wiring: Wiring, shipment_id: int) -> tuple[str, str]:
    with wiring.sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        return shipment.state, shipment.order.state


def test_a_void_is_pending_for_days_and_the_order_comes_back_with_its_plan(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    first, second = bought(wiring, 2)
    with wiring.sessions() as session:
        order = session.get_one(Shipment, first).order
        plan, price, number = order.plan, order.price_minor or 0, order.number
    send_due_news(wiring.sessions, wiring.outside, clock)
    assert void(wiring, [first]).asked == [first]
    assert state(wiring, first) == ("void_asked", "open")
    assert books(wiring)["expected"] == price
    with wiring.sessions() as session:
        again = session.get_one(Order, order.id)
        assert (again.plan.parcels, again.price_minor) == (plan.parcels, price)
    world.set_fault("norvia", "down", 1)
    assert settle(wiring) == {}  # the carrier does not answer: asked again
    assert settle(wiring) == {first: "pending"}
    assert settle(wiring) == {}  # asked about again in an hour
    clock.move(days=7)
    assert settle(wiring) == {first: "voided"}
    assert (books(wiring)["expected"], books(wiring)["available"]) == (0, 60_000 - books(wiring)["postage"])
    assert agree(wiring, world) == 1
    follow_parcels(wiring.sessions, wiring.outside, clock)
    assert "scanned" in void(wiring, [second]).refused[second]
    send_due_news(wiring.sessions, wiring.outside, clock)
    told = [t for t in httpx.get(f"{wiring.settings.standins_url}/larkspur/told").json() if t["number"] == number]
    assert [sorted(t) for t in told] == [
        ["carrier", "number", "tracking_numbers", "tracking_url"],
        ["number", "withdrawn"],
    ]
    with wiring.sessions() as session:
        once_more = session.get_one(Order, order.id)
        assert ask(wiring, [once_more], "buys-again").taken == [order.id]


def test_voids_that_cannot_be_or_must_be_asked_twice(wiring: Wiring, world: World, clock: Clock) -> None:
    printed, scanned, refused = bought(wiring, 3)
    with wiring.sessions.begin() as session:
        mark_printed(session, [printed], True, clock())
        session.get_one(Shipment, scanned).tracking_state = "accepted"
    with pytest.raises(Conflict, match="printed already"):
        void(wiring, [printed, refused])
    assert books(wiring)["expected"] == 0
    done = void(wiring, [printed, scanned], printed_too=True)
    assert (done.asked, "scanned" in done.refused[scanned]) == ([printed], True)
    assert "already" in void(wiring, [printed]).refused[printed]
    world.set_fault("norvia", "void_refused", 2)
    void(wiring, [refused])
    settle(wiring)
    clock.move(days=7)
    assert settle(wiring) == {printed: "void_refused", refused: "void_refused"}
    assert state(wiring, refused) == ("void_refused", "shipped")  # the label counts: the order went with it
    with wiring.sessions.begin() as session:
        told = {s.id: s.unsettled for s in unsettled(session)}
        assert told.keys() == {printed, refused}, "somebody who has gone on to other things hears of it on Today"
        assert f"charged; {session.get_one(Shipment, refused).order.number} goes out with it" in told[refused]
        settle_label(session, refused, "sent after all", "Inês", clock())
        assert [s.id for s in unsettled(session)] == [printed]
    assert books(wiring)["expected"] == 0
    with wiring.sessions() as session:
        spent = session.scalars(select(Shipment).where(Shipment.state != "voided")).all()
        assert books(wiring)["postage"] == sum(s.price_minor for s in spent)
    with pytest.raises(NotFound):
        void(wiring, [999_999])


def test_an_overdue_refund_is_shown_and_chased_by_mail(wiring: Wiring, world: World, clock: Clock) -> None:
    late, in_time = bought(wiring, 2)
    void(wiring, [late])
    clock.move(days=15)
    void(wiring, [in_time])
    with wiring.sessions.begin() as session:
        waiting, overdue = waiting_refunds(session, clock())
        assert ([s.id for s in waiting], [s.id for s in overdue]) == ([in_time], [late])
        with pytest.raises(Conflict, match="not overdue"):
            chase_refund(session, wiring.outside, in_time, "refunds@norvia.example", "Inês", clock())
        chase_refund(session, wiring.outside, late, "refunds@norvia.example", "Inês", clock())
        number = session.get_one(Shipment, late).labels[0].tracking_number
    mail = httpx.get(f"{wiring.settings.standins_url}/mail/all").json()[-1]
    assert (mail["recipient"], number in mail["body"], "PT-88310042" in mail["body"]) == (
        "refunds@norvia.example",
        True,
        True,
    )


def test_a_batch_is_filled_changed_bought_in_part_and_put_away(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        wanted = clear_orders(session, "norvia", 5)
        tome, ines = person(session, "tome"), person(session, "ines")
        held = session.scalars(select(Order).where(Order.state == "held")).first()
        assert held
    ids = [o.id for o in wanted]
    with wiring.sessions.begin() as session:
        mine = start_batch(session, "Morning", "batch-key-1", tome).id
        theirs = start_batch(session, "", "batch-key-2", ines).id
        assert start_batch(session, "Morning", "batch-key-1", tome).id == mine
        assert fill_batch(session, mine, ids[:4], tome, False, clock()).added == 4
        start_work(session, [ids[4]], ines, False, clock())
        filled = fill_batch(session, theirs, [ids[0], held.id], ines, False, clock())
        assert (filled.added, filled.left_out) == (0, {ids[0]: "lies in Morning, Tomé Brisson’s", held.id: "is held"})
        assert fill_batch(session, mine, [ids[4]], tome, False, clock()).left_out == {
            ids[4]: "Inês Valadar is working on it"
        }
        order, _ = scan_into_batch(session, mine, wanted[4].number, ines, clock())
        assert order.batch_id == mine
        with pytest.raises(NotFound, match="No order has"):
            scan_into_batch(session, mine, "NO-SUCH", tome, clock())
    with wiring.sessions.begin() as session:
        edit_hand(session, [ids[1]], {"service": "np-economy"}, "Tomé", clock())
        change_batch(session, mine, "Road today", {"service": "np-parcel", "extras": ["signature"]}, clock())
        batch = get_batch(session, mine)
        rows = {o.id: o for o in orders_in_batch(session, mine)}
        assert {rows[i].service for i in ids if i != ids[1]} == {"np-parcel"}
        assert (rows[ids[1]].service, exceptions_of(batch, rows[ids[1]])) == ("np-economy", ["service"])
        assert rows[ids[0]].plan.trail["service"][-1].layer == "batch"
        assert rows[ids[0]].plan.extras == ("signature",)
        assert take_out(session, mine, [ids[2]], clock()) == 1
        assert session.get_one(Order, ids[2]).plan.trail["service"][-1].layer != "batch"
        with pytest.raises(Invalid, match="can change"):
            change_batch(session, mine, None, {"desk": "x"}, clock())
        with pytest.raises(Conflict, match="still lie"):
            archive_batch(session, mine, True)
    with wiring.sessions.begin() as session:
        lying = orders_in_batch(session, mine)
        found = check_orders(session, {o.id: o.price_minor for o in lying}, tome, clock())
        assert {c.words for c in found.checks if c.kind == "extras"} >= {"Signature"}
        assert [c.words for c in found.checks if c.kind == "conflict"] == ["Inês Valadar is working on it"]
        some = [ToBuy(o.id, o.price_minor or 0) for o in lying[:2]]
        assert len(ask_to_buy(session, some, "batch-click-1", tome, clock(), mine).taken) == 2
        assert get_batch(session, mine).state == "filling"
        rest = [ToBuy(o.id, o.price_minor or 0) for o in lying[2:]]
        assert ask_to_buy(session, rest, "batch-click-2", tome, clock(), mine).dropped == {}
        assert ask_to_buy(session, rest, "batch-click-3", tome, clock(), mine).dropped == {}  # a doubled click
    with wiring.sessions.begin() as session:
        assert cancel_waiting(session, mine, "Tomé", clock()) == 4
        assert books(wiring)["held"] > 0  # not committed yet
    assert books(wiring)["available"] == 60_000
    with wiring.sessions.begin() as session:
        archive_batch(session, mine, True)
        assert [b.id for b in batch_summaries(session, archived=True, text=wanted[0].number)] == [mine]
        assert mine not in [b.id for b in batch_summaries(session)]
        assert session.get_one(Order, ids[0]).state == "open"


def test_what_is_dear_needs_the_owners_yes_and_another_plan_another(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        order = clear_orders(session, "norvia", 1)[0]
        service = order.service
        shop_settings(session).approve_over_minor = (order.price_minor or 0) - 1
        session.flush()
        edit_hand(session, [order.id], {"desk": "x"}, "Tomé", clock())
        assert "dearer than" in order.snags[0].words
        found = check_orders(session, {order.id: order.price_minor}, 1, clock())
        assert [c.kind for c in found.checks] == ["approval"]
        approve_orders(session, [order.id], "Inês", clock())
        assert order.price_minor is not None
        edit_hand(session, [order.id], {"extras": ["signature"]}, "Tomé", clock())
        assert [s.code for s in order.snags] == ["needs_approval"]
        edit_hand(session, [order.id], {"extras": None}, "Tomé", clock())
        shop_settings(session).approve_over_minor = None
        shop_settings(session).approve_services = [service]
        session.flush()
        edit_hand(session, [order.id], {"desk": "y"}, "Tomé", clock())
        assert order.service not in {None, service}  # the policy takes one that nobody must be asked about
        edit_hand(session, [order.id], {"service": service}, "Tomé", clock())
        found = check_orders(session, {order.id: None}, 1, clock())
        assert ["on the list" in c.words for c in found.checks if c.kind == "approval"] == [True]


def test_who_pays_balance_account_or_somebody_else(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        for account in session.scalars(select(CarrierRow).where(CarrierRow.code == "brightmile")).one().accounts:
            account.payer = "account"
        own, theirs = clear_orders(session, "norvia", 2)
        road = clear_orders(session, "brightmile", 1)[0]
        edit_hand(session, [theirs.id], {"bill_to": {"who": "recipient", "account": "R-991"}}, "Inês", clock())
    ids = ids_of(wiring, ask(wiring, [own, theirs, road]).batch_id)
    assert books(wiring)["held"] == own.price_minor
    assert {buy(wiring, i) for i in ids} == {"bought"}
    after = books(wiring)
    assert (after["available"], after["owed"]) == (60_000 - (own.price_minor or 0), -(road.price_minor or 0))
    with wiring.sessions.begin() as session:
        assert margins(session, [own.id, theirs.id])[own.id].cost_minor == own.price_minor
        assert theirs.id not in margins(session, [theirs.id])
        with pytest.raises(Invalid):
            pay_bill(session, (road.price_minor or 0) + 1, "bill-0001", "Inês", clock())
        pay_bill(session, road.price_minor or 0, "bill-0001", "Inês", clock())
        assert [e.kind for e in ledger_entries(session, EntryFilter(kinds=("bill_paid", "on_account")))] == [
            "bill_paid",
            "on_account",
        ]
        assert ledger_totals(session, EntryFilter(account="owed"))["owed"] == 0
        rows = list(ledger_rows(session, EntryFilter(text=own.number)))
        assert [r[2] for r in rows] == ["hold", "charge"]
        assert rows[0][-1] == str(60_000 - (own.price_minor or 0))
    with wiring.sessions() as session:
        by_carrier = {s.order_id: s.id for s in session.scalars(select(Shipment))}
    void(wiring, [by_carrier[road.id], by_carrier[theirs.id]])
    settle(wiring)
    clock.move(days=10)
    assert settle(wiring) == {by_carrier[road.id]: "voided", by_carrier[theirs.id]: "voided"}
    # The bill was paid before the void: the carrier now owes us.
    after = books(wiring)
    assert (after["owed"], after["expected"], after["postage"]) == (road.price_minor, 0, own.price_minor)


def test_a_label_for_the_way_back_is_charged_when_first_scanned(wiring: Wiring, world: World, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        wanted = [o for o in clear_orders(session, "norvia", 40) if o.service == "np-parcel" and o.address.email]
        letters = [o for o in clear_orders(session, "norvia", 40) if o.service in {"np-letter", "np-registered"}]
    ids = ids_of(wiring, ask(wiring, [wanted[0], letters[0]]).batch_id)
    for i in ids:
        buy(wiring, i)
    with wiring.sessions.begin() as session:
        by_order = {s.order_id: s.id for s in session.scalars(select(Shipment))}
        with pytest.raises(Conflict, match="no labels for the way back"):
            ask_return(session, ReturnRequest(by_order[letters[0].id], True), "Rute", clock())
        made = ask_return(session, ReturnRequest(by_order[wanted[0].id], False, "does not fit"), "Rute", clock())
    with wiring.sessions.begin() as session, pytest.raises(Conflict, match="already"):
        ask_return(session, ReturnRequest(by_order[wanted[0].id], True), "Rute", clock())
    world.set_fault("norvia", "down", 1)
    assert make_due_returns(wiring.sessions, wiring.outside, clock) == {made.id: "making"}
    assert make_due_returns(wiring.sessions, wiring.outside, clock) == {made.id: "ready"}
    send_due_news(wiring.sessions, wiring.outside, clock)
    mails = httpx.get(f"{wiring.settings.standins_url}/mail/all").json()
    mail = next(m for m in mails if "devolver" in m["subject"])
    assert httpx.get(f"{wiring.settings.standins_url}/mail/{mail['id']}/paper").content.startswith(b"%PDF")
    before = books(wiring)["available"]
    clock.move(days=3)
    assert follow_returns(wiring.sessions, wiring.outside, clock) == 0
    with wiring.sessions() as session:
        row = session.get_one(Return, made.id)
        assert (row.state, books(wiring)["available"]) == ("ready", before)
        httpx.post(f"{wiring.settings.standins_url}/carriers/norvia/returns/{row.tracking_number}/use")
    clock.move(days=1)
    assert follow_returns(wiring.sessions, wiring.outside, clock) == 1
    assert follow_returns(wiring.sessions, wiring.outside, clock) == 0  # charged once
    assert books(wiring)["available"] == before - row.price_minor
    clock.move(days=9)
    follow_returns(wiring.sessions, wiring.outside, clock)
    with wiring.sessions.begin() as session:
        assert session.get_one(Return, made.id).state == "back"
        with pytest.raises(Invalid):
            close_return(session, made.id, ReturnDone("eaten"), "Rute", "http://shop", clock())
        assert (
            close_return(
                session, made.id, ReturnDone("refunded", "as new", restock=True), "Rute", "http://shop", clock()
            ).state
            == "closed"
        )
        assert print_returns(session, [made.id], clock(), "a4").startswith(b"%PDF")


ASKED = TypedRequest(
    asked_by="Mafalda",
    address=Address(name="Ana Couto", street="Rua do Sol 4", city="Viseu", postcode="3500-108", country="PT"),
    what="Seed trays",
    gross_g=1_800,
    sides_mm=(400, 300, 120),
    sticker_mail="mafalda@club.example",
    waiter_mail="ana@club.example",
    cost_code="GC-10 Trials",
)


def test_a_colleague_asks_and_gets_a_label_by_mail(wiring: Wiring, clock: Clock) -> None:
    from dataclasses import replace

    supplier = Address(
        company="Viveiros do Vale", name="Rui", street="Estrada 1", city="Braga", postcode="4705-330", country="PT"
    )
    with wiring.sessions.begin() as session:
        key = request_links(session)[0].key
        with pytest.raises(NotFound):
            ask_for_label(session, "guessed", ASKED, "request-0", "10.0.0.1", clock())
        bad = replace(
            ASKED, what=" ", sticker_mail="nobody", cost_code="mine", address=replace(ASKED.address, postcode="1")
        )
        with pytest.raises(Invalid, match=r"postcode.*What is in it.*label cannot be right.*cost codes"):
            ask_for_label(session, key, bad, "request-0", "10.0.0.1", clock())
        made = ask_for_label(session, key, replace(ASKED, sender=supplier), "request-1", "10.0.0.1", clock())
        assert ask_for_label(session, key, ASKED, "request-1", "10.0.0.1", clock()).id == made.id
        turned = ask_for_label(session, key, ASKED, "request-2", "10.0.0.1", clock())
        for n in range(6):
            ask_for_label(session, key, ASKED, f"request-more-{n}", "10.0.0.1", clock())
        with pytest.raises(TooMany):
            ask_for_label(session, key, ASKED, "request-9", "10.0.0.1", clock())
        assert decline_request(session, turned.id, "use the van", "Tomé", clock()).state == "declined"
        order = approve_request(session, made.id, 2_100, None, "Tomé", clock())
        assert (order.reference, order.plan.parcels[0].gross_g) == ("GC-10 Trials", 2_100)
        with pytest.raises(Conflict, match="approved"):
            approve_request(session, made.id, None, None, "Inês", clock())
    shipment_id = ids_of(wiring, ask(wiring, [order]).batch_id)[0]
    assert buy(wiring, shipment_id) == "bought"
    send_due_news(wiring.sessions, wiring.outside, clock)
    mails = {m["recipient"]: m for m in httpx.get(f"{wiring.settings.standins_url}/mail/all").json()}
    assert (mails["mafalda@club.example"]["paper"], mails["ana@club.example"]["paper"]) == ("label.pdf", None)
    with wiring.sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        assert shipment.sender.city == "Braga"
        assert shipment.labels[0].tracking_number in mails["ana@club.example"]["body"]
        assert session.get_one(LabelRequest, made.id).state == "labelled"
        assert session.scalar(select(func.count(Message.id)).where(Message.shipment_id == shipment_id)) == 2


def test_one_mail_that_cannot_go_stops_no_other(wiring: Wiring, clock: Clock) -> None:
    shipments = bought(wiring, 2)
    while True:  # on a busy machine a channel may have to be told again
        send_due_news(wiring.sessions, wiring.outside, clock)
        with wiring.sessions() as session:
            if not session.scalar(select(func.count(ChannelNotice.id)).where(ChannelNotice.done_at.is_(None))):
                break
        clock.move(hours=2)
    wrong = [
        "ana@",
        "@b",
        "a b@c.example",
        "ana@c.example, eve@d.example",
        "Ana <ana@c.example>",
        "",
        "ana@c\n.example",
        "@",
    ]
    with wiring.sessions.begin() as session:
        for n, recipient in enumerate([*wrong, "good@c.example"]):
            session.add(Message(shipment_id=shipments[0], kind=f"try:{n}", recipient=recipient, subject="S", body="B",
                                reason="a test", next_at=clock()))  # fmt: skip
        session.add(Message(shipment_id=shipments[1], kind="no-such-paper", recipient="good@c.example", subject="S",
                            body="B", reason="a test", attach="return_label", next_at=clock()))  # fmt: skip
    assert send_due_news(wiring.sessions, wiring.outside, clock) == 1
    heard = [m["recipient"] for m in httpx.get(f"{wiring.settings.standins_url}/mail/all").json()]
    assert heard.count("good@c.example") == 1
    assert not {r for r in heard if "eve@" in r or "ana@" in r}
    with wiring.sessions() as session:
        waiting = session.scalars(select(Message).where(Message.sent_at.is_(None))).all()
        assert {m.recipient for m in waiting} == {*wrong, "good@c.example"}
        assert all(m.attempts == 1 and m.last_error for m in waiting)
        assert {m.recipient for m in waiting if m.not_sent} == set(wrong)  # the others are tried again
        assert all(m.not_sent or m.next_at > clock() for m in waiting)
        assert alert_counts(session, clock())["undelivered_messages"] == len([m for m in waiting if not m.not_sent])
    clock.move(hours=2)
    assert send_due_news(wiring.sessions, wiring.outside, clock) == 0
    steps: list[str] = []
    with pytest.raises(ExceptionGroup):
        _each_by_itself(lambda: steps.append("a"), lambda: 1 // 0, lambda: steps.append("c"))
    assert steps == ["a", "c"]


def test_papers_and_printers(wiring: Wiring, world: World, clock: Clock, tmp_path) -> None:  # type: ignore[no-untyped-def]
    ids = bought(wiring, 4)
    with wiring.sessions.begin() as session:
        set_paper_template(session, "Water at once", prices=True, label_line="items")
        with pytest.raises(Invalid, match="no PNG"):
            set_logo(session, b"GIF89a" + b"x" * 50)
        first = session.get_one(Shipment, ids[0])
        first.order.tags = ["gift"]
        both = print_interleaved(session, ids, "narrow", "shelf")
        assert text_of(both, tmp_path).count("Packing slip") == 4
        slips = text_of(print_slips(session, ids), tmp_path)
        assert slips.count("Water at once") == 4
        assert 0 < slips.count("EUR") < text_of(print_invoices(session, ids), tmp_path).count("EUR")
        picks = text_of(print_pick_list(session, ids, "letter"), tmp_path)
        goods = goods_of(session, shipments_in(session, ids))
        assert all(line.sku in picks for line in goods.lines.values())
        summary = text_of(print_batch_summary(session, first.batch_id), tmp_path)
        assert all((lb.tracking_number or "")[:9] in summary for lb in first.labels)
        assert print_pictures(session, ids[:1])[1] == "png"
        assert print_pictures(session, ids)[1] == "zip"
        assert "Reprint" not in text_of(print_labels(session, ids), tmp_path)  # looked at, never printed
        assert mark_printed(session, ids, True, clock()) == 4
        assert "Reprint" in text_of(print_labels(session, ids[:1]), tmp_path)
        assert mark_printed(session, ids, False, clock()) == 4
        waiting = clear_orders(session, "brightmile", 1)[0]
        trial = text_of(trial_labels(session, waiting.id), tmp_path)
        assert ("TEST" in trial, "Reprint" in trial) == (True, False)
        assert recipe_barcodes(session, clock()).startswith(b"%PDF")
    world.set_fault("bench-label", "down", 1)
    with wiring.sessions.begin() as session:
        wish = PrintRequest("label", ids, "print-click-1", "carrier")
        job = send_to_printer(session, wish, person(session, "tome"), clock())
        assert send_to_printer(session, wish, person(session, "tome"), clock()).id == job.id
        with pytest.raises(Invalid, match="Say which printer"):
            send_to_printer(session, PrintRequest("invoice", ids, "print-click-2"), person(session, "tome"), clock())
    assert send_due_prints(wiring.sessions, wiring.outside, clock) == 0
    with wiring.sessions() as session:
        assert "maintenance" in session.get_one(PrintJob, job.id).last_error
    printed = select(func.count(Label.id)).where(Label.printed_at.is_not(None))
    with wiring.sessions() as session:  # in the queue is not on paper
        labels = session.scalar(select(func.count(Label.id)).where(Label.shipment_id.in_(ids)))
        assert (session.scalar(printed), labels) == (0, 8)
    clock.move(minutes=1)
    assert send_due_prints(wiring.sessions, wiring.outside, clock) == 1
    with wiring.sessions() as session:
        assert session.scalar(printed) == labels
    assert send_due_prints(wiring.sessions, wiring.outside, clock) == 0
    with wiring.sessions.begin() as session:
        with pytest.raises(Conflict, match="it cannot be cancelled"):
            change_print(session, wiring.outside, job.id, "cancel", clock())
        assert change_print(session, wiring.outside, job.id, "again", clock()).id != job.id
    assert send_due_prints(wiring.sessions, wiring.outside, clock) == 1
    held = [j["title"] for j in httpx.get(f"{wiring.settings.standins_url}/printers/all").json()]
    assert held == ["Labels of 4 orders", "Labels of 4 orders, again"]


def test_a_random_walk_through_the_purchase_never_loses_a_cent(  # noqa: C901 - one arm for each thing people do
    wiring: Wiring, world: World, clock: Clock
) -> None:
    chance = random.Random(7)
    for step in range(60):
        with wiring.sessions() as session:
            waiting = clear_orders(session, chance.choice(("norvia", "brightmile")), 3)
            done = session.scalars(select(Shipment.id).where(Shipment.state == "bought")).all()
            begun = session.scalars(select(Shipment.id).where(Shipment.state == "buying")).all()
        if chance.random() < 0.2:
            world.set_fault("norvia", chance.choice(("error", "duplicate_answer", "dearer", "down", "void_refused")), 1)
        match chance.choice(("ask", "buy", "void", "settle", "top_up", "later", "cancel")):
            case "ask" if waiting:
                try:
                    ask(wiring, waiting, f"walk-{step:04d}")
                except Conflict as error:
                    assert error.code == "no_balance"
            case "buy":
                for shipment_id in begun:
                    assert buy(wiring, shipment_id) in {"bought", "failed", "buying"}
            case "void" if done:
                void(wiring, chance.sample(list(done), 1), printed_too=True)
            case "settle":
                settle(wiring)
            case "top_up":
                with wiring.sessions.begin() as session:
                    top_up(session, chance.randint(100, 9_000), f"walk-{step:04d}", "Inês", clock())
            case "later":
                clock.move(hours=chance.choice((1, 30, 200)))
                sweep(wiring.sessions, wiring.outside, clock)
            case "cancel" if begun:
                with wiring.sessions.begin() as session:
                    cancel_waiting(session, session.get_one(Shipment, begun[0]).batch_id, "Tomé", clock())
        after = books(wiring)
        with wiring.sessions() as session:
            rows = session.execute(select(Shipment.state, func.sum(Shipment.price_minor)).group_by(Shipment.state))
            sums = {name: int(total) for name, total in rows}
        assert after["held"] == sums.get("buying", 0)
        assert after["expected"] == sums.get("void_asked", 0)
        assert after["postage"] == sums.get("bought", 0) + sums.get("void_refused", 0)


def test_the_database_refuses_what_the_code_would_never_do(wiring: Wiring) -> None:
    shipment_id = bought(wiring, 1)[0]

    def refused(statement: str) -> None:
        with pytest.raises(DBAPIError), wiring.sessions.begin() as session:
            session.execute(text(statement))

    refused("update ledger_account set balance_minor = balance_minor + 1 where code = 'available'")
    refused("update shipment set state = 'failed'")  # its money says that it is bought
    refused("update shipment set state = 'void_asked'")  # without a day
    refused("update shipment set price_minor = price_minor + 1, state = 'bought'")
    refused("update shipment set bought_at = null")
    assert state(wiring, shipment_id)[0] == "bought"


def test_cover_by_an_insurer_is_priced_declared_and_taken_back_with_a_void(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        order = next(o for o in clear_orders(session, "norvia", 40) if o.plan.value_minor > 2_000)
        before, balance = order.price_minor or 0, balance_now(session)
        edit_hand(session, [order.id], {"extras": ["insured"], "service": order.service}, "Inês", clock())
        premium = order.plan.quote.premium_minor
        assert premium == max(-(-order.plan.value_minor // 10_000) * 45, 90)
        assert order.price_minor == before + premium
        assert order.plan.quote.lines[-1].name == "Cover by Marl & Quince"
        row = price_matrix(session, [order.id], clock())
        assert order.price_minor in row.rows[0].prices
    shipment = ids_of(wiring, ask(wiring, [order]).batch_id)[0]
    assert books(wiring)["held"] == before  # the insurer's part is not held
    assert buy(wiring, shipment) == "bought"
    with wiring.sessions.begin() as session:
        assert balance_now(session).available_minor == balance.available_minor - before
        assert balance_now(session).owed_minor == premium
        assert margins(session, [order.id])[order.id].cost_minor == before + premium
        day = clock()
        declared = list(cover_declarations(session, day - timedelta(days=1), day + timedelta(days=1)))
        assert [(row[1], row[-2:]) for row in declared] == [(order.number, [str(order.plan.value_minor), str(premium)])]
    assert void(wiring, [shipment]).asked == [shipment]
    settle(wiring)
    clock.move(days=9)
    assert settle(wiring) == {shipment: "voided"}
    with wiring.sessions.begin() as session:
        assert balance_now(session).owed_minor == 0
        assert session.scalar(text("select sum(amount_minor) from ledger_line")) == 0
        assert not list(cover_declarations(session, day - timedelta(days=1), day + timedelta(days=1)))
        again = session.get_one(Order, order.id)
        set_cover_terms(session, None, clock())
        session.refresh(again)
        stops = [s.words for s in again.snags if s.level == "stops"]
        assert "no open policy" in stops[0]
