"""Barcodes drawn on the 203-dpi dot grid of label printers, so that every module is a whole number of dots."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import zxingcpp
from reportlab.pdfgen.canvas import Canvas
from reportlab.pdfgen.pathobject import PDFPathObject

DOT = 72 / 203
# A bar is drawn a little inside its dots: renderers ink every dot that a shape touches, and must not touch the next.
INSET = 0.15 * DOT
Bar = tuple[int, int, int]
"""Row, first module and length of a run of dark modules."""
_FORMATS = {"code128": zxingcpp.BarcodeFormat.Code128, "datamatrix": zxingcpp.BarcodeFormat.DataMatrix}


@lru_cache(maxsize=4096)
def _modules(kind: str, text: str, gs1: bool) -> tuple[int, tuple[Bar, ...]]:
    """Return how many modules wide a code is, and its bars from the lowest row up; a linear code has one row.

    What a linear code has no signs for (an order number in Greek) is none, and stands beside it in writing.
    """
    if kind == "code128" and not _can_be_linear(text):
        return 0, ()
    options: dict[str, Any] = {"gs1": True} if gs1 else {}
    made = zxingcpp.create_barcode(text, _FORMATS[kind], **options)
    dark = np.asarray(made.to_image(scale=1, add_quiet_zones=False, add_hrt=False)) < 128
    dark = dark[len(dark) // 2][None] if kind == "code128" else dark[::-1]
    edges = np.diff(np.pad(dark, ((0, 0), (1, 1))).astype(np.int8), axis=1)
    (rows, starts), (_, ends) = np.nonzero(edges == 1), np.nonzero(edges == -1)
    return dark.shape[1], tuple(zip(rows.tolist(), starts.tolist(), (ends - starts).tolist(), strict=True))


def _can_be_linear(text: str) -> bool:
    """Tell whether Code 128 has signs for a text: those of ISO/IEC 8859-1, as ISO/IEC 15417 shifts to them.

    What stands there between ``\\x80`` and ``\\x9f`` controls terminals, and is no sign.
    """
    return bool(text) and all(letter < "\x80" or "\xa0" <= letter <= "\xff" for letter in text)


def _snap(points: float) -> float:
    return round(points / DOT) * DOT


def linear_width(text: str, dots: int, gs1: bool = False) -> float:
    """Return the width in points of a Code 128 at ``dots`` printer dots a module, without quiet zones."""
    return _modules("code128", text, gs1)[0] * dots * DOT


def _fill(canvas: Canvas, rectangles: list[str]) -> None:
    """Fill rectangles written as PDF operators (ISO 32000-1, 8.5.2): a label has hundreds, and a call each is dear."""
    canvas.drawPath(PDFPathObject(code=rectangles), stroke=0, fill=1)


def draw_linear(
    canvas: Canvas, x: float, y: float, height: float, text: str, *, dots: int = 3, gs1: bool = False
) -> None:
    """Draw a Code 128 (GS1-128 with ``gs1``; ISO/IEC 15417) with its lower left corner near (x, y)."""
    x, y = _snap(x), _snap(y)
    module = dots * DOT
    _fill(
        canvas,
        [
            f"{x + start * module + INSET:.3f} {y:.3f} {length * module - 2 * INSET:.3f} {height:.3f} re"
            for _, start, length in _modules("code128", text, gs1)[1]
        ],
    )


def draw_matrix(canvas: Canvas, x: float, y: float, text: str, *, dots: int = 4) -> float:
    """Draw a Data Matrix (ISO/IEC 16022) with its lower left corner near (x, y); return its width in points."""
    across, bars = _modules("datamatrix", text, False)
    x, y, module = _snap(x), _snap(y), dots * DOT
    _fill(
        canvas,
        [
            f"{x + start * module + INSET:.3f} {y + index * module:.3f} "
            f"{length * module - 2 * INSET:.3f} {module:.3f} re"
            for index, start, length in bars
        ],
    )
    return across * module


def qr_picture(text: str) -> str:
    """Return a QR code (ISO/IEC 18004) for a screen, as an SVG picture with its quiet zone."""
    return str(zxingcpp.create_barcode(text, zxingcpp.BarcodeFormat.QRCode, ec_level="M").to_svg(add_quiet_zones=True))
