"""One listener a process hears all news and passes them to every open page; a page costs no connection."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import suppress

import psycopg

from tidewind.services.base import NEWS_CHANNEL

EVERYTHING = "everything"
"""The topic that is told where news may have been missed: the page fetches all it shows again."""
MOST_WAITING = 500
AGAIN_AFTER_S = 2.0


class NewsHub:
    """Listens on one connection while somebody is there to hear, and begins anew where that breaks."""

    def __init__(self, database_url: str) -> None:
        self._url = database_url
        self._waiting: set[asyncio.Queue[str]] = set()
        self._listener: asyncio.Task[None] | None = None
        self._listens = False

    async def topics(self, still_welcome: Callable[[], bool], check_every_s: float = 20.0) -> AsyncIterator[str]:
        """Yield topics as they come, until the listener is not ``still_welcome``, which is asked now and then.

        The first one is always ``EVERYTHING``, said when nothing can be missed any more: what changed between the
        page's last answer and now was told to nobody.
        """
        queue: asyncio.Queue[str] = asyncio.Queue(MOST_WAITING)
        if self._listens:
            queue.put_nowait(EVERYTHING)
        self._waiting.add(queue)
        if self._listener is None or self._listener.done():
            self._listener = asyncio.create_task(self._listen())
        loop = asyncio.get_running_loop()
        checked = loop.time()
        try:
            while True:
                with suppress(TimeoutError):
                    yield await asyncio.wait_for(queue.get(), check_every_s)
                if loop.time() - checked >= check_every_s:
                    checked = loop.time()
                    if not await asyncio.to_thread(still_welcome):
                        return
        finally:
            self._waiting.discard(queue)
            if not self._waiting and self._listener is not None:
                self._listener.cancel()
                self._listener, self._listens = None, False

    async def _listen(self) -> None:
        while True:
            with suppress(psycopg.Error, OSError):
                async with await psycopg.AsyncConnection.connect(self._url, autocommit=True) as connection:
                    await connection.execute(f"listen {NEWS_CHANNEL}")
                    self._listens = True
                    self._pass_on(EVERYTHING)
                    async for notice in connection.notifies():
                        self._pass_on(notice.payload)
            self._listens = False
            await asyncio.sleep(AGAIN_AFTER_S)

    def _pass_on(self, topic: str) -> None:
        for queue in self._waiting:
            if queue.full():  # a page that reads too slowly hears that it missed something, not everything late
                while not queue.empty():
                    queue.get_nowait()
                topic = EVERYTHING
            queue.put_nowait(topic)
