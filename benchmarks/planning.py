"""Waiting orders planned anew after a rule change, imported, and listed, against what the bare database needs.

.venv/bin/python -m benchmarks.planning [orders, 10000]
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from sqlalchemy import Engine, func, select, text
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import Address
from tidewind.db.engine import make_engine, make_sessions
from tidewind.db.migrate import migrate
from tidewind.db.tables import Channel, Product, RuleSet, Work
from tidewind.demo.load import introductions, load_shop
from tidewind.garbage import look_seldom
from tidewind.running.cluster import Cluster
from tidewind.services.orders import NewLine, NewOrder, WorkFilter, list_orders, store_orders, view_counts
from tidewind.services.orders.importing import CHUNK
from tidewind.services.planning import Scope, go_on_replanning

NOW = datetime(2026, 11, 23, 10, tzinfo=UTC)
TOWNS = (
    ("Viseu", "3500-108", "PT"),
    ("Porto", "4100-320", "PT"),
    ("Ponta Delgada", "9500-321", "PT"),
    ("Lyon", "69003", "FR"),
    ("Salamanca", "37002", "ES"),
    ("Köln", "50667", "DE"),
    ("Hereford", "HR1 2PX", "GB"),
)


def fifty_rules() -> list[dict[str, object]]:
    """Return rules of which few hold for one order, as in a shop that has had them for years."""
    made: list[dict[str, object]] = []
    for n in range(50):
        when = {
            "all": [
                {"fact": "value", "test": "at_least", "to": 3_000 + 400 * n},
                {
                    "any": [
                        {"fact": "country", "test": "is_any_of", "to": ["GB", "FR"]},
                        {"fact": "weight", "test": "more_than", "to": 800 + 90 * n},
                        {"not": {"fact": "postcode", "test": "is_in", "to": ["1000-9999"]}},
                    ]
                },
            ]
        }
        made.append(
            {"id": f"r{n}", "name": f"Rule {n}", "on": True, "when": when, "do": [{"set": "tag", "to": f"t{n}"}]}
        )
    return made


def orders(session: Session, count: int) -> list[NewOrder]:
    chance = random.Random(7)
    products = session.scalars(
        select(Product).where(Product.weight_g.is_not(None), Product.length_mm.is_not(None))
    ).all()
    made = []
    for n in range(count):
        city, postcode, country = chance.choice(TOWNS)
        chosen = chance.sample(products, chance.choice((1, 1, 2, 3)))
        made.append(
            NewOrder(
                number=f"B-{n}",
                ordered_at=NOW,
                promise="Standard home, 3–5 days",
                address=Address(name=f"Buyer {n}", street=f"Street {n}", city=city, postcode=postcode, country=country),
                lines=tuple(NewLine(p.sku, p.name, chance.choice((1, 1, 2)), p.value_minor) for p in chosen),
            )
        )
    return made


def timed(words: str, started: float, count: int) -> float:
    spent = time.perf_counter() - started
    print(f"{words}: {spent:.2f} s, {count / spent:,.0f} orders/s")
    return spent


def main(count: int) -> None:
    with tempfile.TemporaryDirectory(prefix="tidewind-bench-") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder) / "pg")
        engine = make_engine(cluster.start())
        try:
            run(engine, count)
        finally:
            engine.dispose()
            cluster.stop()


def run(engine: Engine, count: int) -> None:
    """Measure each work between two floors, since the speed of a machine changes within minutes."""
    migrate(engine)
    sessions = make_sessions(engine)
    imported = import_all(sessions, count)
    before = copy_and_look_up(engine, count)
    print(f"import with plans: {imported / before:.1f} × the floor (aim 8 ×)")
    for words, seconds in plan_all(sessions, count):
        after = copy_and_look_up(engine, count)
        print(f"{words}: {2 * seconds / (before + after):.1f} × the floor (aim 4 ×)")
        before = after
    with sessions() as session:
        best, bare = (min(work(session) for _ in range(5)) for work in (_page, _bare))
    shown = f"{best * 1000:.0f} ms; the bare SELECT {bare * 1000:.0f} ms; {best / bare:.1f} × (aim 2 ×)"
    print(f"first page of {count:,} open orders: {shown}")


def import_all(sessions: sessionmaker[Session], count: int) -> float:
    with sessions.begin() as session:
        load_shop(session, NOW, introductions())
        session.add(Channel(code="sheet", name="Spreadsheet", kind="sheet", last_pull={}))
    with sessions() as session:
        incoming = orders(session, count)
    started = time.perf_counter()
    for start in range(0, count, CHUNK):
        with sessions.begin() as session:
            channel = session.scalars(select(Channel)).one()
            store_orders(session, channel, incoming[start : start + CHUNK], NOW)
    return timed("stored and planned on import", started, count)


def plan_all(sessions: sessionmaker[Session], count: int) -> Iterator[tuple[str, float]]:
    """Bring in fifty rules, change one's labels, then what it does to the price, then plan all: seconds of each."""
    rules = fifty_rules()
    with sessions.begin() as session:
        last = session.scalar(select(func.max(RuleSet.id))) or 0
    for words, does in (
        ("fifty rules brought in", {"set": "tag", "to": "t7"}),
        ("one of fifty changed, another desk", {"set": "desk", "to": "Bench"}),
        ("one of fifty changed, signature wanted", {"set": "add_extra", "to": "signature"}),
    ):
        rules[7] = {**rules[7], "do": [does]}
        newest = version(sessions, rules)
        yield words, replan(sessions, words, count, Scope((last, newest)))
        last = newest
    yield "every plan made anew", replan(sessions, "every plan made anew", count, Scope())


def version(sessions: sessionmaker[Session], rules: list[dict[str, object]]) -> int:
    with sessions.begin() as session:
        row = RuleSet(rules=rules, created_at=NOW)
        session.add(row)
        session.flush()
        return row.id


def replan(sessions: sessionmaker[Session], words: str, count: int, scope: Scope) -> float:
    with sessions.begin() as session:
        work = Work(kind="replan", words="", total=count, state="waiting", done=0, cursor=0, scope=scope.written)
        session.add(work)
    started = time.perf_counter()
    go_on_replanning(sessions, work.id, lambda: NOW)
    with sessions() as session:
        changed = session.get_one(Work, work.id).result
    return timed(f"{words}; {changed} plans are others now", started, count)


def copy_and_look_up(engine: Engine, count: int) -> float:
    """The floor: every row out of the database and back by COPY, and a price for every order and service."""
    started = time.perf_counter()
    raw = engine.raw_connection()
    with raw.cursor() as cursor:
        with cursor.copy("copy (select * from customer_order) to stdout") as out:
            rows = b"".join(bytes(block) for block in out)
        cursor.execute("create temp table back (like customer_order)")
        with cursor.copy("copy back from stdin") as into:
            into.write(rows)
    raw.rollback()
    raw.close()
    weights = np.random.default_rng(1).integers(50, 20_000, (count, 11))
    steps, prices = np.array([500, 1000, 2000, 5000, 10_000, 20_000]), np.array([390, 430, 520, 700, 1010, 1490])
    prices[np.searchsorted(steps, weights)].sum()
    return timed("floor: rows by COPY out and in, prices by NumPy", started, count)


def _page(session: Session) -> float:
    started = time.perf_counter()
    list_orders(session, WorkFilter(sort="departure"), limit=300)
    view_counts(session)
    session.expunge_all()
    return time.perf_counter() - started


def _bare(session: Session) -> float:
    started = time.perf_counter()
    session.execute(
        text("select * from customer_order where state = 'open' order by ship_date, carrier, network, id limit 300")
    ).all()
    session.execute(text("select state, count(*) from customer_order group by state")).all()
    return time.perf_counter() - started


if __name__ == "__main__":
    look_seldom()
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000)
