"""Live updates and the health of the program's parts."""

from __future__ import annotations

from collections.abc import AsyncIterator

import psycopg
from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse

from tidewind import __version__
from tidewind.services.base import NEWS_CHANNEL, parts_health
from tidewind.web.access import Anyone, Parts
from tidewind.web.base.schemas import Health, PartHealth

router = APIRouter(prefix="/api")
QUIET_SECONDS = 15.0


@router.get("/live", tags=["live"], response_class=StreamingResponse)
async def live(_who: Anyone, parts: Parts) -> StreamingResponse:
    """Stream topics (``orders``, ``batch:12``, ``money``) as they change."""
    return StreamingResponse(_topics(parts.settings.database_url), media_type="text/event-stream")


async def _topics(url: str) -> AsyncIterator[str]:
    async with await psycopg.AsyncConnection.connect(url, autocommit=True) as connection:
        await connection.execute(f"listen {NEWS_CHANNEL}")
        yield "retry: 2000\n\n"
        while True:
            async for notice in connection.notifies(timeout=QUIET_SECONDS):
                yield f"data: {notice.payload}\n\n"
            yield ": still here\n\n"


@router.get("/health")
def health(parts: Parts, response: Response) -> Health:
    """Return the state of the database, the job worker and the stand-ins; 503 where one does not work."""
    found = parts_health(parts.sessions, parts.settings.standins_url)
    ok = all(part.ok for part in found.values())
    response.status_code = 200 if ok else 503
    return Health(ok=ok, version=__version__, parts={n: PartHealth(ok=p.ok, detail=p.detail) for n, p in found.items()})
