"""The checkout's endpoint from 16 connections: the same baskets again, ever new ones, a flood; 200 with a slow carrier.

The floor is what the same server answers to an address that there is not.

.venv/bin/python -m benchmarks.checkout
"""

from __future__ import annotations

import asyncio
import json
import random
import tempfile
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

import httpx
from sqlalchemy import select

from benchmarks.serving import CONNECTIONS, SECONDS, best
from tidewind.app import make_wiring
from tidewind.core.checkout.reach import read_reach
from tidewind.core.checkout.tables import RateTable, TableRow
from tidewind.db.tables import Person, Product
from tidewind.running.cluster import free_port
from tidewind.running.supervisor import Supervisor
from tidewind.services.people import make_key
from tidewind.services.rates import newest_checkout, save_checkout
from tidewind.web.access import Wiring

PATH = "/api/checkout/v1/offers"


def measured(
    url: str,
    key: str,
    ask: Callable[[httpx.Client, random.Random], httpx.Response],
    connections: int = CONNECTIONS,
    *,
    at_most: float = 0.99,
    refused: bool = False,
) -> tuple[float, float]:
    """Ask from several connections for some seconds; return answers a second, and a percentile of the time in ms."""
    took: list[list[float]] = [[] for _ in range(connections)]
    ends = time.monotonic() + SECONDS

    def one(n: int) -> None:
        chance = random.Random(n)
        with httpx.Client(base_url=url, headers={"Authorization": f"Bearer {key}"}, timeout=60) as client:
            while time.monotonic() < ends:
                started = time.perf_counter()
                answer = ask(client, chance)
                if answer.status_code not in ({200, 404, 429} if refused else {200, 404}):
                    raise RuntimeError(f"the server said {answer.status_code}")
                took[n].append(time.perf_counter() - started)

    threads = [threading.Thread(target=one, args=(n,)) for n in range(connections)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    every = [t for some in took for t in some]
    every.sort()
    return len(every) / SECONDS, every[min(int(len(every) * at_most), len(every) - 1)] * 1_000


def flood(url: str, keys: tuple[str, str], ask: Callable[[httpx.Client, random.Random], httpx.Response]) -> None:
    """Print what one key gets alone, and beside another that asks without end and is refused."""
    alone, _ = measured(url, keys[0], ask, 4)
    with ThreadPoolExecutor(1) as beside:
        flooding = beside.submit(measured, url, keys[1], ask, 8, refused=True)
        rate, _ = measured(url, keys[0], ask, 4)
        refused, _ = flooding.result()
    print(f"beside a flood of {refused:.0f}/s: {rate:.0f}/s, alone {alone:.0f}/s ({alone / rate:.1f} ×)")


def slow_carrier(shop: Supervisor, wiring: Wiring, key: str, bodies: Sequence[dict[str, object]]) -> None:
    """Print the longest answer to 200 connections while a carrier that is asked for its price is slow."""
    air = {"code": "air", "names": {"en": "Air"}, "price": {"kind": "live", "services": ["ca-day"]}}
    with wiring.sessions.begin() as session:
        newest = newest_checkout(session)
        owner = session.scalars(select(Person.id).where(Person.login == "ines")).one()
        body = {"offers": [{**air, "fallback": {"home_minor": 1990}}]}
        save_checkout(session, body, newest.id if newest else 0, "", None, owner, wiring.clock())
    fault = {"party": "cobaltair", "kind": "slow", "times": 100_000}
    httpx.post(f"{shop.settings.standins_url}/faults", data=fault, follow_redirects=True).raise_for_status()
    took = asyncio.run(_by_200(shop.settings.base_url, key, bodies))
    took.sort()
    high, rate = took[int(len(took) * 0.99)] * 1_000, len(took) / SECONDS
    print(f"200 connections, a slow carrier: {rate:.0f}/s, p99 {high:.0f} ms, the longest {took[-1] * 1_000:.0f} ms")


async def _by_200(url: str, key: str, bodies: Sequence[dict[str, object]]) -> list[float]:
    """Return how long each answer took, asked by a client that costs little beside the server it shares cores with."""
    host, port = url.removeprefix("http://").split(":")
    ends, took = time.monotonic() + SECONDS, list[float]()

    async def one(n: int) -> None:
        reader, writer = await asyncio.open_connection(host, int(port))
        while time.monotonic() < ends:
            body = json.dumps(bodies[n % len(bodies)]).encode()
            head = f"POST {PATH} HTTP/1.1\r\nHost: {host}\r\nAuthorization: Bearer {key}\r\n"
            started, n = time.perf_counter(), n + 1
            writer.write(f"{head}Content-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n".encode() + body)
            answer = await reader.readuntil(b"\r\n\r\n")
            if b" 200 " not in answer[:20]:
                raise RuntimeError(answer[:80])
            await reader.readexactly(int(answer.lower().split(b"content-length: ")[1].split(b"\r")[0]))
            took.append(time.perf_counter() - started)
        writer.close()

    await asyncio.gather(*(one(n) for n in range(200)))
    return took


def tables() -> None:
    """Print how long it takes to find the row of a destination in a table of 5,000 rows, against one of 50."""
    took = []
    for rows in (50, 5_000):
        made = [TableRow(read_reach("PT", "", f"{1000 + n}-{1000 + n}"), (100,) * 20) for n in range(rows)]
        table = RateTable("t", "T", "weight_g", tuple(range(1_000, 21_000, 1_000)), tuple(made))
        chance = random.Random(rows)
        codes = [f"{1000 + chance.randrange(rows)}-100" for _ in range(20_000)]
        took.append(best(partial(_find_all, table, codes)) / len(codes) * 1_000)
    print(f"a row among 5,000: {took[1]:.1f} µs, {took[1] / took[0]:.1f} × one among 50 ({took[0]:.1f} µs)")


def _find_all(table: RateTable, codes: list[str]) -> None:
    for code in codes:
        table.row_for("PT", code)


def main() -> None:
    """Measure in a shop of its own."""
    tables()
    with tempfile.TemporaryDirectory(prefix="tidewind-bench-") as folder:
        Path(folder).chmod(0o755)
        shop = Supervisor(Path(folder) / "shop", free_port(), demo=True, history_days=20)
        try:
            shop.up()
            wiring = make_wiring(shop.settings)
            with wiring.sessions.begin() as session:
                owner = session.scalars(select(Person.id).where(Person.login == "ines")).one()
                _, key = make_key(session, owner, "Benchmark", "care", reads_only=True, per_minute=1_000_000)
                _, few_a_minute = make_key(session, owner, "Flood", "care", reads_only=True, per_minute=60)
                skus = list(session.scalars(select(Product.sku).order_by(Product.sku)))

            def basket(chance: random.Random, lines: int, postcode: str) -> dict[str, object]:
                goods = chance.sample(skus, lines)
                made = [{"sku": s, "quantity": chance.randint(1, 3), "unit_price_minor": 990} for s in goods]
                return {"lines": made, "country": "PT", "postcode": postcode}

            few = [basket(random.Random(n), 2, "3500-108") for n in range(40)]

            def again(client: httpx.Client, chance: random.Random) -> httpx.Response:
                return client.post(PATH, json=chance.choice(few))

            def ever_new(client: httpx.Client, chance: random.Random) -> httpx.Response:
                return client.post(
                    PATH, json=basket(chance, chance.randint(1, 4), f"{chance.randrange(1000, 8999)}-100")
                )

            url = shop.settings.base_url
            floor, slow = measured(url, key, lambda client, _: client.get("/api/openapi.json/none"))
            print(f"an address that there is not: {floor:.0f}/s, p99 {slow:.0f} ms")
            for name, ask in (("the same baskets", again), ("ever new baskets", ever_new)):
                rate, p99 = measured(url, key, ask)
                print(f"{name}: {rate:.0f}/s ({rate / floor:.0%}), p99 {p99:.0f} ms ({p99 / slow:.1f} ×)")
            flood(url, (key, few_a_minute), again)
            slow_carrier(shop, wiring, key, few)
        finally:
            shop.down()


if __name__ == "__main__":
    main()
