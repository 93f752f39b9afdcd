"""The packing slip, A5: what is in the parcel, for the packer to scan and the buyer to check."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.pagesizes import A5
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.barcodes import draw_linear, linear_width
from tidewind.documents.blocks import draw_block
from tidewind.documents.fonts import draw, draw_fitted, width
from tidewind.documents.paper import Draw, pdf_of

WIDTH, HEIGHT = A5
MARGIN = 12 * mm
ROWS_FIRST, ROWS_NEXT = 18, 30


@dataclass(frozen=True, slots=True)
class SlipLine:
    """One line of a slip; ``price`` is empty where the slip shows none."""

    quantity: int
    sku: str
    name: str
    shelf: str
    price: str = ""


@dataclass(frozen=True, slots=True)
class SlipPaper:
    """One packing slip: the shop's template (logo, message) and the order; ``total`` with prices only."""

    shop: str
    order_number: str
    ordered: str
    recipient: tuple[str, ...]
    service: str
    packaging: str
    note: str
    lines: tuple[SlipLine, ...]
    message: str = ""
    total: str = ""
    logo: bytes = b""


def slips_pdf(slips: Sequence[SlipPaper], title: str = "Packing slips") -> bytes:
    """Return one PDF with the slips in the order given; long ones go over several pages."""
    return pdf_of([slip_paper(slip) for slip in slips], title, A5)


def slip_paper(slip: SlipPaper) -> Draw:
    """Return a slip as a paper among others."""
    return lambda canvas: _slip(canvas, slip)


def _slip(canvas: Canvas, slip: SlipPaper) -> None:
    canvas.setPageSize(A5)
    pages = [slip.lines[:ROWS_FIRST]]
    rest = slip.lines[ROWS_FIRST:]
    while rest:
        pages.append(rest[:ROWS_NEXT])
        rest = rest[ROWS_NEXT:]
    for number, lines in enumerate(pages, 1):
        y = _head(canvas, slip) if number == 1 else HEIGHT - MARGIN
        y = _table(canvas, lines, y)
        if number == len(pages):
            _foot(canvas, slip, y)
        draw(canvas, MARGIN, 8 * mm, f"Order {slip.order_number} · page {number} of {len(pages)}", 7.5)
        canvas.showPage()


def _head(canvas: Canvas, slip: SlipPaper) -> float:
    top: float = HEIGHT - MARGIN
    x = MARGIN
    if slip.logo:
        canvas.drawImage(
            ImageReader(io.BytesIO(slip.logo)),
            MARGIN,
            top - 12 * mm,
            24 * mm,
            12 * mm,
            preserveAspectRatio=True,
            anchor="sw",
            mask="auto",
        )
        x += 26 * mm
    draw_fitted(canvas, x, top - 5 * mm, slip.shop, 15, MARGIN + 66 * mm - x, bold=True)
    draw(canvas, x, top - 11 * mm, "Packing slip", 9)
    wide = linear_width(slip.order_number, 2)
    draw_linear(canvas, WIDTH - MARGIN - wide, top - 11 * mm, 11 * mm, slip.order_number, dots=2)
    draw(canvas, WIDTH - MARGIN - width(slip.order_number, 8, True), top - 15 * mm, slip.order_number, 8, True)
    y = top - 22 * mm
    recipient = [(line, index == 0) for index, line in enumerate(slip.recipient)]
    y = draw_block(canvas, MARGIN, y + 3.4 * mm, recipient, 9.5, 62 * mm, 34 * mm) - 1 * mm
    right, fact_y = MARGIN + 68 * mm, top - 22 * mm
    for words in (f"Ordered {slip.ordered}", slip.service, slip.packaging):
        draw_fitted(canvas, right, fact_y, words, 9, WIDTH - MARGIN - right)
        fact_y -= 4.4 * mm
    y = min(y, fact_y) - 2 * mm
    if slip.note:
        draw_fitted(canvas, MARGIN, y, f"Note: {slip.note}", 9, WIDTH - 2 * MARGIN)
        y -= 5 * float(mm)
    return float(y)


def _table(canvas: Canvas, lines: Sequence[SlipLine], y: float) -> float:
    draw(canvas, MARGIN, y, "Pieces", 7.5)
    draw(canvas, MARGIN + 14 * mm, y, "Item", 7.5)
    draw(canvas, WIDTH - MARGIN - 14 * mm, y, "Shelf", 7.5)
    priced = any(line.price for line in lines)
    if priced:
        draw(canvas, WIDTH - MARGIN - 16 * mm - width("Price", 7.5), y, "Price", 7.5)
    y -= 2 * mm
    canvas.setLineWidth(0.5)
    canvas.line(MARGIN, y, WIDTH - MARGIN, y)
    for line in lines:
        y -= 5 * mm
        draw(canvas, MARGIN, y, str(line.quantity), 10.5, True)
        name_room = WIDTH - 2 * MARGIN - 14 * mm - (60 if priced else 44) * mm
        draw_fitted(canvas, MARGIN + 14 * mm, y, line.name, 9.5, name_room)
        draw_fitted(canvas, MARGIN + 14 * mm + name_room + 2 * mm, y, line.sku, 8, 26 * mm)
        draw_fitted(canvas, WIDTH - MARGIN - 14 * mm, y, line.shelf, 9, 14 * mm)
        if line.price:
            draw(canvas, WIDTH - MARGIN - 16 * mm - width(line.price, 9), y, line.price, 9)
    return y


def _foot(canvas: Canvas, slip: SlipPaper, y: float) -> None:
    """Put the total below the lines, and the shop's message where there is room."""
    if slip.total:
        y -= 6 * mm
        draw(canvas, WIDTH - MARGIN - 16 * mm - width(slip.total, 10, True), y, slip.total, 10, True)
    room = y - 16 * mm
    if slip.message and room > 8 * mm:
        lines = [(line, False) for line in slip.message.splitlines()]
        draw_block(canvas, MARGIN, y - 3 * mm, lines, 9.5, WIDTH - 2 * MARGIN, min(room, 40 * mm))
