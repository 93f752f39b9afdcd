"""Wiring: settings, database, outside world and routes make the web application."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Hashable
from contextlib import closing
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

from fastapi import APIRouter, FastAPI
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.orm import Session, sessionmaker

from tidewind import __version__
from tidewind.db.engine import make_engine, make_sessions
from tidewind.db.tables import CarrierRow, Channel, Printer
from tidewind.outside.carrier import CarrierClient, Introduction
from tidewind.outside.channels.dialects import DIALECTS
from tidewind.outside.channels.store import Store, StoreIntroduction
from tidewind.outside.channels.upstream import ChannelClient
from tidewind.outside.feeds import Feeds
from tidewind.outside.http_carrier import HttpCarrier
from tidewind.outside.ipp import IppPrinter
from tidewind.outside.mailer import MailServer, SmtpMailer
from tidewind.outside.printer import HttpPrinter, PrinterClient
from tidewind.outside.sms import SmsGateway
from tidewind.services.base import Jumps, Outside, Sealer, tell_what_is_written
from tidewind.services.shop import PROTOCOL, OwnNumbers, server_of, signing_of
from tidewind.settings import Settings, now, real_now
from tidewind.web import (
    base,
    bench,
    books,
    buying,
    customs,
    follow,
    handover,
    orders,
    papers,
    people,
    planning,
    problems,
    rates,
    shop,
)
from tidewind.web.access import Wiring
from tidewind.web.again import Again
from tidewind.web.allowance import Allowed
from tidewind.web.described import describe
from tidewind.web.news import NewsHub
from tidewind.web.observing import Observed
from tidewind.web.shield import Shield

_ROOMS = (follow, people, orders, rates, planning, shop, buying, bench, handover, papers, books, customs, base)


class Clients:
    """The real clients for the outside world; each is made once and kept until ``close``."""

    def __init__(self, settings: Settings, sessions: sessionmaker[Session]) -> None:
        self._settings, self._sessions, self.sealer = settings, sessions, Sealer(settings.key_file)
        self._kept: dict[Hashable, Any] = {}
        self._lock = threading.Lock()

    def _url(self, written: str) -> str:
        return written.replace("{standins}", self._settings.standins_url)

    def _once(self, base_url: str, make: Callable[[str], Any], *more: Hashable) -> Any:
        """Return the client for an address, made at the first call."""
        url = self._url(base_url)
        with self._lock:
            if (url, *more) not in self._kept:
                self._kept[url, *more] = make(url)
            return self._kept[url, *more]

    def carrier(self, row: CarrierRow) -> CarrierClient:
        """Return the client of a carrier; one that is not asked sells its own numbers."""
        if row.kind == "list":
            return OwnNumbers(self._sessions, row.id, row.name)
        key, states, can = self.sealer.open(row.key_sealed), dict(row.states), frozenset(row.can)
        client: CarrierClient = self._once(
            row.base_url,
            lambda url: self._http_carrier(url, row.code, key, states, can),
            row.key_sealed,
            tuple(sorted(states.items())),
            tuple(sorted(can)),
        )
        return client

    def _http_carrier(
        self, url: str, name: str, key: str, states: dict[str, str], can: frozenset[str] = frozenset()
    ) -> HttpCarrier:
        wait, private = self._settings.carrier_timeout_s, self._settings.private_networks
        return HttpCarrier(url, wait, name=name, key=key, states=states, private=private, can=can)

    def introduce(self, base_url: str, key: str) -> Introduction:
        """Ask a carrier who it is."""
        with closing(self._http_carrier(self._url(base_url), "new", key, {})) as client:
            return client.introduce()

    def _store(self, url: str, key: str) -> Store:
        return Store(url, key, self._settings.channel_timeout_s, private=self._settings.private_networks)

    def introduce_store(self, base_url: str, key: str) -> StoreIntroduction:
        """Ask a store who it is."""
        with closing(self._store(self._url(base_url), key)) as client:
            return client.introduce()

    def channel(self, row: Channel) -> ChannelClient:
        """Return the client of a channel: of the protocol, or of a dialect beside it."""
        secret, wait = self.sealer.open(row.secret_sealed), self._settings.channel_timeout_s

        def make(url: str) -> ChannelClient:
            return self._store(url, secret) if row.adapter == PROTOCOL else DIALECTS[row.adapter](url, secret, wait)

        client: ChannelClient = self._once(row.base_url, make, row.adapter, secret)
        return client

    def printer(self, row: Printer) -> PrinterClient:
        """Return the client of a printer."""
        wait = self._settings.carrier_timeout_s
        if row.kind == "ipp":
            return IppPrinter(row.base_url, wait, row.facts)
        client: PrinterClient = self._once(row.base_url, lambda url: HttpPrinter(url, wait))
        return client

    def text(self, gateway: SmsGateway, to: str, words: str) -> str:
        """Send a text message; the demo's gateway is a stand-in."""
        private, there = self._settings.private_networks, replace(gateway, url=self._url(gateway.url))
        return there.send(to, words, self._settings.channel_timeout_s, private=private)

    def close(self) -> None:
        """Close all of them."""
        for client in self._kept.values():
            client.close()


def make_outside(settings: Settings, sessions: sessionmaker[Session]) -> Outside:
    """Return the outside world as services reach it."""
    clients = Clients(settings, sessions)
    own = MailServer(settings.smtp_host, settings.smtp_port) if settings.smtp_port else None
    return Outside(
        carrier=clients.carrier,
        introduce=clients.introduce,
        channel=clients.channel,
        introduce_store=clients.introduce_store,
        printer=clients.printer,
        feeds=Feeds(settings.incoming_dir, settings.channel_timeout_s, private=settings.private_networks),
        mailer=SmtpMailer(
            lambda: server_of(sessions, clients.sealer, own), lambda: signing_of(sessions, clients.sealer)
        ),
        has_mail=own is not None,
        text=clients.text,
        base_url=settings.base_url,
        close=clients.close,
        sealer=clients.sealer,
    )


def make_wiring(settings: Settings) -> Wiring:
    """Return the application's parts for these settings."""
    sessions: sessionmaker[Session] = make_sessions(make_engine(settings.database_url))
    tell_what_is_written(sessions)
    jumps = Jumps(lambda: real_now().timestamp(), time.monotonic)
    return Wiring(settings, sessions, make_outside(settings, sessions), now, NewsHub(settings.database_url), jumps)


@cache
def _every_room() -> APIRouter:
    """Return the routes of all rooms; they are X."""
    whole = APIRouter(responses=problems.RESPONSES)
    for router in (rates.FIRST, *(router for room in _ROOMS for router in room.ROUTERS)):
        whole.include_router(router)
    return whole


def make_app(wiring: Wiring) -> FastAPI:
    """Return the web application."""
    app = FastAPI(
        title="Tidewind",
        version=__version__,
        description="Everything the screens do can be done here. Sign in with a session cookie or an API key.",
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
    )
    app.state.wiring = wiring
    problems.install(app)
    app.router.routes.extend(_every_room().routes)
    app.add_middleware(Again)
    app.add_middleware(Allowed, sessions=wiring.sessions, clock=wiring.real_clock)
    app.add_middleware(
        Shield,
        limit_bytes=wiring.settings.upload_limit_bytes,
        hosts=wiring.settings.known_hosts,
        over_tls=wiring.settings.over_tls,
    )
    app.add_middleware(Observed)
    _serve_pages(app, wiring.settings.frontend_dir)
    describe(app)
    return app


_PAGES = {
    "",
    "ask",
    "asked",
    "batches",
    "bench",
    "checkout",
    "contacts",
    "departures",
    "messages",
    "door",
    "import",
    "money",
    "orders",
    "products",
    "quote",
    "recipes",
    "requests",
    "returns",
    "tracking",
    "rules",
    "set-up",
    "sign-in",
    "t",
    "today",
}
"""What addresses of the pages begin with (``frontend/src/app/router.ts``); anything else is nothing."""


def _serve_pages(app: FastAPI, folder: Path) -> None:
    """Serve the built front end; an address that is no page answers 404, with a page that says so."""
    if not (folder / "index.html").exists():
        return
    fresh = {"Cache-Control": "no-cache"}
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")

    @app.get("/icon.svg", include_in_schema=False)
    def icon() -> Response:
        return FileResponse(folder / "icon.svg", media_type="image/svg+xml")

    @app.get("/api/docs", include_in_schema=False)
    def api_docs() -> Response:
        return FileResponse(folder / "api-docs.html", headers=fresh)

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        first, last = path.partition("/")[0], path.rpartition("/")[2]
        if first == "api" or "." in last:
            return JSONResponse({"title": "not found", "status": 404}, status_code=404)
        return FileResponse(folder / "index.html", headers=fresh, status_code=200 if first in _PAGES else 404)
