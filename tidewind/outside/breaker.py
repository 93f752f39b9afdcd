"""A circuit breaker: who fails three times in a row is left in peace for a while, so that nobody waits in vain."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from threading import Lock

MOST_FAILURES, REST = 3, timedelta(seconds=30)


class Breaker:
    """Counts failures in a row; after a rest one request is let through to see whether it works again."""

    def __init__(self) -> None:
        self._lock, self._failures, self._rests_until = Lock(), 0, datetime.min.replace(tzinfo=UTC)

    def lets_through(self, now: datetime) -> bool:
        """Tell whether to ask at all at ``now`` (aware)."""
        with self._lock:
            if self._failures < MOST_FAILURES:
                return True
            if now < self._rests_until:
                return False
            self._rests_until = now + REST  # this one goes to see; others wait for what it finds
            return True

    def failed(self, now: datetime) -> None:
        """Note a failure."""
        with self._lock:
            self._failures += 1
            self._rests_until = now + REST

    def succeeded(self) -> None:
        """Note an answer: all is well again."""
        with self._lock:
            self._failures = 0
