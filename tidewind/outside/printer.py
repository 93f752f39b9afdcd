"""Printers that take PDF over HTTP."""

from __future__ import annotations

from typing import Protocol

import httpx

from tidewind.outside.http import call


class PrinterClient(Protocol):
    """A printer, whichever it is."""

    def take(self, key: str, title: str, copies: int, body: bytes) -> None:
        """Print a PDF once for a key.  Raises NeverSent, MaybeDone or RefusedOutside; repeating is harmless."""


class HttpPrinter:
    """A printer, or the small server that stands before one."""

    def __init__(self, base_url: str, timeout_s: float) -> None:
        self._client = httpx.Client(base_url=base_url, timeout=httpx.Timeout(timeout_s, connect=2.0))

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    def take(self, key: str, title: str, copies: int, body: bytes) -> None:
        """See PrinterClient."""
        call(
            self._client,
            "POST",
            "/jobs",
            params={"title": title, "copies": copies},
            content=body,
            headers={"Idempotency-Key": key, "Content-Type": "application/pdf"},
        )
