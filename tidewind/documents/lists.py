"""Papers that are tables: the pick list by shelf, the batch summary, and the buyer's invoice; A4 or Letter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.barcodes import draw_linear, linear_width
from tidewind.documents.blocks import draw_block
from tidewind.documents.fonts import draw, draw_fitted, width
from tidewind.documents.paper import Draw, pdf_of

MARGIN = 16 * mm
SHEETS = {"a4": A4, "letter": LETTER}
ROW = 6 * mm
SIGNED = 26 * mm


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a table: its head, its share of the width, and whether its cells are figures (set to the right).

    ``below`` is the head in another language.
    """

    head: str
    share: int
    figures: bool = False
    below: str = ""


@dataclass(frozen=True, slots=True)
class ListPaper:
    """A table on paper: a title with facts below it, rows under heads, closing lines (label, figure), lines to sign."""

    title: str
    facts: tuple[str, ...]
    columns: tuple[Column, ...]
    rows: tuple[tuple[str, ...], ...]
    closing: tuple[tuple[str, str], ...] = ()
    barcode: str = ""
    left: tuple[str, ...] = ()
    right: tuple[str, ...] = ()
    note: str = ""
    signatures: tuple[str, ...] = ()


def list_pdf(papers: Sequence[ListPaper], title: str, sheet: str = "a4") -> bytes:
    """Return one PDF of tables on A4 or Letter; long ones go over several pages, heads repeated."""
    return pdf_of([list_paper(paper, sheet) for paper in papers], title, SHEETS[sheet])


def list_paper(paper: ListPaper, sheet: str = "a4") -> Draw:
    """Return a table as a paper among others."""
    return lambda canvas: _pages(canvas, paper, SHEETS[sheet])


def _pages(canvas: Canvas, paper: ListPaper, size: tuple[float, float]) -> None:
    wide, high = size
    closing = len(paper.closing) * 5.5 * mm + (14 * mm if paper.note else 0) + 8 * mm
    closing += SIGNED if paper.signatures else 0
    rows, page = list(paper.rows), 0
    while True:
        page += 1
        canvas.setPageSize(size)
        y = _head(canvas, paper, size) if page == 1 else high - MARGIN
        y = _heads(canvas, paper.columns, y, wide)
        fit = max(1, int((y - MARGIN) / ROW))
        last = len(rows) * ROW + closing <= y - MARGIN
        some, rows = (rows, []) if last else (rows[:fit], rows[fit:])
        for row in some:
            y = _row(canvas, paper.columns, row, y, wide)
        if last:
            _closing(canvas, paper, y, wide)
        draw_fitted(canvas, wide / 2, 9 * mm, f"page {page}", 7.5, wide / 2 - MARGIN, to_right=True)
        draw_fitted(canvas, MARGIN, 9 * mm, paper.title, 7.5, wide - 2 * MARGIN - 20 * mm)
        canvas.showPage()
        if last:
            return


def _head(canvas: Canvas, paper: ListPaper, size: tuple[float, float]) -> float:
    wide, high = size
    top = high - MARGIN
    room = wide - 2 * MARGIN
    if paper.barcode:
        bar = linear_width(paper.barcode, 2)
        draw_linear(canvas, wide - MARGIN - bar, top - 11 * mm, 11 * mm, paper.barcode, dots=2)
        draw(canvas, wide - MARGIN - width(paper.barcode, 8, True), top - 15 * mm, paper.barcode, 8, True)
        room -= bar + 6 * mm
    draw_fitted(canvas, MARGIN, top - 6 * mm, paper.title, 18, room, bold=True)
    y = top - 12 * mm
    for fact in paper.facts:
        draw_fitted(canvas, MARGIN, y, fact, 10, room)
        y -= 5 * mm
    y = min(y, top - 20 * mm if paper.barcode else y)
    if paper.left or paper.right:
        half = (wide - 2 * MARGIN) / 2 - 4 * mm
        sides = [
            draw_block(canvas, x, y, [(line, n == 0) for n, line in enumerate(lines)], 10, half, 40 * mm)
            for x, lines in ((MARGIN, paper.left), (wide / 2 + 4 * mm, paper.right))
        ]
        y = min(sides) - 6 * mm
    return float(y - 4 * mm)


def _edges(columns: Sequence[Column], wide: float) -> list[tuple[float, float]]:
    """Return (left, right) of each column in points."""
    whole, x, found = sum(c.share for c in columns), float(MARGIN), []
    for column in columns:
        right = x + (wide - 2 * MARGIN) * column.share / whole
        found.append((x, right - 2 * mm))
        x = right
    return found


def _heads(canvas: Canvas, columns: Sequence[Column], y: float, wide: float) -> float:
    for column, (left, right) in zip(columns, _edges(columns, wide), strict=True):
        draw_fitted(canvas, left, y, column.head, 8, right - left, to_right=column.figures)
    if any(column.below for column in columns):
        y -= 3.2 * mm
        for column, (left, right) in zip(columns, _edges(columns, wide), strict=True):
            draw_fitted(canvas, left, y, column.below, 7, right - left, to_right=column.figures, least=5)
    canvas.setLineWidth(0.5)
    canvas.line(MARGIN, y - 2 * mm, wide - MARGIN, y - 2 * mm)
    return float(y - 2 * mm)


def _row(canvas: Canvas, columns: Sequence[Column], row: Sequence[str], y: float, wide: float) -> float:
    y -= ROW
    for column, cell, (left, right) in zip(columns, row, _edges(columns, wide), strict=True):
        draw_fitted(canvas, left, y + 1.5 * mm, cell, 10, right - left, to_right=column.figures)
    return y


def _closing(canvas: Canvas, paper: ListPaper, y: float, wide: float) -> None:
    canvas.line(MARGIN, y - 1 * mm, wide - MARGIN, y - 1 * mm)
    right = _edges(paper.columns, wide)[-1][1]
    for label, figure in paper.closing:
        y -= 5.5 * mm
        draw_fitted(canvas, right - 34 * mm, y, figure, 10.5, 34 * mm, bold=True, to_right=True)
        draw_fitted(canvas, MARGIN, y, label, 10, right - 38 * mm - MARGIN, to_right=True)
    if paper.note:
        draw_block(canvas, MARGIN, y - 4 * mm, [(paper.note, False)], 9, wide - 2 * MARGIN, 12 * mm)
    room = (wide - 2 * MARGIN) / max(len(paper.signatures), 1)
    for n, words in enumerate(paper.signatures):
        x, line = MARGIN + n * room, y - SIGNED + 6 * mm
        canvas.line(x, line, x + room - 8 * mm, line)
        draw_fitted(canvas, x, line - 4 * mm, words, 8, room - 8 * mm)
