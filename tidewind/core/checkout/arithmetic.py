"""The arithmetic of an offer: price, per cent, amount, handling, price ending, floor and ceiling, in this order."""

from __future__ import annotations

from dataclasses import dataclass

from tidewind.core.checkout.offer import Adjusting
from tidewind.core.quantities import minor_digits, percent_of
from tidewind.core.tariffs.quote import percent_text


@dataclass(frozen=True, slots=True)
class PriceStep:
    """One step on the way to a price: what was done, in words, and the price after it, in minor units."""

    words: str
    price: int


def adjusted(price: int, how: Adjusting, parcels: int, items: int, currency: str) -> list[PriceStep]:
    """Return the steps from a price (minor units) to what is asked; none where nothing is done to it.

    Never below zero; the floor and the ceiling come last and may break the ending (shop policy).
    """
    steps: list[PriceStep] = []

    def then(words: str, after: int) -> int:
        if after != price or words.startswith("ending"):
            steps.append(PriceStep(words, max(after, 0)))
        return max(after, 0)

    if how.percent_bp:
        share = f"{percent_text(abs(how.percent_bp))} {'on top' if how.percent_bp > 0 else 'off'}"
        price = then(share, price + percent_of(price, how.percent_bp))
    if how.amount:
        price = then("added" if how.amount > 0 else "taken off", price + how.amount)
    handling = how.handling.order + how.handling.parcel * parcels + how.handling.item * items
    if handling:
        price = then("handling", price + handling)
    if how.ending is not None and price > 0:
        price = then(f"ending in {_digits(how.ending, currency)}", up_to_ending(price, how.ending, currency))
    if how.floor is not None and price < how.floor:
        price = then("at least", how.floor)
    if how.ceiling is not None and price > how.ceiling:
        price = then("at most", how.ceiling)
    return steps


def up_to_ending(price: int, ending: int, currency: str) -> int:
    """Return the least price that is not below this one and ends in these digits: 5.83 with .90 is 5.90, 5.91 is 6.90.

    The ending is in minor units below one whole.
    """
    return price + (ending - price) % whole_minor(currency)


def whole_minor(currency: str) -> int:
    """Return the minor units after which endings repeat: 1,000 in KWD, 100 in EUR and in JPY."""
    return int(10 ** (minor_digits(currency) or 2))


def vat_in(price: int, vat_bp: int) -> int:
    """Return the VAT that a price (minor units) holds, rounded half up: 1.09 of 5.83 at 23 %."""
    net = (2 * price * 10_000 + 10_000 + vat_bp) // (2 * (10_000 + vat_bp))
    return price - net


def _digits(ending: int, currency: str) -> str:
    digits = minor_digits(currency)
    return f".{ending:0{digits}}" if digits else f"{ending:02}"
