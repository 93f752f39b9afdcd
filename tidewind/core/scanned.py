"""What a scanner brings in, brought to the forms in which numbers are kept."""

from __future__ import annotations

import re
from collections.abc import Sequence

_IDENTIFIER = re.compile(r"^\][A-Za-z][0-9A-Za-z]")
"""The symbology identifier that some scanners send ahead of the data (ISO/IEC 15424)."""
_SSCC = re.compile(r"^(?:\(00\)|00)(\d{18})$")
"""A logistic unit's number with its application identifier (GS1 General Specifications, 3.2)."""
LONGEST = 120
LONGEST_ID = 9
SLIP = "TWSLIP-"
"""What the barcode of our packing slips begins with; the order's own number may be another channel's, too."""


def slip_code(order_id: int) -> str:
    """Return the barcode of an order's packing slip, which is no other's."""
    return f"{SLIP}{order_id}"


def order_of_slip(forms: Sequence[str]) -> int | None:
    """Return the id of the order whose packing slip was scanned; None where it was anything else."""
    for form in forms:
        number = form.upper().removeprefix(SLIP)
        if number != form.upper() and number.isascii() and number.isdigit() and len(number) <= LONGEST_ID:
            return int(number)
    return None


def forms_of(code: str) -> tuple[str, ...]:
    """Return the forms under which a scanned code may be kept, the likeliest first; none for an empty one.

    Symbology identifiers, group separators, blanks around it, and the application identifier of an SSCC go; a code that
    was typed may be in small letters and have blanks between.
    """
    plain = _IDENTIFIER.sub("", "".join(c for c in code[:LONGEST] if c.isprintable()).strip())
    if not plain:
        return ()
    close = plain.replace(" ", "")
    unit = _SSCC.match(close)
    return tuple(dict.fromkeys([*([unit[1]] if unit else []), plain, close, close.upper()]))
