"""A request whose transaction the database ended because of another one is done again; whoever asked sees no fault."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass

import structlog
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tidewind.services.base import TRIES, pause_s

log = structlog.get_logger(__name__)
MOST_KEPT = 1_000_000
"""Bytes of a request that are kept for another try; uploads are not, they are refused and sent again."""


@dataclass(slots=True)
class Clash:
    """Whether the answer that is under way only says that another transaction was in the way."""

    here: bool = False


class Again:
    """ASGI middleware, the innermost: nothing outside of it notices how often a request was tried."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Serve one request, up to four times as long as others are in its way."""
        clash = scope["clash"] = Clash()
        kept = await _kept(scope, receive) if scope["type"] == "http" else None
        if kept is None:
            await self.app(scope, receive, send)
            return

        async def send_unless_clash(message: Message) -> None:
            if not clash.here:
                await send(message)

        for turn in range(TRIES - 1):
            await self.app(scope, _once_more(kept, receive), send_unless_clash)
            if not clash.here:
                return
            clash.here = False
            log.info("tried again after a clash", path=scope["path"], turn=turn + 1)
            await asyncio.sleep(pause_s(turn))
        await self.app(scope, _once_more(kept, receive), send)


async def _kept(scope: Scope, receive: Receive) -> list[Message] | None:
    """Return what was sent with a request, to be read several times; None where it is too large for that."""
    said = dict(scope["headers"]).get(b"content-length", b"0")
    if not said.isdigit() or int(said) > MOST_KEPT or b"transfer-encoding" in dict(scope["headers"]):
        return None
    if int(said) == 0:
        return [{"type": "http.request", "body": b"", "more_body": False}]
    kept = [await receive()]
    while kept[-1]["type"] == "http.request" and kept[-1].get("more_body"):
        kept.append(await receive())
    return kept


def _once_more(kept: list[Message], receive: Receive) -> Receive:
    """Return a way to read a request from its beginning; behind it comes what comes, such as its asker's leaving."""
    left = iter(kept)

    async def read() -> Message:
        for message in left:
            return message
        return await receive()

    return read
