"""HTTP as uvicorn speaks it, but who does not come to the point is let go: a connection costs whoever waits on it."""

from __future__ import annotations

import asyncio

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

HEADERS_S = 20.0
"""Within this the first line and all headers are there, counted from the connection or the first byte, not the last.

The body has a patience of its own (``web.shield``); between two requests uvicorn waits five seconds.
"""


class ToThePoint(H11Protocol):
    """Closes a connection on which no whole request has begun in time (RFC 9110, 15.5.9 lets one do so at any time)."""

    _patience: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]  # as uvicorn has it
        """Begin to wait for a request."""
        super().connection_made(transport)
        self._wait_for_headers()

    def data_received(self, data: bytes) -> None:
        """Go on waiting while the headers are not whole; each byte more gives no more time."""
        super().data_received(data)
        if self.conn.their_state is not h11.IDLE:
            self._stop_waiting()
        elif self._patience is None:
            self._wait_for_headers()

    def connection_lost(self, exc: Exception | None) -> None:
        """Wait for nothing more."""
        self._stop_waiting()
        super().connection_lost(exc)

    def _wait_for_headers(self) -> None:
        self._patience = self.loop.call_later(HEADERS_S, self.transport.close)

    def _stop_waiting(self) -> None:
        if self._patience is not None:
            self._patience.cancel()
            self._patience = None
