"""What figures in cells mean: prices and weights with the decimal sign, the unit and the oddities of spreadsheets."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from decimal import ROUND_CEILING, ROUND_HALF_UP, Decimal, InvalidOperation
from functools import lru_cache
from typing import Literal

from tidewind.core.order_limits import MOST_MINOR
from tidewind.core.order_rows.days import DayOrder
from tidewind.core.quantities import minor_digits, minor_of, money_text

# Grams in a unit: the international avoirdupois pound (0.45359237 kg exactly, 1959) and its sixteenth.
_GRAMS = {"g": Decimal(1), "kg": Decimal(1000), "lb": Decimal("453.59237"), "oz": Decimal("28.349523125")}
# A spreadsheet reckons in binary: 4.8999999999999995 is what it made of 4.90.
_BINARY_DUST = Decimal("0.0000001")
# Codes (ISO 4217) that stand in headings and cells of orders; of every three letters a code would be too many words.
CURRENCIES = frozenset(
    """EUR GBP USD CHF SEK NOK DKK ISK PLN CZK HUF RON BGN TRY UAH RSD CAD AUD NZD JPY CNY KRW HKD SGD TWD THB MYR IDR
    PHP INR AED SAR ILS ZAR BRL MXN ARS CLP COP PEN""".split()  # noqa: SIM905 - read as words
)
_SIGNS = {
    "€": "EUR", "£": "GBP", "¥": "JPY CNY", "zł": "PLN", "kč": "CZK", "₹": "INR", "₩": "KRW", "₺": "TRY", "r$": "BRL",
    "us$": "USD", "c$": "CAD", "ca$": "CAD", "a$": "AUD", "au$": "AUD", "nz$": "NZD", "hk$": "HKD", "s$": "SGD",
    "mx$": "MXN", "$": "USD CAD AUD NZD HKD SGD MXN ARS CLP COP", "kr": "SEK NOK DKK ISK",
}  # fmt: skip
SIGNS = {sign: frozenset(codes.split()) for sign, codes in _SIGNS.items()}
_MARKS = re.compile(r"[^\W\d_]+\$?|[€£$¥₹₩₺]")
# Signs, the longest first, blanks and the apostrophes that group figures.
_WRITTEN_AROUND = re.compile("|".join(map(re.escape, sorted(SIGNS, key=len, reverse=True))) + r"|[\s'’]", re.IGNORECASE)
_SHORTENED = re.compile(r"\d([.,]\d+)?e\+?\d+", re.IGNORECASE)


Means = Literal["open", "not", ""]
"""What a state says of an order: it may go, it must not, or that is not known yet and asked."""


@dataclass(frozen=True, slots=True)
class Units:
    """How figures without a unit are meant, and words of states.

    ``decimal`` is the decimal sign where somebody has said it, ``days`` which figure of a day comes first (nothing
    where the column says it itself), ``states`` whether an order with a state may go (``open``) or not (``not``), by
    the state in small letters.
    """

    currency: str
    weight: str = "g"
    decimal: str = ""
    days: DayOrder = ""
    states: Mapping[str, Means] = field(default_factory=dict)


class TooLarge(ValueError):
    """An amount beyond what can be kept; the words say the limit."""


def is_shortened(text: str) -> bool:
    """Tell whether a spreadsheet has shortened a long number (``1.23E+12``), so that its last figures are lost."""
    return bool(_SHORTENED.fullmatch(text.strip()))


def decimal_sign(texts: Iterable[str]) -> str:
    """Return the decimal sign that prices of a file leave no doubt about; empty where they do."""
    signs = {match[1] for text in texts if (match := re.search(r"([.,])\d{1,2}$", text.strip()))}
    return signs.pop() if len(signs) == 1 else ""


@lru_cache(maxsize=16_384)
def currencies_in(text: str) -> frozenset[str] | None:
    """Return the currencies in which an amount can be by its code or sign, none where two differ; None without any."""
    found: frozenset[str] | None = None
    for mark in _MARKS.findall(text):
        codes = frozenset({mark.upper()}) if mark.upper() in CURRENCIES else SIGNS.get(mark.casefold())
        if codes is not None:
            found = codes if found is None else found & codes
    return found


def read_money(text: str, currency: str, decimal: str = "") -> int:
    """Return minor units for ``4.90``, ``4,90``, ``€ 1.204,50``, for yen ``1,204``; empty is 0.

    ``decimal`` says which sign parts the decimals; without it the later of both does.  Raises ValueError otherwise,
    also for more decimals than the currency has, and TooLarge beyond what can be kept.
    """
    digits = minor_digits(currency)
    plain = _WRITTEN_AROUND.sub("", text.replace(currency, ""))
    if not plain:
        return 0
    if re.fullmatch(r"\d+(\.\d+)?e[+-]\d{1,2}", plain, re.IGNORECASE):
        value = Decimal(plain)
    else:
        value = _decimal(_with_point(plain, digits, decimal), digits)
    if value * 10**digits > MOST_MINOR:
        raise TooLarge(f"more than {money_text(MOST_MINOR, currency)} cannot be kept")
    return minor_of(value.quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP), currency)


def _with_point(plain: str, digits: int, decimal: str) -> str:
    """Return a figure with a point for its decimals and no grouping."""
    comma, dot = plain.rfind(","), plain.rfind(".")
    if decimal:
        other = "," if decimal == "." else "."
        return plain.replace(other, "").replace(decimal, ".")
    if not digits and re.fullmatch(r"\d{1,3}([.,]\d{3})+", plain):
        return re.sub(r"[.,]", "", plain)  # where nothing is smaller than one, a mark before three digits groups them
    return plain.replace(".", "").replace(",", ".") if comma > dot else plain.replace(",", "")


def _decimal(plain: str, digits: int) -> Decimal:
    if not re.fullmatch(r"\d{1,15}(\.\d{1,20})?", plain):
        raise ValueError(plain)
    value = Decimal(plain)
    dust = abs(value - value.quantize(Decimal(1).scaleb(-max(digits, 0)), ROUND_HALF_UP))
    if dust > _BINARY_DUST or (dust > 0 and len(plain.partition(".")[2]) < 8):
        raise ValueError(plain)
    return value


def read_weight(text: str, unit: str = "g") -> int | None:
    """Return grams for ``250``, ``250 g``, ``0,25 kg``, ``1.5 lb``; None for empty.  Raises ValueError otherwise.

    ``unit`` is meant where none is written.  Pounds and ounces are rounded up to the gram; half a gram is refused.
    """
    plain = text.strip().lower()
    if not plain:
        return None
    grouped = re.fullmatch(r"(\d{1,3}(?:[.,]\d{3})+)\s*(g?)", plain)
    if grouped and (grouped[2] or unit == "g"):  # no scale weighs thousandths of a gram: the mark groups thousands
        plain = re.sub("[.,]", "", plain)
    plain = plain.replace(",", ".")
    match = re.fullmatch(r"(\d{1,7}(?:\.\d{1,20})?)\s*(g|kg|lbs?|oz)?", plain)
    if not match:
        raise ValueError(text)
    meant = (match[2] or unit).removesuffix("s")
    try:
        grams = Decimal(match[1]) * _GRAMS[meant]
    except InvalidOperation as error:
        raise ValueError(text) from error
    nearest = grams.quantize(Decimal(1), ROUND_HALF_UP)
    if abs(grams - nearest) <= _BINARY_DUST:
        grams = nearest
    if meant in {"lb", "oz"}:
        grams = grams.to_integral_value(ROUND_CEILING)
    if grams != grams.to_integral_value() or not 0 < grams <= 1_000_000:
        raise ValueError(text)
    return int(grams)
