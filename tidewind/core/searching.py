"""How text is written down to be found, and what is typed to find it."""

from __future__ import annotations

import unicodedata


def folded(text: str) -> str:
    """Return text in small letters without accents, so that ``sohne`` finds Söhne; the database folds alike."""
    if text.isascii():
        return text.lower()
    plain = unicodedata.normalize("NFKD", text.lower())
    return "".join(ch for ch in plain if not "\u0300" <= ch <= "\u036f").replace("ß", "ss").replace("ø", "o")
