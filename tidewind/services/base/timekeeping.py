"""Work that is due again and again, by a clock that nobody can set: a jump of the wall clock delays nothing."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Mapping
from contextlib import suppress
from datetime import timedelta

import psycopg
import structlog
from procrastinate.exceptions import ConnectorException

log = structlog.get_logger(__name__)
THE_KEEPER = 7_141_902
"""The number of the database's lock that only one worker has: who has it keeps the time for all."""
LOOK_EVERY_S, TRY_AGAIN_S = 0.5, 2.0
A_JUMP = timedelta(seconds=5)
CALM_AFTER_JUMP_S = 12.0
"""After a jump nobody is taken for dead for so long: signs of life are written by the wall clock."""


class Turns:
    """Which of several things is due, each so many seconds after its last turn; all of them at first."""

    def __init__(self, every: Mapping[str, float]) -> None:
        self._every = dict(every)
        self._last: dict[str, float] = {}

    def due(self, moment: float) -> list[str]:
        """Return what is due at a moment of a clock that only goes forward, in seconds, and take it for done."""
        found = [name for name, every in self._every.items() if moment - self._last.get(name, -every) >= every]
        self._last.update(dict.fromkeys(found, moment))
        return found


class Jumps:
    """Finds jumps of the wall clock by comparing it with one that cannot be set."""

    def __init__(self, wall: Callable[[], float], steady: Callable[[], float]) -> None:
        self._wall, self._steady = wall, steady
        self._first = self._before = wall() - steady()

    def since_start(self) -> timedelta:
        """Return by how much the wall clock was moved since this was made, forward or (negative) back."""
        return timedelta(seconds=round(self._wall() - self._steady() - self._first))

    def newly(self) -> timedelta:
        """Return by how much it was moved since this was asked last; small differences count as none."""
        here = self._wall() - self._steady()
        moved = timedelta(seconds=round(here - self._before))
        if abs(moved) < A_JUMP:
            return timedelta()
        self._before = here
        return moved


async def keep_time(
    database_url: str,
    turns: Turns,
    jumps: Jumps,
    steady: Callable[[], float],
    do: Callable[[str, bool], Awaitable[None]],
) -> None:
    """Call ``do`` for whatever is due while this process is the keeper, which one process at a time is; never returns.

    The second argument tells that the wall clock was moved just before.
    """
    while True:
        with suppress(psycopg.Error, ConnectorException, OSError):
            async with await psycopg.AsyncConnection.connect(database_url, autocommit=True) as connection:
                while not await _is_keeper(connection):
                    await asyncio.sleep(TRY_AGAIN_S)
                calm_until = 0.0
                while True:
                    if moved := jumps.newly():
                        log.warning("the clock was moved", seconds=moved.total_seconds())
                        calm_until = steady() + CALM_AFTER_JUMP_S
                    for name in turns.due(steady()):
                        await do(name, steady() < calm_until)
                    await asyncio.sleep(LOOK_EVERY_S)
                    await connection.execute("select 1")  # who has lost the connection has lost the lock
        await asyncio.sleep(TRY_AGAIN_S)


async def _is_keeper(connection: psycopg.AsyncConnection[tuple[bool]]) -> bool:
    found = await (await connection.execute("select pg_try_advisory_lock(%s)", (THE_KEEPER,))).fetchone()
    return bool(found and found[0])
