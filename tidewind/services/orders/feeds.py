"""Orders of stores that only have an export: files fetched from an address or a folder, and imported by themselves."""

from __future__ import annotations

import csv
import hashlib
import io
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any
from urllib.parse import urlsplit

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.order_rows.headings import FIELDS
from tidewind.core.order_rows.mapped import JsonMapping, mapping_faults, rows_of_json
from tidewind.core.order_rows.reading import RowOrder
from tidewind.core.order_rows.row import RowFault
from tidewind.db.tables import Channel, Feed, Import
from tidewind.outside.errors import OutsideError, RefusedOutside
from tidewind.outside.feeds import Found, Source
from tidewind.services.base import (
    Conflict,
    Invalid,
    NotFound,
    Outside,
    Sealer,
    ServiceError,
    is_time_again,
    place_of,
    secret_to_keep,
)
from tidewind.services.orders.importing import asked_columns, missing_fields, preview_import, run_import, upload_file
from tidewind.services.shop import free_code

OVERLAP, FIRST_LOOK_BACK = timedelta(hours=1), timedelta(days=30)
MOST_SHOWN = 5
UNITS = ("g", "kg", "lb", "oz")


@dataclass(frozen=True, slots=True)
class FeedSettings:
    """How a feed is reached and read; ``secret`` None leaves the one there is, ``mapping`` is for JSON alone."""

    name: str
    kind: str
    address: str
    header: str = "Authorization"
    secret: str | None = None
    orders: str = ""
    lines: str = ""
    fields: Mapping[str, str] = field(default_factory=dict)
    weight_unit: str = "g"
    every_minutes: int = 10
    active: bool = True

    @property
    def mapping(self) -> JsonMapping:
        """Where the orders are in a JSON document."""
        return JsonMapping(self.orders or "@", self.lines, {name: e for name, e in self.fields.items() if e})


@dataclass(frozen=True, slots=True)
class FeedTried:
    """What a look found, without keeping anything: the names of files, the beginning of the first, what comes of it."""

    files: list[str]
    beginning: str = ""
    orders: list[RowOrder] = field(default_factory=list)
    faults: list[RowFault] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    host_key: str = ""


def all_feeds(session: Session) -> Sequence[Feed]:
    """Return the feeds, by the names of their channels."""
    return session.scalars(select(Feed).join(Channel).order_by(Channel.name)).all()


def get_feed(session: Session, feed_id: int) -> Feed:
    """Return a feed.  Raises NotFound."""
    row = session.get(Feed, feed_id)
    if row is None:
        raise NotFound("unknown_feed", "There is no such feed.")
    return row


def save_feed(session: Session, feed_id: int | None, said: FeedSettings, sealer: Sealer, person_id: int) -> Feed:
    """Add a feed with a channel of its own, or change one; the next look begins anew where its reading changed.

    Raises Invalid for an address or mapping that cannot be used, or a kept secret that would go elsewhere; Conflict for
    a name that another channel has.
    """
    name = said.name.strip()[:80]
    if not name:
        raise Invalid("no_name", "Give the feed a name: its orders are shown under it.")
    _check(said)
    row = get_feed(session, feed_id) if feed_id else Feed(person_id=person_id)
    other = select(Channel).where(Channel.name == name, Channel.id != (row.channel_id or 0))
    if session.scalar(other) is not None:
        raise Conflict("channel_there", f"There is a channel called {name} already.")
    if feed_id is None:
        row.channel = Channel(code=free_code(session, Channel, name), name=name, kind="sheet", last_pull={})
        session.add(row)
    row.channel.name = name
    same = feed_id is None or place_of(row.address) == place_of(said.address)
    row.secret_sealed = secret_to_keep(sealer, row.secret_sealed or "", said.secret, same_place=same)
    if row.address != said.address:
        row.host_key = ""
    row.kind, row.address, row.header = said.kind, said.address.strip(), said.header
    row.mapping = {"orders": said.orders, "lines": said.lines, "fields": dict(said.fields)}
    row.weight_unit, row.every_minutes, row.active = said.weight_unit, said.every_minutes, said.active
    row.looked_at, row.fetched_at, row.failure = None, None, ""
    session.flush()
    return row


def _check(said: FeedSettings) -> None:
    schemes = {"http": ("https", "http"), "sftp": ("sftp",), "folder": ("",)}.get(said.kind)
    if schemes is None:
        raise Invalid("bad_kind", "A feed is an address, a folder, or a folder by SFTP.")
    example = {"http": "https://shop.example/orders.json", "sftp": "sftp://name@host/folder"}
    written_like = Invalid("bad_address", f"Write it like {example.get(said.kind, 'export, a folder’s name')}.")
    try:
        parts = urlsplit(said.address.strip())
    except ValueError as error:
        raise written_like from error
    if parts.scheme not in schemes or (said.kind == "sftp" and not (parts.hostname and parts.username)):
        raise written_like
    if parts.password:
        raise Invalid("bad_address", "Leave the password out of the address: it has a field.")
    if said.weight_unit not in UNITS:
        raise Invalid("bad_unit", f"Weights come in {', '.join(UNITS)}.")
    if any(said.fields.values()) and (wrong := mapping_faults(said.mapping)):
        raise Invalid("bad_mapping", " ".join(wrong)[:1_000])


def remove_feed(session: Session, feed_id: int) -> None:
    """Look there no more; what it brought stays, and so does its channel.  Raises NotFound."""
    session.delete(get_feed(session, feed_id))


def source_of(row: Feed, sealer: Sealer) -> Source:
    """Return where a feed looks, its secret opened."""
    return Source(row.kind, row.address, sealer.open(row.secret_sealed), row.header, row.host_key)


def _source(session: Session, outside: Outside, feed_id: int | None, said: FeedSettings) -> Source:
    """Return where it is looked; a secret that nobody typed is the one that is kept.  Raises NotFound."""
    kept = get_feed(session, feed_id) if feed_id else Feed(secret_sealed="")
    secret = said.secret if said.secret is not None else outside.sealer.open(kept.secret_sealed)
    return Source(said.kind, said.address.strip(), secret, said.header)


def try_feed(
    sessions: sessionmaker[Session],
    outside: Outside,
    feed_id: int | None,
    said: FeedSettings,
    person_id: int,
    now: datetime,
) -> FeedTried:
    """Look there and read the first file, keeping nothing.

    Raises Invalid for an address that must not be asked or does not let us in, OutsideError where nobody answers.
    """
    _check(replace(said, fields={}))
    with sessions() as session:
        source = _source(session, outside, feed_id, said)
    try:
        with outside.feeds.look(source, now - FIRST_LOOK_BACK, now) as looked:
            if not looked.files:
                return FeedTried([], host_key=looked.host_key)
            data = looked.files[0].read()
    except RefusedOutside as refusal:
        raise Invalid(refusal.reason, f"{str(refusal)[:1].upper()}{str(refusal)[1:]}.") from refusal
    names = [file.name for file in looked.files]
    beginning = data[:3_000].decode("utf-8", "replace")
    try:
        document = _json(data)
    except ValueError as error:
        return FeedTried(names, beginning, wrong=[str(error)], host_key=looked.host_key)
    if document is not None:
        beginning = json.dumps(_first(document), indent=2, ensure_ascii=False, default=str)[:3_000]
        if wrong := mapping_faults(said.mapping):
            return FeedTried(names, beginning, wrong=wrong, host_key=looked.host_key)
    tried = FeedTried(names, beginning, host_key=looked.host_key)
    with sessions() as session:
        try:
            return _tried_as_table(session, tried, data, said, person_id)
        except (ServiceError, ValueError) as error:
            return replace(tried, wrong=[str(error)])
        finally:
            session.rollback()


def _tried_as_table(session: Session, tried: FeedTried, data: bytes, said: FeedSettings, person_id: int) -> FeedTried:
    name, table = _as_table(tried.files[0], data, said.mapping)
    row = _upload(session, name, table, person_id, None, said.weight_unit)
    if words := _asks(row):
        wrong = f"It is a table: when it has come, its columns are looked at once in Import ({words})."
        return replace(tried, wrong=[wrong])
    orders, faults = preview_import(session, row, 2_000)
    return replace(tried, orders=orders[:MOST_SHOWN], faults=faults[:20])


def _first(document: Any) -> Any:
    """Return a document cut to the first of each of its lists, so that its shape can be seen."""
    if isinstance(document, list):
        return [_first(document[0])] if document else []
    if isinstance(document, dict):
        return {key: _first(value) for key, value in list(document.items())[:60]}
    return document


def _json(data: bytes) -> Any:
    """Return a JSON document, None for a table; figures keep their digits.  Raises ValueError with words."""
    begins = data.lstrip()[:1]
    if begins == b"<":
        raise ValueError("this is a web page and no list of orders")
    if begins not in (b"{", b"["):
        return None
    try:
        return json.loads(data, parse_float=Decimal)
    except (ValueError, RecursionError) as error:
        raise ValueError(f"it begins like JSON and is none ({str(error)[:80]})") from error


def fetch_due_feeds(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> list[int]:
    """Look at every feed whose time has come, each by itself; return the imports that were made."""
    moment = clock()
    with sessions() as session:
        feeds = session.scalars(select(Feed).where(Feed.active)).all()
        due = [f.id for f in feeds if is_time_again(f.looked_at, f.every_minutes, moment)]
    made: list[int] = []
    for feed_id in due:
        made += fetch_feed(sessions, outside, feed_id, clock())
    return made


def fetch_feed(sessions: sessionmaker[Session], outside: Outside, feed_id: int, now: datetime) -> list[int]:
    """Look at a feed, import what is new there, and keep what went wrong in words; return the imports made.

    A file is known again by its contents; of an address, only what it answered last.  Each file is one transaction.
    """
    with sessions() as session:
        feed = get_feed(session, feed_id)
        source = source_of(feed, outside.sealer)
        since = feed.fetched_at - OVERLAP if feed.fetched_at else now - FIRST_LOOK_BACK
    made: list[int] = []
    failures: list[str] = []
    shown = ""
    try:
        with outside.feeds.look(source, since, now) as looked:
            shown = looked.host_key
            for file in looked.files:
                made += _bring(sessions, feed_id, file, now, failures)
    except OutsideError as error:
        failures.append(str(error))
    with sessions.begin() as session:
        row = session.get(Feed, feed_id, with_for_update=True)
        if row is not None:
            row.failure = "; ".join(failures)[:300]
            row.host_key = row.host_key or shown
            row.looked_at = now
            if not failures:
                row.fetched_at = now
    return made


def _mapping_of(feed: Feed) -> JsonMapping:
    said = feed.mapping
    return JsonMapping(said["orders"] or "@", said["lines"], {name: e for name, e in said["fields"].items() if e})


def _bring(sessions: sessionmaker[Session], feed_id: int, file: Found, now: datetime, failures: list[str]) -> list[int]:
    """Import one file; return the import, none where it is known or cannot be read."""
    try:
        data = file.read()
        with sessions.begin() as session:
            feed = session.get(Feed, feed_id, with_for_update=True)
            if feed is None:
                return []
            name, table = _as_table(file.name, data, _mapping_of(feed))
            if _is_known(session, feed, table):
                return []
            row = _upload(session, name, table, feed.person_id, feed, feed.weight_unit)
            if words := _asks(row):
                failures.append(f"{file.name} waits in Import: {words}")
            else:
                run_import(session, row.id, now)
            return [row.id]
    except (OutsideError, ServiceError, ValueError) as error:
        failures.append(f"{file.name}: {error}")
        return []


def _asks(row: Import) -> str:
    """Return what somebody must say of a file before it is imported, in words; empty where it is all clear."""
    if doubts := row.reading.get("doubts", []):
        return str(doubts[0])
    if missing := missing_fields(row):
        return f"say there which column holds {missing[0].replace('_', ' ')}"
    if asked := asked_columns(row):
        return f"say there what “{asked[0]}” is, or that it does not matter"
    return ""


# A header that names a unit would speak louder than the unit that the feed says.
_HEADERS, _FIELDS = {"weight_g": "weight"}, {"weight": "weight_g"}


def _as_table(name: str, data: bytes, mapping: JsonMapping) -> tuple[str, bytes]:
    """Return a file as it is imported: JSON becomes a table with a column for each field, all else stays as it is.

    Raises ValueError with words where the mapping does not fit the document.
    """
    document = _json(data)
    if document is None:
        return name, data
    headers, rows = rows_of_json(document, mapping)
    out = io.StringIO()
    writer = csv.writer(out, delimiter=";")
    writer.writerow(_HEADERS.get(name, name) for name in headers)
    writer.writerows(rows)
    return f"{name[:180]}.csv", out.getvalue().encode()


def _upload(session: Session, name: str, data: bytes, person_id: int, feed: Feed | None, unit: str) -> Import:
    """Keep a file of a feed as an import; a table made of JSON is read by the names of its fields."""
    channel_id, feed_id = (feed.channel_id, feed.id) if feed else (None, None)
    row = upload_file(session, name[:200], data, person_id, channel_id, feed_id)
    fields = [_FIELDS.get(header, header) for header in row.headers]
    if set(fields) <= set(FIELDS):
        row.columns = {name: at for at, name in enumerate(fields)}
        row.options = {"decimal": ".", "weight_unit": unit}
        row.reading = {**row.reading, "doubts": []}
    return row


def _is_known(session: Session, feed: Feed, data: bytes) -> bool:
    """Tell whether a feed brought this before: any file of a folder, of an address what it answered last."""
    digest = hashlib.sha256(data).hexdigest()
    mine = select(Import.digest).where(Import.feed_id == feed.id)
    if feed.kind == "http":
        return session.scalar(mine.order_by(Import.id.desc()).limit(1)) == digest
    return session.scalar(mine.where(Import.digest == digest).limit(1)) is not None
