"""The stand-ins' own web application: carriers, web shop, mail, and the panel for clock and faults."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager, suppress
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, FastAPI, Form, HTTPException, Request, Response
from fastapi.exception_handlers import http_exception_handler, request_validation_exception_handler
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse

from tidewind.standins import (
    after_sale,
    carriers,
    checkout,
    mail,
    markets,
    printers,
    scale,
    store,
    texts,
    vans,
    ways,
    webshop,
)
from tidewind.standins.page import page
from tidewind.standins.world import FAULTS, World

PARTIES = (*carriers.CARDS, "larkspur", *markets.MARKETS, *printers.PRINTERS)


TELL_EVERY_S = 20


_PARTIES = (
    carriers,
    vans,
    ways,
    after_sale,
    printers,
    webshop,
    checkout,
    scale,
    store,
    markets,
    mail,
    texts,
)


@cache
def _everybody() -> APIRouter:
    """Return the routes of all parties, read from their functions' signatures once a process."""
    whole = APIRouter()
    for party in _PARTIES:
        whole.include_router(party.router)
    return whole


def make_app(
    file: Path | str, smtp_port: int, clock: Callable[[], datetime], clock_file: Path | None = None
) -> FastAPI:
    """Return the application; ``file`` keeps what the world remembers, SMTP listens on ``smtp_port``.

    ``clock_file`` is where it says by how many seconds its clock stands ahead, for a shop that goes by it.
    """
    world = World(file, clock, clock_file)

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        webshop.open_shop(world)
        markets.open_markets(world)
        controller = mail.start_mail(world, smtp_port)
        telling = asyncio.create_task(_tell_events(world))
        yield
        telling.cancel()
        with suppress(asyncio.CancelledError):
            await telling
        controller.stop()
        world.close()

    app = FastAPI(title="Tidewind's simulated outside world", lifespan=lifespan)
    app.state.world = world
    app.add_exception_handler(HTTPException, _refused)
    app.add_exception_handler(RequestValidationError, _unreadable)
    app.router.routes.extend(_everybody().routes)
    app.add_api_route("/", _panel, response_class=HTMLResponse)
    app.add_api_route("/clock", _move, methods=["POST"])
    app.add_api_route("/faults", _fault, methods=["POST"])
    app.add_api_route("/health", lambda: {"ok": True, "now": world.now().isoformat()})
    return app


async def _tell_events(world: World) -> None:
    """Let carriers tell events as they happen, to those who have asked for it."""
    while True:
        await asyncio.sleep(TELL_EVERY_S)
        await asyncio.to_thread(ways.tell_events, world)


async def _refused(request: Request, error: Exception) -> Response:
    """Answer as the protocols say, a reason and words; other parties nest them as their dialects do."""
    if isinstance(error, HTTPException) and isinstance(error.detail, dict) and _speaks_protocol(request):
        return JSONResponse(error.detail, error.status_code)
    if not isinstance(error, HTTPException):
        raise error
    return await http_exception_handler(request, error)


async def _unreadable(request: Request, error: Exception) -> Response:
    if not isinstance(error, RequestValidationError):
        raise error
    if _speaks_protocol(request):
        where = ".".join(str(part) for part in error.errors()[0]["loc"])
        return JSONResponse({"reason": "unreadable", "detail": f"{where}: {error.errors()[0]['msg']}"[:300]}, 422)
    return await request_validation_exception_handler(request, error)


def _speaks_protocol(request: Request) -> bool:
    return request.url.path.startswith(("/carriers/", "/store/"))


def _panel(request: Request) -> str:
    world: World = request.app.state.world
    active = {(r["party"], r["kind"]): r["remaining"] for r in world.rows("select * from fault")}
    rows = ""
    for party in PARTIES:
        cells = "".join(
            f'<td><form method="post" action="/faults"><input type="hidden" name="party" value="{party}">'
            f'<input type="hidden" name="kind" value="{kind}">'
            f'<button name="times" value="{0 if (party, kind) in active else 1000000}">'
            f"{kind.replace('_', ' ')}: {'on' if (party, kind) in active else 'off'}</button></form></td>"
            for kind in FAULTS
        )
        rows += f"<tr><th>{party}</th>{cells}</tr>"
    play = "".join(
        f'<form method="post" action="/{market}/play"><b>{name}</b> '
        + "".join(
            f'<button name="what" value="{what}">{words}</button> '
            for what, words in (
                ("new", "A new order"),
                ("move", "The newest buyer moves"),
                ("cancel", "The newest is cancelled"),
            )
        )
        + "</form>"
        for market, name in markets.MARKETS.items()
    )
    clock = (
        f"<p>The clock says {world.now():%a %d %b %Y %H:%M} UTC.</p>"
        '<form method="post" action="/clock"><button name="hours" value="6">6 hours on</button> '
        '<button name="hours" value="24">A day on</button></form>'
    )
    return page("Simulated world", f"{clock}<h2>Marketplaces</h2>{play}<h2>Faults</h2><table>{rows}</table>")


def _move(request: Request, hours: Annotated[int, Form()]) -> RedirectResponse:
    request.app.state.world.move_clock(hours)
    return RedirectResponse("/", 303)


def _fault(
    request: Request, party: Annotated[str, Form()], kind: Annotated[str, Form()], times: Annotated[int, Form()] = 1
) -> RedirectResponse:
    if party not in PARTIES or kind not in FAULTS:
        raise HTTPException(422, "no such party or fault")
    request.app.state.world.set_fault(party, kind, times)
    return RedirectResponse("/", 303)
