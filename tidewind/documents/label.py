"""The parcel label, 102 × 152 mm: service, sender, recipient, routing, tracking barcode and 2-D code."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.barcodes import draw_linear, draw_matrix, linear_width
from tidewind.documents.fonts import REGULAR, draw, draw_fitted, load_fonts, width

WIDTH, HEIGHT = 102 * mm, 152 * mm
MARGIN = 5 * mm


@dataclass(frozen=True, slots=True)
class LabelPaper:
    """Everything printed on one label; addresses are lines, top first."""

    carrier: str
    monogram: str
    service: str
    network: str
    sender: tuple[str, ...]
    recipient: tuple[str, ...]
    country_line: str
    routing: str
    tracking_number: str
    is_sscc: bool
    order_number: str
    reference: str
    parcel_no: int
    parcel_count: int
    weight: str
    ship_date: str
    reprint: bool = False


def labels_pdf(labels: Sequence[LabelPaper], title: str = "Labels") -> bytes:
    """Return one PDF with a page per label, in the order given; one canvas, so fonts are embedded once."""
    load_fonts()
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=(WIDTH, HEIGHT), pageCompression=1, initialFontName=REGULAR)
    canvas.setTitle(title)
    canvas.setAuthor("Tidewind")
    for label in labels:
        _page(canvas, label)
        canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def _page(canvas: Canvas, label: LabelPaper) -> None:
    room = WIDTH - 2 * MARGIN
    top = HEIGHT - MARGIN
    canvas.rect(MARGIN, top - 13 * mm, 14 * mm, 13 * mm, stroke=1, fill=0)
    draw(canvas, MARGIN + (14 * mm - width(label.monogram, 22, True)) / 2, top - 9.5 * mm, label.monogram, 22, True)
    draw_fitted(canvas, MARGIN + 17 * mm, top - 5.5 * mm, label.service, 17, room - 17 * mm, bold=True)
    draw_fitted(canvas, MARGIN + 17 * mm, top - 11.5 * mm, f"{label.carrier} · {label.ship_date}", 9, room - 17 * mm)
    _rule(canvas, top - 15 * mm)
    _sender(canvas, label, top - 18.5 * mm, room)
    _rule(canvas, top - 31 * mm)
    _recipient(canvas, label, top - 36 * mm, room)
    _rule(canvas, top - 84 * mm)
    _routing(canvas, label, top - 84 * mm)
    _rule(canvas, top - 106 * mm)
    _barcode(canvas, label)


def _rule(canvas: Canvas, y: float) -> None:
    canvas.setLineWidth(0.7)
    canvas.line(MARGIN, y, WIDTH - MARGIN, y)


def _sender(canvas: Canvas, label: LabelPaper, y: float, room: float) -> None:
    draw(canvas, MARGIN, y, "From", 6.5)
    for line in label.sender[:4]:
        draw_fitted(canvas, MARGIN + 11 * mm, y, line, 7.5, room - 11 * mm)
        y -= 3.2 * mm


def _recipient(canvas: Canvas, label: LabelPaper, y: float, room: float) -> None:
    draw(canvas, MARGIN, y + 0.6 * mm, "To", 6.5)
    lines = [*label.recipient[:7]]
    step = 6.1 * mm if len(lines) <= 6 else 5.3 * mm
    for index, line in enumerate(lines):
        draw_fitted(
            canvas, MARGIN + 6 * mm, y - 1 * mm, line, 14 if index == 0 else 12.5, room - 6 * mm, bold=index == 0
        )
        y -= step
    draw_fitted(canvas, MARGIN + 6 * mm, y - 1.4 * mm, label.country_line, 14, room - 6 * mm, bold=True)


def _routing(canvas: Canvas, label: LabelPaper, top: float) -> None:
    side = draw_matrix(canvas, MARGIN, top - 20 * mm, f"{label.tracking_number} {label.routing}", dots=5)
    x = MARGIN + max(side, 16 * mm) + 4 * mm
    room = WIDTH - MARGIN - x
    draw_fitted(canvas, x, top - 8 * mm, label.routing, 22, room, bold=True)
    facts = f"Parcel {label.parcel_no} of {label.parcel_count} · {label.weight}"
    draw_fitted(canvas, x, top - 13.5 * mm, facts, 9.5, room)
    order = f"Order {label.order_number}" + (f" · {label.reference}" if label.reference else "")
    draw_fitted(canvas, x, top - 18 * mm, order, 9.5, room)


def _barcode(canvas: Canvas, label: LabelPaper) -> None:
    content = f"(00){label.tracking_number}" if label.is_sscc else label.tracking_number
    wide = linear_width(content, 3, label.is_sscc)
    draw_linear(canvas, (WIDTH - wide) / 2, 12 * mm, 26 * mm, content, dots=3, gs1=label.is_sscc)
    shown = content if label.is_sscc else _grouped(label.tracking_number)
    draw(canvas, (WIDTH - width(shown, 11, True)) / 2, 7 * mm, shown, 11, True)
    if label.reprint:
        draw(canvas, MARGIN, 3 * mm, "Reprint", 6.5)


def _grouped(number: str) -> str:
    """Write an S10 number as people read it: RR 4731 2482 9 PT."""
    return f"{number[:2]} {number[2:6]} {number[6:10]} {number[10]} {number[11:]}" if len(number) == 13 else number
