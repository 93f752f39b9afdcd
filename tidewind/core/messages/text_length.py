"""How many parts a text message takes (3GPP TS 23.038 and 23.040)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

_BASIC: Final = frozenset(
    "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?"
    "¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà"
)
_TWICE: Final = frozenset("^{}\\[~]|€\f")
"""The signs of the extension table, which take two places each."""


@dataclass(frozen=True, slots=True)
class TextLength:
    """How long a text is in places, how many parts it goes as, and whether its letters fit the small alphabet."""

    places: int
    parts: int
    basic: bool


def text_length(text: str) -> TextLength:
    """Return how a text goes: 160 places of seven bits or 70 of sixteen in one part, 153 or 67 in each of several.

    A sign of two places is never cut in two, so that a part may stay one place short.
    """
    basic = all(sign in _BASIC or sign in _TWICE for sign in text)
    if basic:
        sizes, one, each = [2 if sign in _TWICE else 1 for sign in text], 160, 153
    else:
        sizes, one, each = [len(sign.encode("utf-16-be")) // 2 for sign in text], 70, 67
    if sum(sizes) <= one:
        return TextLength(sum(sizes), 1, basic)
    parts, left = 1, each
    for size in sizes:
        if size > left:
            parts, left = parts + 1, each
        left -= size
    return TextLength(sum(sizes), parts, basic)
