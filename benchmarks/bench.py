"""A scan at the bench with 10,000 open orders, and departures with 2,000 labels, against their bare SELECTs.

.venv/bin/python -m benchmarks.bench [open orders, 10000] [labels, 2000]
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import psycopg
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from benchmarks.serving import best, columns, fill
from tidewind.app import make_wiring
from tidewind.db.tables import Departure, Order, Person, Product
from tidewind.running.cluster import free_port
from tidewind.running.supervisor import Supervisor
from tidewind.services.bench import scan_at_bench
from tidewind.services.handover import lanes_on
from tidewind.services.people import Who
from tidewind.settings import real_now
from tidewind.web.access import Wiring

LABELS = """
insert into shipment ({names}, order_id, idempotency_key, tracking_key)
select {values}, o.id, 'lane-' || o.id, 'lane-' || o.id
  from (select id from customer_order where state = 'open' order by id desc limit {many}) o
  join lateral (select * from shipment order by id limit 1) s on true;
insert into label ({label_names}, shipment_id, tracking_number, departure_id)
select {label_values}, s.id, 'LN' || s.id, {departure}
  from shipment s join lateral (select * from label order by id limit 1) l on true
 where s.idempotency_key like 'lane-%';
analyze;
"""
BARE_LANES = """
select d.carrier, d.network, s.service, s.service_name, l.parcel, l.gross_g, l.printed_at, o.number
  from label l join shipment s on s.id = l.shipment_id join departure d on d.id = l.departure_id
  join customer_order o on o.id = s.order_id
 where d.day = :day and s.state in ('bought', 'void_refused') order by l.id
"""


def lay(url: str, departure: int, many: int) -> None:
    """Let as many labels lie at a departure."""
    with psycopg.connect(url, autocommit=True) as shop:
        names, values = columns(shop, "shipment", "s", {"order_id", "idempotency_key", "tracking_key"})
        label, label_values = columns(shop, "label", "l", {"shipment_id", "tracking_number", "departure_id"})
        said = LABELS.format(
            names=names, values=values, label_names=label, label_values=label_values, departure=departure, many=many
        )
        for statement in said.split(";\n"):
            if statement.strip():
                shop.execute(statement)  # type: ignore[arg-type]


def in_transactions(wiring: Wiring, work: Callable[[Session], object]) -> Callable[[], None]:
    """Return a call that does its work in a transaction of its own."""

    def call() -> None:
        with wiring.sessions.begin() as session:
            work(session)

    return call


def settled(work: Callable[[], object], between: Callable[[], object] = lambda: None) -> float:
    """Return how long a piece of work takes in the middle of a shift, in milliseconds.

    The first ten times that a connection says a statement, the server plans it anew.
    """
    best(work, between)
    return best(work, between)


def scans(wiring: Wiring) -> None:
    """Print how long a scan takes beside one indexed SELECT, each in a transaction of its own."""
    with wiring.sessions() as session:
        tome = session.scalars(select(Person).where(Person.login == "tome")).one()
        who = Who(tome.id, tome.name, tome.role, "")
        plain = {p.sku: p.barcode for p in session.scalars(select(Product)) if p.barcode and not p.serial}
        orders = session.scalars(select(Order).where(Order.state == "open", Order.price_minor.is_not(None)).limit(300))
        fitting = [o for o in orders if all(line.sku in plain for line in o.lines)]
        order = next(o for o in fitting if sum(line.quantity for line in o.lines) > 1)
        number, code = order.number, plain[order.lines[0].sku]
        others = [
            [o.number, *(plain[line.sku] for line in o.lines for _ in range(line.quantity))]
            for o in fitting
            if o is not order and len(o.plan.parcels) == 1
        ]

    def scan(session: Session, what: str, at: str = "Bench 1") -> object:
        return scan_at_bench(session, at, what, who, real_now())

    indexed = in_transactions(wiring, lambda s: s.execute(select(Order.id).where(Order.number == number)).all())
    floor = settled(indexed)
    opens = in_transactions(wiring, lambda s: scan(s, number))
    skips = in_transactions(wiring, lambda s: scan(s, "TWCODE-DO-SKIP"))
    skips()
    opened = settled(opens, between=skips)
    opens()
    skipped = settled(skips, between=opens)
    wrong = settled(in_transactions(wiring, lambda s: scan(s, "4006381333931")))
    undo = in_transactions(wiring, lambda s: scan(s, "TWCODE-DO-UNDO"))
    in_transactions(wiring, lambda s: scan(s, code))()
    counted = settled(in_transactions(wiring, lambda s: scan(s, code)), between=undo)
    last = whole_orders(wiring, scan, others[:20])
    floor = min(floor, settled(indexed))
    results = (("opens an order", opened), ("skips it", skipped), ("counts", counted), ("is wrong", wrong))
    results += (("is the last, and asks for the label", last),)
    for name, took in results:
        print(f"a scan that {name}: {took:.2f} ms, {took / floor:.1f} × one indexed SELECT ({floor:.2f} ms)")


def whole_orders(wiring: Wiring, scan: Callable[[Session, str, str], object], orders: list[list[str]]) -> float:
    """Scan whole orders, each at a bench of its own; return how long the last item takes: the median."""
    took = []
    for n, codes in enumerate(orders):
        for code in codes:
            started = time.perf_counter()
            with wiring.sessions.begin() as session:
                scan(session, code, f"Bench {n + 2}")
            ended = time.perf_counter()
        took.append((ended - started) * 1_000)
    return statistics.median(took)


def lanes(wiring: Wiring, url: str, many: int) -> None:
    """Print how long the departures of a day take beside the bare SELECT of their labels."""
    with wiring.sessions() as session:
        departure = session.scalars(select(Departure).order_by(Departure.id).limit(1)).one()
        departure_id, day = departure.id, departure.day
    lay(url, departure_id, many)
    floor = best(in_transactions(wiring, lambda s: s.execute(text(BARE_LANES), {"day": day}).all()))
    took = best(in_transactions(wiring, lambda s: lanes_on(s, day, real_now())))
    print(f"departures with {many:,} labels: {took:.1f} ms, {took / floor:.1f} × the bare SELECT ({floor:.1f} ms)")


def main(open_ones: int, labels: int) -> None:
    """Measure in a shop of its own."""
    with tempfile.TemporaryDirectory(prefix="tidewind-bench-") as folder:
        Path(folder).chmod(0o755)
        shop = Supervisor(Path(folder) / "shop", free_port(), demo=True, history_days=20)
        try:
            shop.up()
            url = shop.settings.database_url
            fill(url, open_ones + 1_000, open_ones)
            wiring = make_wiring(shop.settings)
            scans(wiring)
            lanes(wiring, url, labels)
        finally:
            shop.down()


if __name__ == "__main__":
    main(*(int(given) for given in (sys.argv[1:] + ["10000", "2000"][len(sys.argv) - 1 :])))
