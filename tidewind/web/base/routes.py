"""News to open pages and the health of the program's parts."""

from __future__ import annotations

import hmac
from collections.abc import AsyncIterator
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.sse import EventSourceResponse, ServerSentEvent

from tidewind import __version__
from tidewind.metrics import exposition
from tidewind.services.base import NotFound, figures_of_the_moment, parts_health
from tidewind.web.access import Anyone, Now, Parts, Tx, still_signed_in
from tidewind.web.base.schemas import Health, PartHealth

router = APIRouter(prefix="/api")
router_without_prefix = APIRouter()
_STREAM: dict[str, Any] = {
    "description": "Topics, one to an event",
    "content": {"text/event-stream": {"schema": {"type": "string"}}},
}


@router.get("/news", tags=["news"], response_class=EventSourceResponse, responses={200: _STREAM})
async def news(who: Anyone, request: Request, parts: Parts) -> AsyncIterator[ServerSentEvent]:
    """Stream topics as things change; each is a key of the pages' queries (``orders``, ``batch:12``).

    It ends when the session it was opened with has ended.
    """
    yield ServerSentEvent(comment=f"news for {who.id}", retry=2_000)
    async for topic in parts.news.topics(lambda: still_signed_in(request, parts)):
        yield ServerSentEvent(raw_data=topic)


@router.get("/health", responses={503: {"model": Health, "description": "Something does not work"}})
def health(parts: Parts, response: Response) -> Health:
    """Return the state of the database, the job workers, the clock and the stand-ins; 503 where one does not work."""
    found = parts_health(parts.sessions, parts.settings.standins_url, parts.jumps.since_start())
    ok = all(part.ok for part in found.values())
    response.status_code = 200 if ok else 503
    return Health(ok=ok, version=__version__, parts={n: PartHealth(ok=p.ok, detail=p.detail) for n, p in found.items()})


@router_without_prefix.get("/metrics", include_in_schema=False)
def metrics(request: Request, parts: Parts, session: Tx, now: Now) -> Response:
    """Return figures for Prometheus to whoever has the token of the settings; without one there is nothing here."""
    wanted, given = parts.settings.metrics_token, request.headers.get("Authorization", "")
    if not wanted or not hmac.compare_digest(given.encode(), f"Bearer {wanted}".encode()):
        raise NotFound("nothing_here", "There is nothing at this address.")
    body = exposition(figures_of_the_moment(session, now))
    return Response(body, media_type="text/plain; version=0.0.4; charset=utf-8")
