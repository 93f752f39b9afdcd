"""Live updates: what changed, as server-sent events fed by PostgreSQL's LISTEN."""

from __future__ import annotations

from collections.abc import AsyncIterator

import psycopg
from fastapi import APIRouter
from fastapi.responses import StreamingResponse

from tidewind.services.live import CHANNEL
from tidewind.web.access import Anyone, Parts

router = APIRouter(prefix="/api", tags=["live"])
QUIET_SECONDS = 15.0


@router.get("/live", response_class=StreamingResponse)
async def live(_who: Anyone, parts: Parts) -> StreamingResponse:
    """Stream topics (``orders``, ``batch:12``, ``money``) as they change."""
    return StreamingResponse(_topics(parts.settings.database_url), media_type="text/event-stream")


async def _topics(url: str) -> AsyncIterator[str]:
    async with await psycopg.AsyncConnection.connect(url, autocommit=True) as connection:
        await connection.execute(f"listen {CHANNEL}")
        yield "retry: 2000\n\n"
        while True:
            async for notice in connection.notifies(timeout=QUIET_SECONDS):
                yield f"data: {notice.payload}\n\n"
            yield ": still here\n\n"
