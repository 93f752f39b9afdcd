"""What is wrong between the parts of a rate card: names that point nowhere, zones that overlap, circles, gaps."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import date
from itertools import combinations
from zoneinfo import available_timezones

import pycountry

from tidewind.core.tariffs.amounts import in_order_of_need
from tidewind.core.tariffs.card import RateCard, Region, Service, Surcharge, Zone
from tidewind.core.tariffs.zones import bounds_of

_END = "\uffff"
_SUMS = frozenset({"base", "list"})


def faults_of(card: RateCard) -> list[str]:
    """Return everything that makes a card unusable, in words; an empty list for a good one."""
    return [
        *_of_the_head(card),
        *_twice(card),
        *_of_zones(card),
        *(fault for service in card.services for fault in _of_service(card, service)),
        *_of_surcharges(card),
        *(f"zone {z} is priced by no service" for z in sorted({z.id for z in card.zones} - _priced(card))),
    ]


def clash(card: RateCard, valid: Iterable[tuple[date, date | None]]) -> str | None:
    """Return why a card cannot stand beside versions valid from and until these days, or None.

    A version without an end gives way on the day the next begins; two that say they hold on the same day do not.
    """
    for start, end in valid:
        if start == card.valid_from:
            return f"another version is valid from {start:%d %b %Y} already"
        if start < card.valid_from and end is not None and end >= card.valid_from:
            return f"the version from {start:%d %b %Y} says that it is valid until {end:%d %b %Y}"
        if start > card.valid_from and card.valid_until is not None and card.valid_until >= start:
            return f"a version that begins on {start:%d %b %Y} lies inside these dates"
    return None


def _of_the_head(card: RateCard) -> Iterator[str]:
    if pycountry.currencies.get(alpha_3=card.currency) is None:
        yield f"currency: {card.currency} is not a currency of ISO 4217"
    if pycountry.countries.get(alpha_2=card.country) is None:
        yield f"country: {card.country} is not a country of ISO 3166"
    if card.time_zone not in available_timezones():
        yield f"time_zone: {card.time_zone} is not a time zone"
    if card.valid_until and card.valid_until < card.valid_from:
        yield "valid_until: lies before valid_from"
    days = [day for day, _ in card.fuel]
    if days != sorted(set(days)):
        yield "fuel: the dates must rise"


def _twice(card: RateCard) -> Iterator[str]:
    for what, codes in (
        ("zone", [z.id for z in card.zones]),
        ("origin", [o.id for o in card.origins]),
        ("network", [n.id for n in card.networks]),
        ("service", [s.code for s in card.services]),
        ("surcharge or extra", [s.code for s in (*card.surcharges, *card.extras)]),
    ):
        yield from (f"{what} {code} stands twice" for code in sorted({c for c in codes if codes.count(c) > 1}))


def _of_zones(card: RateCard) -> Iterator[str]:
    origins = {o.id for o in card.origins}
    for zone in card.zones:
        yield from (f"zone {zone.id}: no such origin {o}" for o in sorted(set(zone.origins) - origins))
    for upper, lower in combinations(card.zones, 2):
        if upper.origins and lower.origins and not set(upper.origins) & set(lower.origins):
            continue
        yield from _overlaps(upper, lower)


def _overlaps(upper: Zone, lower: Zone) -> Iterator[str]:
    """Where two zones take the same postcodes: a narrower one above a wider is meant, anything else is not."""
    for a in upper.regions:
        for b in lower.regions:
            shared = sorted(set(b.countries) if "*" in a.countries else set(a.countries) & set(b.countries))
            if not shared or a.regions or b.regions:
                continue
            if not a.postcodes and not a.not_postcodes:
                yield f"zone {lower.id} can never be reached for {shared[0]}: zone {upper.id} above it takes all of it"
            for one, other in _crossing(a, b):
                yield f"postcodes {one} of zone {upper.id} and {other} of zone {lower.id} overlap in {shared[0]}"


def _crossing(a: Region, b: Region) -> Iterator[tuple[str, str]]:
    excluded = set(a.not_postcodes) | set(b.not_postcodes)
    for one in a.postcodes:
        low, high = bounds_of(one)
        for other in b.postcodes:
            least, most = bounds_of(other)
            if low > most + _END or least > high + _END or one in excluded or other in excluded:
                continue
            inside = least <= low and high + _END <= most + _END
            if not inside or (low, high) == (least, most):
                yield one, other


def _priced(card: RateCard) -> set[str]:
    return {zone for service in card.services for zone in _zones_of(service)}


def _zones_of(service: Service) -> set[str]:
    """The zones a service has prices to; where the carrier is asked, those it goes to."""
    if service.kind == "live":
        return set(service.transit)
    return set(service.steps) | {zone for c in service.classes for zone in c.prices}


def _of_service(card: RateCard, service: Service) -> Iterator[str]:
    zones, where = {z.id for z in card.zones}, f"service {service.code}"
    priced = _zones_of(service)
    named = priced | set(service.transit) | set(service.zone_limits)
    yield from (f"{where}: zone {z} is not on the card" for z in sorted(named - zones))
    yield from (f"{where}: zone {z} has a price but no transit days" for z in sorted(priced - set(service.transit)))
    yield from (f"{where}: zone {z} has transit days but no price" for z in sorted(set(service.transit) - priced))
    for size_class in service.classes:
        gaps = sorted(priced - set(size_class.prices))
        yield from (f"{where}: size {size_class.code} has no price to zone {z}" for z in gaps)
    surcharges, extras = {s.code for s in card.surcharges}, {s.code for s in card.extras}
    yield from (f"{where}: no such surcharge {c}" for c in sorted(set(service.surcharges) - surcharges))
    offered = set(service.extras) | set(service.included)
    yield from (f"{where}: no such extra {c}" for c in sorted(offered - extras))
    if service.network not in {n.id for n in card.networks}:
        yield f"{where}: no such network {service.network}"
    if service.kind == "volume_tiers" and any(
        len(service.max_g_per_tier) != len(s.bounds) for s in service.steps.values()
    ):
        yield f"{where}: max_g needs a figure for each tier"
    if service.kind in {"weight", "volume_tiers"} and any(not s.bounds for s in service.steps.values()):
        yield f"{where}: there are prices but no steps"
    if service.kind == "size_classes" and not service.classes:
        yield f"{where}: there are no size classes"
    yield from _falling(where, service)
    if service.volumetric and not (service.volumetric.divisor and service.volumetric.side_step_mm):
        yield f"{where}: a divisor or a step of 0 cannot be"


def _falling(where: str, service: Service) -> Iterator[str]:
    """Size classes stand from small to large, so that the first that fits is the right one."""
    for smaller, larger in zip(service.classes, service.classes[1:], strict=False):
        if not smaller.sides.fits(larger.sides) or smaller.max_gross_g > larger.max_gross_g:
            yield f"{where}: size {larger.code} stands after {smaller.code} and takes less"


def _of_surcharges(card: RateCard) -> Iterator[str]:
    zones = {z.id for z in card.zones}
    everything: Sequence[Surcharge] = (*card.surcharges, *card.extras)
    known = {s.code: s for s in card.surcharges}
    for surcharge in everything:
        where = f"surcharge {surcharge.code}"
        yield from (f"{where}: zone {z} is not on the card" for z in sorted(surcharge.when.zones - zones))
        amount = surcharge.amount
        if amount.minimum is not None and amount.cap is not None and amount.minimum > amount.cap:
            yield f"{where}: at least {amount.minimum} and at most {amount.cap} cannot both be"
        if amount.kind != "percent":
            continue
        for name in sorted(set(amount.of) - _SUMS):
            if name not in known:
                yield f"{where}: a percentage of {name}, which is not a surcharge of the card"
            elif known[name].group:
                yield f"{where}: a percentage of {name}, which its group may leave out"
    try:
        in_order_of_need(card.surcharges)
    except ValueError as circle:
        yield f"surcharges: each is a percentage of the next in a circle: {circle}"
