"""A carrier's rate card as values: zones, services, steps, surcharges, extras, fuel and tax.

Money in minor units of the card's currency, weight in grams, length in millimetres, rates in basis points.
The written form is described in docs/rate-card.md.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, time
from typing import Literal

from tidewind.core.calendar import Transit
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.quantities import Size

PricingKind = Literal["weight", "volume_tiers", "one_price", "size_classes", "live"]
AmountKind = Literal["fixed", "percent", "per_kg", "per_value_step"]
Post = Literal["", "letter", "parcel"]
"""As what the post takes it, which decides its customs forms; nothing for other carriers."""
Tracking = Literal["none", "delivery_only", "every_step"]


@dataclass(frozen=True, slots=True)
class Region:
    """Countries (``*`` for any), narrowed by states or provinces and by postcode ranges or prefixes; excluding wins."""

    countries: tuple[str, ...]
    postcodes: tuple[str, ...] = ()
    not_postcodes: tuple[str, ...] = ()
    regions: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Zone:
    """A destination zone; zones are tried from the top, the first that matches counts.

    ``origins`` names the origin areas it holds for (none: all of them); ``taxed`` whether transport there bears tax.
    """

    id: str
    name: str
    regions: tuple[Region, ...]
    origins: tuple[str, ...] = ()
    taxed: bool = True


@dataclass(frozen=True, slots=True)
class Origin:
    """An area that parcels leave from; the first that matches counts."""

    id: str
    name: str
    regions: tuple[Region, ...]


@dataclass(frozen=True, slots=True)
class Steps:
    """Prices of one zone: ``(up to this many units, price)`` rising, then a tail per started ``tail_unit``."""

    bounds: tuple[int, ...]
    prices: tuple[int, ...]
    tail_unit: int = 0
    tail_price: int = 0


@dataclass(frozen=True, slots=True)
class SizeClass:
    """A class of parcels by sorted sides and weight, with its price per zone."""

    code: str
    sides: Size
    max_gross_g: int
    prices: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Volumetric:
    """Volumetric weight: cm³ per kilogram, counted only above the threshold; sides rounded up to ``side_step_mm``."""

    divisor: int
    threshold_cm3: int = 0
    side_step_mm: int = 1


@dataclass(frozen=True, slots=True)
class Limits:
    """What a service takes: at most per parcel, sides at least, and parcels per shipment; ``None`` means no limit."""

    gross_g: int | None = None
    sides: Size | None = None
    girth_mm: int | None = None
    value: int | None = None
    least_sides: Size | None = None
    parcels: int | None = None
    refused_contents: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class When:
    """A surcharge's condition; every part that is set must hold."""

    home: bool | None = None
    longest_over_mm: int | None = None
    middle_over_mm: int | None = None
    girth_over_mm: int | None = None
    gross_over_g: int | None = None
    volume_over_cm3: int | None = None
    value_over: int | None = None
    parcels_over: int | None = None
    not_stackable: bool | None = None
    contents: frozenset[str] = frozenset()
    zones: frozenset[str] = frozenset()
    places: tuple[Region, ...] = ()
    weekdays: frozenset[int] = frozenset()
    ship_from: date | None = None
    ship_until: date | None = None


@dataclass(frozen=True, slots=True)
class Amount:
    """How much: a fixed sum, basis points, per started kg, or per started step of value above what is included.

    ``of`` names what a percentage is taken of: ``base`` (after discount), ``list`` (before it), surcharges by code.
    """

    kind: AmountKind
    figure: int
    step: int = 0
    included: int = 0
    of: tuple[str, ...] = ("base",)
    minimum: int | None = None
    cap: int | None = None


@dataclass(frozen=True, slots=True)
class Surcharge:
    """A line added by condition (surcharge) or on request (extra)."""

    code: str
    name: str
    amount: Amount
    when: When = When()
    per_shipment: bool = False
    group: str | None = None
    carries_fuel: bool = False
    taxable: bool = True
    saturday: bool = False

    @property
    def once(self) -> bool:
        """Whether it is asked once for the shipment: said so, or reckoned from the value, which is the shipment's."""
        return self.per_shipment or self.amount.kind == "per_value_step"


@dataclass(frozen=True, slots=True)
class Service:
    """One service of a carrier.

    A ``live`` one has no prices on the card: the carrier is asked.  ``to_point``: the recipient's locker or shop must
    be known.  ``weighed_together``: the base is that of all parcels' billable weights added up.  ``minimum_charge``:
    the net base after discount is never less.  ``returns``: a label for the way
    back can be had, and is charged when it is first scanned.  ``zone_limits`` narrow ``limits`` where one zone takes
    less.
    """

    code: str
    name: str
    network: str
    kind: PricingKind
    transit: Mapping[str, Transit]
    steps: Mapping[str, Steps]
    classes: tuple[SizeClass, ...] = ()
    packaging: str | None = None
    max_g_per_tier: tuple[int, ...] = ()
    volumetric: Volumetric | None = None
    round_up_g: int = 1
    minimum_g: int = 0
    limits: Limits = Limits()
    surcharges: tuple[str, ...] = ()
    extras: tuple[str, ...] = ()
    included: tuple[str, ...] = ()
    tracked: bool = True
    home_delivery: bool = True
    to_point: bool = False
    zone_limits: Mapping[str, Limits] = field(default_factory=dict)
    minimum_charge: int = 0
    weighed_together: bool = False
    fuel: bool = True
    by_time: time | None = None
    tracking: Tracking = "every_step"
    handover: tuple[str, ...] = ("pickup", "drop_off")
    duties_paid: bool = False
    approval: str = ""
    ahead_days: int = 7
    returns: bool = False
    post: Post = ""
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Network:
    """A truck of its own: name, cut-off in the carrier's zone, and its rules for pickups (none: it never comes)."""

    id: str
    name: str
    cutoff: time
    pickup: PickupRules | None = None


@dataclass(frozen=True, slots=True)
class RateCard:
    """A carrier's prices from one day on; and how long labels can be voided, and a refund usually takes, in days."""

    carrier: str
    currency: str
    valid_from: date
    valid_until: date | None
    time_zone: str
    country: str
    priced_by_ship_date: bool
    tax_bp: int
    tax_name: str
    fuel: tuple[tuple[date, int], ...]
    networks: tuple[Network, ...]
    zones: tuple[Zone, ...]
    surcharges: tuple[Surcharge, ...]
    extras: tuple[Surcharge, ...]
    services: tuple[Service, ...]
    origins: tuple[Origin, ...] = ()
    void_within_days: int = 28
    refund_within_days: int = 14
    note: str = ""


def card_in_force(cards: tuple[RateCard, ...], bought_on: date, ship_date: date) -> RateCard | None:
    """Return the card that prices a label bought on one day and shipped on another, or None.

    By the ship date where the card says the carrier prices so, else by the day of purchase (card setting).
    """
    for card in sorted(cards, key=lambda c: c.valid_from, reverse=True):
        day = ship_date if card.priced_by_ship_date else bought_on
        if card.valid_from <= day and (card.valid_until is None or day <= card.valid_until):
            return card
    return None


def day_kind(card: RateCard, on: date) -> tuple[object, ...]:
    """Return what of a card depends on the day it prices: two days of one kind have the same prices.

    The fuel percentage in force, and which of the surcharges and extras with a season or weekdays may be asked.
    """
    fuel = max((pair for pair in card.fuel if pair[0] <= on), default=None)
    dated = [s.when for s in (*card.surcharges, *card.extras)]
    return (fuel, *(_holds_on(when, on) for when in dated if when.weekdays or when.ship_from or when.ship_until))


def _holds_on(when: When, on: date) -> bool:
    return (
        (not when.weekdays or on.weekday() in when.weekdays)
        and (when.ship_from is None or when.ship_from <= on)
        and (when.ship_until is None or on <= when.ship_until)
    )
