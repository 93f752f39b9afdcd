"""The checkout from 64 connections, against a bare FastAPI endpoint of the same run; and with carriers in trouble.

The bare endpoint reads the same baskets and answers the same bytes each time, in one process of its own, as the shop's
web server is one.  Both are asked by the same client, which costs little beside the server it shares cores with.

.venv/bin/python -m benchmarks.checkout
"""

from __future__ import annotations

import asyncio
import itertools
import json
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

import httpx
import uvicorn
from fastapi import FastAPI
from pydantic import BaseModel
from sqlalchemy import select, update

from benchmarks.serving import SECONDS, best
from tidewind.app import make_wiring
from tidewind.core.checkout.reach import read_reach
from tidewind.core.checkout.tables import RateTable, TableRow
from tidewind.core.tariffs.asked import AskedService, asked_card
from tidewind.core.tariffs.simple import Around
from tidewind.db.tables import CarrierRow, Person, Product
from tidewind.running.cluster import free_port
from tidewind.running.supervisor import Supervisor
from tidewind.services.people import make_key
from tidewind.services.planning import shop_day
from tidewind.services.rates import newest_checkout, save_checkout
from tidewind.services.shop import save_card
from tidewind.web.access import Wiring

PATH, CONNECTIONS, MANY = "/api/checkout/v1/offers", 64, 200
Body = dict[str, Any]


class BareLine(BaseModel):
    sku: str
    quantity: int
    unit_price_minor: int = 0


class BareBasket(BaseModel):
    lines: list[BareLine]
    country: str
    postcode: str = ""


def bare_app() -> FastAPI:
    """The least that could answer a basket."""
    app = FastAPI()

    @app.post(PATH)
    async def offers(basket: BareBasket) -> dict[str, Any]:
        return {"version": 1, "currency": "EUR", "offers": [{"code": "home", "price_minor": 540 + len(basket.lines)}]}

    return app


@contextmanager
def bare_server() -> Iterator[str]:
    port = free_port()
    with subprocess.Popen([sys.executable, "-m", "benchmarks.checkout", "bare", str(port)]) as process:
        url = f"http://127.0.0.1:{port}"
        ends = time.monotonic() + 30
        while time.monotonic() < ends:
            try:
                httpx.get(url)
                break
            except httpx.ConnectError:
                time.sleep(0.1)
        try:
            yield url
        finally:
            process.terminate()


@dataclass
class Asked:
    """What came of asking for some seconds: how long each answer took, how many were refused, and the answers kept."""

    took: list[float] = field(default_factory=list)
    refused: int = 0
    answers: list[Body] = field(default_factory=list)

    @property
    def rate(self) -> float:
        return len(self.took) / SECONDS

    def ms(self, share: float) -> float:
        return sorted(self.took)[min(int(len(self.took) * share), len(self.took) - 1)] * 1_000


async def _ask(url: str, key: str, bodies: Iterator[Body], connections: int, keep: bool) -> Asked:
    host, port = url.removeprefix("http://").split(":")
    ends, found = time.monotonic() + SECONDS, Asked()

    async def one() -> None:
        reader, writer = await asyncio.open_connection(host, int(port))
        while time.monotonic() < ends:
            body = json.dumps(next(bodies)).encode()
            head = f"POST {PATH} HTTP/1.1\r\nHost: {host}\r\nAuthorization: Bearer {key}\r\n"
            started = time.perf_counter()
            writer.write(f"{head}Content-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n".encode() + body)
            answer = await reader.readuntil(b"\r\n\r\n")
            said = await reader.readexactly(int(answer.lower().split(b"content-length: ")[1].split(b"\r")[0]))
            if b" 429 " in answer[:20]:
                found.refused += 1
                continue
            if b" 200 " not in answer[:20]:
                raise RuntimeError(answer[:80])
            found.took.append(time.perf_counter() - started)
            if keep:
                found.answers.append(json.loads(said))
        writer.close()

    await asyncio.gather(*(one() for _ in range(connections)))
    return found


def asked(url: str, key: str, bodies: Iterator[Body], connections: int = CONNECTIONS, *, keep: bool = False) -> Asked:
    """Ask from so many connections for some seconds."""
    return asyncio.run(_ask(url, key, bodies, connections, keep))


def baskets(skus: Sequence[str], seed: int, postcodes: int) -> Iterator[Body]:
    """Yield baskets, to so many postcodes."""
    chance = random.Random(seed)
    while True:
        goods = chance.sample(skus, chance.randint(1, 4))
        lines = [{"sku": s, "quantity": chance.randint(1, 3), "unit_price_minor": 990} for s in goods]
        yield {"lines": lines, "country": "PT", "postcode": f"{1000 + chance.randrange(postcodes)}-100"}


def flood(url: str, keys: tuple[str, str], few: Sequence[Body]) -> None:
    """Print what one key gets alone, and beside another that asks without end and is refused."""
    alone = asked(url, keys[0], itertools.cycle(few), 4)

    async def both() -> tuple[Asked, Asked]:
        mine = _ask(url, keys[0], itertools.cycle(few), 4, keep=False)
        return await asyncio.gather(mine, _ask(url, keys[1], itertools.cycle(few), 8, keep=False))

    beside, flooding = asyncio.run(both())
    floods = flooding.refused / SECONDS
    print(f"beside a flood of {floods:.0f}/s: {beside.rate:.0f}/s, alone {alone.rate:.0f}/s "
          f"({alone.rate / max(beside.rate, 1):.1f} ×)")  # fmt: skip


def two_that_are_asked(wiring: Wiring) -> None:
    """Offer one live price of each of two carriers that are asked."""
    with wiring.sessions.begin() as session:
        around = Around("brightmile", "Brightmile", "EUR", "PT", "Europe/Lisbon", shop_day(session, wiring.clock()))
        card = json.dumps(asked_card([AskedService("bp-road", "Road")], around)).encode()
        save_card(session, "brightmile", card, "asked.json", wiring.clock())
        session.execute(update(CarrierRow).where(CarrierRow.code == "brightmile").values(asks_prices=True))
        offers = [
            {
                "code": code,
                "names": {"en": code},
                "price": {"kind": "live", "services": [service]},
                "fallback": {"home_minor": 199_900},
            }
            for code, service in (("air", "ca-day"), ("van", "bp-road"))
        ]
        newest = newest_checkout(session)
        owner = session.scalars(select(Person.id).where(Person.login == "ines")).one()
        save_checkout(session, {"offers": offers}, newest.id if newest else 0, "", None, owner, wiring.clock())


def in_trouble(shop: Supervisor, key: str, skus: Sequence[str]) -> None:
    """Print how often one carrier's price is live, and how long answers take, while another is in trouble."""
    for fault in ("slow", "down"):
        told = {"party": "cobaltair", "kind": fault, "times": 100_000}
        httpx.post(f"{shop.settings.standins_url}/faults", data=told, follow_redirects=True).raise_for_status()
        found = asked(shop.settings.base_url, key, baskets(skus, 7, 40), 4, keep=True)
        live = sum(
            line["price_minor"] != 199_900
            for answer in found.answers
            for line in answer["offers"]
            if line["code"] == "van"
        )
        print(f"one carrier {fault}: the other's price is live in {live} of {len(found.answers)} answers "
              f"({live / len(found.answers):.0%}), {found.rate:.0f}/s, p99 {found.ms(0.99):.0f} ms, "
              f"the longest {found.ms(1):.0f} ms")  # fmt: skip
        httpx.post(f"{shop.settings.standins_url}/faults", data=told | {"times": 0}, follow_redirects=True)
    many = asked(shop.settings.base_url, key, itertools.cycle(list(itertools.islice(baskets(skus, 3, 1), 40))), MANY)
    print(
        f"{MANY} connections beside it: {many.rate:.0f}/s, p99 {many.ms(0.99):.0f} ms, the longest {many.ms(1):.0f} ms"
    )


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
            url, few = shop.settings.base_url, list(itertools.islice(baskets(skus, 3, 1), 40))
            with bare_server() as bare:
                floor = asked(bare, "", itertools.cycle(few))
            print(f"a bare FastAPI endpoint: {floor.rate:.0f}/s, p99 {floor.ms(0.99):.0f} ms")
            for name, some in (
                ("the same baskets", itertools.cycle(few)),
                ("ever new baskets", baskets(skus, 5, 7_900)),
            ):
                found = asked(url, key, some)
                print(f"{name}: {found.rate:.0f}/s ({found.rate / floor.rate:.0%}), "
                      f"p99 {found.ms(0.99):.0f} ms ({found.ms(0.99) / floor.ms(0.99):.1f} ×)")  # fmt: skip
            flood(url, (key, few_a_minute), few)
            two_that_are_asked(wiring)
            in_trouble(shop, key, skus)
        finally:
            shop.down()


if __name__ == "__main__":
    if sys.argv[1:2] == ["bare"]:
        uvicorn.run(bare_app(), host="127.0.0.1", port=int(sys.argv[2]), log_level="error", access_log=False)
    else:
        main()
