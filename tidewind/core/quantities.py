"""Money, weight and size: integers with their unit in the type."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache
from typing import NewType

from tidewind.core.frozen import frozen

Minor = NewType("Minor", int)
"""An amount in minor units of a currency that the context names (cents for EUR)."""

Grams = NewType("Grams", int)
Millimetres = NewType("Millimetres", int)
BasisPoints = NewType("BasisPoints", int)
"""Hundredths of a per cent: 15.5 % is 1,550."""

WHOLE = 10_000


@frozen
class Refused:
    """An expected refusal: a stable ``reason`` code, and ``detail`` in words for a person."""

    reason: str
    detail: str


@dataclass(frozen=True, slots=True, order=True)
class Size:
    """Three sides in millimetres, kept longest first so that turning a box changes nothing."""

    longest: int
    middle: int
    shortest: int

    @classmethod
    def of(cls, a: int, b: int, c: int) -> Size:
        """Return the size of a body with sides ``a``, ``b`` and ``c`` (mm) in any order."""
        longest, middle, shortest = sorted((a, b, c), reverse=True)
        return cls(longest, middle, shortest)

    @property
    def mm3(self) -> int:
        """Volume in cubic millimetres."""
        return self.longest * self.middle * self.shortest

    @property
    def girth_mm(self) -> int:
        """Longest side plus twice the other two, in millimetres (UPU convention for parcels)."""
        return self.longest + 2 * (self.middle + self.shortest)

    def fits(self, other: Size) -> bool:
        """Tell whether a body of this size goes into ``other``, side by sorted side."""
        return self.longest <= other.longest and self.middle <= other.middle and self.shortest <= other.shortest


def percent_of(amount: int, rate: int) -> int:
    """Return ``rate`` basis points of ``amount``, rounded half up (away from zero) to the minor unit.

    Minor units in and out.  Half up by magnitude, so that a discount mirrors a surcharge (shop policy).
    """
    product = amount * rate
    if product >= 0:
        return (product + WHOLE // 2) // WHOLE
    return -((-product + WHOLE // 2) // WHOLE)


def steps_begun(amount: int, step: int) -> int:
    """Return how many steps of size ``step`` are begun by ``amount``: 0 for 0 or less, 1 for 1..step, …"""
    return -(-amount // step) if amount > 0 else 0


_DIGITS: dict[str, int] = {
    code: digits
    for digits, codes in (
        (0, ("BIF", "CLP", "DJF", "GNF", "ISK", "JPY", "KMF", "KRW", "PYG", "RWF", "UGX", "UYI", "VND", "VUV", "XAF")),
        (0, ("XOF", "XPF")),
        (3, ("BHD", "IQD", "JOD", "KWD", "LYD", "OMR", "TND")),
        (4, ("CLF", "UYW")),
    )
    for code in codes
}


def minor_digits(currency: str) -> int:
    """Return how many decimals a currency's minor unit stands for (ISO 4217, list one: two unless said there)."""
    return _DIGITS.get(currency, 2)


def amount_text(minor: int, currency: str) -> str:
    """Write an amount as a plain decimal without its currency: ``6.10``, for yen ``610``."""
    digits, sign = minor_digits(currency), "−" if minor < 0 else ""
    whole, rest = divmod(abs(minor), 10**digits)
    return f"{sign}{whole}.{rest:0{digits}d}" if digits else f"{sign}{whole}"


def money_text(minor: int, currency: str) -> str:
    """Write an amount for words inside a sentence: ``6.10 EUR``, ``610 JPY``."""
    return f"{amount_text(minor, currency)} {currency}"


def minor_of(amount: Decimal, currency: str) -> int:
    """Return the minor units of an amount.  Raises ValueError for a fraction of the smallest unit."""
    minor = amount.scaleb(minor_digits(currency))
    if minor != minor.to_integral_value():
        raise ValueError(f"{amount} has more decimals than {currency}")
    return int(minor)


def decimal_text(thousandths: int) -> str:
    """Write an integer count of thousandths without needless zeros: 31500 → ``31.5``, 3000 → ``3``."""
    whole, rest = divmod(abs(thousandths), 1000)
    text = f"{whole}.{rest:03d}".rstrip("0").rstrip(".") if rest else str(whole)
    return f"−{text}" if thousandths < 0 else text


class _Spoken:
    """In which units words say weights and sizes: a process serves one shop, as it has one language."""

    units = "metric"


def speak_in(units: str) -> None:
    """Say weights and sizes in the shop's units from now on: ``metric`` or ``imperial``; figures stay what they are."""
    _Spoken.units = units


def spoken() -> str:
    """Return the units that words are said in."""
    return _Spoken.units


def weight_text(grams: int) -> str:
    """Write a weight for words: ``240 g``, ``2.24 kg``, or ``4.94 lb`` where the shop counts in pounds."""
    return weight_in(grams, _Spoken.units)


@lru_cache(maxsize=16_384)
def weight_in(grams: int, units: str) -> str:
    """Write a weight in a shop's units: ``2.24 kg``, or for ``imperial`` pounds to the hundredth (``4.94 lb``).

    A pound is 453.59237 g (the international pound of 1959); rounded half up, and never to nothing.
    """
    if units != "imperial":
        return f"{grams} g" if abs(grams) < 1000 else f"{decimal_text(grams)} kg"
    hundredths = max((grams * 10_000_000 + 22_679_618) // 45_359_237, 1)
    return f"{hundredths // 100}.{hundredths % 100:02d} lb"


def length_text(mm: int) -> str:
    """Write a length for words: 1705 → ``170.5 cm``, or ``67.1 in`` (25.4 mm each) where the shop counts in inches."""
    if _Spoken.units != "imperial":
        return f"{decimal_text(mm * 100)} cm"
    tenths = max((mm * 100 + 127) // 254, 1)
    return f"{decimal_text(tenths * 100)} in"


def volume_text(cm3: int) -> str:
    """Write a volume for words: ``1,200 cm³``, or ``73 in³`` (16.387064 cm³ each)."""
    if _Spoken.units != "imperial":
        return f"{cm3:,} cm³"
    return f"{max((cm3 * 1_000_000 + 8_193_532) // 16_387_064, 1):,} in³"
