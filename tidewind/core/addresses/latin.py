"""An address in Latin letters, for carriers that print no others.

The spelling is by machine, letter by letter (the ``anyascii`` tables): good for Greek and Cyrillic, a makeshift for
Han characters, whose reading depends on the name.  People are shown it and can type a better one.
"""

from __future__ import annotations

import unicodedata
from dataclasses import replace

from anyascii import anyascii

from tidewind.core.addresses.check import LONGEST, Address


def is_latin(text: str) -> bool:
    """Tell whether every letter is a Latin one, with accents or without."""
    return all("LATIN" in unicodedata.name(ch, "") for ch in text if ch.isalpha() and ch not in "ªº")


def latin(text: str) -> str:
    """Return a text in Latin letters; one that is already stays as it is, accents and all."""
    if is_latin(text):
        return text
    return " ".join(word if word.isupper() else word[:1].upper() + word[1:] for word in anyascii(text).split())


_BETWEEN_WORDS = {n: " " for n in range(128) if not chr(n).isalnum()}


def plain_words(text: str) -> list[str]:
    """Return the words of a text in Latin small letters, without accents and punctuation, to compare them."""
    return anyascii(text).casefold().translate(_BETWEEN_WORDS).split()


def latin_address(address: Address) -> Address:
    """Return the address in Latin letters, which may be several for one; no field is longer than fields are."""
    spelt = {name: latin(getattr(address, name))[:LONGEST].rstrip() for name in Address.__dataclass_fields__}
    return replace(address, **spelt)
