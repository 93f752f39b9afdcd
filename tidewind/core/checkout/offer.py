"""An offer: one line that a shopper sees at the checkout, how its price is made, and what it holds for."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from tidewind.core.checkout.reach import EVERYWHERE, Reach

Counts = Literal["before", "after"]
"""Whether a basket's value counts before or after its discounts."""
Shows = Literal["span", "day", "nothing"]


@dataclass(frozen=True, slots=True)
class Live:
    """What services really cost: the cheapest that takes the basket, or ``each`` by its own name."""

    services: tuple[str, ...]
    each: bool = False


@dataclass(frozen=True, slots=True)
class Flat:
    """Always the same, in minor units."""

    price: int


@dataclass(frozen=True, slots=True)
class ByTable:
    """By a rate table."""

    table: str


@dataclass(frozen=True, slots=True)
class PerItem:
    """So much for the first piece, and so much for each further one, in minor units."""

    first: int
    further: int


@dataclass(frozen=True, slots=True)
class PerKilogram:
    """So much to begin with, and so much for each kilogram that is begun, in minor units."""

    base: int
    kilogram: int


Price = Live | Flat | ByTable | PerItem | PerKilogram


@dataclass(frozen=True, slots=True)
class Free:
    """Free from a value of the basket on, which itself is free; ``counts`` before or after discounts."""

    from_value: int
    counts: Counts = "before"


@dataclass(frozen=True, slots=True)
class Handling:
    """Added per order, per parcel, per piece, in minor units."""

    order: int = 0
    parcel: int = 0
    item: int = 0


@dataclass(frozen=True, slots=True)
class Adjusting:
    """What is done to a price, in this order: per cent, amount, handling, price ending, floor and ceiling.

    Basis points and minor units; ``ending`` are the last digits that a price is rounded up to.
    """

    percent_bp: int = 0
    amount: int = 0
    handling: Handling = Handling()
    ending: int | None = None
    floor: int | None = None
    ceiling: int | None = None


@dataclass(frozen=True, slots=True)
class Fallback:
    """What is asked where no service could be asked for its price, at home and abroad; None: nothing is offered."""

    home: int | None = None
    abroad: int | None = None


@dataclass(frozen=True, slots=True)
class Limits:
    """Which baskets an offer is for: gross grams, minor units, pieces (from and to, both included), SKUs and tags.

    ``skus`` and ``tags``: every line has one of them; ``not_skus`` and ``not_tags``: no line has any.
    """

    weight_g: tuple[int | None, int | None] = (None, None)
    value: tuple[int | None, int | None] = (None, None)
    items: tuple[int | None, int | None] = (None, None)
    skus: frozenset[str] = frozenset()
    not_skus: frozenset[str] = frozenset()
    tags: frozenset[str] = frozenset()
    not_tags: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Times:
    """On which days of the week (Monday is 0; none: all) and between which times of the shop's clock it is open."""

    days: frozenset[int] = frozenset()
    start: str = "00:00"
    until: str = "24:00"

    def hold(self, local: datetime) -> bool:
        """Tell whether it is open at a moment in the shop's zone."""
        return (not self.days or local.weekday() in self.days) and self.start <= f"{local:%H:%M}" < self.until


@dataclass(frozen=True, slots=True)
class Offer:
    """One line at the checkout; ``names`` by language, the first is the usual one; off, it keeps all that was typed.

    ``takes``: services of which at least one must take the basket, though the price is another (they say when it
    arrives, too); none: anything goes.  ``groups`` are the prices of customer groups, in minor units.
    ``places``: parcels must leave from one of these for it, by name; none: from anywhere.
    """

    code: str
    names: tuple[tuple[str, str], ...]
    price: Price
    on: bool = True
    adjusting: Adjusting = Adjusting()
    free: Free | None = None
    fallback: Fallback = Fallback()
    reach: Reach = EVERYWHERE
    limits: Limits = Limits()
    channels: frozenset[str] = frozenset()
    places: frozenset[str] = frozenset()
    times: Times = Times()
    takes: tuple[str, ...] = ()
    groups: tuple[tuple[str, int], ...] = ()
    shows: Shows = "span"
    packing_days: int = 0

    @property
    def services(self) -> tuple[str, ...]:
        """The services that it asks for a price or for a day."""
        return self.price.services if isinstance(self.price, Live) else self.takes

    def name_in(self, language: str) -> str:
        """Return its name in a language, else in the usual one."""
        found = dict(self.names)
        return found.get(language) or found.get(language.partition("-")[0]) or self.names[0][1]
