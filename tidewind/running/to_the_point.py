"""HTTP as uvicorn speaks it, but who does not come to the point is let go: a connection costs whoever waits on it."""

from __future__ import annotations

import asyncio
import json

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

HEADERS_S = 20.0
"""Within this the first line and all headers are there, counted from the connection or the first byte, not the last.

The body has a patience of its own (``web.shield``); between two requests uvicorn waits five seconds.
"""
LONGEST_HEADERS = 256 * 1024
"""Bytes of the first line and all headers: the longest address that the API's document allows, every sign in twelve."""
LINGERS_S = 1.0
_SAFE = (("cache-control", "no-store"), ("x-content-type-options", "nosniff"))
_NO_REQUEST = json.dumps(
    {
        "type": "about:blank",
        "title": "no request",
        "status": 400,
        "code": "no_request",
        "detail": "This is no HTTP request that can be read, or its address and headers are longer than 256 kB.",
        "fields": {},
    }
).encode()


class ToThePoint(H11Protocol):
    """Closes a connection on which no whole request has begun in time (RFC 9110, 15.5.9 lets one do so at any time)."""

    _patience: asyncio.TimerHandle | None = None
    _deaf = False

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]  # as uvicorn has it
        """Begin to wait for a request."""
        super().connection_made(transport)
        self._wait_for_headers()

    def data_received(self, data: bytes) -> None:
        """Go on waiting while the headers are not whole; each byte more gives no more time."""
        if self._deaf:
            return
        super().data_received(data)
        if self._deaf:
            return
        if self.conn.their_state is not h11.IDLE:
            self._stop_waiting()
        elif self._patience is None:
            self._wait_for_headers()

    def send_400_response(self, msg: str) -> None:  # noqa: ARG002 - said for the log of a developer, not for a caller
        """Say that this is no request, and hear out for a moment who is still sending.

        Closed at once, the answer would be lost on its way to whoever sends more than we read (RFC 9112, 9.6).
        """
        headers = [("content-type", "application/problem+json"), ("connection", "close"), *_SAFE]
        said = h11.Response(status_code=400, headers=[*headers, ("content-length", str(len(_NO_REQUEST)))])
        for event in (said, h11.Data(data=_NO_REQUEST), h11.EndOfMessage()):
            self.transport.write(self.conn.send(event) or b"")
        self._deaf = True
        self._stop_waiting()
        self._patience = self.loop.call_later(LINGERS_S, self.transport.close)

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
