"""The line to the outside: where it leads is judged as it is opened, and a call ends when its time is over.

Both must be known of each connection and of each piece that comes over it, so they are told to ``httpcore`` itself: a
name may lead elsewhere a moment after it was looked up, and whoever sends a byte now and then is never late by the
clock of a single read.
"""

from __future__ import annotations

import ssl
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

import httpcore
import httpx

from tidewind.outside.addresses import judged_places
from tidewind.outside.errors import NeverSent

_call = threading.local()


@contextmanager
def ends_within(seconds: float | None) -> Iterator[None]:
    """Let whatever this thread asks for end within so many seconds in all; without an end for None."""
    _call.ends = None if seconds is None else time.monotonic() + seconds
    try:
        yield
    finally:
        _call.ends = None


def _left(timeout: float | None, late: type[Exception] = httpcore.ReadTimeout) -> float | None:
    """Return how long one step may still take.  Raises ``late`` where the time of the whole call is over."""
    ends = getattr(_call, "ends", None)
    if ends is None:
        return timeout
    left = float(ends - time.monotonic())
    if left <= 0:
        raise late("the call as a whole took too long")
    return left if timeout is None else min(timeout, left)


class _Stream(httpcore.NetworkStream):
    def __init__(self, stream: httpcore.NetworkStream) -> None:
        self._stream = stream

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        return self._stream.read(max_bytes, _left(timeout))

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        self._stream.write(buffer, _left(timeout))

    def close(self) -> None:
        self._stream.close()

    def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> httpcore.NetworkStream:
        return _Stream(self._stream.start_tls(ssl_context, server_hostname, _left(timeout)))

    def get_extra_info(self, info: str) -> Any:
        return self._stream.get_extra_info(info)


class _Line(httpcore.SyncBackend):
    def __init__(self, *, private: bool) -> None:
        self._private = private

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        """Connect to a place that was judged, never to a name that is looked up again."""
        failed: Exception = NeverSent(f"there is no host {host[:100]}")
        for place in judged_places(host, port, private=self._private):
            try:
                patience = _left(timeout, httpcore.ConnectTimeout)
                found = super().connect_tcp(str(place), port, patience, local_address, socket_options)
            except (httpcore.ConnectError, httpcore.ConnectTimeout) as error:
                failed = error  # a host of several places is there where one of them is
            else:
                return _Stream(found)
        raise failed


def transport(*, private: bool) -> httpx.HTTPTransport:
    """Return what ``httpx`` sends by; ``private`` lets it into the local network (printers, scales, own services)."""
    made = httpx.HTTPTransport()
    # httpx passes everything on to httpcore but this one parameter, which httpcore documents for this purpose.
    made._pool._network_backend = _Line(private=private)
    return made
