"""The postal customs forms CN22 and CN23, by the Universal Postal Union's layout, in English, French and another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from reportlab.lib.pagesizes import A5, landscape
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.barcodes import draw_linear, linear_width
from tidewind.documents.blocks import draw_block
from tidewind.documents.fonts import draw, draw_fitted, width
from tidewind.documents.paper import Draw

CN22_SIZE = (74 * mm, 105 * mm)
CN23_SIZE = landscape(A5)
CN22_ROWS, CN23_ROWS = 4, 8
EDGE, PAD = 5 * mm, 0.8 * mm
CATEGORIES = ("gift", "documents", "sample", "return", "sale", "other")
Words = Mapping[str, str]
"""The headings in one more language by their keys; a key that is missing is printed in English and French alone."""


@dataclass(frozen=True, slots=True)
class FormRow:
    """One line of a form, each cell as it is printed; ``more`` is the description in its own script."""

    text: str
    quantity: str
    net: str
    value: str
    code: str
    origin: str


@dataclass(frozen=True, slots=True)
class CustomsForm:
    """What a CN22 or CN23 says; the category is one of ``CATEGORIES``."""

    number: str
    sender: tuple[str, ...]
    sender_reference: str
    recipient: tuple[str, ...]
    importer_reference: str
    category: str
    explanation: str
    rows: tuple[FormRow, ...]
    gross: str
    total: str
    postage: str
    invoice: str
    comments: str
    licence: str
    certificate: str
    office: str
    dated: str
    words: Words


def cn22_paper(form: CustomsForm) -> Draw:
    """Return a CN22, a label of 74 × 105 mm; more rows than it has go over further ones."""
    return lambda canvas: _pages(canvas, form, CN22_ROWS, _cn22)


def cn23_paper(form: CustomsForm) -> Draw:
    """Return a CN23, a sheet of 210 × 148 mm; more rows than it has go over further ones."""
    return lambda canvas: _pages(canvas, form, CN23_ROWS, _cn23)


def _pages(canvas: Canvas, form: CustomsForm, most: int, page: object) -> None:
    rows = form.rows
    parts = [rows[n : n + most] for n in range(0, len(rows), most)] or [()]
    for number, some in enumerate(parts, 1):
        last = number == len(parts)
        shown = form if last else replace(form, gross="", total="", postage="")
        page(canvas, replace(shown, rows=tuple(some)), f"{number} / {len(parts)}" if len(parts) > 1 else "")  # type: ignore[operator]
        canvas.showPage()


def _said(form: CustomsForm, key: str) -> str:
    english, french = HEADS[key]
    more = form.words.get(key, "")
    return " / ".join(dict.fromkeys(part for part in (english, french, more) if part))


HEADS = {
    "title": ("Customs declaration", "Déclaration en douane"),
    "opened": ("May be opened officially", "Peut être ouvert d'office"),
    "from": ("From", "De"),
    "to": ("To", "À"),
    "sender_reference": ("Sender's customs reference", "Référence en douane de l'expéditeur"),
    "importer_reference": ("Importer's reference, if any", "Référence de l'importateur"),
    "contents": ("Detailed description of contents", "Description détaillée du contenu"),
    "quantity": ("Quantity", "Quantité"),
    "net": ("Net weight", "Poids net"),
    "value": ("Value", "Valeur"),
    "code": ("HS tariff number", "N° tarifaire du SH"),
    "origin": ("Country of origin", "Pays d'origine"),
    "gross": ("Total gross weight", "Poids brut total"),
    "total": ("Total value", "Valeur totale"),
    "postage": ("Postal charges", "Frais de port"),
    "category": ("Category of item", "Catégorie de l'envoi"),
    "gift": ("Gift", "Cadeau"),
    "documents": ("Documents", "Documents"),
    "sample": ("Commercial sample", "Échantillon commercial"),
    "return": ("Returned goods", "Retour de marchandise"),
    "sale": ("Sale of goods", "Vente de marchandises"),
    "other": ("Other", "Autre"),
    "explanation": ("Explanation", "Explication"),
    "comments": ("Comments", "Observations"),
    "licence": ("Licence", "Licence"),
    "certificate": ("Certificate", "Certificat"),
    "invoice": ("Invoice", "Facture"),
    "office": ("Office of origin, date of posting", "Bureau d'origine, date de dépôt"),
    "signature": ("Date and sender's signature", "Date et signature de l'expéditeur"),
    "certify": (
        "I certify that the particulars given in this customs declaration are correct and that this item does not "
        "contain any dangerous article or articles prohibited by legislation or by postal or customs regulations.",
        "",
    ),
}


def _box(canvas: Canvas, x: float, top: float, wide: float, high: float, head: str) -> None:
    canvas.setLineWidth(0.5)
    canvas.rect(x, top - high, wide, high)
    draw_fitted(canvas, x + 1 * mm, top - 2.2 * mm, head, 5.2, wide - 2 * mm, least=3.2)


def _filled(
    canvas: Canvas, x: float, top: float, wide: float, high: float, head: str, lines: Sequence[str], size: float = 8
) -> None:
    _box(canvas, x, top, wide, high, head)
    shown = [(line, n == 0) for n, line in enumerate(lines) if line]
    if shown:
        draw_block(canvas, x + 1 * mm, top - 2.8 * mm, shown, size, wide - 2 * mm, high - 3.2 * mm)


def _table(
    canvas: Canvas, form: CustomsForm, x: float, top: float, shares: Sequence[tuple[str, float]], high: float, rows: int
) -> float:
    head = 5 * mm
    left = x
    for key, wide in shares:
        _box(canvas, left, top, wide, head + rows * high, "")
        said, room = [(_said(form, key), False)], wide - 2 * PAD
        draw_block(canvas, left + PAD, top - 0.4 * mm, said, 5.2, room, head - 0.6 * mm, least=3)
        left += wide
    y = top - head
    for row in form.rows:
        left = x
        canvas.line(x, y, x + sum(wide for _, wide in shares), y)
        for key, wide in shares:
            cell, room = row.text if key == "contents" else str(getattr(row, key, "")), wide - 2 * PAD
            if key in {"net", "value", "quantity"}:
                draw_fitted(canvas, left + PAD, y - high + 1.6 * mm, cell, 7, room, to_right=True)
            else:
                draw_block(canvas, left + PAD, y - 0.5 * mm, [(cell, False)], 7, room, high - PAD, least=3.4)
            left += wide
        y -= high
    end: float = top - head - rows * high
    return end


def _categories(canvas: Canvas, form: CustomsForm, x: float, top: float, wide: float, columns: int) -> None:
    cell, step = wide / columns, 3.6 * mm
    for n, category in enumerate(CATEGORIES):
        left, y = x + 1 * mm + (n % columns) * cell, top - (n // columns) * step
        canvas.rect(left, y - 2.4 * mm, 2.4 * mm, 2.4 * mm)
        if category == form.category:
            canvas.line(left, y - 2.4 * mm, left + 2.4 * mm, y)
            canvas.line(left, y, left + 2.4 * mm, y - 2.4 * mm)
        draw_fitted(canvas, left + 3.2 * mm, y - 2 * mm, _said(form, category), 5.6, cell - 4.5 * mm, least=2.7)


def _cn23(canvas: Canvas, form: CustomsForm, page: str) -> None:
    canvas.setPageSize(CN23_SIZE)
    wide, high = CN23_SIZE
    top, x, whole = high - EDGE, EDGE, wide - 2 * EDGE
    draw(canvas, x, top - 4 * mm, "CN 23", 12, bold=True)
    draw_fitted(canvas, x + 18 * mm, top - 4 * mm, _said(form, "title"), 9, 78 * mm, bold=True)
    if form.number:
        bars = linear_width(form.number, 2)
        draw_linear(canvas, x + whole - bars, top - 7 * mm, 7 * mm, form.number, dots=2)
        draw(canvas, x + whole - bars - width(form.number, 8, True) - 3 * mm, top - 4 * mm, form.number, 8, bold=True)
    draw_fitted(canvas, x, top - 8 * mm, _said(form, "opened") + (f"   {page}" if page else ""), 6, 96 * mm)
    y, half = top - 10 * mm, whole / 2
    _filled(canvas, x, y, half, 21 * mm, _said(form, "from"), form.sender)
    _filled(canvas, x + half, y, half, 21 * mm, _said(form, "to"), form.recipient)
    y -= 21 * mm
    _filled(canvas, x, y, half, 7 * mm, _said(form, "sender_reference"), (form.sender_reference,))
    _filled(canvas, x + half, y, half, 7 * mm, _said(form, "importer_reference"), (form.importer_reference,))
    y -= 7 * mm
    shares = [
        ("contents", 84 * mm),
        ("quantity", 16 * mm),
        ("net", 22 * mm),
        ("value", 28 * mm),
        ("code", 28 * mm),
        ("origin", whole - 178 * mm),
    ]
    y = _table(canvas, form, x, y, shares, 5.6 * mm, CN23_ROWS)
    _cn23_below(canvas, form, x, y, whole)


def _cn23_below(canvas: Canvas, form: CustomsForm, x: float, y: float, whole: float) -> None:
    """Draw what stands below the goods, from ``y`` down to the edge."""
    half, third = whole / 2, whole / 3
    for n, (key, value) in enumerate((("gross", form.gross), ("total", form.total), ("postage", form.postage))):
        _filled(canvas, x + n * third, y, third, 7.5 * mm, _said(form, key), (value,))
    y -= 7.5 * mm
    _box(canvas, x, y, half, 14 * mm, _said(form, "category"))
    _categories(canvas, form, x, y - 3.2 * mm, half, 3)
    if form.explanation:
        why = f"{_said(form, 'explanation')}: {form.explanation}"
        draw_fitted(canvas, x + 1 * mm, y - 12.6 * mm, why, 6, half - 2 * mm)
    _filled(canvas, x + half, y, half, 14 * mm, _said(form, "office"), (form.office,), 7)
    y -= 14 * mm
    _filled(canvas, x, y, half, 9 * mm, _said(form, "comments"), (form.comments,), 6.5)
    sixth = half / 3
    more = (("licence", form.licence), ("certificate", form.certificate), ("invoice", form.invoice))
    for n, (key, value) in enumerate(more):
        _filled(canvas, x + half + n * sixth, y, sixth, 9 * mm, _said(form, key), (value,), 7)
    y -= 9 * mm
    rest = y - EDGE
    _box(canvas, x, y, half, rest, "")
    draw_block(canvas, x + 1 * mm, y - 0.8 * mm, [(_said(form, "certify"), False)], 5.6, half - 2 * mm, rest - 1.5 * mm)
    _filled(canvas, x + half, y, half, rest, _said(form, "signature"), (form.dated,), 7)


def _cn22(canvas: Canvas, form: CustomsForm, page: str) -> None:
    canvas.setPageSize(CN22_SIZE)
    wide, high = CN22_SIZE
    edge = 3 * mm
    top, x, whole = high - edge, edge, wide - 2 * edge
    draw(canvas, x, top - 3.6 * mm, "CN 22", 10, bold=True)
    draw_fitted(canvas, x + 15 * mm, top - 3.4 * mm, _said(form, "title"), 7, whole - 15 * mm, bold=True, least=4)
    draw_fitted(canvas, x, top - 6.8 * mm, _said(form, "opened") + (f"   {page}" if page else ""), 5.2, whole)
    y = top - 8 * mm
    _box(canvas, x, y, whole, 12.4 * mm, "")
    _categories(canvas, form, x, y - 1 * mm, whole, 2)
    y -= 12.4 * mm
    shares = [("contents", 27 * mm), ("quantity", 8 * mm), ("net", 11 * mm), ("value", whole - 46 * mm)]
    y = _table(canvas, form, x, y, shares, 10.2 * mm, CN22_ROWS)
    codes = "; ".join(f"{row.code} {row.origin}".strip() for row in form.rows)
    _filled(canvas, x, y, whole, 8 * mm, f"{HEADS['code'][0]}, {HEADS['origin'][0]}", (codes,), 6.5)
    y -= 8 * mm
    _filled(canvas, x, y, whole / 2, 7 * mm, _said(form, "gross"), (form.gross,), 7)
    _filled(canvas, x + whole / 2, y, whole / 2, 7 * mm, _said(form, "total"), (form.total,), 7)
    y -= 7 * mm
    rest = y - edge
    _box(canvas, x, y, whole, rest, "")
    room = whole - 2 * PAD
    draw_block(canvas, x + PAD, y - 0.5 * mm, [(_said(form, "certify"), False)], 4.6, room, rest - 4.6 * mm, least=3.4)
    draw_fitted(canvas, x + PAD, edge + 1.2 * mm, f"{_said(form, 'signature')}: {form.dated}", 5.2, room, least=3.4)
