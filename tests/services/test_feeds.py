"""Orders of stores that only have an export: fetched by address, folder and SFTP; once, mapped, never half."""

from __future__ import annotations

import asyncio
import json
import os
import threading
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import asyncssh
import pytest
from fastapi import FastAPI, Request, Response
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from tests.conftest import Clock, Served
from tidewind.core.order_rows.mapped import JsonMapping, mapping_faults, rows_of_json
from tidewind.db.tables import Channel, Import, Order
from tidewind.outside.feeds import Feeds
from tidewind.running.cluster import free_port
from tidewind.services.base import Conflict, Invalid
from tidewind.services.orders import (
    FeedSettings,
    fetch_due_feeds,
    fetch_feed,
    get_feed,
    remove_feed,
    run_import,
    save_feed,
    set_columns,
    try_feed,
)
from tidewind.web.access import Wiring

FIELDS = {
    "order_number": "id",
    "name": "join(' ', [ship_to.first, ship_to.last])",
    "street": "ship_to.lines",
    "city": "ship_to.town",
    "postcode": "ship_to.code",
    "country": "ship_to.country",
    "sku": "line.article",
    "quantity": "line.pieces",
    "unit_price": "line.price",
    "weight_g": "line.weight",
}


def order(number: str, pieces: int = 2, town: str = "Coimbra") -> dict[str, Any]:
    to = {"first": "Ana", "last": "Prado", "lines": ["Rua do Sol 4"], "town": town, "code": "3000-310", "country": "PT"}
    return {"id": number, "ship_to": to, "items": [{"article": "TW-1", "pieces": pieces, "price": 4.5, "weight": 0.25}]}


def feed(**said: Any) -> FeedSettings:
    asked = {"name": "Shed shop", "kind": "http", "orders": "data.orders", "lines": "items", "fields": FIELDS}
    return FeedSettings(**{**asked, "weight_unit": "kg", **said})


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=8),
        lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=6), inner, max_size=4),
        max_leaves=20,
    ),
    st.sampled_from(["@", "data.orders", "[]", "*", "a[?b>`1`]", "sum(@)"]),
)
def test_any_document_makes_rows_of_text_or_is_refused_in_words(document: Any, where: str) -> None:
    try:
        headers, rows = rows_of_json(document, JsonMapping(where, "items", FIELDS))
    except ValueError as error:
        assert str(error)
        return
    assert all(len(row) == len(headers) and all(isinstance(cell, str) for cell in row) for row in rows)


def test_a_mapping_says_what_it_lacks() -> None:
    assert mapping_faults(JsonMapping("data.orders", "items", FIELDS)) == []
    wrong = mapping_faults(JsonMapping("a..b", "", {"order_number": "id", "colour": "x"}))
    assert ["no JMESPath" in wrong[0], wrong[1]] == [True, "colour is no field of an order."]
    assert wrong[2] == "Say where these stand: name, street, city, country, sku, quantity."


@pytest.fixture
def store() -> Iterator[tuple[str, dict[str, Any]]]:
    """A store that answers with what is put into it, and keeps what it was asked."""
    held: dict[str, Any] = {"body": b"[]", "asked": [], "status": 200}
    app = FastAPI()

    @app.get("/orders.json")
    def orders(request: Request) -> Response:
        held["asked"].append((str(request.url.query), request.headers.get("x-shed-key")))
        headers = {"Location": "http://10.0.0.9/"} if held["status"] == 302 else {}
        return Response(held["body"], held["status"], headers, media_type="application/json")

    port = free_port()
    server = Served(app, port)
    yield f"http://127.0.0.1:{port}/orders.json", held
    server.stop()


def put(held: dict[str, Any], *orders: dict[str, Any]) -> None:
    held["body"] = json.dumps({"data": {"orders": orders}}).encode()


def test_orders_by_address_are_mapped_imported_once_and_followed(
    wiring: Wiring, clock: Clock, store: tuple[str, dict[str, Any]]
) -> None:
    url, held = store
    put(held, order("S-1"), order("S-2", pieces=0))
    said = feed(address=url + "?since={since}", header="X-Shed-Key", secret="open sesame")
    tried = try_feed(wiring.sessions, wiring.outside, None, said, 1, clock())
    assert ([o.number for o in tried.orders], [f.row for f in tried.faults]) == (["S-1"], [3])
    assert '"ship_to": {' in tried.beginning
    assert held["asked"] == [("since=2026-10-24T10%3A00%3A00Z", "open sesame")]
    halves = try_feed(wiring.sessions, wiring.outside, None, feed(address=url, orders="data.rows"), 1, clock())
    assert halves.wrong == ["“data.rows” finds no list of orders in the answer"]
    with wiring.sessions.begin() as session:
        with pytest.raises(Invalid, match="Leave the password out"):
            save_feed(session, None, feed(address="https://a:b@shop.example/x"), wiring.outside.sealer, 1)
        with pytest.raises(Invalid, match="no JMESPath expression"):
            save_feed(session, None, feed(address=url, lines="items["), wiring.outside.sealer, 1)
        row = save_feed(session, None, said, wiring.outside.sealer, 1)
        with pytest.raises(Conflict, match="called Shed shop already"):
            save_feed(session, None, feed(address=url), wiring.outside.sealer, 1)
        assert "sesame" not in row.secret_sealed
        feed_id, channel_id = row.id, row.channel_id
    (first,) = fetch_due_feeds(wiring.sessions, wiring.outside, clock)
    with wiring.sessions() as session:
        done = session.get_one(Import, first)
        assert (done.state, done.made, [f["row"] for f in done.faults]) == ("done", 1, [3])
        mine = session.scalars(select(Order).where(Order.channel_id == channel_id)).one()
        assert (mine.number, mine.address.name, mine.lines[0].quantity) == ("S-1", "Ana Prado", 2)
        assert (mine.lines[0].unit_price_minor, mine.lines[0].weight_g) == (450, 250)
    assert fetch_due_feeds(wiring.sessions, wiring.outside, clock) == []  # not due
    clock.move(minutes=10)
    assert fetch_due_feeds(wiring.sessions, wiring.outside, clock) == []  # the same answer
    put(held, order("S-1", town="Lousã"), order("S-2"))
    clock.move(minutes=10)
    (second,) = fetch_due_feeds(wiring.sessions, wiring.outside, clock)
    with wiring.sessions() as session:
        done = session.get_one(Import, second)
        assert (done.made, done.already, done.changed) == (1, 1, 1)
    for status, body, words in (
        (200, b"<html>", "this is a web page"),
        (200, b'{"data": 4}', "finds no list"),
        (500, b"", "HTTP 500"),
        (302, b"", "redirects are not followed"),
        (200, b"[" * 100_000, "begins like JSON and is none"),
    ):
        held["body"], held["status"] = body, status
        assert fetch_feed(wiring.sessions, wiring.outside, feed_id, clock()) == []
        with wiring.sessions() as session:
            assert words in get_feed(session, feed_id).failure
    with wiring.sessions.begin() as session:
        assert session.get_one(Order, mine.id).state == "open"
        remove_feed(session, feed_id)
        assert session.get_one(Channel, channel_id).name == "Shed shop"


CSV = "Bestellung;Empfänger;Straße;PLZ;Ort;Land;Artikel;Menge;Preis\nZ-{n};Ana Prado;Rua do Sol 4;3000-310;Coimbra;PT;TW-1;1;4,50\n"


def written(path: Path, text: str, at: datetime) -> None:
    path.write_text(text, "utf-8")
    os.utime(path, (at.timestamp(), at.timestamp()))


def test_a_watched_folder_is_read_once_and_never_while_a_file_grows(
    wiring: Wiring, clock: Clock, tmp_path: Path
) -> None:
    outside = _with(wiring, Feeds(tmp_path, 2.0))
    with wiring.sessions.begin() as session:
        row = save_feed(session, None, feed(kind="folder", address="shed", fields={}), wiring.outside.sealer, 1)
        feed_id, channel_id = row.id, row.channel_id
    assert fetch_feed(wiring.sessions, outside, feed_id, clock()) == []
    written(tmp_path / "shed" / "a.csv", CSV.format(n=1), clock())
    written(tmp_path / "shed" / "notes.pdf", "no orders", datetime(2020, 1, 1, tzinfo=UTC))
    assert fetch_feed(wiring.sessions, outside, feed_id, clock()) == []  # it may still grow
    clock.move(minutes=1)
    (import_id,) = fetch_feed(wiring.sessions, outside, feed_id, clock())
    with wiring.sessions.begin() as session:
        row = session.get_one(Import, import_id)
        if row.state == "mapping":  # what was not clear waits for a person, once
            assert "waits in Import" in get_feed(session, feed_id).failure
            set_columns(session, import_id, row.columns | {"order_number": 0, "name": 1, "street": 2, "postcode": 3,
                "city": 4, "country": 5, "sku": 6, "quantity": 7, "unit_price": 8})  # fmt: skip
            run_import(session, import_id, clock())
    # A link may lead to what nobody means to import: it is none of the folder's files.
    written(tmp_path / "elsewhere.csv", CSV.format(n=9), datetime(2020, 1, 1, tzinfo=UTC))
    (tmp_path / "shed" / "link.csv").symlink_to(tmp_path / "elsewhere.csv")
    (tmp_path / "shed" / "a.csv").rename(tmp_path / "shed" / "again.csv")
    written(tmp_path / "shed" / "b.csv", CSV.format(n=2), datetime(2020, 1, 1, tzinfo=UTC))
    written(tmp_path / "shed" / "c.xlsx", "PK\x03\x04 and no workbook", datetime(2020, 1, 1, tzinfo=UTC))
    (other,) = fetch_feed(wiring.sessions, outside, feed_id, clock())
    with wiring.sessions() as session:
        assert session.get_one(Import, other).state == "done"  # mapped as the one before
        numbers = session.scalars(select(Order.number).where(Order.channel_id == channel_id)).all()
        assert sorted(numbers) == ["Z-1", "Z-2"]
        assert get_feed(session, feed_id).failure.startswith("c.xlsx: ")
    with wiring.sessions.begin() as session:
        out = save_feed(session, None, feed(name="Out", kind="folder", address="../..", fields={}), outside.sealer, 1)
        out_id = out.id
    fetch_feed(wiring.sessions, outside, out_id, clock())
    with wiring.sessions() as session:
        assert "folders lie below" in get_feed(session, out_id).failure


def _with(wiring: Wiring, feeds: Feeds) -> Any:
    return replace(wiring.outside, feeds=feeds)


class Sftp:
    """A machine with files, reached by SFTP."""

    def __init__(self, root: Path, port: int) -> None:
        self.root, self.port, self.loop = root, port, asyncio.new_event_loop()
        self.key = asyncssh.generate_private_key("ssh-ed25519")
        self.thread = threading.Thread(target=self.loop.run_forever, daemon=True)
        self.thread.start()
        self.start()

    def start(self) -> None:
        open_ones = self.connections = []  # type: ignore[var-annotated]

        class Door(asyncssh.SSHServer):
            def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
                open_ones.append(conn)

            def begin_auth(self, username: str) -> bool:
                return True

            def password_auth_supported(self) -> bool:
                return True

            def validate_password(self, username: str, password: str) -> bool:
                return (username, password) == ("shed", "spade")

        def files(channel: asyncssh.SSHServerChannel[bytes]) -> asyncssh.SFTPServer:
            return asyncssh.SFTPServer(channel, chroot=str(self.root).encode())

        async def listen() -> asyncssh.SSHAcceptor:
            return await asyncssh.listen(
                "127.0.0.1", self.port, server_host_keys=[self.key], server_factory=Door, sftp_factory=files
            )

        self.server = asyncio.run_coroutine_threadsafe(listen(), self.loop).result(10)

    def stop(self) -> None:
        async def close() -> None:
            self.server.close()
            await self.server.wait_closed()
            for connection in self.connections:
                connection.abort()
                await connection.wait_closed()

        asyncio.run_coroutine_threadsafe(close(), self.loop).result(10)


def test_a_folder_by_sftp_is_read_from_the_machine_that_it_was_first(
    wiring: Wiring, clock: Clock, tmp_path: Path
) -> None:
    (tmp_path / "out").mkdir()
    there = Sftp(tmp_path, free_port())
    written(tmp_path / "out" / "orders.json", json.dumps({"data": {"orders": [order("Q-1")]}}), clock())
    clock.move(minutes=1)
    said = feed(kind="sftp", address=f"sftp://shed@127.0.0.1:{there.port}/out", secret="wrong")
    with wiring.sessions.begin() as session:
        row = save_feed(session, None, said, wiring.outside.sealer, 1)
        feed_id, channel_id = row.id, row.channel_id

    def failure() -> str:
        assert fetch_feed(wiring.sessions, wiring.outside, feed_id, clock()) == []
        with wiring.sessions() as session:
            return get_feed(session, feed_id).failure

    assert "does not accept this name and secret" in failure()
    with wiring.sessions.begin() as session:
        save_feed(session, feed_id, feed(kind="sftp", address=said.address, secret="spade"), wiring.outside.sealer, 1)
    (import_id,) = fetch_feed(wiring.sessions, wiring.outside, feed_id, clock())
    with wiring.sessions() as session:
        assert session.get_one(Import, import_id).made == 1
        assert session.scalars(select(Order.number).where(Order.channel_id == channel_id)).all() == ["Q-1"]
        assert get_feed(session, feed_id).host_key.startswith("ssh-ed25519 ")
    there.stop()
    assert "cannot be reached by SFTP" in failure()
    there.key = asyncssh.generate_private_key("ssh-ed25519")
    there.start()
    assert "shows another key than before" in failure()
    there.stop()
    there.loop.call_soon_threadsafe(there.loop.stop)
    there.thread.join()
    there.loop.close()
