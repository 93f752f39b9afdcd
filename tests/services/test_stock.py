"""What is left to sell: counted, taken by orders whatever becomes of their labels, told and read both ways."""

from __future__ import annotations

import json
from collections.abc import Callable

import httpx
import pytest
from sqlalchemy import select

from tests.conftest import Clock
from tests.services.steps import ask, buy, ids_of
from tidewind.core.addresses.check import Address
from tidewind.db.tables import Channel, ChannelLog, Order, Product, Return
from tidewind.outside.channels.levels import LevelsPage
from tidewind.outside.errors import NeverSent
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.buying import ask_void
from tidewind.services.follow import exchange_stock, stock_seen
from tidewind.services.orders import NewLine, NewOrder, send_apart, store_orders
from tidewind.services.shop import (
    bring_in_products,
    connect_store,
    count_stock,
    edit_products,
    get_channel,
    save_mapping,
    stock_levels,
)
from tidewind.standins.store import KEY
from tidewind.standins.world import World
from tidewind.web.access import Wiring

SKU = "HF-02"


def left(wiring: Wiring, sku: str = SKU) -> int | None:
    with wiring.sessions() as session:
        return stock_levels(session, [sku]).get(sku)


def count(wiring: Wiring, clock: Clock, **counted: int | None) -> None:
    with wiring.sessions.begin() as session:
        count_stock(session, {sku.replace("_", "-"): pieces for sku, pieces in counted.items()}, clock())


def sell(wiring: Wiring, clock: Clock, pieces: int, sku: str = SKU, number: str = "ST-1", **said: str) -> Order:
    to = Address(name="Ana", street="Rua 1", city="Viseu", postcode="3500-108", country="PT")
    with wiring.sessions.begin() as session:
        channel = session.scalars(select(Channel).order_by(Channel.id)).first()
        assert channel
        line = NewLine(sku, "Hand fork", pieces, 1_290, 240)
        new = NewOrder(number=number, address=to, lines=(line,), ordered_at=clock(), **said)  # type: ignore[arg-type]
        return store_orders(session, channel, [new], clock())[0][0]


def stock_by(wiring: Wiring, code: str, whose: str) -> None:
    with wiring.sessions.begin() as session:
        row = get_channel(session, code)
        save_mapping(session, code, row.states, row.payments, row.write_back, 10, row.brand, row.mail_from, whose)


def test_what_waits_to_be_packed_lies_on_the_shelf_and_is_sold_already(wiring: Wiring, clock: Clock) -> None:
    assert left(wiring) is None  # nobody has counted it
    count(wiring, clock, HF_02=100)
    before = left(wiring)
    assert before is not None
    assert before < 100  # the demo's open orders have some of them
    order = sell(wiring, clock, 3)
    assert left(wiring) == before - 3
    count(wiring, clock, HF_02=100)  # a second count with the order still lying there says the same
    assert left(wiring) == before - 3
    count(wiring, clock, HF_02=None)
    assert left(wiring) is None
    for bad, kind in (({SKU: -1}, Invalid), ({SKU: 1_000_001}, Invalid), ({"NO-SUCH": 1}, NotFound)):
        with wiring.sessions() as session, pytest.raises(kind):
            count_stock(session, bad, clock())
    assert order.id


def test_labels_voids_and_parts_take_nothing_twice(wiring: Wiring, clock: Clock) -> None:
    count(wiring, clock, HF_02=50)
    order = sell(wiring, clock, 4)
    sold = left(wiring)
    with wiring.sessions.begin() as session:
        whole = session.get_one(Order, order.id)
        part = send_apart(session, order.id, {whole.lines[0].id: 1}, "Tomé", clock())
        part_id = part.id
    assert left(wiring) == sold
    with wiring.sessions() as session:
        rows = [session.get_one(Order, order_id) for order_id in (order.id, part_id)]
    shipments = ids_of(wiring, ask(wiring, rows).batch_id)
    assert [buy(wiring, n) for n in shipments] == ["bought", "bought"]
    assert left(wiring) == sold
    count(wiring, clock, HF_02=50)  # four have gone from the shelf, and the fifty do not have them in it
    gone = left(wiring)
    assert gone == (sold or 0) + 4
    with wiring.sessions.begin() as session:
        ask_void(session, shipments[:1], "Tomé", False, clock())
    assert left(wiring) == gone


@pytest.mark.parametrize(
    ("said", "takes"),
    [
        pytest.param({}, 2, id="open"),
        pytest.param({"state": "held", "state_why": "unpaid"}, 2, id="kept back by its channel: it may be paid yet"),
        pytest.param({"state": "left_out", "state_why": "sent by the supplier"}, 0, id="sent from elsewhere"),
    ],
)
def test_which_orders_take(wiring: Wiring, clock: Clock, said: dict[str, str], takes: int) -> None:
    count(wiring, clock, HF_02=50)
    before = left(wiring) or 0
    sell(wiring, clock, 2, **said)
    assert left(wiring) == before - takes


def test_a_set_takes_its_parts_and_what_goes_back_on_the_shelf_is_there_again(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        made_of = Product(sku="SET-1", name="Fork and trowel", parts=["2x HF-02", "TR-02"], weight_g=900)
        made_of.length_mm, made_of.width_mm, made_of.height_mm = 300, 120, 60
        session.add(made_of)
    count(wiring, clock, HF_02=50, TR_02=50)
    fork, trowel = left(wiring), left(wiring, "TR-02")
    assert fork is not None
    assert trowel is not None
    order = sell(wiring, clock, 2, "SET-1")
    assert (left(wiring), left(wiring, "TR-02")) == (fork - 4, trowel - 2)
    assert left(wiring, "SET-1") == min((fork - 4) // 2, trowel - 2)
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    assert buy(wiring, shipment_id) == "bought"
    for items, back in (([], 2), ([{"sku": "SET-1", "name": "Set", "quantity": 1}], 1)):
        with wiring.sessions.begin() as session:
            row = Return(
                shipment_id=shipment_id, idempotency_key=f"r{back}", state="closed", price_minor=0, restocked=True
            )
            row.items, row.asked_at = items, clock()
            session.add(row)
        assert (left(wiring), left(wiring, "TR-02")) == (fork - 4 + 2 * back, trowel - 2 + back)
        with wiring.sessions.begin() as session:
            session.delete(session.scalars(select(Return).where(Return.idempotency_key == f"r{back}")).one())


def test_what_a_set_is_made_of_may_change_and_no_level_does(wiring: Wiring, clock: Clock) -> None:
    """Orders of before took what the set was made of then; adding them up by today's parts would take it once more."""
    with wiring.sessions.begin() as session:
        session.add(Product(sku="SET-1", name="Fork and trowel", parts=[], weight_g=900))
    count(wiring, clock, HF_02=50, TR_02=50)
    sell(wiring, clock, 4, "SET-1")
    before = left(wiring), left(wiring, "TR-02")
    with wiring.sessions.begin() as session:
        edit_products(session, ["SET-1"], {"parts": ["2x HF-02", "TR-02"]}, clock())
    assert (left(wiring), left(wiring, "TR-02")) == before
    sell(wiring, clock, 1, "SET-1", "ST-2")
    fork, trowel = before
    assert fork is not None
    assert trowel is not None
    assert (left(wiring), left(wiring, "TR-02")) == (fork - 2, trowel - 1)
    with wiring.sessions.begin() as session:
        bring_in_products(session, "sets.csv", b"sku,parts\nSET-1,TR-02\n", clock())
    assert (left(wiring), left(wiring, "TR-02")) == (fork - 2, trowel - 1)
    count(wiring, clock, HF_02=None)
    with wiring.sessions.begin() as session:
        edit_products(session, ["SET-1"], {"parts": []}, clock())
    assert (left(wiring), left(wiring, "TR-02")) == (None, trowel - 1)


def test_half_a_reading_is_no_reading(wiring: Wiring, clock: Clock, world: World) -> None:
    """A channel that falls silent between two pages is read again in a minute, whole."""
    store = connect_store(wiring.sessions, wiring.outside, f"{wiring.settings.standins_url}/store", KEY, clock())
    with wiring.sessions() as session:
        skus = session.scalars(select(Product.sku).order_by(Product.sku).limit(60)).all()
    with world.work() as db:
        for n, sku in enumerate(skus):
            db.execute("insert into shelf_level values ('larkspur', ?, ?)", (sku, n))
    stock_by(wiring, store.code, "theirs")
    with wiring.sessions() as session:
        client = wiring.outside.channel(get_channel(session, store.code))
    first, asked = client.levels_after, []

    def silent_then(cursor: str) -> LevelsPage:
        asked.append(cursor)
        if len(asked) == 2:
            raise NeverSent("no connection")
        return first(cursor)

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(client, "levels_after", silent_then)
        assert exchange_stock(wiring.sessions, wiring.outside, clock) == 0
    assert left(wiring, skus[0]) is None
    clock.move(minutes=1)
    assert exchange_stock(wiring.sessions, wiring.outside, clock) == 60
    assert (left(wiring, skus[0]), left(wiring, skus[59])) == (0, 59)


def test_a_channel_is_told_what_changed_and_names_what_it_does_not_have(
    wiring: Wiring, clock: Clock, world: World
) -> None:
    def there() -> dict[str, int]:
        rows = world.rows("select sku, pieces from shelf_level where seller = 'larkspur'")
        return {row["sku"]: row["pieces"] for row in rows}

    def tell() -> int:
        return exchange_stock(wiring.sessions, wiring.outside, clock)

    with wiring.sessions.begin() as session:
        session.add(Product(sku="ONLY-HERE", name="Sold at the door alone", weight_g=100))
    count(wiring, clock, HF_02=3, ONLY_HERE=7)
    assert tell() == 0  # no channel wants it
    stock_by(wiring, "larkspur", "ours")
    world.set_fault("larkspur", "down", 2)
    assert (tell(), tell(), there()) == (0, 0, {})
    with wiring.sessions() as session:
        failed = session.scalars(select(ChannelLog).where(ChannelLog.kind == "stock told")).all()
        assert [("tried again" in line.failure) for line in failed] == [True]  # said once
    assert tell() == 1
    assert there() == {SKU: max(left(wiring) or 0, 0)}  # sold beyond what there is: told as nothing
    with wiring.sessions() as session:
        seen = stock_seen(session, get_channel(session, "larkspur").id)
        assert (seen.articles, seen.unknown) == (2, ("ONLY-HERE",))
    assert tell() == 0
    count(wiring, clock, HF_02=500)
    order = sell(wiring, clock, 5)
    assert (tell(), there()) == (1, {SKU: left(wiring)})
    with wiring.sessions.begin() as session:
        session.get_one(Order, order.id).state_by = "channel"
        session.get_one(Order, order.id).state = "cancelled"
    assert (tell(), there()) == (1, {SKU: left(wiring)})
    clock.move(days=1)
    assert tell() == 0  # asked once more for what it did not have, which it still has not
    stock_by(wiring, "larkspur", "")
    with wiring.sessions() as session:
        assert stock_seen(session, get_channel(session, "larkspur").id).articles == 0


def test_levels_are_read_from_the_one_channel_that_counts(wiring: Wiring, clock: Clock, world: World) -> None:
    store = connect_store(wiring.sessions, wiring.outside, f"{wiring.settings.standins_url}/store", KEY, clock())
    with wiring.sessions() as session:
        skus = session.scalars(select(Product.sku).order_by(Product.sku)).all()
    with world.work() as db:
        for n, sku in enumerate([*skus[:59], "THEIRS-ALONE"]):  # three pages
            db.execute("insert into shelf_level values ('larkspur', ?, ?)", (sku, n - 1))
    stock_by(wiring, store.code, "theirs")
    with pytest.raises(Conflict, match="counts the stock already"):
        stock_by(wiring, "tallyfair", "theirs")
    assert exchange_stock(wiring.sessions, wiring.outside, clock) == len(skus[:59])
    assert [left(wiring, sku) for sku in (skus[0], skus[1], skus[58])] == [-1, 0, 57]
    assert left(wiring, skus[59]) is None
    assert exchange_stock(wiring.sessions, wiring.outside, clock) == 0  # as often as orders are pulled, not more
    sell(wiring, clock, 2, skus[58])
    assert left(wiring, skus[58]) == 55
    clock.move(minutes=11)
    assert exchange_stock(wiring.sessions, wiring.outside, clock) == len(skus[:59])
    assert left(wiring, skus[58]) == 57  # it knows better: the order came from it


ODD: dict[str, Callable[[httpx.Request], httpx.Response]] = {
    "no JSON": lambda _: httpx.Response(200, text="<html>"),
    "no levels": lambda _: httpx.Response(200, json={"levels": {"HF-02": 3}}),
    "a list": lambda _: httpx.Response(200, json=[1]),
    "odd ones": lambda _: httpx.Response(
        200,
        text=json.dumps(
            {
                "levels": [
                    {"sku": "HF-02", "pieces": 1e9},
                    {"sku": 7, "pieces": True},
                    None,
                    {"sku": "x" * 99, "pieces": 1},
                ]
            }
        ),
    ),
    "deep": lambda _: httpx.Response(200, text='{"levels": ' + "[" * 100_000),
}


@pytest.mark.parametrize("name", ODD)
def test_what_is_no_level_is_left_out(wiring: Wiring, clock: Clock, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    stock_by(wiring, "larkspur", "theirs")
    with wiring.sessions() as session:
        client = wiring.outside.channel(get_channel(session, "larkspur"))
    transport = httpx.MockTransport(ODD[name])
    monkeypatch.setattr(client, "_client", httpx.Client(base_url="http://shop.test", transport=transport))
    assert exchange_stock(wiring.sessions, wiring.outside, clock) == 0
    assert left(wiring) is None


def test_a_count_is_seen_on_the_page(wiring: Wiring, clock: Clock, base_url: str) -> None:
    count(wiring, clock, HF_02=12)
    with wiring.sessions.begin() as session:
        edit_products(session, [SKU], {"shelf": "B2"}, clock())  # other facts do not touch the count
    with httpx.Client(base_url=base_url) as page:
        page.post("/api/sign-in", json={"login": "tome", "password": "larkspur-and-loam"}).raise_for_status()
        (row,) = page.get("/api/products", params={"text": SKU}).json()["products"]
    assert (row["in_stock"], row["shelf"]) == (left(wiring), "B2")
    assert row["stock_counted_at"] is not None
