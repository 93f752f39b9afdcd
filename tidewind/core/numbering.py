"""Ranges of numbers that a carrier gave for labels which the shop numbers itself."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

from tidewind.core.codes import gs1_check_digit, s10_number, sscc


class RangeKind(StrEnum):
    """How the numbers of a range are written."""

    S10 = "s10"
    """UPU S10: two letters, eight digits, check digit, country."""
    SSCC = "sscc"
    """GS1: extension digit and company prefix, serial, check digit."""
    COUNTER = "counter"
    """A prefix and a serial of so many digits, with a check digit or without."""


MOST_CHARACTERS, SSCC_DIGITS, S10_DIGITS = 30, 17, 8
_COUNTER_PREFIX = re.compile(r"[A-Z0-9-]{0,16}")


@dataclass(frozen=True, slots=True)
class NumberRange:
    """Serials from ``first`` to ``last``, both of them in it, and how a number is written around each.

    ``prefix`` is the service indicator (S10), the extension digit with the company prefix (SSCC), or what stands before
    a counter; ``country`` ends an S10 number; ``digits`` and ``check`` (GS1, modulo 10) are a counter's.
    """

    kind: RangeKind
    prefix: str
    first: int
    last: int
    country: str = ""
    digits: int = 8
    check: bool = False

    @property
    def size(self) -> int:
        """How many numbers the range has."""
        return self.last - self.first + 1

    def number(self, serial: int) -> str:
        """Return the number with a serial.  Raises ValueError for one that is not in the range."""
        if not self.first <= serial <= self.last:
            raise ValueError(f"{serial} is not between {self.first} and {self.last}")
        if self.kind == RangeKind.S10:
            return s10_number(self.prefix, f"{serial:0{S10_DIGITS}d}", self.country)
        if self.kind == RangeKind.SSCC:
            return sscc(self.prefix, serial)
        body = f"{serial:0{self.digits}d}"
        return f"{self.prefix}{body}{gs1_check_digit(body) if self.check else ''}"


def range_faults(wanted: NumberRange) -> list[str]:
    """Return in words what is wrong with a range; nothing for one that can be drawn from."""
    faults = _shape_faults(wanted)
    if wanted.first < 0 or wanted.last < wanted.first:
        faults.append("The last serial is not smaller than the first, and none is negative.")
    elif len(str(wanted.last)) > _room(wanted):
        faults.append(f"A serial has at most {_room(wanted)} digits here; {wanted.last} has more.")
    return faults


def _room(wanted: NumberRange) -> int:
    if wanted.kind == RangeKind.S10:
        return S10_DIGITS
    return max(SSCC_DIGITS - len(wanted.prefix), 0) if wanted.kind == RangeKind.SSCC else wanted.digits


def _shape_faults(wanted: NumberRange) -> list[str]:
    """Return what cannot be written so (UPU S10-12, clause 5; GS1 General Specifications, 3.2.3)."""
    prefix, country = wanted.prefix, wanted.country
    if wanted.kind == RangeKind.S10:
        if not re.fullmatch(r"[A-Z]{2}", prefix):
            return ["An S10 number begins with two capital letters, the service indicator."]
        return [] if re.fullmatch(r"[A-Z]{2}", country) else ["An S10 number ends with the two letters of a country."]
    if wanted.kind == RangeKind.SSCC:
        good = re.fullmatch(r"[0-9]{8,13}", prefix)
        return [] if good else ["An SSCC begins with an extension digit and a company prefix of 7 to 12 digits."]
    if not _COUNTER_PREFIX.fullmatch(prefix):
        return ["What stands before a counter is at most 16 capital letters, digits and dashes."]
    if not 1 <= wanted.digits <= 12 or len(prefix) + wanted.digits + wanted.check > MOST_CHARACTERS:
        return ["A counter has 1 to 12 digits."]
    # A carrier's number is at least four characters long, so that it can be told from others by a scanner.
    return [] if len(prefix) + wanted.digits >= 4 else ["A number has at least four characters."]


def overlap(one: NumberRange, other: NumberRange) -> bool:
    """Tell whether two ranges could give the same number.

    Counters are compared as they are written: ``TW-0`` with five digits meets ``TW-`` with six, and a check digit of
    one stands where another has its last digit.  Where a check digit alone would part two of them, they overlap.
    """
    if RangeKind.COUNTER in {one.kind, other.kind}:
        (low, high), (other_low, other_high) = _written_ends(one), _written_ends(other)
        return one.kind == other.kind and len(low) == len(other_low) and low <= other_high and other_low <= high
    same = (one.kind, one.prefix, one.country) == (other.kind, other.prefix, other.country)
    return same and one.first <= other.last and other.first <= one.last


def _written_ends(counter: NumberRange) -> tuple[str, str]:
    first, last = (f"{counter.prefix}{serial:0{counter.digits}d}" for serial in (counter.first, counter.last))
    return (f"{first}0", f"{last}9") if counter.check else (first, last)
