"""A sheet of barcodes to hang up at the bench: a name, what it does, and the code to scan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.barcodes import draw_linear, linear_width
from tidewind.documents.fonts import draw_fitted
from tidewind.documents.paper import Draw, pdf_of

ACROSS, DOWN = 2, 7
MARGIN = 14 * mm


@dataclass(frozen=True, slots=True)
class BarcodeCard:
    """One code: its name, what is scanned, and what it does in words."""

    name: str
    code: str
    words: str


def barcode_sheet_pdf(cards: Sequence[BarcodeCard], title: str) -> bytes:
    """Return one PDF with the cards on A4 sheets, fourteen on each."""
    most = ACROSS * DOWN
    return pdf_of([_sheet(cards[n : n + most]) for n in range(0, len(cards), most)], title)


def _sheet(cards: Sequence[BarcodeCard]) -> Draw:
    return lambda canvas: _page(canvas, cards)


def _page(canvas: Canvas, cards: Sequence[BarcodeCard]) -> None:
    wide, high = A4
    canvas.setPageSize(A4)
    across, down = (wide - 2 * MARGIN) / ACROSS, (high - 2 * MARGIN) / DOWN
    for place, card in enumerate(cards):
        x = MARGIN + (place % ACROSS) * across
        y = high - MARGIN - (place // ACROSS + 1) * down
        room = across - 8 * mm
        dots = 2 if linear_width(card.code, 2) <= room else 1
        draw_fitted(canvas, x + 3 * mm, y + down - 8 * mm, card.name, 12, room, bold=True)
        draw_fitted(canvas, x + 3 * mm, y + down - 13 * mm, card.words, 9, room)
        draw_linear(canvas, x + 3 * mm, y + 5 * mm, down - 21 * mm, card.code, dots=dots)
        canvas.setLineWidth(0.3)
        canvas.rect(x, y, across, down, stroke=1, fill=0)
    canvas.showPage()
