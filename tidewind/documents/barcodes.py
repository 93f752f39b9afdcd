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
_FORMATS = {"code128": zxingcpp.BarcodeFormat.Code128, "datamatrix": zxingcpp.BarcodeFormat.DataMatrix}


@lru_cache(maxsize=4096)
def _modules(kind: str, text: str, gs1: bool) -> tuple[tuple[bool, ...], ...]:
    """Return the rows of dark modules; a linear code has one row."""
    options: dict[str, Any] = {"gs1": True} if gs1 else {}
    made = zxingcpp.create_barcode(text, _FORMATS[kind], **options)
    image = np.asarray(made.to_image(scale=1, add_quiet_zones=False, add_hrt=False))
    dark = image < 128
    if kind == "code128":
        middle = dark.shape[0] // 2
        dark = dark[middle : middle + 1]
    return tuple(tuple(row) for row in dark.tolist())


def _bars(row: tuple[bool, ...]) -> list[tuple[int, int]]:
    """Return (start, length) of the dark runs of a row."""
    found: list[tuple[int, int]] = []
    for index, dark in enumerate(row):
        if dark and found and sum(found[-1]) == index:
            found[-1] = (found[-1][0], found[-1][1] + 1)
        elif dark:
            found.append((index, 1))
    return found


def _snap(points: float) -> float:
    return round(points / DOT) * DOT


def linear_width(text: str, dots: int, gs1: bool = False) -> float:
    """Return the width in points of a Code 128 at ``dots`` printer dots a module, without quiet zones."""
    return len(_modules("code128", text, gs1)[0]) * dots * DOT


def _fill(canvas: Canvas, rectangles: list[str]) -> None:
    """Fill rectangles written as PDF operators (ISO 32000-1, 8.5.2): a label has hundreds, and a call each is dear."""
    canvas.drawPath(PDFPathObject(code=rectangles), stroke=0, fill=1)


def draw_linear(
    canvas: Canvas, x: float, y: float, height: float, text: str, *, dots: int = 3, gs1: bool = False
) -> None:
    """Draw a Code 128 (GS1-128 with ``gs1``; ISO/IEC 15417) with its lower left corner near (x, y)."""
    x, y = _snap(x), _snap(y)
    module = dots * DOT
    _fill(canvas, [
        f"{x + start * module + INSET:.3f} {y:.3f} {length * module - 2 * INSET:.3f} {height:.3f} re"
        for start, length in _bars(_modules("code128", text, gs1)[0])
    ])  # fmt: skip


def draw_matrix(canvas: Canvas, x: float, y: float, text: str, *, dots: int = 4) -> float:
    """Draw a Data Matrix (ISO/IEC 16022) with its lower left corner near (x, y); return its width in points."""
    rows = _modules("datamatrix", text, False)
    x, y, module = _snap(x), _snap(y), dots * DOT
    _fill(canvas, [
        f"{x + start * module + INSET:.3f} {y + index * module:.3f} {length * module - 2 * INSET:.3f} {module:.3f} re"
        for index, row in enumerate(reversed(rows)) for start, length in _bars(row)
    ])  # fmt: skip
    return len(rows[0]) * module
