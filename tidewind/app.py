"""Wiring: settings, database, outside world and routes make the web application."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.orm import Session, sessionmaker

from tidewind import __version__
from tidewind.db.base import make_engine, make_sessions
from tidewind.db.tables import CarrierRow, Channel, Printer
from tidewind.outside.carrier import CarrierClient, HttpCarrier, Introduction
from tidewind.outside.channels.larkspur import Larkspur
from tidewind.outside.channels.ovenbird import Ovenbird
from tidewind.outside.channels.tallyfair import Tallyfair
from tidewind.outside.channels.upstream import ChannelClient
from tidewind.outside.mailer import MailServer, SmtpMailer
from tidewind.outside.printer import HttpPrinter, PrinterClient
from tidewind.services.base import Jumps, Outside, Sealer, tell_what_is_written
from tidewind.services.shop import OwnNumbers, server_of
from tidewind.settings import Settings, now
from tidewind.web import base, books, buying, follow, handover, orders, papers, people, planning, problems, rates, shop
from tidewind.web.access import Wiring
from tidewind.web.described import describe
from tidewind.web.news import NewsHub
from tidewind.web.observing import Observed
from tidewind.web.shield import Shield

_ROOMS = (follow, people, orders, rates, planning, shop, buying, handover, papers, books, base)
ADAPTERS: dict[str, Callable[[str, str, float], ChannelClient]] = {
    "larkspur": Larkspur,
    "tallyfair": Tallyfair,
    "ovenbird": Ovenbird,
}


def make_outside(settings: Settings, sessions: sessionmaker[Session]) -> Outside:
    """Return the real clients for the outside world; each is made once and kept until ``close``."""
    sealer = Sealer(settings.key_file)
    kept: dict[Hashable, Any] = {}
    lock = threading.Lock()

    def once(base_url: str, make: Callable[[str], Any], *more: Hashable) -> Any:
        """Return the client for an address, made at the first call."""
        url = base_url.replace("{standins}", settings.standins_url)
        with lock:
            if (url, *more) not in kept:
                kept[url, *more] = make(url)
            return kept[url, *more]

    def carrier(row: CarrierRow) -> CarrierClient:
        if row.kind == "list":
            return OwnNumbers(sessions, row.id, row.name)
        key, states = sealer.open(row.key_sealed), dict(row.states)
        client: CarrierClient = once(
            row.base_url,
            lambda url: _http_carrier(url, settings, row.code, key, states),
            row.key_sealed,
            tuple(sorted(states.items())),
        )
        return client

    def introduce(base_url: str, key: str) -> Introduction:
        url = base_url.replace("{standins}", settings.standins_url)
        client = _http_carrier(url, settings, "new", key, {})
        try:
            return client.introduce()
        finally:
            client.close()

    def printer(row: Printer) -> PrinterClient:
        client: PrinterClient = once(row.base_url, lambda url: HttpPrinter(url, settings.carrier_timeout_s))
        return client

    def channel(row: Channel) -> ChannelClient:
        secret, adapter = sealer.open(row.secret_sealed), ADAPTERS[row.adapter]
        client: ChannelClient = once(
            row.base_url, lambda url: adapter(url, secret, settings.channel_timeout_s), row.adapter, secret
        )
        return client

    def close() -> None:
        for client in kept.values():
            client.close()

    own = MailServer(settings.smtp_host, settings.smtp_port)
    mailer = SmtpMailer(lambda: server_of(sessions, sealer, own))
    return Outside(carrier, introduce, channel, printer, mailer, settings.base_url, close, sealer)


def _http_carrier(url: str, settings: Settings, name: str, key: str, states: dict[str, str]) -> HttpCarrier:
    private = settings.private_networks
    return HttpCarrier(url, settings.carrier_timeout_s, name=name, key=key, states=states, private=private)


def make_wiring(settings: Settings) -> Wiring:
    """Return the application's parts for these settings."""
    sessions: sessionmaker[Session] = make_sessions(make_engine(settings.database_url))
    tell_what_is_written(sessions)
    jumps = Jumps(lambda: now().timestamp(), time.monotonic)
    return Wiring(settings, sessions, make_outside(settings, sessions), now, NewsHub(settings.database_url), jumps)


def make_app(wiring: Wiring) -> FastAPI:
    """Return the web application."""
    app = FastAPI(
        title="Tidewind",
        version=__version__,
        description="Everything the screens do can be done here. Sign in with a session cookie or an API key.",
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
        responses=problems.RESPONSES,
    )
    app.state.wiring = wiring
    problems.install(app)
    for room in _ROOMS:
        for router in room.ROUTERS:
            app.include_router(router)
    app.add_middleware(Shield, limit_bytes=wiring.settings.upload_limit_bytes, hosts=wiring.settings.known_hosts)
    app.add_middleware(Observed)
    _serve_pages(app, wiring.settings.frontend_dir)
    describe(app)
    return app


def _serve_pages(app: FastAPI, folder: Path) -> None:
    """Serve the built front end; every address that is no file is one of its pages."""
    if not (folder / "index.html").exists():
        return
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            return JSONResponse({"title": "not found", "status": 404}, status_code=404)
        return FileResponse(folder / "index.html", headers={"Cache-Control": "no-cache"})
