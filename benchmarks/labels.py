"""500 labels as one PDF, against one canvas that draws only a Code 128 and three lines a page.

.venv/bin/python -m benchmarks.labels
"""

from __future__ import annotations

import io

from reportlab.graphics.barcode.code128 import Code128
from reportlab.pdfgen.canvas import Canvas

from benchmarks.quotes import in_turn
from tidewind.core.codes import s10_number
from tidewind.documents.fonts import REGULAR, load_fonts
from tidewind.documents.label import LabelPaper, labels_pdf
from tidewind.documents.paper import STOCKS
from tidewind.garbage import look_seldom

COUNT = 500


def papers() -> list[LabelPaper]:
    return [
        LabelPaper(
            carrier="Norvia Post",
            monogram="NP",
            service="Parcel tracked",
            network="post",
            sender=("Larkspur & Loam", "Rua da Olaria 40", "3800-587 Aveiro", "Portugal"),
            recipient=(f"Recipient {n}", f"Rua da Nogueira {n}", "3500-108 Viseu"),
            country_line="PORTUGAL",
            routing="PT-3500",
            tracking_number=s10_number("CP", f"{47312482 + n:08d}", "PT"),
            is_sscc=False,
            order_number=f"LL-{20_000 + n}",
            reference="",
            parcel_no=1,
            parcel_count=1,
            weight="2.24 kg",
            ship_date="Tue 24 Nov",
        )
        for n in range(COUNT)
    ]


def floor() -> int:
    load_fonts()
    canvas = Canvas(io.BytesIO(), pagesize=(STOCKS["roll"].width, STOCKS["roll"].height), initialFontName=REGULAR)
    for n in range(COUNT):
        Code128(f"CP{47312482 + n}9PT", barWidth=1.06, barHeight=74).drawOn(canvas, 20, 40)
        canvas.setFont(REGULAR, 12)
        for row in range(3):
            canvas.drawString(20, 300 - 15 * row, f"Line {row} of label {n}")
        canvas.showPage()
    canvas.save()
    return COUNT


def main() -> None:
    made = papers()
    size = len(labels_pdf(made)) / COUNT

    def whole() -> int:
        labels_pdf(made)
        return COUNT

    bare, featured = in_turn(floor, whole, 3)
    print(f"floor, one barcode and three lines: {bare:7,.0f} labels/s")
    share = f"{featured / bare:.0%} of the floor (aim 60 %)"
    print(f"whole labels, {size:,.0f} bytes each:     {featured:7,.0f} labels/s   {share}")


if __name__ == "__main__":
    look_seldom()
    main()
