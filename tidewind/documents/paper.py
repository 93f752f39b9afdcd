"""What all papers share: the stocks that labels are printed on, and one canvas for many papers."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.fonts import REGULAR, load_fonts

Draw = Callable[[Canvas], None]
"""Draws one paper, all its pages, on a canvas."""


@dataclass(frozen=True, slots=True)
class Stock:
    """A label's size in points, the printer dots of one barcode module, and the sheet that holds two, if any."""

    width: float
    height: float
    dots: int
    sheet: tuple[float, float] | None = None


STOCKS = {
    "roll": Stock(102 * mm, 152 * mm, 3),
    "narrow": Stock(62 * mm, 150 * mm, 2),
    "a4": Stock(102 * mm, 152 * mm, 3, A4),
    "letter": Stock(102 * mm, 152 * mm, 3, LETTER),
}
"""The label papers: thermal roll 102 × 152 mm, narrow roll 62 mm, and two on a peel-off sheet."""
STOCK_NAMES = {
    "roll": "Roll 102 × 152 mm",
    "narrow": "Narrow roll 62 mm",
    "a4": "Two on an A4 sheet",
    "letter": "Two on a Letter sheet",
}


_SIZES_MM10 = {"a4": (2100, 2970), "letter": (2159, 2794), "a5": (1480, 2100)}


def size_mm10(paper: str) -> tuple[int, int]:
    """Return width and height in tenths of a millimetre of what a printer feeds for a paper: two labels, one sheet."""
    if paper in _SIZES_MM10:
        return _SIZES_MM10[paper]
    stock = STOCKS[paper]
    return round(stock.width / mm * 10), round(stock.height / mm * 10)


def pdf_of(papers: Iterable[Draw], title: str, size: tuple[float, float] = A4) -> bytes:
    """Return one PDF of papers in the order given; one canvas, so fonts are embedded once."""
    load_fonts()
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=size, pageCompression=1, initialFontName=REGULAR)
    canvas.setTitle(title)
    canvas.setAuthor("Tidewind")
    for paper in papers:
        paper(canvas)
    canvas.save()
    return buffer.getvalue()
