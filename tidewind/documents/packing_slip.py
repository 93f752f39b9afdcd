"""The packing slip, A5: what is in the parcel, for the packer to scan and the buyer to check."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.pagesizes import A5
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.barcodes import draw_linear, linear_width
from tidewind.documents.fonts import REGULAR, draw, draw_fitted, load_fonts, width

WIDTH, HEIGHT = A5
MARGIN = 12 * mm
ROWS_FIRST, ROWS_NEXT = 22, 30


@dataclass(frozen=True, slots=True)
class SlipLine:
    """One line of a slip."""

    quantity: int
    sku: str
    name: str
    shelf: str


@dataclass(frozen=True, slots=True)
class SlipPaper:
    """One packing slip."""

    shop: str
    order_number: str
    ordered: str
    recipient: tuple[str, ...]
    service: str
    packaging: str
    note: str
    lines: tuple[SlipLine, ...]


def slips_pdf(slips: Sequence[SlipPaper], title: str = "Packing slips") -> bytes:
    """Return one PDF with the slips in the order given; long ones go over several pages."""
    load_fonts()
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, pageCompression=1, initialFontName=REGULAR)
    canvas.setTitle(title)
    canvas.setAuthor("Tidewind")
    for slip in slips:
        _slip(canvas, slip)
    canvas.save()
    return buffer.getvalue()


def _slip(canvas: Canvas, slip: SlipPaper) -> None:
    pages = [slip.lines[:ROWS_FIRST]]
    rest = slip.lines[ROWS_FIRST:]
    while rest:
        pages.append(rest[:ROWS_NEXT])
        rest = rest[ROWS_NEXT:]
    for number, lines in enumerate(pages, 1):
        y = _head(canvas, slip) if number == 1 else HEIGHT - MARGIN
        _table(canvas, lines, y)
        draw(canvas, MARGIN, 8 * mm, f"Order {slip.order_number} · page {number} of {len(pages)}", 7.5)
        canvas.showPage()


def _head(canvas: Canvas, slip: SlipPaper) -> float:
    top: float = HEIGHT - MARGIN
    draw_fitted(canvas, MARGIN, top - 5 * mm, slip.shop, 15, 70 * mm, bold=True)
    draw(canvas, MARGIN, top - 11 * mm, "Packing slip", 9)
    wide = linear_width(slip.order_number, 2)
    draw_linear(canvas, WIDTH - MARGIN - wide, top - 11 * mm, 11 * mm, slip.order_number, dots=2)
    draw(canvas, WIDTH - MARGIN - width(slip.order_number, 8, True), top - 15 * mm, slip.order_number, 8, True)
    y = top - 22 * mm
    for index, line in enumerate(slip.recipient[:6]):
        draw_fitted(canvas, MARGIN, y, line, 9.5, 62 * mm, bold=index == 0)
        y -= 4.4 * mm
    right, fact_y = MARGIN + 68 * mm, top - 22 * mm
    for words in (f"Ordered {slip.ordered}", slip.service, slip.packaging):
        draw_fitted(canvas, right, fact_y, words, 9, WIDTH - MARGIN - right)
        fact_y -= 4.4 * mm
    y = min(y, fact_y) - 2 * mm
    if slip.note:
        draw_fitted(canvas, MARGIN, y, f"Note: {slip.note}", 9, WIDTH - 2 * MARGIN)
        y -= 5 * float(mm)
    return float(y)


def _table(canvas: Canvas, lines: Sequence[SlipLine], y: float) -> None:
    draw(canvas, MARGIN, y, "Pieces", 7.5)
    draw(canvas, MARGIN + 14 * mm, y, "Item", 7.5)
    draw(canvas, WIDTH - MARGIN - 14 * mm, y, "Shelf", 7.5)
    y -= 2 * mm
    canvas.setLineWidth(0.5)
    canvas.line(MARGIN, y, WIDTH - MARGIN, y)
    for line in lines:
        y -= 5 * mm
        draw(canvas, MARGIN, y, str(line.quantity), 10.5, True)
        name_room = WIDTH - 2 * MARGIN - 14 * mm - 44 * mm
        draw_fitted(canvas, MARGIN + 14 * mm, y, line.name, 9.5, name_room)
        draw_fitted(canvas, MARGIN + 14 * mm + name_room + 2 * mm, y, line.sku, 8, 26 * mm)
        draw_fitted(canvas, WIDTH - MARGIN - 14 * mm, y, line.shelf, 9, 14 * mm)
