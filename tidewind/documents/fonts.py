"""Fonts for paper: Latin, Greek, Cyrillic, Arabic, Hebrew and Thai ship with the program.

Han and kana come from Debian's WenQuanYi Micro Hei.  What is written from right to left is put in the order in which it
is seen (Unicode Standard Annex 9), its Arabic letters in the shapes that join.  A word of any other script is drawn as
it is spelt in Latin letters, on labels, slips and papers alike: a label that prints nothing goes nowhere.
"""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from pathlib import Path

import arabic_reshaper
from bidi import get_display
from reportlab import rl_config
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas

from tidewind.core.addresses.latin import latin

CJK_FILE = Path("/usr/share/fonts/truetype/wqy/wqy-microhei.ttc")
REGULAR, BOLD, CJK = "Tidewind-400", "Tidewind-700", "Tidewind-CJK"
_SHIPPED = ("NotoSans", "NotoSansArabic", "Assistant", "NotoSansThai")
"""The files that ship, the one that draws most first; Assistant has the Hebrew letters."""
_WORDS = re.compile(r"(\s+)")
_TO_THE_LEFT = re.compile("[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufeff]")
rl_config.useA85 = 0


@dataclass(frozen=True, slots=True)
class _Script:
    """Two weights of a font and the code points that they can draw."""

    regular: str
    bold: str
    known: frozenset[int]


@lru_cache(maxsize=1)
def load_fonts() -> tuple[_Script, ...]:
    """Register the fonts once and return them, the one that is taken first where several could."""
    folder, found = resources.files("tidewind.data.fonts"), []
    for n, file in enumerate(_SHIPPED):
        regular, bold = (REGULAR, BOLD) if n == 0 else (f"{REGULAR}-{file}", f"{BOLD}-{file}")
        for name, weight in ((regular, 400), (bold, 700)):
            pdfmetrics.registerFont(TTFont(name, str(folder.joinpath(f"{file}-{weight}.ttf"))))
        found.append(_Script(regular, bold, frozenset(pdfmetrics.getFont(regular).face.charToGlyph)))
    if CJK_FILE.exists():
        with suppress(TTFError):  # drawn as the shipped font's empty box then; the Latin lines stay readable
            pdfmetrics.registerFont(TTFont(CJK, str(CJK_FILE), subfontIndex=0))
            found.append(_Script(CJK, CJK, frozenset(pdfmetrics.getFont(CJK).face.charToGlyph)))
    return tuple(found)


def _as_seen(text: str) -> str:
    """Return text in the order in which its letters stand on the line, from the left."""
    if not _TO_THE_LEFT.search(text):
        return text
    return str(get_display(arabic_reshaper.reshape(text)))


def can_draw(text: str) -> bool:
    """Tell whether there is a glyph for every sign; what has none is spelt in Latin letters."""
    return all(_has_glyph(ch) for ch in _as_seen(text))


def _has_glyph(ch: str) -> bool:
    return any(ord(ch) in script.known for script in load_fonts())


@lru_cache(maxsize=8192)
def as_drawn(text: str) -> str:
    """Return text as it is drawn: each word that lacks a glyph in Latin letters, nothing left out."""
    if can_draw(text):
        return text
    words = (word if not word.strip() or can_draw(word) else latin(word) for word in _WORDS.split(text))
    return "".join(ch for ch in "".join(words) if _has_glyph(ch) or ch.isspace())


@lru_cache(maxsize=8192)
def runs(text: str, bold: bool = False) -> tuple[tuple[str, str], ...]:
    """Split text into runs of (font, characters) as they are seen from the left, each sign by the first that has it."""
    scripts = load_fonts()
    main, text = BOLD if bold else REGULAR, _as_seen(as_drawn(text))
    if scripts[0].known.issuperset(map(ord, text)):
        return ((main, text),)
    parts: list[tuple[str, str]] = []
    for ch in text:
        script = next((one for one in scripts if ord(ch) in one.known), scripts[0])
        font = script.bold if bold else script.regular
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
