"""Printers by IPP Everywhere (PWG 5100.14): what they are, a print once for a key, and what became of it."""

from __future__ import annotations

import hashlib
import struct
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlsplit

import httpx
from pyipp import parser
from pyipp.enums import IppOperation, IppTag
from pyipp.exceptions import IPPParseError
from pyipp.serializer import construct_attribute

from tidewind.core.printing import PrinterFacts, medium_for, medium_in_words, troubles_in_words
from tidewind.outside.addresses import check_address
from tidewind.outside.errors import NONSENSE, MaybeDone, NeverSent, RefusedOutside
from tidewind.outside.http import call, client_at
from tidewind.outside.printer import Fate, PaperJob, Printed
from tidewind.outside.pwg_raster import pwg_raster

PORT = 631
PDF, RASTER = "application/pdf", "image/pwg-raster"
_LEAST_DPI = 200
_GONE = 0x0406  # client-error-not-found: the printer does not know this job (any more)
# Where the printer has no place or no mind for a job just now, nothing of it was taken (RFC 8011, B.1.5).
_NOT_NOW = {0x0502: "is not to be had just now", 0x0506: "takes nothing just now", 0x0507: "is busy"}
_WANTED = (
    "printer-make-and-model", "document-format-supported", "media-supported", "media-ready",
    "printer-resolution-supported", "pwg-raster-document-resolution-supported", "pwg-raster-document-type-supported",
    "printer-state-reasons", "printer-is-accepting-jobs", "copies-supported",
)  # fmt: skip
# What a job that goes well says of itself (RFC 8011, 5.3.8).
_GOING_ON = ("job-printing", "job-queued", "job-incoming", "job-transforming", "job-spooling", "processing-to-stop")
_DONE, _CANCELLED, _ABORTED = 9, 7, 8


@dataclass(frozen=True, slots=True)
class _Answer:
    status: int
    printer: dict[str, Any]
    jobs: list[dict[str, Any]]


class IppPrinter:
    """A printer at an ``ipp`` or ``ipps`` address."""

    def __init__(self, uri: str, timeout_s: float, facts: PrinterFacts) -> None:
        self._uri, self._facts = uri, facts
        self._url = http_address(uri)
        self._timeout = httpx.Timeout(timeout_s, connect=2.0)

    def facts(self) -> PrinterFacts:
        """Ask the printer what it is and how it does.  Raises OutsideError."""
        said = self._ask(IppOperation.GET_PRINTER_ATTRIBUTES, [("requested-attributes", _WANTED, IppTag.KEYWORD)])
        found = said.printer
        dots = _many(found, "pwg-raster-document-resolution-supported") or _many(found, "printer-resolution-supported")
        return PrinterFacts(
            model=str(found.get("printer-make-and-model", ""))[:120],
            formats=tuple(map(str, _many(found, "document-format-supported"))),
            media=tuple(map(str, _many(found, "media-supported")))[:400],
            ready=tuple(map(str, _many(found, "media-ready")))[:40],
            dpi=tuple(sorted({_dots(one) for one in dots} - {0})),
            rasters=tuple(map(str, _many(found, "pwg-raster-document-type-supported"))),
            troubles=troubles_in_words([str(one) for one in _many(found, "printer-state-reasons")]),
            accepts=bool(found.get("printer-is-accepting-jobs", True)),
        )

    def take(self, job: PaperJob) -> Printed:
        """See PrinterClient: IPP knows no key, so the printer is first asked for a job of this key's name."""
        name = f"{job.title[:90]} ({hashlib.sha256(job.key.encode()).hexdigest()[:12]})"
        if known := self._named(name):
            return known
        medium = medium_for(job.size_mm10, self._facts)
        if not medium:
            has = ", ".join(dict.fromkeys(medium_in_words(one) for one in self._facts.media[:12])) or "no media"
            width, height = (round(side / 10) for side in job.size_mm10)
            raise RefusedOutside("no_medium", f"it has no {width} × {height} mm; it offers {has}")
        kind, body, copies = self._written(job)
        operation = [("job-name", name, IppTag.NAME), ("document-format", kind, IppTag.MIME_TYPE)]
        asked: list[tuple[str, Any, IppTag]] = [
            ("media", medium, IppTag.KEYWORD),
            ("print-scaling", "none", IppTag.KEYWORD),
        ]
        if copies > 1:
            asked.append(("copies", copies, IppTag.INTEGER))
        said = self._ask(IppOperation.PRINT_JOB, operation, asked, body)
        if not said.jobs or "job-id" not in said.jobs[0]:
            raise MaybeDone("it took a print and did not say under which number")
        return _printed(said.jobs[0])

    def look(self, ref: str) -> Printed:
        """See PrinterClient."""
        wanted = ("job-id", "job-state", "job-state-reasons")
        try:
            said = self._ask(
                IppOperation.GET_JOB_ATTRIBUTES,
                [("job-id", int(ref), IppTag.INTEGER), ("requested-attributes", wanted, IppTag.KEYWORD)],
            )
        except RefusedOutside as error:
            if error.reason == "gone":
                return Printed(Fate.UNKNOWN, ref)
            raise
        if not said.jobs:
            return Printed(Fate.UNKNOWN, ref)
        printed = _printed(said.jobs[0])
        if printed.fate is Fate.TAKEN:  # what is in its way is often said of the printer alone
            troubles = dict.fromkeys((*printed.words.split(", "), *self.facts().troubles))
            printed = replace(printed, words=", ".join(filter(None, troubles)))
        return printed

    def cancel(self, ref: str) -> None:
        """See PrinterClient."""
        self._ask(IppOperation.CANCEL_JOB, [("job-id", int(ref), IppTag.INTEGER)])

    def _named(self, name: str) -> Printed | None:
        for which in ("not-completed", "completed"):
            wanted = ("job-id", "job-name", "job-state", "job-state-reasons")
            said = self._ask(
                IppOperation.GET_JOBS,
                [("which-jobs", which, IppTag.KEYWORD), ("requested-attributes", wanted, IppTag.KEYWORD)],
            )
            for job in said.jobs:
                if job.get("job-name") == name:
                    return _printed(job)
        return None

    def _written(self, job: PaperJob) -> tuple[str, bytes, int]:
        """Return format, document and copies: the PDF itself, or dots where the printer takes no PDF."""
        if PDF in self._facts.formats:
            return PDF, job.body, job.copies
        if RASTER not in self._facts.formats or not self._facts.dpi:
            raise RefusedOutside("no_format", "it takes neither PDF nor PWG raster")
        fine = [dpi for dpi in self._facts.dpi if dpi >= _LEAST_DPI]
        gray = "black_1" not in self._facts.rasters
        return RASTER, pwg_raster(job.body, min(fine or self._facts.dpi), job.copies, gray=gray), 1

    def _ask(
        self,
        operation: IppOperation,
        attributes: list[tuple[str, Any, IppTag]],
        of_the_job: list[tuple[str, Any, IppTag]] | None = None,
        body: bytes = b"",
    ) -> _Answer:
        """Make one request (RFC 8010).  Raises NeverSent, MaybeDone or RefusedOutside."""
        check_address(self._url, private=True)  # printers stand in the house
        message = struct.pack(">bbHIb", 2, 0, operation.value, 1, IppTag.OPERATION.value)
        first: list[tuple[str, Any, IppTag]] = [
            ("attributes-charset", "utf-8", IppTag.CHARSET),
            ("attributes-natural-language", "en", IppTag.LANGUAGE),
            ("printer-uri", self._uri, IppTag.URI),
        ]
        # The standard wants the job's number right behind the printer, and the asker's name behind both.
        first += [one for one in attributes if one[0] == "job-id"]
        first += [("requesting-user-name", "tidewind", IppTag.NAME)]
        first += [one for one in attributes if one[0] != "job-id"]
        message += b"".join(construct_attribute(*one) for one in first)
        if of_the_job:
            message += bytes([IppTag.JOB.value]) + b"".join(construct_attribute(*one) for one in of_the_job)
        message += bytes([IppTag.END.value]) + body
        headers = {"Content-Type": "application/ipp"}
        # Asked seldom, each time anew: printers drop connections that wait.
        with client_at(private=True, timeout=self._timeout) as client:
            answer = call(client, "POST", self._url, content=message, headers=headers)
        return _understood(answer.content)


def http_address(uri: str) -> str:
    """Return where an IPP address is reached by HTTP (RFC 8010, 4; port 631 where none is said)."""
    parts = urlsplit(uri)
    host = f"[{parts.hostname}]" if ":" in (parts.hostname or "") else parts.hostname
    return f"{'https' if parts.scheme == 'ipps' else 'http'}://{host}:{parts.port or PORT}{parts.path or '/'}"


def _understood(content: bytes) -> _Answer:
    try:
        said = parser.parse(content)
    except (IPPParseError, struct.error, IndexError, *NONSENSE) as error:
        raise MaybeDone("what it answered is no IPP") from error
    status = int(said.get("status-code", 0x0500))
    words = str(said.get("operation-attributes", {}).get("status-message", ""))[:200] if said else ""
    if status in _NOT_NOW:
        raise NeverSent(_NOT_NOW[status])
    if status == _GONE:
        raise RefusedOutside("gone", words or "it does not know this print")
    if 0x0400 <= status < 0x0500:
        raise RefusedOutside("refused", words or f"it refused (IPP status {status:#06x})")
    if status >= 0x0500:
        raise MaybeDone(words or f"it failed (IPP status {status:#06x})")
    printers = said.get("printers") or [{}]
    return _Answer(status, printers[0], list(said.get("jobs") or ()))


def _printed(job: dict[str, Any]) -> Printed:
    try:
        state, ref = int(job.get("job-state", 3)), str(int(job["job-id"]))
    except NONSENSE as error:
        raise MaybeDone("what it says of a print makes no sense") from error
    if state == _DONE:
        return Printed(Fate.PRINTED, ref)
    if state == _CANCELLED:
        return Printed(Fate.CANCELLED, ref, "cancelled at the printer")
    reasons = [str(one) for one in _many(job, "job-state-reasons")]
    troubles = troubles_in_words([reason for reason in reasons if not reason.startswith(_GOING_ON)])
    if state == _ABORTED:
        return Printed(Fate.BROKEN_OFF, ref, ", ".join(troubles) or "broken off by the printer")
    return Printed(Fate.TAKEN, ref, ", ".join(troubles))


def _many(found: dict[str, Any], name: str) -> list[Any]:
    """Return the values of an attribute, of which one comes bare."""
    value = found.get(name, [])
    return list(value) if isinstance(value, list | tuple) and not _is_resolution(value) else [value]


def _is_resolution(value: Any) -> bool:
    return isinstance(value, tuple) and len(value) == 3 and all(isinstance(part, int) for part in value)


def _dots(value: Any) -> int:
    """Return dots an inch of a resolution (across, along, 3 for an inch and 4 for a centimetre); 0 where unequal."""
    if not _is_resolution(value) or value[0] != value[1]:
        return 0
    return int(value[0]) if value[2] == 3 else round(value[0] * 2.54)
