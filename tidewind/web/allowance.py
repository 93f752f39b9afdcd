"""Who brings a key may ask so often in a minute; whoever asks more is told so before any work is done for it."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session, sessionmaker
from starlette.concurrency import run_in_threadpool
from starlette.types import ASGIApp, Receive, Scope, Send

from tidewind.services.people import digest, take_handful
from tidewind.web.problems import problem

MOST_KNOWN, SLOWED_BY_S = 5_000, 1.0


@dataclass(slots=True)
class _Hand:
    """What this process may still hand out to a key in a minute; ``over``: there is no more in it."""

    minute: int
    left: int = 0
    over: bool = False


class Allowed:
    """ASGI middleware; the count is shared with the other processes (see services.people.allowance)."""

    def __init__(self, app: ASGIApp, sessions: sessionmaker[Session], clock: Callable[[], datetime]) -> None:
        self.app, self._sessions, self._clock = app, sessions, clock
        self._hands: dict[str, _Hand] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Serve one request, or say when it will be served again."""
        given = _key_of(scope)
        key = digest(given) if given else ""
        wait_s = await self._wait_s(key) if key else 0
        if not wait_s:
            await self.app(scope, receive, send)
            return
        # A program that asks again at once is slowed down by this alone; waiting here costs next to nothing.
        await asyncio.sleep(SLOWED_BY_S)
        told = problem(429, "too_many", f"This key has asked as often as it may in a minute. Ask again in {wait_s} s.")
        told.headers["Retry-After"] = str(wait_s)
        await told(scope, receive, send)

    async def _wait_s(self, key: str) -> int:
        """Return how many seconds a key has to wait; 0 where it may go on, and for a key that nobody knows."""
        now = int(self._clock().timestamp())
        hand = self._hands.get(key)
        if hand is None or hand.minute != now // 60:
            if len(self._hands) >= MOST_KNOWN:
                self._hands.clear()
            hand = self._hands[key] = _Hand(now // 60)
        if hand.left <= 0 and not hand.over:
            given = await run_in_threadpool(self._more, key, hand.minute)
            if given is None:  # it is refused behind this, by whoever looks at keys
                self._hands.pop(key, None)
                return 0
            hand.left, hand.over = hand.left + given, given == 0
        if hand.left > 0:
            hand.left -= 1
            return 0
        return 60 - now % 60

    def _more(self, key: str, minute: int) -> int | None:
        with self._sessions.begin() as session:
            return take_handful(session, key, minute)


def _key_of(scope: Scope) -> str:
    if scope["type"] != "http":
        return ""
    given = next((value for name, value in scope["headers"] if name == b"authorization"), b"")
    kind, _, key = given.decode("latin-1").partition(" ")
    return key.strip() if kind.lower() == "bearer" else ""
