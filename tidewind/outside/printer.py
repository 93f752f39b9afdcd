"""Printers, whichever they are, and the small server before one that takes PDF over HTTP."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

import httpx

from tidewind.core.printing import PrinterFacts
from tidewind.outside.addresses import check_address
from tidewind.outside.http import call, client_at


@dataclass(frozen=True, slots=True)
class PaperJob:
    """A PDF to be printed once for a key, on paper of a size in tenths of a millimetre."""

    key: str
    title: str
    copies: int
    body: bytes
    size_mm10: tuple[int, int]


class Fate(StrEnum):
    """What became of a print: taken is not on paper yet, and what is unknown may have been printed."""

    TAKEN = "taken"
    PRINTED = "printed"
    BROKEN_OFF = "broken_off"
    CANCELLED = "cancelled"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Printed:
    """What a printer says of a print: its fate, the printer's own number for it, and what is in its way."""

    fate: Fate
    ref: str = ""
    words: str = ""


class PrinterClient(Protocol):
    """A printer, whichever it is."""

    def facts(self) -> PrinterFacts:
        """Ask what the printer is and how it does.  Raises OutsideError."""

    def take(self, job: PaperJob) -> Printed:
        """Print once for a key.  Raises NeverSent, MaybeDone or RefusedOutside; repeating is harmless."""

    def look(self, ref: str) -> Printed:
        """Ask what became of a print that was taken.  Raises OutsideError."""

    def cancel(self, ref: str) -> None:
        """Take back what was taken and is not printed.  Raises OutsideError."""


class HttpPrinter:
    """A printer, or the small server that stands before one."""

    def __init__(self, base_url: str, timeout_s: float) -> None:
        self._url = base_url
        self._client = client_at(base_url, private=True, timeout=httpx.Timeout(timeout_s, connect=2.0))

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    def facts(self) -> PrinterFacts:
        """See PrinterClient: such a server says nothing of itself; any answer of its address will do."""
        check_address(self._url, private=True)  # printers stand in the house
        call(self._client, "GET", "/jobs")
        return PrinterFacts(formats=("application/pdf",))

    def take(self, job: PaperJob) -> Printed:
        """See PrinterClient: what such a server has taken is printed."""
        check_address(self._url, private=True)
        call(
            self._client,
            "POST",
            "/jobs",
            params={"title": job.title, "copies": job.copies},
            content=job.body,
            headers={"Idempotency-Key": job.key, "Content-Type": "application/pdf"},
        )
        return Printed(Fate.PRINTED)

    def look(self, ref: str) -> Printed:
        """See PrinterClient."""
        return Printed(Fate.PRINTED, ref)

    def cancel(self, ref: str) -> None:
        """See PrinterClient: nothing is ever on its way."""
