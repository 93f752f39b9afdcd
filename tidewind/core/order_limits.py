"""What an order can hold, in one place: lengths, amounts, pieces; said with the figure where it is passed.

Amounts are what a 32-bit integer of the database holds; the others are shop policy.
"""

from __future__ import annotations

import re
from typing import Any

MOST_MINOR = 2_000_000_000
MOST_PIECES = 100_000
NUMBER, SKU, NAME, PROMISE, OFFER, NOTE, BILLING_NAME, TAX_NUMBER = 60, 60, 200, 120, 120, 500, 120, 40

_NOT_STORABLE = re.compile("[\x00\ud800-\udfff]")


class BeyondLimits(ValueError):
    """A value that an order cannot hold; the words name it and the limit."""


def storable(value: Any) -> str:
    """Return a value as text that a database can hold: nothing for None, no zero bytes, no halves of characters.

    Raises BeyondLimits for what is no text: a list or an object where a word belongs.
    """
    if value is None:
        return ""
    if isinstance(value, (dict, list, tuple, bytes)):
        raise BeyondLimits(f"a list or an object stands where text belongs: {str(value)[:40]}")
    return _NOT_STORABLE.sub("\ufffd", str(value))


def short_text(value: Any, most: int, what: str) -> str:
    """Return an identifier whole.  Raises BeyondLimits where it is longer: cut, it could be another one's."""
    text = storable(value).strip()
    if len(text) > most:
        raise BeyondLimits(f"the {what} has {len(text):,} characters, at most {most} can be kept")
    return text


def whole(value: Any, what: str) -> int:
    """Return a whole number.  Raises BeyondLimits for a fraction, for nothing and for what is no number."""
    if isinstance(value, bool) or value is None:
        raise BeyondLimits(f"the {what} is missing")
    if isinstance(value, int):
        return value
    text = str(value).strip()
    match = re.fullmatch(r"([+-]?\d{1,18})(?:\.0*)?", text)
    if not match:
        raise BeyondLimits(f"the {what} is “{text[:20]}”, which is no whole number")
    return int(match[1])


def pieces(value: Any, what: str = "quantity") -> int:
    """Return how many pieces.  Raises BeyondLimits outside of 1 to ``MOST_PIECES``."""
    count = whole(value, what)
    if not 1 <= count <= MOST_PIECES:
        raise BeyondLimits(f"the {what} is {count:,}, possible are 1 to {MOST_PIECES:,}")
    return count


def amount(value: int, what: str) -> int:
    """Return an amount in minor units.  Raises BeyondLimits below nothing or above ``MOST_MINOR``."""
    if not 0 <= value <= MOST_MINOR:
        raise BeyondLimits(f"the {what} is {value:,} minor units, possible are 0 to {MOST_MINOR:,}")
    return value
