"""Check digits and numbers printed on labels: UPU S10, GS1 SSCC."""

from __future__ import annotations

_S10_WEIGHTS = (8, 6, 4, 2, 3, 5, 9, 7)


def s10_check_digit(serial: str) -> int:
    """Return the check digit of an eight-digit serial (UPU S10-12, clause 6: weights 8 6 4 2 3 5 9 7, mod 11).

    Raises ValueError for anything but eight ASCII digits.
    """
    if len(serial) != 8 or not (serial.isascii() and serial.isdigit()):
        raise ValueError(f"an S10 serial has eight digits, not {serial!r}")
    remainder = 11 - sum(w * int(d) for w, d in zip(_S10_WEIGHTS, serial, strict=True)) % 11
    return {10: 0, 11: 5}.get(remainder, remainder)


def s10_number(indicator: str, serial: str, country: str) -> str:
    """Return the 13-character S10 item identifier: service indicator, serial, check digit, country (UPU S10-12)."""
    return f"{indicator}{serial}{s10_check_digit(serial)}{country}"


def is_s10(number: str) -> bool:
    """Tell whether ``number`` has the S10 form and a true check digit."""
    if len(number) != 13 or not number.isascii():
        return False
    letters, serial, digit, country = number[:2], number[2:10], number[10], number[11:]
    shaped = letters.isupper() and letters.isalpha() and country.isupper() and country.isalpha()
    if not shaped or not serial.isdigit() or not digit.isdigit():
        return False
    return s10_check_digit(serial) == int(digit)


def gs1_check_digit(digits: str) -> int:
    """Return the GS1 check digit of a string of digits (GS1 General Specifications, 7.9: weights 3 and 1, mod 10).

    Raises ValueError for anything but ASCII digits.
    """
    if not (digits.isascii() and digits.isdigit()):
        raise ValueError(f"a GS1 key has digits only, not {digits!r}")
    total = sum(int(d) * (3 if i % 2 == 0 else 1) for i, d in enumerate(reversed(digits)))
    return -total % 10


def sscc(extension_and_prefix: str, serial: int) -> str:
    """Return an 18-digit SSCC: extension digit and company prefix, serial padded to 17 digits, check digit.

    Raises ValueError where the serial does not fit beside the prefix (GS1 General Specifications, 3.3.1).
    """
    room = 17 - len(extension_and_prefix)
    if serial < 0 or len(str(serial)) > room:
        raise ValueError(f"serial {serial} does not fit into {room} digits")
    body = f"{extension_and_prefix}{serial:0{room}d}"
    return f"{body}{gs1_check_digit(body)}"


def is_sscc(number: str) -> bool:
    """Tell whether ``number`` is 18 digits with a true check digit."""
    return (
        len(number) == 18 and number.isascii() and number.isdigit() and gs1_check_digit(number[:17]) == int(number[17])
    )
