"""What the stand-ins remember (a small SQLite file), their movable clock, and the faults switched on."""

from __future__ import annotations

import json
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

FAULTS = (
    "slow", "error", "timeout_after_work", "duplicate_answer", "dearer", "down",
    "rate_limit", "half_page", "clock_skew", "void_refused", "sold_later", "repeat_refused", "not_taken_back",
    "van_missed",
)  # fmt: skip

_TABLES = """
create table if not exists setting (name text primary key, value text not null);
create table if not exists serial (name text primary key, value integer not null);
create table if not exists shipment (key text primary key, carrier text not null, body text not null,
  cancelled integer not null default 0);
create table if not exists closed_key (key text primary key);
create table if not exists late_sale (key text primary key, carrier text not null, wanted text not null,
  at text not null);
create table if not exists parcel (number text primary key, carrier text not null, shipment_key text not null,
  bought_at text not null, days integer not null);
create table if not exists shop_order (id integer primary key autoincrement, number text unique, body text not null);
create table if not exists shop_told (number text not null, body text not null, at text not null,
  primary key (number, body));
create table if not exists market_order (market text not null, number text not null, changed_at real not null,
  body text not null, primary key (market, number));
create table if not exists shelf_level (seller text not null, sku text not null, pieces integer not null,
  primary key (seller, sku));
create table if not exists consent (code text primary key, market text not null, hook text not null default '');
create table if not exists hook (carrier text primary key, url text not null, told_until text not null);
create table if not exists mail (id integer primary key autoincrement, at text not null, sender text, recipient text,
  subject text, body text);
create table if not exists text_message (id integer primary key autoincrement, at text not null, sender text,
  recipient text, body text);
create table if not exists void (key text primary key, carrier text not null, asked_at text not null,
  decides_at text not null, refused integer not null default 0);
create table if not exists return_parcel (number text primary key, carrier text not null, key text unique not null,
  shipment_key text not null, made_at text not null, used_at text, days integer not null, price_minor integer not null);
create table if not exists printed (key text primary key, printer text not null, title text not null,
  copies integer not null, at text not null, body blob not null);
create table if not exists mail_paper (mail_id integer not null, name text not null, body blob not null);
create table if not exists told_event (number text not null, carrier text not null, at text not null,
  stage text not null, words text not null, spot text not null, primary key (number, at, stage));
create table if not exists wish (key text primary key, number text not null, body text not null);
create table if not exists parcel_network (number text primary key, network text not null);
create table if not exists van (key text primary key, carrier text not null, network text not null, day text not null,
  number text not null, fee integer not null, body text not null, state text not null, ends_at text not null,
  change_until text not null, misses integer not null);
create table if not exists van_wait (number text primary key, carrier text not null, network text not null,
  fetched_at text);
create table if not exists packaging_order (key text primary key, carrier text not null, pieces text not null,
  arrives text not null);
create table if not exists closed_list (key text primary key, carrier text not null, number text not null,
  labels text not null, reopened integer not null);
create table if not exists fault (party text not null, kind text not null, remaining integer not null,
  primary key (party, kind));
"""


class World:
    """One outside world; safe to use from several threads."""

    def __init__(self, file: Path | str, clock: Callable[[], datetime], clock_file: Path | None = None) -> None:
        self._lock = threading.RLock()
        self._db = sqlite3.connect(str(file), check_same_thread=False, isolation_level=None)
        self._db.row_factory = sqlite3.Row
        self._db.execute("pragma journal_mode=wal")
        self._db.executescript(_TABLES)
        self._clock, self._clock_file = clock, clock_file
        self._tell_clock()

    def close(self) -> None:
        """Close the file."""
        self._db.close()

    @contextmanager
    def work(self) -> Iterator[sqlite3.Connection]:
        """Give a connection inside one transaction, alone."""
        with self._lock:
            self._db.execute("begin immediate")
            try:
                yield self._db
            except BaseException:
                self._db.execute("rollback")
                raise
            self._db.execute("commit")

    def rows(self, sql: str, *values: Any) -> list[sqlite3.Row]:
        """Return the rows of a query."""
        with self._lock:
            return self._db.execute(sql, values).fetchall()

    def now(self) -> datetime:
        """Return this world's time: the real time plus what the clock was moved."""
        return self._clock().astimezone(UTC) + timedelta(seconds=self._moved_seconds())

    def _moved_seconds(self) -> int:
        found = self.rows("select value from setting where name = 'moved_seconds'")
        return int(found[0]["value"]) if found else 0

    def _tell_clock(self) -> None:
        """Write down how far ahead the clock stands; whoever reads it finds the old figure or the new one, whole."""
        if self._clock_file is not None:
            fresh = self._clock_file.with_suffix(".new")
            fresh.write_text(str(self._moved_seconds()), "ascii")
            fresh.replace(self._clock_file)

    def move_clock(self, hours: int) -> None:
        """Move the clock forward by ``hours``; it never goes back."""
        with self.work() as db:
            db.execute(
                "insert into setting values ('moved_seconds', ?) on conflict (name) do update "
                "set value = cast(value as integer) + cast(excluded.value as integer)",
                (max(0, hours) * 3600,),
            )
        self._tell_clock()

    def set_fault(self, party: str, kind: str, times: int) -> None:
        """Switch a fault on for the next ``times`` requests to ``party``; 0 switches it off."""
        if kind not in FAULTS:
            raise ValueError(kind)
        with self.work() as db:
            db.execute("delete from fault where party = ? and kind = ?", (party, kind))
            if times:
                db.execute("insert into fault values (?, ?, ?)", (party, kind, times))

    def take_fault(self, party: str, kind: str) -> bool:
        """Tell whether a fault strikes this request, and use one of its times up."""
        with self.work() as db:
            changed = db.execute(
                "update fault set remaining = remaining - 1 where party = ? and kind = ? and remaining > 0",
                (party, kind),
            ).rowcount
            db.execute("delete from fault where remaining <= 0")
        return changed > 0

    def next_serial(self, db: sqlite3.Connection, name: str, start: int) -> int:
        """Return the next number of a series, inside the caller's transaction."""
        db.execute("insert into serial values (?, ?) on conflict (name) do update set value = value + 1", (name, start))
        return int(db.execute("select value from serial where name = ?", (name,)).fetchone()[0])

    def book(self, carrier: str) -> list[dict[str, Any]]:
        """Return every shipment a carrier has in its book, cancelled ones marked."""
        found = self.rows("select body, cancelled from shipment where carrier = ?", carrier)
        return [{**json.loads(row["body"]), "cancelled": bool(row["cancelled"])} for row in found]
