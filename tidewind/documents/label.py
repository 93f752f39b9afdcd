"""The parcel label: service, sender, recipient, routing, tracking barcode and 2-D code, on any of the stocks."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from tidewind.core.codes import is_s10
from tidewind.documents.barcodes import draw_linear, draw_matrix, linear_width
from tidewind.documents.blocks import draw_block
from tidewind.documents.fonts import draw, draw_fitted, width
from tidewind.documents.paper import STOCKS, Draw, Stock, pdf_of

MARGIN = 5 * mm


@dataclass(frozen=True, slots=True)
class LabelPaper:
    """Everything printed on one label; addresses are lines, top first.

    ``test`` writes across its face that it is none; ``reprint`` and ``heading`` (for the way back) stand small on it.
    """

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
    test: bool = False
    heading: str = ""

    @property
    def own_code(self) -> str:
        """What a scanner reads where the carrier has given no number: the order's, in ASCII, with the parcel's."""
        plain = "".join(c for c in self.order_number if c.isascii() and c.isprintable())
        return f"{plain}-{self.parcel_no}" if self.parcel_count > 1 else plain or "-"


def labels_pdf(labels: Sequence[LabelPaper], title: str = "Labels", stock: str = "roll") -> bytes:
    """Return one PDF with the labels in the order given, on a stock of ``STOCKS``."""
    return pdf_of(label_papers(labels, stock), title)


def label_papers(labels: Sequence[LabelPaper], stock: str = "roll") -> Iterator[Draw]:
    """Yield one paper for each page of labels: a label each, or two on a sheet."""
    on = STOCKS[stock]
    if on.sheet is None:
        for label in labels:
            yield _single(label, on)
    else:
        for start in range(0, len(labels), 2):
            yield _pair(labels[start : start + 2], on, on.sheet)


def _single(label: LabelPaper, on: Stock) -> Draw:
    def paper(canvas: Canvas) -> None:
        canvas.setPageSize((on.width, on.height))
        _draw(canvas, label, on)
        canvas.showPage()

    return paper


def _pair(labels: Sequence[LabelPaper], on: Stock, sheet: tuple[float, float]) -> Draw:
    """Put two labels on a sheet, lying on their sides, each in the middle of its half, as peel-off stock has them."""

    def paper(canvas: Canvas) -> None:
        wide, high = sheet
        canvas.setPageSize(sheet)
        for place, label in enumerate(labels):
            canvas.saveState()
            bottom = (1 - place) * high / 2 + (high / 2 - on.width) / 2
            canvas.translate((wide + on.height) / 2, bottom)
            canvas.rotate(90)
            _draw(canvas, label, on)
            canvas.restoreState()
        canvas.showPage()

    return paper


def _draw(canvas: Canvas, label: LabelPaper, on: Stock) -> None:
    room, top = on.width - 2 * MARGIN, on.height - MARGIN
    if label.test:
        _test(canvas, on)
    box = 14 * mm if on.width > 80 * mm else 10 * mm
    canvas.rect(MARGIN, top - 13 * mm, box, 13 * mm, stroke=1, fill=0)
    size = 22 if on.width > 80 * mm else 15
    draw(canvas, MARGIN + (box - width(label.monogram, size, True)) / 2, top - 9.5 * mm, label.monogram, size, True)
    x = MARGIN + box + 3 * mm
    draw_fitted(canvas, x, top - 5.5 * mm, label.service, 17, on.width - MARGIN - x, bold=True)
    words = f"{label.carrier} · {label.ship_date}" + (f" · {label.heading}" if label.heading else "")
    draw_fitted(canvas, x, top - 11.5 * mm, words, 9, on.width - MARGIN - x, least=5)
    _rule(canvas, on, top - 15 * mm)
    draw(canvas, MARGIN, top - 18.5 * mm, "From", 6.5)
    draw_block(canvas, MARGIN + 9 * mm, top - 15.6 * mm, _plain(label.sender), 7.5, room - 9 * mm, 14.8 * mm)
    _rule(canvas, on, top - 31 * mm)
    draw(canvas, MARGIN, top - 35.4 * mm, "To", 6.5)
    _recipient(canvas, label, top - 32 * mm, room - 6 * mm)
    _rule(canvas, on, top - 84 * mm)
    _routing(canvas, label, on, top - 84 * mm)
    _rule(canvas, on, top - 106 * mm)
    _barcode(canvas, label, on)


def _plain(lines: Sequence[str]) -> list[tuple[str, bool]]:
    return [(line, False) for line in lines]


def _rule(canvas: Canvas, on: Stock, y: float) -> None:
    canvas.setLineWidth(0.7)
    canvas.line(MARGIN, y, on.width - MARGIN, y)


def _recipient(canvas: Canvas, label: LabelPaper, top: float, room: float) -> None:
    lines = [(line, index == 0) for index, line in enumerate(label.recipient)]
    y = draw_block(canvas, MARGIN + 6 * mm, top, lines, 13, room, 44 * mm)
    draw_fitted(canvas, MARGIN + 6 * mm, y - 6 * mm, label.country_line, 14, room, bold=True)


def _routing(canvas: Canvas, label: LabelPaper, on: Stock, top: float) -> None:
    code = draw_matrix(
        canvas, MARGIN, top - 20 * mm, f"{label.tracking_number or label.own_code} {label.routing}", dots=on.dots + 2
    )
    x = MARGIN + code + 3 * mm
    room = on.width - MARGIN - x
    draw_fitted(canvas, x, top - 8 * mm, label.routing, 22, room, bold=True)
    facts = f"Parcel {label.parcel_no} of {label.parcel_count} · {label.weight}"
    draw_fitted(canvas, x, top - 13.5 * mm, facts, 9.5, room, least=5)
    order = f"Order {label.order_number}" + (f" · {label.reference}" if label.reference else "")
    draw_fitted(canvas, x, top - 18 * mm, order, 9.5, room, least=5)


def _barcode(canvas: Canvas, label: LabelPaper, on: Stock) -> None:
    if not label.tracking_number:
        _no_number(canvas, label, on)
        return
    content = f"(00){label.tracking_number}" if label.is_sscc else label.tracking_number
    wide = linear_width(content, on.dots, label.is_sscc)
    draw_linear(canvas, (on.width - wide) / 2, 12 * mm, 26 * mm, content, dots=on.dots, gs1=label.is_sscc)
    shown = content if label.is_sscc else _grouped(label.tracking_number)
    draw(canvas, (on.width - width(shown, 11, True)) / 2, 7 * mm, shown, 11, True)
    if label.reprint:
        draw(canvas, MARGIN, 3 * mm, "Reprint", 6.5)


def _no_number(canvas: Canvas, label: LabelPaper, on: Stock) -> None:
    """Print our own code of the parcel, and leave room for the number that the carrier sticks or writes on it."""
    own = label.own_code
    wide = linear_width(own, on.dots, False)
    if wide <= on.width - 2 * MARGIN:
        draw_linear(canvas, (on.width - wide) / 2, 25 * mm, 13 * mm, own, dots=on.dots, gs1=False)
    draw(canvas, MARGIN, 21 * mm, "The carrier's number", 6.5)
    canvas.rect(MARGIN, 6 * mm, on.width - 2 * MARGIN, 14 * mm, stroke=1, fill=0)
    if label.reprint:
        draw(canvas, MARGIN, 3 * mm, "Reprint", 6.5)


def _test(canvas: Canvas, on: Stock) -> None:
    """Write across the face that this is no label, below everything else."""
    canvas.saveState()
    canvas.setFillGray(0.82)
    canvas.translate(on.width / 2, on.height / 2)
    canvas.rotate(55)
    size = on.width / 3.1
    draw(canvas, -width("TEST", size, True) / 2, -size / 3, "TEST", size, True)
    words = "not paid, not for posting"
    draw(canvas, -width(words, size / 6, True) / 2, -size / 3 - size / 4, words, size / 6, True)
    canvas.restoreState()


def _grouped(number: str) -> str:
    """Write an S10 number as people read it: RR 4731 2482 9 PT."""
    return f"{number[:2]} {number[2:6]} {number[6:10]} {number[10]} {number[11:]}" if is_s10(number) else number
