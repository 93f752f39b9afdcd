"""Wiring: settings, database, outside world and routes make the web application."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.orm import Session, sessionmaker

from tidewind import __version__
from tidewind.db.base import make_engine, make_sessions
from tidewind.db.tables import CarrierAccount, Channel
from tidewind.outside.carrier import HttpCarrier
from tidewind.outside.channels.larkspur import Larkspur
from tidewind.outside.channels.ovenbird import Ovenbird
from tidewind.outside.channels.tallyfair import Tallyfair
from tidewind.outside.channels.upstream import ChannelClient
from tidewind.outside.mailer import SmtpMailer
from tidewind.services.sealing import Sealer
from tidewind.services.world import Outside
from tidewind.settings import Settings, now
from tidewind.web import problems
from tidewind.web.access import Wiring
from tidewind.web.routes import (
    by_hand,
    carriers,
    channels,
    fixing,
    imports,
    live,
    orders,
    people_and_products,
    public,
    purchases,
    rates,
    rules,
    shop,
    sign_in,
)
from tidewind.web.shield import Shield

_ROUTES = (
    public, sign_in, fixing, rates, orders, by_hand, rules, imports, channels, people_and_products, purchases, shop,
    carriers, live,
)  # fmt: skip
ADAPTERS: dict[str, Callable[[str, str, float], ChannelClient]] = {
    "larkspur": Larkspur,
    "tallyfair": Tallyfair,
    "ovenbird": Ovenbird,
}


def make_outside(settings: Settings) -> Outside:
    """Return the real clients for the outside world; each is made once and kept until ``close``."""
    carriers: dict[str, HttpCarrier] = {}
    channels: dict[tuple[str, str, str], ChannelClient] = {}
    sealer = Sealer(settings.key_file)
    lock = threading.Lock()

    def carrier(account: CarrierAccount) -> HttpCarrier:
        url = account.base_url.replace("{standins}", settings.standins_url)
        with lock:
            if url not in carriers:
                carriers[url] = HttpCarrier(url, settings.carrier_timeout_s)
            return carriers[url]

    def channel(row: Channel) -> ChannelClient:
        url = row.base_url.replace("{standins}", settings.standins_url)
        key = (row.adapter, url, sealer.open(row.secret_sealed))
        with lock:
            if key not in channels:
                channels[key] = ADAPTERS[row.adapter](url, key[2], settings.channel_timeout_s)
            return channels[key]

    def close() -> None:
        for carrier_client in carriers.values():
            carrier_client.close()
        for channel_client in channels.values():
            channel_client.close()

    mailer = SmtpMailer(settings.smtp_host, settings.smtp_port)
    return Outside(carrier, channel, mailer, settings.base_url, close, sealer)


def make_wiring(settings: Settings) -> Wiring:
    """Return the application's parts for these settings."""
    sessions: sessionmaker[Session] = make_sessions(make_engine(settings.database_url))
    return Wiring(settings, sessions, make_outside(settings), now)


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
    for module in _ROUTES:
        app.include_router(module.router)
    app.add_middleware(Shield, limit_bytes=wiring.settings.upload_limit_bytes)
    _serve_pages(app, wiring.settings.frontend_dir)
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
