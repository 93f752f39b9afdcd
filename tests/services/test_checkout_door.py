"""The checkout's door: keys and how often they may ask, signatures, carriers asked in time, what came of an offer."""

from __future__ import annotations

import json
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import httpx
import pytest
from sqlalchemy import func, select, update

from tests.conftest import Clock
from tests.services.steps import person
from tidewind.core.checkout.sold import Sold, sold_from
from tidewind.core.tariffs.asked import AskedService, asked_card
from tidewind.core.tariffs.simple import Around
from tidewind.db.tables import ApiKey, CarrierRow, Channel, LiveAnswerRow, Order
from tidewind.metrics import OUTSIDE_CALLS
from tidewind.services.base import NotAllowed, NotSignedIn
from tidewind.services.orders import pull
from tidewind.services.people import CHECKOUT, KeyUse, change_key, digest, make_key, take_handful, who_has_key
from tidewind.services.planning import shop_day
from tidewind.services.rates import NOTHING, newest_checkout, save_checkout
from tidewind.services.shop import save_card
from tidewind.standins.notices import signed
from tidewind.standins.world import World
from tidewind.web.access import Wiring

BASKET = {"lines": [{"sku": "TR-02", "quantity": 1, "unit_price_minor": 1890}], "country": "PT", "postcode": "3500-108"}
ASK = "/api/checkout/v1/offers"
AIR = {
    "code": "air",
    "names": {"en": "Air"},
    "price": {"kind": "live", "services": ["ca-day"]},
    "fallback": {"home_minor": 1_990, "abroad_minor": 3_990},
}


def store_key(wiring: Wiring, per_minute: int = 3_000, scope: str = "checkout") -> str:
    with wiring.sessions.begin() as session:
        ines = person(session, "ines")
        return make_key(session, ines, "Store", "care", reads_only=True, scope=scope, per_minute=per_minute)[1]


def offer(wiring: Wiring, *offers: object, keep_s: int = 0) -> None:
    with wiring.sessions.begin() as session:
        newest = newest_checkout(session)
        body = {**NOTHING, "offers": list(offers), "keep_s": keep_s}
        ines = person(session, "ines")
        save_checkout(session, body, newest.id if newest else 0, "", None, ines, wiring.clock())


def test_a_key_for_the_checkout_opens_nothing_else_and_is_changed_for_another(
    wiring: Wiring, base_url: str, clock: Clock
) -> None:
    key = store_key(wiring)
    with httpx.Client(base_url=base_url, headers={"Authorization": f"Bearer {key}"}, timeout=30) as store:
        assert store.post(ASK, json=BASKET).status_code == 200
        for path in ("/api/orders", "/api/checkout", "/api/me", "/api/personal-data"):
            assert (store.get(path).status_code, store.get(path).json()["code"]) == (403, "scope"), path
        kept = store.get(ASK, params={"basket": json.dumps(BASKET)})
        assert kept.headers["Cache-Control"] == "no-store"
        offer(wiring, {"code": "post", "names": {"en": "Post"}, "price": {"kind": "flat", "minor": 450}}, keep_s=60)
        kept = store.get(ASK, params={"basket": json.dumps(BASKET)})
        assert kept.headers["Cache-Control"] == "private, max-age=60"
        again = {"If-None-Match": kept.headers["ETag"]}
        assert store.get(ASK, params={"basket": json.dumps(BASKET)}, headers=again).status_code == 304
        for bad in ("", "{", "[]", '{"country": "PT"}'):
            assert store.get(ASK, params={"basket": bad}).status_code == 422
    with wiring.sessions.begin() as session:
        row_id = who_row(wiring, key)
        _, fresh = change_key(session, row_id, clock())
        assert who_has_key(session, key, clock() + timedelta(hours=23), CHECKOUT)
        with pytest.raises(NotSignedIn):
            who_has_key(session, key, clock() + timedelta(hours=25), CHECKOUT)
        with pytest.raises(NotAllowed):
            who_has_key(session, fresh, clock(), KeyUse())


def who_row(wiring: Wiring, key: str) -> int:
    with wiring.sessions() as session:
        return session.scalars(select(ApiKey.id).where(ApiKey.key_hash == digest(key))).one()


def test_a_key_is_allowed_so_much_in_a_minute_over_all_processes(wiring: Wiring, base_url: str, clock: Clock) -> None:
    """Several at once never get more than the limit together; whoever asks too often is told when to come again."""
    key, minute = digest(store_key(wiring, per_minute=220)), 29_000_000

    def take(_: int) -> int:
        with wiring.sessions.begin() as session:
            return take_handful(session, key, minute) or 0

    with ThreadPoolExecutor(6) as people:
        given = list(people.map(take, range(80)))
    assert (sum(given), max(given)) == (220, 4)
    with wiring.sessions.begin() as session:
        assert (take_handful(session, key, minute + 1), take_handful(session, "unknown", minute)) == (4, None)
    few = store_key(wiring, per_minute=3)
    with httpx.Client(base_url=base_url, headers={"Authorization": f"Bearer {few}"}, timeout=30) as store:
        codes = [store.post(ASK, json=BASKET).status_code for _ in range(5)]
        assert codes == [200, 200, 200, 429, 429]
        wait_s = int(store.post(ASK, json=BASKET).headers["Retry-After"])
        assert 1 <= wait_s <= 60
        other = {"Authorization": f"Bearer {store_key(wiring)}"}
        assert store.post(ASK, json=BASKET, headers=other).status_code == 200  # nobody else is held up
        clock.move(seconds=wait_s)
        assert store.post(ASK, json=BASKET).status_code == 200


def test_a_channel_asks_in_its_own_format_by_key_or_signed(wiring: Wiring, base_url: str) -> None:
    with wiring.sessions.begin() as session:
        shop = session.scalars(select(Channel).where(Channel.code == "larkspur")).one()
        shop.secret_sealed = wiring.outside.sealer.seal("whispered")
    path = f"{base_url}/api/checkout/v1/channels/larkspur/offers"
    body = json.dumps({"cart": [{"sku": "TR-02", "pieces": 1, "cents": 1890}], "to": {"country": "PT", "postcode": ""}})
    headers = signed("whispered", body, wiring.real_clock())
    told = httpx.post(path, content=body, headers=headers, timeout=30)
    assert told.json()["choices"][0].keys() == {"id", "title", "border_cents", "cents", "from", "by", "reference"}
    by_key = httpx.post(path, content=body, headers={"Authorization": f"Bearer {store_key(wiring)}"}, timeout=30)
    assert by_key.json() == told.json()
    assert httpx.post(path, content=body).status_code == 401
    for wrong in (signed("guessed", body, wiring.real_clock()), signed("whispered", body + " ", wiring.real_clock())):
        assert httpx.post(path, content=body, headers=wrong).status_code == 403
    late = signed("whispered", body, wiring.real_clock() - timedelta(minutes=11))
    assert httpx.post(path, content=body, headers=late).status_code == 403
    for odd in ("[]", "{}", '{"cart": 3, "to": {}}', '{"cart": [], "to": {"country": "PT"}}', "[" * 2_000):
        odd_headers = signed("whispered", odd, wiring.real_clock())
        assert httpx.post(path, content=odd, headers=odd_headers).status_code == 422, odd


def test_a_carrier_is_asked_in_time_else_its_fallback_stands(wiring: Wiring, base_url: str, world: World) -> None:
    offer(wiring, AIR)
    headers = {"Authorization": f"Bearer {store_key(wiring)}"}

    def asked(pieces: int) -> tuple[int, float]:
        started = time.monotonic()
        body = {**BASKET, "lines": [{"sku": "TR-02", "quantity": pieces, "unit_price_minor": 1890}]}
        told = httpx.post(f"{base_url}{ASK}", json=body, headers=headers, timeout=30).raise_for_status().json()
        return told["offers"][0]["price_minor"], time.monotonic() - started

    live, _ = asked(1)
    assert live != 1_990
    with wiring.sessions() as session:
        told = session.execute(select(LiveAnswerRow.key, LiveAnswerRow.failure)).all()
    assert asked(1)[0] == live
    with wiring.sessions() as session:
        assert session.execute(select(LiveAnswerRow.key, LiveAnswerRow.failure)).all() == told  # asked once
    assert {failure for _, failure in told} == {""}
    world.set_fault("cobaltair", "slow", 2)
    price, took_s = asked(2)
    assert (price, took_s < 1.6) == (1_990, True)
    price, took_s = asked(3)
    assert (price, took_s < 0.8) == (1_990, True)  # nobody waits for it a second time
    for pieces in (2, 3):  # what it says in the end is there for the next shopper
        ends = time.monotonic() + 20
        while (found := asked(pieces)[0]) == 1_990 and time.monotonic() < ends:
            time.sleep(0.2)
        assert found != 1_990


def second_asked(wiring: Wiring) -> None:
    """Let another carrier tell its prices on asking, too."""
    with wiring.sessions.begin() as session:
        around = Around("brightmile", "Brightmile", "EUR", "PT", "Europe/Lisbon", shop_day(session, wiring.clock()))
        written = asked_card([AskedService("bp-road", "Road")], around)
        save_card(session, "brightmile", json.dumps(written).encode(), "asked.json", wiring.clock())
        session.execute(update(CarrierRow).where(CarrierRow.code == "brightmile").values(asks_prices=True))


@pytest.mark.parametrize("fault", ["slow", "down", "error"])
def test_one_carrier_in_trouble_takes_nothing_from_another(
    wiring: Wiring, base_url: str, world: World, fault: str
) -> None:
    second_asked(wiring)
    van = AIR | {"code": "van", "names": {"en": "Van"}, "price": {"kind": "live", "services": ["bp-road"]}}
    offer(wiring, AIR, van | {"fallback": {"home_minor": 2_990}})
    headers = {"Authorization": f"Bearer {store_key(wiring)}"}
    world.set_fault("cobaltair", fault, 50)
    took = []
    for pieces in range(1, 6):
        started = time.monotonic()
        body = {**BASKET, "lines": [{"sku": "TR-02", "quantity": pieces, "unit_price_minor": 1890}]}
        told = httpx.post(f"{base_url}{ASK}", json=body, headers=headers, timeout=30).raise_for_status().json()
        took.append(time.monotonic() - started)
        by_code = {line["code"]: line["price_minor"] for line in told["offers"]}
        assert by_code["air"] == 1_990
        assert by_code["van"] not in {2_990, None}, pieces  # live in every answer
    assert max(took) < 1.6
    world.set_fault("cobaltair", fault, 0)


def test_a_question_is_asked_once_however_many_wait_for_it(wiring: Wiring, base_url: str, world: World) -> None:
    offer(wiring, AIR)
    headers = {"Authorization": f"Bearer {store_key(wiring)}"}
    world.set_fault("cobaltair", "slow", 1)  # so that the others come while the first is being answered

    def ask(_: int) -> int:
        return httpx.post(f"{base_url}{ASK}", json=BASKET, headers=headers, timeout=30).status_code

    before = OUTSIDE_CALLS.labels("cobaltair", "quotes", "answered")._value.get()
    with ThreadPoolExecutor(8) as pool:
        assert set(pool.map(ask, range(8))) == {200}
    ends = time.monotonic() + 20
    questions = 0
    while not questions and time.monotonic() < ends:  # what was answered is counted before it is kept
        time.sleep(0.05)
        with wiring.sessions() as session:
            questions = session.scalar(select(func.count(LiveAnswerRow.key))) or 0
    assert OUTSIDE_CALLS.labels("cobaltair", "quotes", "answered")._value.get() - before == questions > 0


def test_an_order_goes_as_it_was_sold(wiring: Wiring, base_url: str) -> None:
    """What the buyer chose is what the order is planned by, without anybody linking the words to a recipe."""
    body = {"url": base_url, "key": store_key(wiring)}
    typed = {"goods": "TR-02", "pieces": "1", "postcode": "3500-108", "country": "PT"}
    with httpx.Client(base_url=f"{wiring.settings.standins_url}/larkspur", timeout=30) as store:
        store.put("/checkout-key", json=body).raise_for_status()
        for chosen in ("noon", "locker"):
            who = {"name": f"Ada {chosen}", "street": "Rua 1", "city": "Viseu", "offer": chosen}
            assert "Thank you" in store.post("/checkout", data=typed | who).text
    pull(wiring.sessions, wiring.outside, "larkspur", wiring.clock())
    with wiring.sessions() as session:
        noon, locker = session.scalars(select(Order).where(Order.offer != "").order_by(Order.offer.desc())).all()
        newest = newest_checkout(session)
        assert newest is not None
        sold = sold_from(noon.offer)
        assert sold
        assert (sold.offer, sold.version, sold.service) == ("noon", newest.id, "bp-night")
        assert (len(sold.boxes), sold.price) == (1, noon.paid_shipping_minor)
        assert (noon.service, noon.promise_linked) == ("bp-night", True)
        assert any("sold at the checkout" in step.why for step in noon.plan.trail["service"])
        # The store did not say which locker: the plan says that it cannot go as it was sold, and why.
        snag = next(s for s in locker.snags if s.code == "service_gave_way")
        assert "locker or shop is not known" in snag.words


@pytest.mark.parametrize("made", [Sold("home", 3), Sold("home", 12, "bp-road"), Sold("a-b", 1, "x_y.z"),
     Sold("home", 12, "bp-road", ("BAG-M", "own"), 590), Sold("home", 12, "", (), 0)])  # fmt: skip
def test_a_reference_comes_back_as_it_went(made: Sold) -> None:
    assert sold_from(str(made)) == made


@pytest.mark.parametrize("foreign", ["", "home", "home@", "@3", "home@x", "Home@1", "home@1:", "home@1:a b", "a@1\n"])
def test_what_is_no_reference_of_ours_stands_for_nothing(foreign: str) -> None:
    assert sold_from(foreign) is None
