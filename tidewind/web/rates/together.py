"""One look at the database for all who wait for one.

Whoever asks while a look is under way waits for the next; that one begins after all of them came, so what it finds is
as fresh for each as a look of their own would be.  Under load a hundred requests cost one way to the database.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Collection, Mapping
from typing import Generic, TypeVar

from anyio import to_thread

Asked = TypeVar("Asked")
Found = TypeVar("Found")


class Together(Generic[Asked, Found]):
    """Looks for what is asked in ``look``, in a thread; a fault found in place of something is raised for its asker."""

    def __init__(self, look: Callable[[Collection[Asked]], Mapping[Asked, Found | Exception]]) -> None:
        self._look = look
        self._next: dict[Asked, asyncio.Future[Found]] = {}
        self._looking: asyncio.Task[None] | None = None

    async def find(self, asked: Asked) -> Found:
        """Return what a look that begins from now on finds for ``asked``; raises what it found in its place."""
        waiting = self._next.get(asked)
        if waiting is None:
            waiting = self._next[asked] = asyncio.get_running_loop().create_future()
        if self._looking is None:
            self._looking = asyncio.create_task(self._go_on())
        return await asyncio.shield(waiting)

    async def _go_on(self) -> None:
        """Look for as long as somebody waits."""
        while self._next:
            mine, self._next = self._next, {}
            try:
                found: Mapping[Asked, Found | Exception] = await to_thread.run_sync(self._look, tuple(mine))
            except Exception as error:  # whatever it is, whoever waits must hear of it
                found = dict.fromkeys(mine, error)
            for asked, waiting in mine.items():
                what = found[asked]
                if isinstance(what, Exception):
                    waiting.set_exception(what)
                    waiting.exception()  # it was looked at, even where everybody who asked has gone
                else:
                    waiting.set_result(what)
        self._looking = None
