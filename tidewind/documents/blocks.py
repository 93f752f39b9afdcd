"""Text that must stay inside its box: lines wrapped and made smaller together until everything is in."""

from __future__ import annotations

from collections.abc import Sequence

from reportlab.pdfgen.canvas import Canvas

from tidewind.documents.fonts import draw, width

LEADING = 1.22
STEP = 0.5
Rows = list[tuple[str, bool]]


def wrap(text: str, size: float, room: float, bold: bool = False) -> list[str]:
    """Return text in rows no wider than ``room`` points: broken at spaces, inside a word only where one is too wide."""
    if width(text, size, bold) <= room:
        return [text]
    rows, row = [], ""
    for word in text.split():
        longer = f"{row} {word}" if row else word
        if width(longer, size, bold) <= room:
            row = longer
            continue
        if row:
            rows.append(row)
        row = word
        while width(row, size, bold) > room and len(row) > 1:
            cut = next(n for n in range(len(row) - 1, 0, -1) if n == 1 or width(row[:n], size, bold) <= room)
            rows.append(row[:cut])
            row = row[cut:]
    return [*rows, row] if row else rows


def fit(
    lines: Sequence[tuple[str, bool]], size: float, room: float, height: float, least: float = 4.5
) -> tuple[float, Rows]:
    """Return the largest size, from ``size`` down to ``least`` points, at which all lines fit, and their rows.

    At ``least`` what still does not fit is cut at the end, the last row saying so with an ellipsis.
    """
    at = size
    while True:
        rows = [(row, bold) for text, bold in lines for row in wrap(text, at, room, bold)]
        if len(rows) * at * LEADING <= height:
            return at, rows
        if at - STEP < least:
            most = max(1, int(height / (at * LEADING)))
            return at, [*rows[: most - 1], (f"{rows[most - 1][0][:-1]}…", rows[most - 1][1])]
        at -= STEP


def draw_block(
    canvas: Canvas,
    x: float,
    top: float,
    lines: Sequence[tuple[str, bool]],
    size: float,
    room: float,
    height: float,
    least: float = 4.5,
) -> float:
    """Draw lines of (text, bold) in a box whose upper left corner is (x, top); return where the text ends."""
    at, rows = fit([line for line in lines if line[0]], size, room, height, least)
    y = top
    for text, bold in rows:
        y -= at * LEADING
        draw(canvas, x, y + at * 0.24, text, at, bold)
    return y
