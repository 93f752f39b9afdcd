"""Orders in: nothing twice, bad rows kept; plans that say why, hand edits that stay."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tests.conftest import MONDAY, Clock
from tests.services.steps import by_number, of, sample
from tests.services.test_bench import scan
from tidewind.core.order_facts import Hand, Worth
from tidewind.core.scanned import slip_code
from tidewind.db.tables import Channel, Order, Product
from tidewind.outside.errors import NeverSent
from tidewind.outside.spreadsheets import Chosen
from tidewind.services.base import Conflict, Invalid
from tidewind.services.buying import check_orders, scan_into_batch, start_batch
from tidewind.services.customs import look_at_border
from tidewind.services.orders import (
    WorkFilter,
    correct_rows,
    decide_difference,
    differing,
    edit_address,
    edit_hand,
    find_orders,
    join_orders,
    list_orders,
    missing_fields,
    preview_import,
    pull,
    read_otherwise,
    rows_of,
    run_import,
    say_worth,
    send_apart,
    set_columns,
    set_held,
    strange_numbers,
    undo_import,
    unread_of,
    upload_file,
    view_counts,
    waiting_differences,
    words_of,
)
from tidewind.services.planning import (
    current_rules,
    keep_up_due,
    newest_works,
    plan_orders,
    read_or_refuse,
    rehearse,
    rehearse_rules,
    save_rules,
)
from tidewind.services.shop import set_policy, set_product_facts
from tidewind.standins.world import World
from tidewind.web.access import Wiring


def test_a_messy_file_good_rows_in_bad_rows_kept_and_twice_makes_nothing_twice(session: Session) -> None:
    data = sample("orders-messy.csv")
    row = upload_file(session, "clubs.csv", data, 1)
    assert row.read_as == "CSV, semicolon, cp1252, header in row 3"
    done = run_import(session, row.id, MONDAY)
    assert (done.made, done.already) == (8, 0)
    assert {f["row"] for f in done.faults} == {9, 11, 12}
    assert by_number(session, "CJ-702").address.name == "=CMD|'calc'!A1"  # kept as text, never run
    assert by_number(session, "CJ-703").address.name == 'Célia "Lia Fontes'
    assert [(ln.sku, ln.quantity) for ln in by_number(session, "CJ-710").lines] == [("CB-01", 6), ("TP-12", 4)]
    snags = {n: [s.code for s in by_number(session, n).snags] for n in ("CJ-701", "CJ-704", "CJ-705")}
    assert snags == {"CJ-701": [], "CJ-704": ["postcode_shape"], "CJ-705": ["no_weight", "no_size"]}
    again = run_import(session, row.id, MONDAY)
    assert (again.made, again.already) == (8, 8)
    second = run_import(session, upload_file(session, "again.csv", data, 1).id, MONDAY)
    assert (second.made, second.already) == (0, 8)
    assert session.scalar(select(func.count(Order.id)).where(Order.number.like("CJ-%"))) == 8


def test_a_mapping_is_checked_and_remembered_for_its_layout(session: Session) -> None:
    data = b"No.;Who;Where;Town;Land;Thing;How many\n1;Ana;Rua 1;Viseu;PT;HF-02;1\n"
    row = upload_file(session, "odd.csv", data, 1)
    assert missing_fields(row)
    with pytest.raises(Invalid, match="Say which column"):
        run_import(session, row.id, MONDAY)
    for bad in ({"nonsense": 0}, {"name": 99}, {"name": 1, "street": 1}):
        with pytest.raises(Invalid, match="Each field"):
            set_columns(session, row.id, bad)
    columns = dict(zip(["order_number", "name", "street", "city", "country", "sku", "quantity"], range(7), strict=True))
    set_columns(session, row.id, columns)
    assert run_import(session, row.id, MONDAY).made == 1
    assert upload_file(session, "next.csv", data.replace(b"1;Ana", b"2;Eva"), 1).columns == columns


def test_the_pull_is_incremental_and_goes_on_after_a_broken_page(wiring: Wiring, world: World, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        channel = session.scalars(select(Channel).where(Channel.code == "larkspur")).one()
        before = session.scalar(select(func.count(Order.id)).where(Order.channel_id == channel.id))
        session.query(Order).delete()
        channel.cursor = ""
    world.set_fault("larkspur", "down", 3)
    with pytest.raises(NeverSent):
        pull(wiring.sessions, wiring.outside, "larkspur", clock(), lambda _: None)
    counts = pull(wiring.sessions, wiring.outside, "larkspur", clock())
    assert {k: n for k, n in counts.items() if n} == {"made": before - 3, "kept_back": 3}
    assert pull(wiring.sessions, wiring.outside, "larkspur", clock())["made"] == 0
    with wiring.sessions() as session:
        why = {o.state_why: o.state for o in session.scalars(select(Order).where(Order.state != "open"))}
    assert why == {"payment pending": "held", "held in Web shop": "held", "collected in Web shop": "left_out"}


def test_the_scenario_is_planned_as_its_goods_and_places_demand(session: Session) -> None:
    plans = {o.address.name: o for o in session.scalars(select(Order).where(Order.state == "open"))}
    assert plans["Nuno Taveira"].snags[0].code == "postcode_shape"
    assert [s.code for s in plans["Fernanda Quintela"].snags] == ["address_incomplete"]
    assert {s.code for s in plans["Duarte Pinhal"].snags} == {"no_weight", "no_size"}
    assert plans["Olga Prates"].parcel_count > 1
    assert sum(n for p in plans["Olga Prates"].plan.parcels for _, n in p.contents) == 70
    assert plans["Caetano Lobo"].service == "bp-sea"  # 1.6 m canes to the Azores
    assert plans["Aurélie Tassin"].plan.parcels[0].packaging == "ENV-S"
    for order in plans.values():
        if any(s.level == "stops" for s in order.snags):
            assert order.price_minor is None
            continue
        quote = order.plan.quote
        assert sum(ln.amount_minor for ln in quote.lines) == quote.net_minor == order.price_minor
        assert {"packaging", "weight", "service", "ship_date", "price"} <= order.plan.trail.keys()


def test_hand_edits_survive_replanning_and_can_be_taken_back(session: Session, clock: Clock) -> None:
    order = of(session, "Beatriz Amorim")
    assert order.service == "np-box-m"
    wanted = {"service": "bp-road", "packaging": "CTN-L", "extras": ["signature"]}
    edit_hand(session, [order.id], wanted, "Tomé", clock())
    assert (order.service, order.plan.parcels[0].packaging) == ("bp-road", "CTN-L")
    assert "signature" in {ln.code for ln in order.plan.quote.lines}
    set_policy(session, "fastest", clock())
    assert (order.service, order.plan.parcels[0].packaging) == ("bp-road", "CTN-L")
    assert [s.layer for s in order.plan.trail["service"]] == ["shop default", "by hand"]
    edit_hand(session, [order.id], dict.fromkeys(wanted), "Tomé", clock())
    assert (order.service, order.hand) == ("bp-night", Hand())
    with pytest.raises(Invalid, match="no packaging"):
        edit_hand(session, [order.id], {"packaging": "GHOST"}, "Tomé", clock())


def test_a_change_of_rules_plans_only_what_it_touches_and_says_what_it_would_do(session: Session, clock: Clock) -> None:
    waiting = {o.id: o.plan_version for o in session.scalars(select(Order).where(Order.state == "open"))}
    version, rules = current_rules(session)
    dear = {"fact": "value", "test": "at_least", "to": 9_000}
    proposed = [*rules, {"id": "safe", "name": "Into the safe", "when": dear, "do": [{"set": "desk", "to": "Safe"}]}]
    said = rehearse_rules(session, proposed, clock())
    assert (said.waiting, said.looked_at) == (len(waiting), len(waiting))
    assert 0 < said.changed == said.rule_matches["safe"] < len(waiting)
    whole = rehearse(session, clock(), lambda shop: replace(shop, rules=read_or_refuse(proposed)))
    same = ("before_minor", "after_minor", "stopped_after", "late_before", "late_after", "changed", "rule_matches")
    assert [getattr(said, name) for name in same] == [getattr(whole, name) for name in same]
    _, work = save_rules(session, proposed, version, "", 1, clock())
    assert (work.state, work.done, int(work.result)) == ("done", len(waiting), said.changed)
    again = {o.id for o in session.scalars(select(Order)) if o.plan_version != waiting.get(o.id, o.plan_version)}
    assert again == {o.id for o in session.scalars(select(Order).where(Order.desk == "Safe", Order.state == "open"))}
    save_rules(session, rules, work.scope["rules"][1], "", 1, clock())
    assert session.scalar(select(func.count(Order.id)).where(Order.desk == "Safe", Order.state == "open")) == 0


@pytest.mark.parametrize(
    "do",
    [
        [{"set": "desk", "to": "Safe"}],
        [{"set": "tag", "to": "dear"}, {"set": "desk", "to": "Export"}],
        [{"set": "tag", "to": "dear"}, {"set": "add_extra", "to": "signature"}],
        [{"set": "tag", "to": "dear"}, {"set": "stop"}, {"set": "desk", "to": "Nobody"}],
        [{"set": "hold", "to": "look first"}, {"set": "tag", "to": "dear"}],
        [{"set": "packaging", "to": "CTN-L"}],
    ],
    ids=lambda do: " ".join(action["set"] for action in do),
)
def test_orders_written_by_a_change_of_rules_are_as_if_all_had_been_planned(
    session: Session, clock: Clock, do: list[dict[str, Any]]
) -> None:
    dear = session.scalars(select(Order).where(Order.state == "open", Order.basket != "").limit(4)).all()
    edit_hand(session, [dear[0].id], {"desk": "By hand"}, "Tomé", clock())
    edit_hand(session, [dear[1].id], {"desk": ""}, "Tomé", clock())

    def as_stored() -> list[tuple[Any, ...]]:
        return [
            (
                o.id,
                o.state,
                o.plan,
                o.desk,
                o.plan_tags,
                o.price_minor,
                o.ship_date,
                o.good_until,
                o.rule_facts,
                [s.words for s in o.snags],
            )
            for o in session.scalars(select(Order).order_by(Order.id))
        ]

    version, rules = current_rules(session)
    new = {"id": "new", "name": "New", "when": {"fact": "value", "test": "at_least", "to": 3_000}, "do": do}
    for proposed in ([*rules, new], [new, *rules], [*rules, {**new, "name": "Renamed"}], rules):
        row, _ = save_rules(session, proposed, version, "", 1, clock())
        version, scoped = row.id, as_stored()
        plan_orders(session, session.scalars(select(Order)).all(), clock())
        assert scoped == as_stored()


def test_plans_keep_up_with_trucks_that_leave_and_days_that_begin(wiring: Wiring, clock: Clock) -> None:
    def days() -> dict[str, set[str]]:
        with wiring.sessions() as session:
            rows = session.execute(
                select(Order.network, Order.ship_date).where(Order.state == "open", Order.network.is_not(None))
            )
            found: dict[str, set[str]] = {}
            for network, day in rows:
                found.setdefault(str(network), set()).add(str(day))
            return found

    keep_up_due(wiring.sessions, clock)
    before = days()
    clock.move(hours=7)  # 17:00: the day trucks have left, the night truck has not
    keep_up_due(wiring.sessions, clock)
    moved = {network for network, left in days().items() if left != before.get(network)}
    assert moved
    assert moved < set(before)
    clock.move(days=1)
    with wiring.sessions.begin() as session:
        late = session.scalars(select(Order).where(Order.state == "open", Order.good_until < clock())).first()
        assert late is not None
        assert late.ship_date
        stale, shown = late.ship_date, {late.id: late.price_minor}
        check_orders(session, shown, 1, clock())
        assert late.ship_date > stale  # nothing is bought for a day that is over
    keep_up_due(wiring.sessions, clock)
    with wiring.sessions() as session:
        newest = newest_works(session, 1)[0]
        assert newest.words == "Tuesday 24 November began"
        assert (
            min(session.scalars(select(Order.ship_date).where(Order.state == "open", Order.ship_date.is_not(None))))
            >= clock().date()
        )


def test_snags_are_fixed_at_their_source(session: Session, clock: Clock) -> None:
    gift = of(session, "Duarte Pinhal")
    assert set_product_facts(session, "GC-01", {"weight_g": 12}, (160, 110, 2), clock()) == 1
    assert (gift.snags, gift.price_minor is not None) == ([], True)
    nuno = of(session, "Nuno Taveira")
    fixed = replace(nuno.address, postcode="2900-330")
    edit_address(session, nuno.id, fixed, True, "Rute", clock())
    assert (nuno.snags, nuno.address.postcode) == ([], "2900-330")
    assert nuno.imported["said"]["address"]["postcode"] == "2900-33"  # what came in stays on record


def test_holding_and_finding(session: Session, clock: Clock) -> None:
    order = of(session, "Beatriz Amorim")
    set_held(session, [order.id], True, "Tomé", clock())
    assert (order.state, order.state_why) == ("held", "held by Tomé")
    with pytest.raises(Conflict, match="cannot be changed"):
        edit_hand(session, [of(session, "Joana Freitas").id], {"service": "bp-road"}, "Tomé", clock())
    assert [o.number for o in find_orders(session, "amorim")] == [order.number]
    assert find_orders(session, "%") == find_orders(session, "_")  # no wildcards from outside
    assert len(find_orders(session, "vise")) == 1
    kept_back = view_counts(session)["held"]
    assert kept_back == 6  # unpaid, held, collected; one awaiting payment and one held in the marketplaces; this one
    set_held(session, [order.id], False, "Tomé", clock())
    assert order.state == "open"
    assert view_counts(session)["held"] == kept_back - 1
    with pytest.raises(Invalid, match="no view"):
        list_orders(session, WorkFilter(view="nonsense"))


FILE = "Order;Name;Street;Postcode;City;Country;SKU;Quantity;Price;Extra\n"
ROW = "F-1;Ana Prado;Rua do Sol 4;3000-310;Coimbra;PT;NEW-9;2;4,50;kept\n"


def test_a_file_sent_again_otherwise_shows_what_differs_and_waits_for_a_person(session: Session, clock: Clock) -> None:
    first = upload_file(session, "may.csv", (FILE + ROW).encode(), 1)
    assert run_import(session, first.id, MONDAY).made == 1
    row = upload_file(session, "may.csv", (FILE + ROW.replace("Sol 4", "Sol 40").replace(";2;", ";1;")).encode(), 1)
    orders, _ = preview_import(session, row)
    ((number, changes),) = differing(session, row, orders, 10)
    assert (number, [c.field for c in changes]) == ("F-1", ["address", "items"])
    done = run_import(session, row.id, MONDAY)
    assert (done.made, done.already, done.changed) == (0, 1, 1)
    order = by_number(session, "F-1")
    assert [s.code for s in order.snags if s.fix == "difference"] == ["changed_upstream"]
    (waiting,) = waiting_differences(session, [order.id])
    decide_difference(session, waiting.id, True, "Rute", clock())
    assert (order.address.street, [ln.quantity for ln in order.lines]) == ("Rua do Sol 40", [1])
    assert run_import(session, row.id, MONDAY).changed == 0


def test_states_and_days_of_a_file_are_asked_once_and_remembered(session: Session, clock: Clock) -> None:
    head = "Order,Date,Deliver by,Status,Payment status,Name,Street,Postcode,City,Country,SKU,Quantity\n"
    rest = "Ana Prado,Rua do Sol 4,3000-310,Coimbra,PT,NEW-9,2\n"
    said = [("authorised", 2), ("paid", 1), ("processing", 3)]
    rows = [("1", "processing", "authorised"), ("2", "processing", "paid"), ("3", "processing", "authorised")]
    data = head + "".join(f"{n},11/3/2026,04/12/2026,{state},{paid},{rest}" for n, state, paid in rows)
    row = upload_file(session, "states.csv", data.encode(), 1)
    assert sorted((word.text, word.count) for word in words_of(session, row)) == said
    assert {word.text: word.means for word in words_of(session, row)} == {
        "processing": "open",
        "paid": "open",
        "authorised": "",
    }
    orders, faults = preview_import(session, row)
    assert orders == []
    assert {f.words for f in faults} == {
        "the row says “authorised”; say above whether it may go",
        "“04/12/2026” can be two days; say above whether the day or the month comes first",
    }
    set_columns(session, row.id, row.columns, days="dmy", states={"authorised": "not"})
    orders, faults = preview_import(session, row)
    assert ([o.number for o in orders], {f.row for f in faults}) == (["2"], {2, 4})
    assert run_import(session, row.id, clock()).made == 1
    made = by_number(session, "2")
    assert (made.promise_date, made.ordered_at.date()) == (date(2026, 12, 4), date(2026, 3, 11))
    later = upload_file(
        session, "later.csv", (head + f"9,11/3/2026,05/12/2026,processing,authorised,{rest}").encode(), 1
    )
    assert [word.means for word in words_of(session, later) if word.text == "authorised"] == ["not"]


def test_lines_that_are_no_goods_and_money_at_the_door_are_asked(session: Session, clock: Clock) -> None:
    head = "Order,Pay method,Name,Street,Postcode,City,Country,SKU,Description,Quantity,Price\n"
    who = "Ana Prado,Rua do Sol 4,3000-310,Coimbra,PT"
    data = (
        f"{head}1,card,{who},NEW-9,Fork,2,5.00\n1,card,{who},POSTAGE,Postage and packing,1,4.90\n"
        f"2,Nachnahme,{who},NEW-9,Fork,1,5.00\n3,card,{who},VOUCHER,Rabatt Herbst,1,0\n"
    )
    row = upload_file(session, "lines.csv", data.encode(), 1)
    set_columns(session, row.id, row.columns, left_out=["Pay method"])
    asked = {(word.text, word.kind, word.count, word.means) for word in words_of(session, row)}
    assert asked == {
        ("nachnahme", "door", 1, ""),
        ("postage", "delivery", 1, ""),
        ("voucher", "discount", 1, ""),
    }
    assert preview_import(session, row)[0] == []
    states = {"nachnahme": "open", "postage": "not", "voucher": "not"}
    set_columns(session, row.id, row.columns, states=states)
    orders, faults = preview_import(session, row)
    assert [(o.number, len(o.lines), o.paid_shipping) for o in orders] == [("1", 1, 490), ("2", 1, 0)]
    assert [fault.words for fault in faults] == ["none of its rows is goods, so there is nothing to send"]
    set_columns(session, row.id, row.columns, states={"nachnahme": "not", "postage": "open"})
    orders, faults = preview_import(session, row)
    assert [(o.number, [line.sku for line in o.lines]) for o in orders] == [("1", ["NEW-9", "POSTAGE"])]
    assert "“Nachnahme”: its buyer pays at the door and it must not go" in {fault.words for fault in faults}


def test_a_column_that_nobody_understood_is_asked_once_and_remembered(session: Session, clock: Clock) -> None:
    head = b"order,name,address,postcode,city,country,sku,qty,price,Basis,Fraud check,Subtotal,Billing city,\n"
    rows = b"Q-1,Ana Prado,Rua do Sol 4,3000-310,Coimbra,PT,HF-02,1,4.50,On approval,,4.50,Porto,red\n"
    row = upload_file(session, "quotes.csv", head + rows, 1)
    assert [(one.heading, one.filled, one.examples, one.asked) for one in unread_of(row)] == [
        ("Basis", 1, ("On approval",), True),
        ("column 14", 1, ("red",), True),
        ("Billing city", 1, ("Porto",), False),
        ("Subtotal", 1, ("4.50",), False),
    ]
    with pytest.raises(Invalid, match="“Basis” and 1 more may change what is sent"):
        run_import(session, row.id, clock())
    set_columns(session, row.id, row.columns, left_out=["column 14"])
    with pytest.raises(Invalid, match="“Basis” may change what is sent"):
        run_import(session, row.id, clock())
    # “On approval” is none of the words that stop an order: as a state it is asked, and must not go.
    set_columns(session, row.id, {**row.columns, "standing": 9}, states={"on approval": "not"})
    assert run_import(session, row.id, clock()).made == 0
    ordered = rows.replace(b"Q-1", b"Q-2").replace(b"On approval", b"Order")
    again = upload_file(session, "more.csv", head + ordered, 1)
    assert [one.heading for one in unread_of(again) if one.asked] == []
    set_columns(session, again.id, again.columns, states={"order": "open"})
    assert run_import(session, again.id, clock()).made == 1
    # What says something for the first time was not seen by whoever left the others out.
    checked = upload_file(session, "third.csv", head + ordered.replace(b"Q-2", b"Q-3").replace(b",,", b",held,"), 1)
    assert [one.heading for one in unread_of(checked) if one.asked] == ["Fraud check"]


def test_a_number_of_another_buyer_is_another_shops_order_and_a_scan_asks_which(
    wiring: Wiring, session: Session, clock: Clock
) -> None:
    head = "Order;Name;Email;Street;Postcode;City;Country;SKU;Quantity\n"
    mine = "1001;Ana Prado;ana@a.example;Rua do Sol 4;3000-310;Coimbra;PT;NEW-9;2\n"
    theirs = "1001;Bo Lund;bo@b.example;Storgata 9;0155;Oslo;NO;NEW-7;1\n"
    married = mine.replace("Ana Prado", "Ana Lima").replace("Sol 4", "Sol 40")
    for n, (rows, made, changed, strange) in enumerate(
        [
            (mine, 1, 0, []),
            (theirs, 1, 0, ["1001"]),
            (theirs, 0, 0, ["1001"]),
            (theirs.replace(";1\n", ";3\n"), 0, 1, ["1001"]),
            (married, 0, 1, []),
        ]
    ):
        row = upload_file(session, f"{n}.csv", (head + rows).encode(), 1)
        orders, _ = preview_import(session, row)
        assert strange_numbers(session, row, orders) == strange
        assert [number for number, _ in differing(session, row, orders, 10)] == (["1001"] if rows is married else [])
        done = run_import(session, row.id, clock())
        assert (done.made, done.changed) == (made, changed), n
    both = session.scalars(select(Order).where(Order.number == "1001").order_by(Order.id)).all()
    assert [(o.channel.name, o.address.name) for o in both] == [
        ("Spreadsheet", "Ana Prado"), ("Spreadsheet 2", "Bo Lund")]  # fmt: skip
    for difference in waiting_differences(session, [o.id for o in both]):
        decide_difference(session, difference.id, False, "Rute", clock())
    batch = start_batch(session, "Two shops", "two-shops", 1)
    with pytest.raises(Conflict, match="Spreadsheet and Spreadsheet 2 both have an order 1001"):
        scan_into_batch(session, batch.id, "1001", 1, clock())
    assert scan_into_batch(session, batch.id, slip_code(both[0].id), 1, clock())[0] is both[0]
    assert find_orders(session, slip_code(both[0].id)) == [both[0]]
    newest = both[1].id
    session.commit()
    view = scan(wiring, "1001")
    assert (view.said["word"], view.packing_id) == ("Which one?", None)
    assert view.said["choice_1"] == f"{slip_code(newest)} Spreadsheet 2, Bo Lund, Oslo"


def test_a_column_of_tax_numbers_is_read_and_none_is_cut(session: Session) -> None:
    data = (
        b"order,name,address,city,region,postcode,country,sku,qty,CPF\n"
        b"X-1,Rui Melo,Rua XV 9,Curitiba,PR,80020-310,BR,HF-02,1,390.533.447-05\n"
        b"X-2,Rui Melo,Rua XV 9,Curitiba,PR,80020-310,BR,HF-02,1,\n"
        b"X-3,Rui Melo,Rua XV 9,Curitiba,PR,80020-310,BR,HF-02,1," + b"9" * 41 + b"\n"
    )
    done = run_import(session, upload_file(session, "brazil.csv", data, 1).id, MONDAY)
    assert (done.made, [fault["words"] for fault in done.faults]) == (
        2,
        ["recipient number has 41 characters; at most 40 fit, cut it would be another"],
    )
    hands = [by_number(session, number).hand.customs for number in ("X-1", "X-2")]
    assert (hands[0] and hands[0].recipient_number, hands[1]) == ("390.533.447-05", None)
    again = run_import(session, upload_file(session, "again.csv", data, 1).id, MONDAY)
    assert (again.made, again.changed) == (0, 0)


def test_a_file_is_read_otherwise_rows_keep_their_columns_and_undo_forgets_what_was_learned(session: Session) -> None:
    data = (
        "A title\n" + FILE + ROW.replace("Ana", "Nicolò") + ROW.replace("F-1", "F-2").replace("2;4,50", "x;4,50") + "\n"
    )
    row = upload_file(session, "may.csv", data.encode("cp1252"), 1)
    assert (row.reading["header"], row.reading["encoding"], row.reading["delimiter"]) == (2, "cp1252", ";")
    read_otherwise(session, row.id, Chosen(encoding="cp1250"), 2)
    assert rows_of(row)[0][1][1] == "Nicolň Prado"
    read_otherwise(session, row.id, Chosen(encoding="cp1252"), None)
    cells = dict(rows_of(row))[4]
    correct_rows(session, row.id, {4: [*cells[:7], "3"]})
    assert dict(rows_of(row))[4] == [*cells[:7], "3", "4,50", "kept"]
    assert run_import(session, row.id, MONDAY).made == 2
    with pytest.raises(Conflict, match="Take the import back first"):
        read_otherwise(session, row.id, Chosen(), 1)
    assert session.scalar(select(Product.learned_from).where(Product.sku == "NEW-9")) == "order F-1"
    assert undo_import(session, row.id, MONDAY) == 2
    assert session.scalar(select(Product.id).where(Product.sku == "NEW-9")) is None


def test_an_order_in_another_currency_keeps_it_and_asks_what_it_is_worth(session: Session, clock: Clock) -> None:
    who = "Tom Hale,12 Mill Lane,Bristol,BS1 4QA,GB"
    data = (
        "Order,Name,Street,City,Postcode,Country,SKU,Qty,Price,Currency,Shipping\n"
        f"1,{who},HF-02,2,18.20,GBP,4.50\n2,{who},HF-02,1,21.50,EUR,\n3,{who},HF-02,1,$9,,\n"
        f"4,{who},HF-02,1,18.20,GBP,\n4,{who},TP-12,1,8.90,EUR,\n5,{who},NEW-7,1,7.00,GBP,\n"
    )
    row = upload_file(session, "pounds.csv", data.encode(), 1)
    assert [(w.text, w.count, w.means) for w in words_of(session, row) if w.kind == "currency"] == [("gbp", 3, "")]
    orders, faults = preview_import(session, row)
    assert [o.number for o in orders] == ["2"]
    assert "“18.20” is in GBP" in faults[0].words
    assert "say above" in faults[0].words
    assert not any("say above" in f.words for f in faults if "“$9”" in f.words), "a sign of many cannot be accepted"
    set_columns(session, row.id, row.columns, states={"gbp": "open"})
    orders, faults = preview_import(session, row)
    assert [(o.number, o.currency) for o in orders] == [("1", "GBP"), ("2", ""), ("5", "GBP")]
    assert "priced in EUR and in GBP" in " ".join(f.words for f in faults)
    run_import(session, row.id, clock())

    mine = session.scalars(select(Order).where(Order.import_id == row.id).order_by(Order.number)).all()
    pounds, euros, learned = mine
    assert [(s.code, s.words) for s in pounds.snags if s.fix == "worth"] == [
        ("worth", "Priced at 36.40 GBP; enter the value in EUR")
    ]
    assert pounds.price_minor is None
    assert pounds.rule_facts.get("value") is None
    assert pounds.rule_facts.get("paid_shipping") is None
    assert euros.rule_facts["value"] == 2150
    assert session.scalars(select(Product.value_minor).where(Product.sku == "NEW-7")).one() == 0
    with pytest.raises(Invalid, match="different currencies"):
        join_orders(session, [pounds.id, euros.id], "Tomé", clock())

    with pytest.raises(Invalid, match="shop's currency"):
        say_worth(session, euros.id, 4_250, [], "Tomé", clock())
    known, left = say_worth(session, pounds.id, 4_250, [euros.id, learned.id], "Tomé", clock())
    assert ([order.number for order in known], [order.number for order in left]) == (["1", "5"], ["2"])
    assert learned.plan.value_minor == 817  # 7.00 at the rate of 42.50 for 36.40
    assert not [s for s in pounds.snags if s.fix == "worth"]
    assert pounds.plan.value_minor == 4_250
    assert pounds.rule_facts["value"] == 4_250
    declared = look_at_border(session, pounds.id, clock()).border.declared
    assert (declared.currency, declared.goods_minor) == ("GBP", 3_640)
    again, kept = say_worth(session, learned.id, 1, [pounds.id], "Inês", clock())
    assert ([order.number for order in again], [order.number for order in kept]) == (["5"], ["1"])  # nobody's word goes
    assert pounds.hand.worth == Worth(4_250, 3_640, "GBP")
    assert learned.currency == "GBP"


def test_what_was_said_of_other_goods_is_asked_again(session: Session, clock: Clock) -> None:
    """A part, another quantity and another currency of the same file: each time the goods are others."""

    def file(quantity: int, currency: str) -> bytes:
        head = "Order,Name,Street,City,Postcode,Country,SKU,Qty,Price,Currency\n"
        who = "Tom Hale,12 Mill Lane,Bristol,BS1 4QA,GB"
        return f"{head}1,{who},HF-02,{quantity},18.20,{currency}\n".encode()

    def bring(data: bytes, *currencies: str) -> int:
        row = upload_file(session, "pounds.csv", data, 1)
        set_columns(session, row.id, row.columns, states=dict.fromkeys(currencies, "open"))
        return run_import(session, row.id, clock()).changed

    def asks() -> list[str]:
        return [snag.words for snag in order.snags if snag.code == "worth"]

    assert bring(file(3, "GBP"), "gbp") == 0
    order = session.scalars(select(Order).where(Order.number == "1", Order.currency == "GBP")).one()
    say_worth(session, order.id, 6_300, [], "Tomé", clock())
    assert asks() == []
    part = send_apart(session, order.id, {order.lines[0].id: 1}, "Tomé", clock())
    assert part.currency == "GBP"
    assert ["36.40 GBP" in words for words in asks()] == [True]
    assert [snag.code for snag in part.snags if snag.code == "worth"] == ["worth"]
    say_worth(session, order.id, 4_200, [part.id], "Tomé", clock())
    assert part.plan.value_minor == 2_100
    assert bring(file(3, "USD"), "gbp", "usd") == 1  # the same figures are another price
    (difference,) = waiting_differences(session, [order.id])
    assert ("currency", "GBP", "USD") in {(c["field"], c["before"], c["after"]) for c in difference.changes}
    decide_difference(session, difference.id, True, "Rute", clock())
    assert (order.currency, part.currency) == ("USD", "USD")
    assert ["USD" in words for words in asks()] == [True]
