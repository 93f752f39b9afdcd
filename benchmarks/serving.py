"""The pages people open most, through HTTP, with 200,000 orders, against their bare SELECTs and the bare endpoint.

.venv/bin/python -m benchmarks.serving [orders, 200000] [open ones, 10000]
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import psycopg

from tidewind.running.cluster import free_port
from tidewind.running.supervisor import Supervisor
from tidewind.settings import DEMO_PASSWORD

ROUNDS, CONNECTIONS, SECONDS = 15, 16, 8
COPY = """
insert into customer_order ({names}, number, recipient_key)
select {values}, o.number || '-' || n, md5(o.recipient_key || n)
  from (select o.* from customer_order o where state in ({states}) order by id limit 200) o
  cross join generate_series(1, {times}) n;
"""
THERE = "select least(count(*), 200) from customer_order where state = %s"
SENT = """
insert into shipment ({names}, order_id, idempotency_key, tracking_key)
select {values}, o.id, 'bench-' || o.id, 'bench-' || o.id
  from customer_order o join lateral (select * from shipment order by id limit 1) s on true
 where o.state = 'shipped' and not exists (select from shipment x where x.order_id = o.id);
insert into label ({label_names}, shipment_id, tracking_number)
select {label_values}, s.id, 'BN' || s.id
  from shipment s join lateral (select * from label order by id limit 1) l on true
 where s.idempotency_key like 'bench-%';
update customer_order o set newest_shipment_id = s.id from shipment s
 where s.order_id = o.id and o.newest_shipment_id = 0;
analyze;
"""
BARE = {
    "open": "select * from customer_order where state = 'open' order by ship_date, carrier, network, id limit 100",
    "shipped": "select * from customer_order where state in ('shipped', 'part_shipped')"
    " order by newest_shipment_id desc limit 100",
    "search": "select * from customer_order where state = 'open'"
    " and search like '%ines%' and search like '%viseu%' limit 100",
    "counts": "select state, snag_level, count(*) from customer_order group by 1, 2",
    "one": "select * from customer_order where id = (select max(id) from customer_order where state = 'open')",
}
PAGES = {
    "open": "/api/orders?view=open&sort=departure&limit=100",
    "shipped": "/api/orders?view=shipped&sort=shipped&descending=true&limit=100",
    "search": "/api/orders?view=open&text=ines viseu&limit=100",
    "today": "/api/today",
}


def columns(shop: psycopg.Connection[tuple[object, ...]], table: str, alias: str, without: set[str]) -> tuple[str, str]:
    rows = shop.execute(
        "select column_name from information_schema.columns where table_name = %s and is_generated = 'NEVER'", (table,)
    )
    names = [str(name) for (name,) in rows if name not in {"id", *without}]
    return ", ".join(names), ", ".join(f"{alias}.{name}" for name in names)


def fill(url: str, total: int, open_ones: int) -> None:
    with psycopg.connect(url, autocommit=True) as shop:
        names, values = columns(shop, "customer_order", "o", {"number", "recipient_key"})
        for states, wanted in (("'open'", open_ones), ("'shipped'", total - open_ones)):
            there = shop.execute(THERE, (states.strip("'"),))
            times = max(wanted // max(int(str((there.fetchone() or (1,))[0])), 1), 1)
            shop.execute(COPY.format(names=names, values=values, states=states, times=times))  # type: ignore[arg-type]
        sent, sent_values = columns(shop, "shipment", "s", {"order_id", "idempotency_key", "tracking_key"})
        label, label_values = columns(shop, "label", "l", {"shipment_id", "tracking_number"})
        said = SENT.format(names=sent, values=sent_values, label_names=label, label_values=label_values)
        for statement in said.split(";\n"):
            if statement.strip():
                shop.execute(statement)  # type: ignore[arg-type]
        shop.execute("vacuum analyze customer_order")


def best(work: Callable[[], object], between: Callable[[], object] = lambda: None) -> float:
    """Return the median of how long a piece of work takes, in milliseconds; what is done between is not counted."""
    times = []
    for _ in range(ROUNDS):
        between()
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    return statistics.median(times) * 1_000


def answers_a_second(base_url: str, cookies: dict[str, str], path: str) -> float:
    """Ask from several connections at once for some seconds; return how many answers came in one."""
    done, ends = [0] * CONNECTIONS, time.monotonic() + SECONDS

    def ask(n: int) -> None:
        with httpx.Client(base_url=base_url, cookies=cookies, timeout=60) as client:
            while time.monotonic() < ends:
                client.get(path).raise_for_status()
                done[n] += 1

    threads = [threading.Thread(target=ask, args=(n,)) for n in range(CONNECTIONS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return sum(done) / SECONDS


@contextmanager
def beside(work: Callable[[], object], every_s: float = 0.05) -> Iterator[None]:
    """Do something again and again while something else goes on."""
    ends = threading.Event()

    def again() -> None:
        while not ends.wait(every_s):
            work()

    thread = threading.Thread(target=again)
    thread.start()
    try:
        yield
    finally:
        ends.set()
        thread.join()


def main(total: int, open_ones: int) -> None:
    with tempfile.TemporaryDirectory(prefix="tidewind-bench-") as folder:
        Path(folder).chmod(0o755)
        shop = Supervisor(Path(folder) / "shop", free_port(), demo=True, history_days=20, webs=2)
        try:
            base_url = shop.up()
            fill(shop.settings.database_url, total, open_ones)
            run(base_url, shop.settings.database_url)
        finally:
            shop.down()


def run(base_url: str, database_url: str) -> None:
    with httpx.Client(base_url=base_url, timeout=60) as client, psycopg.connect(database_url, autocommit=True) as shop:
        client.post("/api/sign-in", json={"login": "tome", "password": DEMO_PASSWORD}).raise_for_status()
        empty = best(lambda: client.get("/api/start").raise_for_status())
        print(f"the bare endpoint: {empty:.1f} ms")
        counted = best(lambda: shop.execute(BARE["counts"]).fetchall())
        for name, path in PAGES.items():
            bare = counted if name == "today" else counted + best(lambda n=name: shop.execute(BARE[n]).fetchall())  # type: ignore[misc]
            took = best(lambda p=path: client.get(p).raise_for_status())  # type: ignore[misc]
            print(f"{name}: {took:.0f} ms; its bare SELECTs {bare:.0f} ms; {took / bare:.1f} × (aim 3 ×, 100 ms)")
        newest = shop.execute(BARE["one"].replace("select *", "select id", 1)).fetchone()
        one = best(lambda: client.get(f"/api/orders/{newest[0] if newest else 1}").raise_for_status())
        print(f"one order: {one:.0f} ms (aim 100 ms)")
        cookies = dict(client.cookies)
        rate = answers_a_second(base_url, cookies, PAGES["open"])
        bare_rate = answers_a_second(base_url, cookies, "/api/start")
        print(f"{CONNECTIONS} connections, first page: {rate:.0f} answers/s (aim 100); bare endpoint {bare_rate:.0f}")
        with beside(lambda: shop.execute("update customer_order set comment = comment where id = %s", newest)):
            written = answers_a_second(base_url, cookies, PAGES["open"])
        print(f"the same while an order is written every 50 ms: {written:.0f} answers/s")


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:3]]
    main(given[0] if given else 200_000, given[1] if len(given) > 1 else 10_000)
