"""Three hundred labels while everything goes wrong at once: each is bought once, and the books agree to the cent.

TIDEWIND_STORM=1000 makes it a thousand.
"""

from __future__ import annotations

import random
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import httpx
import pytest
from sqlalchemy import func, select, text

from tests.run.shops import copy_demo
from tidewind.app import make_wiring
from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import Hand
from tidewind.core.rules.rule import Split
from tidewind.db.tables import Channel, LedgerAccount, LedgerLine, Order, Shipment
from tidewind.running.cluster import free_port
from tidewind.running.supervisor import Supervisor
from tidewind.services.books import top_up
from tidewind.services.orders import NewLine, NewOrder, store_orders
from tidewind.services.planning import forget_kept
from tidewind.services.rates import forget_answers
from tidewind.settings import DEMO_PASSWORD, now
from tidewind.web.access import Wiring

LABELS = 300
KILLED_SAFELY = ("fsync=off", "full_page_writes=off")
"""What was committed is there after the database was killed; only a machine that loses its power could lose it."""
CARRIERS = ("norvia", "brightmile", "pontolo")
FAULTS = ("slow", "error", "timeout_after_work", "duplicate_answer", "repeat_refused", "down", "dearer")
SERVICES = ("np-parcel", "bp-road", "pp-locker")


@pytest.fixture
def shop(monkeypatch: pytest.MonkeyPatch) -> Iterator[Supervisor]:
    monkeypatch.setenv("TIDEWIND_CARRIER_TIMEOUT_S", "1.5")
    forget_kept()
    forget_answers()
    with tempfile.TemporaryDirectory(prefix="tidewind-chaos-", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o755)
        made = Supervisor(copy_demo(Path(folder), 0), free_port(), demo=True, fast=KILLED_SAFELY, history_days=0)
        try:
            made.up()
            yield made
        finally:
            made.down()


@pytest.fixture
def wiring(shop: Supervisor) -> Iterator[Wiring]:
    made = make_wiring(shop.settings)
    yield made
    made.sessions.kw["bind"].dispose()
    made.outside.close()


def three_hundred(wiring: Wiring) -> list[int]:
    """Store orders that three carriers will share, one in ten of two parcels."""
    with wiring.sessions.begin() as session:
        channel = session.scalars(select(Channel).order_by(Channel.id)).first()
        assert channel
        lines = (NewLine("HF-02", "Hand fork", 1, 1_290, 240),)
        made = []
        for n in range(LABELS):
            hand = Hand(service=SERVICES[n % 3], point="PT-3500-01")
            if n % 10 == 9:  # lockers take one parcel a shipment
                hand = replace(hand, service=SERVICES[n // 10 % 2], split=Split("quantity", 1))
            to = Address(name=f"Buyer {n}", street=f"Rua {n}", city="Viseu", postcode="3500-108", country="PT")
            two = (NewLine("HF-02", "Hand fork", 2, 1_290, 240),)
            made.append(
                NewOrder(
                    number=f"CH-{n:03d}", address=to, lines=two if n % 10 == 9 else lines, ordered_at=now(), hand=hand
                )
            )
        orders, _ = store_orders(session, channel, made, now())
        assert [o.number for o in orders if o.price_minor is None] == []
        return [o.id for o in orders]


class Buyer(threading.Thread):
    """A person who keeps asking, whatever happens to the server, until an answer came."""

    def __init__(self, shop: Supervisor, login: str, groups: list[list[int]], prices: dict[int, int]) -> None:
        super().__init__()
        self.base, self.login, self.groups, self.prices = shop.settings.base_url, login, groups, prices
        self.taken: list[int] = []
        self.failed: BaseException | None = None

    def run(self) -> None:
        try:
            for n, group in enumerate(self.groups):
                self.taken += self.ask(f"{self.login}-click-{n}", group)
        except BaseException as error:
            self.failed = error

    def ask(self, key: str, group: list[int]) -> list[int]:
        wishes = [{"order_id": i, "shown_minor": self.prices[i]} for i in group]
        for _ in range(60):
            try:
                with httpx.Client(base_url=self.base, timeout=20) as client:
                    person = {"login": self.login, "password": DEMO_PASSWORD}
                    client.post("/api/sign-in", json=person).raise_for_status()
                    me = client.get("/api/me")
                    me.raise_for_status()  # the database can be killed between the two
                    token = me.json()["csrf_token"]
                    answer = client.post(
                        "/api/purchases", json={"orders": wishes, "client_key": key}, headers={"X-CSRF-Token": token}
                    )
                    answer.raise_for_status()
                    return list(answer.json()["taken"])
            except httpx.HTTPError:
                time.sleep(0.5)
        raise AssertionError("the server never came back")


def make_trouble(shop: Supervisor, chance: random.Random, stop: threading.Event) -> None:
    """Switch faults on and kill the worker, the web server and the database, at random, until told to stop.

    A web server is killed only once it has answered: on a slow machine it would else never come up between two kills.
    """
    while not stop.wait(chance.uniform(0.2, 0.7)):
        party, kind = chance.choice(CARRIERS), chance.choice(FAULTS)
        httpx.post(f"{shop.settings.standins_url}/faults", data={"party": party, "kind": kind, "times": 2}, timeout=30)
        victim = chance.choice(("worker", "web", "", "", "", ""))
        if victim == "worker" or (victim == "web" and answers(shop)):
            shop.kill(victim)
        if chance.random() < 0.06 and answers(shop):
            kill_database(shop)
        shop.look_after()  # as the process does that started them


def kill_database(shop: Supervisor) -> None:
    """End the database's first process at once; the others of it end by themselves."""
    assert shop.cluster
    assert shop.cluster._server
    shop.cluster._server.kill()
    shop.cluster._server.wait()


def answers(shop: Supervisor) -> bool:
    try:
        return httpx.get(f"{shop.settings.base_url}/api/start", timeout=2).is_success
    except httpx.HTTPError:
        return False


def wait_until_settled(shop: Supervisor, wiring: Wiring, seconds: int) -> None:
    for _ in range(seconds * 2):
        shop.look_after()
        with wiring.sessions() as session:
            if not session.scalar(select(func.count(Shipment.id)).where(Shipment.state == "buying")):
                return
        time.sleep(0.5)
    raise AssertionError("some labels are still being bought")


def agrees(wiring: Wiring, standins: str) -> None:
    """Our live shipments and every carrier's book say the same; the ledger follows them to the cent."""
    with wiring.sessions() as session:
        bought = session.scalars(select(Shipment).where(Shipment.state == "bought")).all()
        mine = {s.idempotency_key: (s.price_minor, [lb.tracking_number for lb in s.labels]) for s in bought}
        accounts = {a.code: a.balance_minor for a in session.scalars(select(LedgerAccount))}
        summed = dict(
            session.execute(
                select(LedgerLine.account, func.sum(LedgerLine.amount_minor)).group_by(LedgerLine.account)
            ).all()
        )
        newest = dict(
            session.execute(
                text("select distinct on (account) account, balance_after from ledger_line order by account, id desc")
            ).all()
        )
        assert max(Counter(s.order_id for s in bought).values()) == 1
    theirs = {
        b["key"]: (b["price_minor"], [p["tracking_number"] for p in b["parcels"]])
        for party in CARRIERS
        for b in httpx.get(f"{standins}/carriers/{party}/book").json()
        if not b["cancelled"]
    }
    assert mine == theirs
    assert sum(accounts.values()) == 0
    assert accounts == {**dict.fromkeys(accounts, 0), **{k: int(v) for k, v in summed.items()}}
    assert {k: accounts[k] for k in newest} == newest
    assert (accounts["held"], accounts["postage"]) == (0, sum(price for price, _ in mine.values()))


@pytest.mark.long("a storm over real processes")
@pytest.mark.slow("a storm over real processes")
def test_three_hundred_labels_in_a_storm(shop: Supervisor, wiring: Wiring) -> None:
    ids = three_hundred(wiring)
    with wiring.sessions.begin() as session:
        top_up(session, 900_000, "for-the-storm", "Inês", now())
        prices = {o.id: o.price_minor or 0 for o in session.scalars(select(Order).where(Order.id.in_(ids)))}
    chance = random.Random(20_261_123)
    many, more = LABELS // 5, LABELS // 4
    forth = [ids[n : n + many] for n in range(0, LABELS, many)]
    back = [list(reversed(ids[n : n + more])) for n in reversed(range(0, LABELS, more))]
    people = [Buyer(shop, "tome", forth, prices), Buyer(shop, "ines", back, prices)]
    stop = threading.Event()
    trouble = threading.Thread(target=make_trouble, args=(shop, chance, stop))
    trouble.start()
    for person in people:
        person.start()
    for person in people:
        person.join()
    time.sleep(8)  # the carriers are asked meanwhile; so are their faults
    stop.set()
    trouble.join()
    assert [p.failed for p in people] == [None, None]
    assert sorted(set(people[0].taken) | set(people[1].taken)) == ids
    for party in CARRIERS:  # the storm is over: what is left of the faults goes
        for kind in FAULTS:
            httpx.post(f"{shop.settings.standins_url}/faults", data={"party": party, "kind": kind, "times": 0})
    wait_until_settled(shop, wiring, 120)
    agrees(wiring, shop.settings.standins_url)
    with wiring.sessions() as session:
        failed = session.scalars(select(Shipment).where(Shipment.state == "failed")).all()
        assert [s.id for s in failed if not s.failure] == []
        twice = set(people[0].taken) & set(people[1].taken)
        assert twice <= {s.order_id for s in failed}  # only what failed for one could be taken by the other
        sold = session.scalars(select(Shipment.order_id).where(Shipment.state == "bought")).all()
        open_again = sorted({s.order_id for s in failed} - set(sold))
        states = dict(
            session.execute(select(Order.state, func.count()).where(Order.id.in_(ids)).group_by(Order.state)).all()
        )
        assert states == {k: v for k, v in {"open": len(open_again), "shipped": LABELS - len(open_again)}.items() if v}
    if open_again:  # those that failed are tried again, as a person would
        taken = Buyer(shop, "tome", [], prices).ask("tome-tries-again", open_again)
        assert sorted(taken) == open_again
        wait_until_settled(shop, wiring, 60)
        agrees(wiring, shop.settings.standins_url)
    with wiring.sessions() as session:
        live = select(func.count(Shipment.id)).where(Shipment.order_id.in_(ids), Shipment.state == "bought")
        assert session.scalar(live) == LABELS
