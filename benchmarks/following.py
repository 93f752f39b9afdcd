"""Parcels under way: asked about against bare questions, events told against bare inserts, the buyer's page.

.venv/bin/python -m benchmarks.following [parcels, 10000] [events, 10000]
"""

from __future__ import annotations

import json
import random
import resource
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import httpx
import psycopg
from sqlalchemy import func, select

from benchmarks.serving import CONNECTIONS, SECONDS, columns
from tidewind.app import make_wiring
from tidewind.db.tables import CarrierNotice, Label, Shipment
from tidewind.running.cluster import free_port
from tidewind.running.supervisor import Supervisor
from tidewind.services.follow import follow_parcels, take_carrier_notice, take_notices
from tidewind.settings import real_now
from tidewind.standins.notices import signed
from tidewind.web.access import Wiring

COPY = """
insert into shipment ({names},
  idempotency_key, tracking_key, state, tracking_state, next_look_at, carrier, void_asked_at)
select {values}, 'bench-' || n, 'bench-key-' || n, 'void_refused', 'moving', now(), 'norvia', now()
  from (select * from shipment where state = 'bought' order by id limit 1) s, generate_series(1, {times}) n;
insert into label ({label_names}, shipment_id, tracking_number, tracking_state)
select {label_values}, s.id, 'BN' || s.id, 'moving'
  from shipment s, (select * from label order by id limit 1) l where s.idempotency_key like 'bench-%';
update shipment set next_look_at = now() + interval '1 year' where idempotency_key not like 'bench-%';
analyze;
"""


def fill(url: str, parcels: int) -> list[str]:
    """Put parcels on their way; return their numbers."""
    with psycopg.connect(url, autocommit=True) as shop:
        own = {"idempotency_key", "tracking_key", "state", "tracking_state", "next_look_at", "carrier", "void_asked_at"}
        names, values = columns(shop, "shipment", "s", own)
        label, label_values = columns(shop, "label", "l", {"shipment_id", "tracking_number", "tracking_state"})
        said = COPY.format(names=names, values=values, label_names=label, label_values=label_values, times=parcels)
        for statement in said.split(";\n"):
            if statement.strip():
                shop.execute(statement)  # type: ignore[arg-type]
        rows = shop.execute("select tracking_number from label where tracking_number like 'BN%'").fetchall()
        return [str(number) for (number,) in rows]


def put_under_way(standins_url: str, numbers: list[str]) -> None:
    """Let the carrier know the parcels: three events each."""
    now = real_now()
    events = [
        ((now - timedelta(hours=hours)).isoformat(), stage, words, spot)
        for hours, stage, words, spot in (
            (30, "accepted", "Taken over", "Viseu"),
            (20, "moving", "Sorted", "Coimbra"),
            (8, "moving", "Sorted", "Lisboa"),
        )
    ]
    headers = {"Authorization": "Bearer norvia-key"}
    for start in range(0, len(numbers), 500):
        body = [{"number": number, "events": events} for number in numbers[start : start + 500]]
        url = f"{standins_url}/carriers/norvia/under-way"
        httpx.post(url, json=body, headers=headers, timeout=60).raise_for_status()


def bare_questions(standins_url: str, numbers: list[str], at_once: int) -> float:
    """Ask the carrier about all parcels and do nothing with it; return the seconds it takes."""
    started = time.perf_counter()
    with httpx.Client(headers={"Authorization": "Bearer norvia-key"}, timeout=60) as client:
        for start in range(0, len(numbers), at_once):
            some = numbers[start : start + at_once]
            if at_once == 1:
                client.get(f"{standins_url}/carriers/norvia/tracking/{some[0]}").raise_for_status()
            else:
                url = f"{standins_url}/carriers/norvia/tracking"
                client.post(url, json={"numbers": some}).raise_for_status()
    return time.perf_counter() - started


def polling(wiring: Wiring, numbers: list[str]) -> None:
    some = numbers[:2_000]
    singly = bare_questions(wiring.settings.standins_url, some, 1) * len(numbers) / len(some)
    together = bare_questions(wiring.settings.standins_url, numbers, 100)
    for turn in ("first", "again"):
        with psycopg.connect(wiring.settings.database_url.replace("+psycopg", ""), autocommit=True) as shop:
            shop.execute("update shipment set next_look_at = now() where idempotency_key like 'bench-%'")
        before, started, done = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.perf_counter(), 0
        while some := follow_parcels(wiring.sessions, wiring.outside, real_now):
            done += some
        took, grown = time.perf_counter() - started, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
        print(f"{done} parcels asked about ({turn}): {took:.1f} s, {done / took:.0f}/s; memory {grown / 1024:+.0f} MB")
        print(f"  one bare question for each {singly:.1f} s: {singly / took:.0%} of their rate (aim 60 %)")
        print(f"  a hundred to a bare question {together:.1f} s: {together / took:.0%}")


def flood(wiring: Wiring, numbers: list[str], events: int) -> None:
    """Take events, one to a notice and a hundred to a notice, against one bare insert for each."""
    now = real_now()
    told = {"at": now.isoformat(), "code": "N40", "words": "Given to the driver", "spot": "Porto"}
    every = [told | {"number": numbers[n % len(numbers)]} for n in range(events)]
    bare = _bare_inserts(wiring, every)
    for size in (1, 100):
        bodies = [json.dumps({"events": every[n : n + size]}) for n in range(0, events, size)]
        notices = [
            (signed("norvia-key", body, now, f"bench-{size}-{n}"), body.encode()) for n, body in enumerate(bodies)
        ]
        started = time.perf_counter()
        for headers, body in notices:
            with wiring.single_statements() as connection:
                take_carrier_notice(connection, wiring.outside, "norvia", headers, body, now)
        took = time.perf_counter() - started
        rates = f"{events / took:.0f}/s; bare inserts {events / bare:.0f}/s"
        print(f"{events} events taken, {size} to a notice: {rates}: {bare / took:.0%} (aim 50 %)")
    started = time.perf_counter()
    while True:  # a worker goes through them, too
        take_notices(wiring.sessions, wiring.outside, real_now)
        with wiring.sessions() as session:
            if not session.scalar(select(func.count(CarrierNotice.id)).where(CarrierNotice.done_at.is_(None))):
                break
    print(f"gone through in {time.perf_counter() - started:.1f} s more")


def _bare_inserts(wiring: Wiring, events: list[dict[str, str]]) -> float:
    with psycopg.connect(wiring.settings.database_url.replace("+psycopg", "")) as shop:
        started = time.perf_counter()
        for n, event in enumerate(events):
            shop.execute(
                "insert into carrier_notice (carrier, notice_id, body, heard_at, done_at) values (%s, %s, %s, %s, %s)",
                ("norvia", f"bare-{n}", json.dumps([event]), real_now(), real_now()),
            )
            shop.commit()
        return time.perf_counter() - started


def measured(url: str, ask: Callable[[httpx.Client, random.Random], httpx.Response]) -> tuple[float, float]:
    """Ask from several connections for some seconds; return answers a second, and the 99th percentile in ms."""
    took: list[list[float]] = [[] for _ in range(CONNECTIONS)]
    ends = time.monotonic() + SECONDS

    def one(n: int) -> None:
        chance = random.Random(n)
        with httpx.Client(base_url=url, timeout=60) as client:
            while time.monotonic() < ends:
                started = time.perf_counter()
                answer = ask(client, chance)
                if answer.status_code not in {200, 404}:
                    raise RuntimeError(f"the server said {answer.status_code}")
                took[n].append(time.perf_counter() - started)

    threads = [threading.Thread(target=one, args=(n,)) for n in range(CONNECTIONS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    every = sorted(t for some in took for t in some)
    return len(every) / SECONDS, every[min(int(len(every) * 0.99), len(every) - 1)] * 1_000


def page(wiring: Wiring, base_url: str) -> None:
    with wiring.sessions() as session:
        keys = session.scalars(select(Shipment.tracking_key).join(Label).limit(200)).all()
    bare, bare_slow = measured(base_url, lambda client, _: client.get("/api/there-is-none"))
    rate, slow = measured(base_url, lambda client, chance: client.get(f"/t/{chance.choice(keys)}"))
    rates = f"{rate:.0f}/s, p99 {slow:.0f} ms; bare {bare:.0f}/s, {bare_slow:.0f} ms"
    print(f"the buyer's page: {rates}: {rate / bare:.0%} (aim 50 %)")


def main(parcels: int, events: int) -> None:
    with tempfile.TemporaryDirectory(prefix="tidewind-bench-") as folder:
        Path(folder).chmod(0o755)
        shop = Supervisor(Path(folder) / "shop", free_port(), demo=True, history_days=5, webs=2)
        try:
            base_url = shop.up()
            wiring = make_wiring(shop.settings)
            page(wiring, base_url)
            numbers = fill(shop.settings.database_url.replace("+psycopg", ""), parcels)
            put_under_way(wiring.settings.standins_url, numbers)
            polling(wiring, numbers)
            flood(wiring, numbers, events)
        finally:
            shop.down()


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:3]]
    main(given[0] if given else 10_000, given[1] if len(given) > 1 else 10_000)
