"""The checkout from end to end: versions, a real basket packed and priced, what a store gets, what is refused."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, timedelta

import httpx
import pytest
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.services.steps import ask, buy, clear_orders, ids_of, person
from tidewind.core.checkout.arithmetic import up_to_ending
from tidewind.core.checkout.written import read_checkout
from tidewind.core.quantities import percent_of
from tidewind.db.tables import CheckoutVersion, Order, PackagingRow, Product, Shipment
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.orders import pull
from tidewind.services.people import make_key
from tidewind.services.rates import (
    BasketAsked,
    basket_of_order,
    checkout_in_force,
    forget_answers,
    keep_case,
    key_now,
    newest_checkout,
    offers_for,
    read_tables_file,
    rehearse_offers,
    restore_checkout,
    run_case,
    save_checkout,
    sold_by_offer,
    tables_file,
    try_checkout,
)
from tidewind.services.rates.memory import known_in
from tidewind.web.access import Wiring

VISEU = BasketAsked((("TR-02", 2, 1_890),), "PT", "3500-108", "Viseu")
FLAT = {"offers": [{"code": "post", "names": {"en": "Post"}, "price": {"kind": "flat", "minor": 450}}], "tables": []}


def codes(wiring: Wiring, asked: BasketAsked) -> dict[str, int]:
    with wiring.sessions() as session:
        return {line.code: line.price for line in offers_for(session, asked, wiring.clock()).answer.offered}


def test_a_basket_is_packed_and_offered_at_what_its_order_would_cost(wiring: Wiring) -> None:
    with wiring.sessions() as session:
        found = offers_for(session, VISEU, wiring.clock())
        product = session.scalars(select(Product).where(Product.sku == "TR-02")).one()
    home = next(line for line in found.answer.offered if line.code == "home")
    nets = {s.code: s.net for s in found.packed.services.values() if s.net is not None}
    cheapest = min(nets[code] for code in ("bp-road", "np-box-m", "np-parcel") if code in nets)
    assert home.steps[0].price == cheapest
    assert home.price == max(up_to_ending(cheapest + percent_of(cheapest, 500), 90, "EUR"), 390)
    assert home.to_free == 6_000 - 2 * 1_890
    assert found.packed.gross_g > 2 * (product.weight_g or 0)  # box and padding are in it
    assert {"home", "locker", "noon"} <= {line.code for line in found.answer.offered}
    assert {line.code: line.why for line in found.answer.absent}["islands"] == "it does not go there"
    assert codes(wiring, replace(VISEU, lines=(("TR-02", 4, 1_890),)))["home"] == 0  # from 60.00 on
    assert codes(wiring, replace(VISEU, postcode="9500-321"))["islands"] > 0
    assert list(codes(wiring, replace(VISEU, country="FR", postcode="75001")))[-1] == "abroad"
    with wiring.sessions() as session:
        odd = offers_for(session, replace(VISEU, lines=(("NOBODY-KNOWS", 1, 500),)), wiring.clock())
    assert odd.assumed == ("NOBODY-KNOWS",)
    assert odd.answer.offered  # by an assumption that is said
    assert codes(wiring, replace(VISEU, postcode=""))["home"] == 590  # not typed yet: the fallback, never nothing
    for bad in (replace(VISEU, country="XX"), replace(VISEU, lines=()), replace(VISEU, lines=(("A", 2_001, 1),))):
        with wiring.sessions() as session, pytest.raises(Invalid):
            offers_for(session, bad, wiring.clock())


def test_versions_are_kept_hold_from_their_moment_and_come_back(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        ines, first = person(session, "ines"), newest_checkout(session)
        assert first is not None
        begun = first.id
        second = save_checkout(session, FLAT, begun, "Post only", clock() + timedelta(hours=2), ines, clock()).id
        with pytest.raises(Conflict, match="Somebody saved"):
            save_checkout(session, FLAT, begun, "", None, ines, clock())
        with pytest.raises(Invalid, match="no service boat"):
            boat = {"offers": [FLAT["offers"][0] | {"price": {"kind": "live", "services": ["boat"]}}]}
            save_checkout(session, boat, second, "", None, ines, clock())
    assert "home" in codes(wiring, VISEU)  # the new ones do not hold yet
    clock.move(hours=2)
    assert codes(wiring, VISEU) == {"post": 450}
    with wiring.sessions.begin() as session:
        restored = restore_checkout(session, begun, ines, clock())
        assert restored.body == session.get_one(CheckoutVersion, begun).body
    assert "home" in codes(wiring, VISEU)
    with wiring.sessions() as session:
        assert checkout_in_force(session, clock())[0] == restored.id
        draft = try_checkout(session, FLAT, clock())
        assert [o.code for o in offers_for(session, VISEU, clock(), draft).answer.offered] == ["post"]


def test_a_store_asks_with_a_key_that_only_reads(wiring: Wiring, base_url: str) -> None:
    with wiring.sessions.begin() as session:
        _, key = make_key(session, person(session, "ines"), "Web shop", "care", reads_only=True)
    body = {
        "lines": [{"sku": "TR-02", "quantity": 2, "unit_price_minor": 1890}],
        "country": "PT",
        "postcode": "3500-108",
    }
    with httpx.Client(base_url=base_url, headers={"Authorization": f"Bearer {key}"}, timeout=30) as store:
        told = store.post("/api/checkout/v1/offers", json=body | {"language": "pt-PT"}).raise_for_status().json()
        assert told["offers"][0]["name"] == "Entrega em casa"
        assert {"arrives_by", "price_minor", "to_free_minor"} <= told["offers"][0].keys()
        assert store.post("/api/checkout/v1/offers", json=body | {"country": "Portugal"}).status_code == 422
        assert store.put("/api/checkout", json={"body": {}, "base_version": 0}).status_code == 403
        store.headers["Authorization"] = "Bearer tw_wrong"
        assert store.post("/api/checkout/v1/offers", json=body).status_code == 401


def test_the_stores_own_checkout_asks_and_its_order_comes_with_what_was_offered(
    wiring: Wiring, base_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    # As patient as our own side is in tests: a busy machine must not be taken for a silent one.
    monkeypatch.setattr("tidewind.standins.checkout.WAITS_S", 15.0)
    with wiring.sessions.begin() as session:
        _, key = make_key(session, person(session, "ines"), "Web shop", "care", reads_only=True)
    typed = {"goods": "TR-02", "pieces": "2", "postcode": "3500-108", "country": "PT", "offer": "home"}
    with httpx.Client(base_url=f"{wiring.settings.standins_url}/larkspur", timeout=30) as store:
        assert "not to be had at the moment" in store.get("/checkout").text
        store.put("/checkout-key", json={"url": base_url, "key": key}).raise_for_status()
        assert "Home delivery" in store.get("/checkout").text
        assert "We do not send there" in store.get("/checkout", params={"country": "AQ", "postcode": ""}).text
        assert "write name, street and town" in store.post("/checkout", data=typed).text
        who = {"name": "Ada <b>Prata", "street": "Rua 1", "city": "Viseu"}
        assert "Thank you" in store.post("/checkout", data=typed | who).text
    pull(wiring.sessions, wiring.outside, "larkspur", wiring.clock())
    with wiring.sessions() as session:
        order = session.scalars(select(Order).where(Order.promise == "Home delivery")).one()
        asked = next(o.price for o in offers_for(session, VISEU, wiring.clock()).answer.offered if o.code == "home")
        assert (order.paid_shipping_minor, order.address.name) == (asked, "Ada <b>Prata")


def test_an_answer_is_kept_until_something_changes_that_it_is_made_of(wiring: Wiring, clock: Clock) -> None:
    """What is in memory and what is made anew say the same, after every kind of change; nothing undone is remembered."""

    def both() -> tuple[dict[str, int], dict[str, int]]:
        kept = codes(wiring, VISEU)
        forget_answers()
        return kept, codes(wiring, VISEU)

    with wiring.sessions() as session:
        first = offers_for(session, VISEU, clock())
        assert offers_for(session, VISEU, clock()) is first  # the very same
    before, changes = codes(wiring, VISEU), 0

    def heavy(session: Session) -> None:
        session.execute(update(Product).where(Product.sku == "TR-02").values(weight_g=4_000))

    def dear(session: Session) -> None:
        row = newest_checkout(session)
        assert row is not None
        offers = [{**one, "percent_bp": 9_000} for one in row.body["offers"]]
        save_checkout(session, {**row.body, "offers": offers}, row.id, "", None, person(session, "ines"), clock())

    def no_bags(session: Session) -> None:
        for box in session.scalars(select(PackagingRow).where(PackagingRow.carrier.is_(None))):
            box.active = box.code.startswith("CB")

    for change in (heavy, dear, no_bags):
        with wiring.sessions() as session:
            change(session)
            offers_for(session, VISEU, clock())  # sees it, and must not keep it
            session.rollback()
        assert codes(wiring, VISEU) == before
        with wiring.sessions.begin() as session:
            change(session)
        kept, anew = both()
        assert kept == anew
        changes += kept != before
        before = kept
    assert changes >= 2


def test_what_was_sent_is_rehearsed_by_what_it_cost(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        orders = clear_orders(session, "brightmile", 3)
    bought = ids_of(wiring, ask(wiring, orders).batch_id)
    assert {buy(wiring, one) for one in bought} == {"bought"}
    with wiring.sessions() as session:
        cost = session.scalar(select(func.sum(Shipment.price_minor)).where(Shipment.id.in_(bought)))
        draft = try_checkout(session, FLAT, clock())
        found = rehearse_offers(session, draft, checkout_in_force(session, clock())[1], "post", 0, clock())
        assert (found.made.orders, found.made.cost, found.made.would_pay) == (3, cost, 3 * 450)
        assert found.curve[-1].margin <= found.made.margin
        for turn, least in (("percent", -2_000), ("flat", 10)):
            curve = rehearse_offers(session, draft, draft, "post", 0, clock(), turn).curve
            assert curve[0].value >= least
            assert [p.margin for p in curve] == sorted(p.margin for p in curve)
        with pytest.raises(Invalid, match="no offer boat"):
            rehearse_offers(session, draft, draft, "boat", 0, clock())


def test_a_kept_basket_says_what_moved_and_the_books_say_what_offers_brought(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        order = clear_orders(session, "brightmile", 1)[0]
        order.offer = f"post@{save_checkout(session, FLAT, 1, '', None, person(session, 'ines'), clock()).id}:bp-road"
        order.paid_shipping_minor = 450
        asked = basket_of_order(session, order.number)
        assert asked.lines == tuple((line.sku, line.quantity, line.unit_price_minor) for line in order.lines)
        case = keep_case(session, " Braga ", {"country": "PT"}, asked, try_checkout(session, FLAT, clock()), clock())
        dear = {"offers": [FLAT["offers"][0] | {"price": {"kind": "flat", "minor": 490}}]}
        other = {"offers": [{"code": "air", "names": {"en": "Air"}, "price": {"kind": "flat", "minor": 900}}]}
        words = [
            run_case(session, case, asked, try_checkout(session, body, clock()), clock()).moved
            for body in (FLAT, dear, other)
        ]
        moved = [[(m.name, m.before, m.after) for m in found] for found in words]
        assert moved == [[], [("Post", 450, 490)], [("Post", 450, None), ("Air", None, 900)]]
        with pytest.raises(NotFound):
            basket_of_order(session, "nobody's")
    assert {buy(wiring, one) for one in ids_of(wiring, ask(wiring, [order]).batch_id)} == {"bought"}
    with wiring.sessions() as session:
        (sold,) = sold_by_offer(session, clock())
        cost = session.scalar(select(Shipment.price_minor).where(Shipment.order_id == order.id))
        assert (sold.name, sold.orders, sold.paid, sold.cost) == ("Post", 1, 450, cost)


@pytest.mark.parametrize("kind", ["csv", "xlsx"])
def test_tables_go_out_as_files_and_come_back_the_same(wiring: Wiring, kind: str) -> None:
    with wiring.sessions() as session:
        row = newest_checkout(session)
        assert row is not None
        back, wrong = read_tables_file(session, f"tables.{kind}", tables_file(session, kind))
        assert wrong == []
        assert [(t["name"], t["by"], t["bands"]) for t in back] == [
            (t["name"], t["by"], t["bands"]) for t in row.body["tables"]
        ]
        assert [[r["prices"] for r in t["rows"]] for t in back] == [
            [r["prices"] for r in t["rows"]] for t in row.body["tables"]
        ]
        assert read_checkout({"tables": back}).errors == ()
        messy = b"Called,Countries,Postcodes,to 4 kg,to 2 pieces,dear\n=A1,Portugal,,4.90,x,1\n"
        tables, wrong = read_tables_file(session, "mine.csv", messy)
        assert tables[0]["name"] == "mine"
        assert [
            any(words in fault for fault in wrong) for words in ("“dear”", "different things", "“PORTUGAL”", "“x”")
        ] == [True] * 4
        with pytest.raises(Invalid):
            read_tables_file(session, "tables.xlsx", b"PK\x03\x04nothing")
        with pytest.raises(Invalid, match="No rate table"):  # a foreign file is none
            read_tables_file(session, "orders.csv", b"Order,Name,City\n1,Ada,Braga\n")


def test_a_cutoff_counts_from_its_very_second_also_for_what_is_kept(wiring: Wiring, clock: Clock) -> None:
    clock.at = clock.at.replace(hour=14, minute=59, second=59)
    arrives = []
    for _ in range(4):  # the second of the cut-off is in to its end
        with wiring.sessions() as session:
            found = offers_for(session, VISEU, clock())
        arrives.append(next(line.latest for line in found.answer.offered if line.code == "noon"))
        clock.move(seconds=1)
    assert arrives == [date(2026, 11, 24), date(2026, 11, 24), date(2026, 11, 25), date(2026, 11, 25)]


def test_answers_are_remembered_while_a_new_stretch_of_time_begins(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        key = key_now(session, clock())
        offers_for(session, VISEU, clock())
    known = known_in(key, clock())
    assert known is not None
    with ThreadPoolExecutor(1) as pool:
        remembering = pool.submit(lambda: [known.remember(n, n) for n in range(20_000)])
        while not remembering.done():
            known.later(key, known.shop)
        remembering.result()
