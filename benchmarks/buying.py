"""A batch of 500 bought by the real worker, against the stand-in's bare purchase calls at the same concurrency.

A worker that has bought nothing yet is slower with its first labels, so it buys a few beforehand, as does the floor.

.venv/bin/python -m benchmarks.buying
"""

from __future__ import annotations

import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
from sqlalchemy import func, select

from tidewind.app import make_wiring
from tidewind.core.addresses.check import Address
from tidewind.core.consignments import Consignment, Goods, Parcel, Route, write_consignment
from tidewind.core.order_facts import Hand
from tidewind.core.quantities import Size
from tidewind.db.tables import Batch, Channel, Person, Shipment
from tidewind.garbage import look_seldom
from tidewind.running.cluster import FAST_FOR_TESTS, free_port
from tidewind.running.supervisor import Supervisor
from tidewind.services.books import top_up
from tidewind.services.buying import AT_ONCE_PER_CARRIER, ToBuy, ask_to_buy
from tidewind.services.orders import NewLine, NewOrder, store_orders
from tidewind.settings import now
from tidewind.web.access import Wiring

COUNT, FIRST = 500, 20
SERVICES = ("np-parcel", "bp-road")


def orders_to_buy(wiring: Wiring) -> list[ToBuy]:
    with wiring.sessions.begin() as session:
        channel = session.scalars(select(Channel).order_by(Channel.id)).first()
        if channel is None:
            raise SystemExit("the demo has no channel")
        made = [
            NewOrder(
                number=f"B-{n}",
                ordered_at=now(),
                lines=(NewLine("HF-02", "Hand fork", 1, 1_290, 240),),
                address=Address(name=f"Buyer {n}", street=f"Rua {n}", city="Viseu", postcode="3500-108", country="PT"),
                hand=Hand(service=SERVICES[n % len(SERVICES)]),
            )
            for n in range(FIRST + COUNT)
        ]
        orders, _ = store_orders(session, channel, made, now())
        top_up(session, 1_000_000, "for-the-benchmark", "Inês", now())
        return [ToBuy(o.id, o.price_minor or 0) for o in orders]


def bare(standins: str) -> float:
    """Return labels a second of nothing but the carriers' purchase calls."""
    route = Route("PT", "3500-108", home=True, from_country="PT", from_postcode="3800-587")
    goes = Consignment(route, Goods(1_290), (Parcel(500, Size.of(250, 180, 120)),))
    body = {
        "consignment": write_consignment(goes),
        "recipient": {"name": "x"},
        "ship_date": now().date().isoformat(),
    }

    def lane(work: tuple[str, str, range]) -> None:
        carrier, service, numbers = work
        key = {"Authorization": f"Bearer {carrier}-key"}
        with httpx.Client(base_url=f"{standins}/carriers/{carrier}", headers=key, timeout=20) as client:
            for n in numbers:
                answer = client.post(
                    "/shipments",
                    json={**body, "service": service, "reference": f"{n}"},
                    headers={"Idempotency-Key": f"bare-{carrier}-{n}-{time.time_ns()}"},
                )
                answer.raise_for_status()

    each = COUNT // (2 * AT_ONCE_PER_CARRIER)
    work = [
        (carrier, service, range(k * each, (k + 1) * each))
        for carrier, service in (("norvia", "np-parcel"), ("brightmile", "bp-road"))
        for k in range(AT_ONCE_PER_CARRIER)
    ]
    start = time.perf_counter()
    with ThreadPoolExecutor(len(work)) as threads:
        list(threads.map(lane, work))
    return each * len(work) / (time.perf_counter() - start)


def batch(wiring: Wiring, wishes: list[ToBuy], click: str) -> tuple[float, float, float]:
    """Return labels a second from the click to the last label, seconds to the first, seconds of the click itself."""
    start = time.perf_counter()
    with wiring.sessions.begin() as session:
        person = session.scalars(select(Person.id)).first() or 0
        ask_to_buy(session, wishes, click, person, now())
    clicked = time.perf_counter() - start
    first = 0.0
    while True:
        with wiring.sessions() as session:
            mine = select(Batch.id).where(Batch.client_key == click)
            bought = select(func.count(Shipment.id)).where(Shipment.state == "bought", Shipment.batch_id.in_(mine))
            done = session.scalar(bought) or 0
        first = first or (time.perf_counter() - start if done else 0.0)
        if done == len(wishes):
            return len(wishes) / (time.perf_counter() - start), first, clicked
        time.sleep(0.03)


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="tidewind-bench-", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o755)
        shop = Supervisor(Path(folder) / "shop", free_port(), demo=True, fast=FAST_FOR_TESTS, history_days=0)
        try:
            shop.up()
            wiring = make_wiring(shop.settings)
            wishes = orders_to_buy(wiring)
            batch(wiring, wishes[:FIRST], "first")
            floor = bare(shop.settings.standins_url)
            rate, first, clicked = batch(wiring, wishes[FIRST:], "five hundred")
            again = bare(shop.settings.standins_url)
            wiring.sessions.kw["bind"].dispose()
            wiring.outside.close()
        finally:
            shop.down()
    lowest = (floor + again) / 2
    print(f"floor, bare purchase calls:   {lowest:6,.0f} labels/s")
    print(f"a batch of {COUNT}, click to end: {rate:6,.0f} labels/s   {rate / lowest:.0%} of the floor (aim 60 %)")
    print(f"the click itself {clicked:.2f} s, the first label after {first:.2f} s (aim 2 s)")


if __name__ == "__main__":
    look_seldom()
    main()
