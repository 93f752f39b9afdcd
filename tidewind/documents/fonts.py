"""Fonts for paper: Noto Sans ships with the program, Han and kana come from Debian's WenQuanYi Micro Hei."""

from __future__ import annotations

from contextlib import suppress
from functools import lru_cache
from importlib import resources
from pathlib import Path

from reportlab import rl_config
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas

CJK_FILE = Path("/usr/share/fonts/truetype/wqy/wqy-microhei.ttc")
REGULAR, BOLD, CJK = "Tidewind-400", "Tidewind-700", "Tidewind-CJK"
rl_config.useA85 = 0


@lru_cache(maxsize=1)
def load_fonts() -> frozenset[int]:
    """Register the fonts once and return the code points that the shipped ones can draw."""
    folder = resources.files("tidewind.data.fonts")
    for name, file in ((REGULAR, "NotoSans-400.ttf"), (BOLD, "NotoSans-700.ttf")):
        pdfmetrics.registerFont(TTFont(name, str(folder.joinpath(file))))
    if CJK_FILE.exists():
        with suppress(TTFError):  # drawn as the shipped font's empty box then; the Latin lines stay readable
            pdfmetrics.registerFont(TTFont(CJK, str(CJK_FILE), subfontIndex=0))
    return frozenset(pdfmetrics.getFont(REGULAR).face.charToGlyph)


def can_draw(text: str) -> bool:
    """Tell whether there is a glyph for every sign; Arabic, Hebrew and Thai have none here and would leave a gap."""
    known = load_fonts()
    more = pdfmetrics.getFont(CJK).face.charToGlyph if CJK in pdfmetrics.getRegisteredFontNames() else {}
    return all(ord(ch) in known or ord(ch) in more for ch in text)


@lru_cache(maxsize=8192)
def runs(text: str, bold: bool = False) -> tuple[tuple[str, str], ...]:
    """Split text into runs of (font, characters): the shipped font where it can, else the CJK one."""
    known = load_fonts()
    main = BOLD if bold else REGULAR
    has_cjk = CJK in pdfmetrics.getRegisteredFontNames()
    if known.issuperset(map(ord, text)):
        return ((main, text),)
    parts: list[tuple[str, str]] = []
    for ch in text:
        font = main if ord(ch) in known or not has_cjk else CJK
        if parts and parts[-1][0] == font:
            parts[-1] = (font, parts[-1][1] + ch)
        else:
            parts.append((font, ch))
    return tuple(parts)


@lru_cache(maxsize=8192)
def width(text: str, size: float, bold: bool = False) -> float:
    """Return the drawn width of text in points."""
    return float(sum(pdfmetrics.stringWidth(part, font, size) for font, part in runs(text, bold)))


def draw(canvas: Canvas, x: float, y: float, text: str, size: float, bold: bool = False) -> None:
    """Draw text with its baseline starting at (x, y), changing fonts where the script changes."""
    words = canvas.beginText(x, y)
    for font, part in runs(text, bold):
        words.setFont(font, size)
        words.textOut(part)
    canvas.drawText(words)


def draw_fitted(
    canvas: Canvas,
    x: float,
    y: float,
    text: str,
    size: float,
    room: float,
    *,
    bold: bool = False,
    least: float = 6.0,
    to_right: bool = False,
) -> None:
    """Draw text within ``room`` points from ``x``: smaller down to ``least``, then cut with an ellipsis.

    With ``to_right`` it ends at the right of its room.
    """
    wide = width(text, size, bold)
    if wide > room:
        size = max(least, size * room / wide)
    while len(text) > 1 and width(text, size, bold) > room:
        text = text[:-2] + "…"
    draw(canvas, x + room - width(text, size, bold) if to_right else x, y, text, size, bold)
