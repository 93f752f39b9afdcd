"""PWG raster: pages as dots, for printers that take no PDF (PWG 5102.4-2012)."""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator

import pypdfium2

_SYNC = b"RaS2"
_BLACK, _GRAY = 3, 18  # colour spaces of the standard, table 3: Black and Sgray
_RUNS = re.compile(rb"(.)\1{1,127}|(?:(.)(?!\2)){1,127}", re.DOTALL)


def pwg_raster(pdf: bytes, dpi: int, copies: int, *, gray: bool) -> bytes:
    """Return a PDF's pages as PWG raster, ``copies`` times: one bit a dot, or eight with ``gray``.

    Copies are pages here: a printer need not multiply raster.
    """
    document = pypdfium2.PdfDocument(pdf)
    try:
        pages = [_page(page, dpi, len(document) * copies, gray) for page in document]
    finally:
        document.close()
    return _SYNC + b"".join(pages) * copies


def _page(page: pypdfium2.PdfPage, dpi: int, count: int, gray: bool) -> bytes:
    image = page.render(scale=dpi / 72, grayscale=True, no_smoothtext=not gray, no_smoothpath=not gray).to_pil()
    if gray:
        data, line_bytes = image.tobytes(), image.width
    else:
        # In the space Black a set bit is ink; in a picture of one bit it is light.
        ink = image.point(lambda level: 0 if level > 127 else 255).convert("1")
        data, line_bytes = ink.tobytes(), (image.width + 7) // 8
    points = tuple(round(side) for side in page.get_size())
    head = _header(points, (image.width, image.height), dpi, count, line_bytes, gray)
    lines = (data[start : start + line_bytes] for start in range(0, len(data), line_bytes))
    return head + b"".join(_packed(lines))


def _header(points: tuple[int, ...], dots: tuple[int, int], dpi: int, count: int, line_bytes: int, gray: bool) -> bytes:
    """Return the 1796 bytes before a page (clause 4.3, table 1); what is not written is reserved and zero."""
    head = bytearray(1796)
    head[0:9] = b"PwgRaster"
    bits = 8 if gray else 1
    numbers = {
        276: (dpi, dpi), 340: (1,), 352: points, 372: (*dots,), 384: (bits, bits, line_bytes, 0),
        400: (_GRAY if gray else _BLACK,), 420: (1,), 452: (count, 1, 1), 464: (0, 0, *dots),
    }  # fmt: skip
    for at, values in numbers.items():
        struct.pack_into(f">{len(values)}I", head, at, *values)
    return bytes(head)


def _packed(lines: Iterator[bytes]) -> Iterator[bytes]:
    """Return lines packed (clause 4.5): how often a line stands, then its runs of equal and of unequal bytes."""
    before, times = next(lines, b""), 1
    for line in lines:
        if line == before and times < 256:
            times += 1
            continue
        yield bytes([times - 1]) + _runs(before)
        before, times = line, 1
    if before:
        yield bytes([times - 1]) + _runs(before)


def _runs(line: bytes) -> bytes:
    made = bytearray()
    at = 0
    while at < len(line):
        found = _RUNS.match(line, at)
        run = found[0] if found and found[0] else line[at : at + 1]
        if len(run) == 1 or run[0] == run[1]:
            made += bytes([len(run) - 1, run[0]])
        else:
            made += bytes([257 - len(run)]) + run
        at += len(run)
    return bytes(made)
