"""Until when what the checkout goes by holds, as far as the clock alone decides it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from tidewind.core.calendar import good_until
from tidewind.core.checkout.offer import Offer
from tidewind.core.order_facts import Shop
from tidewind.core.ship_days import timetable_of

LONGEST = timedelta(minutes=5)
"""After so long everything is read again in any case (shop policy)."""


def holds_until(shop: Shop, offers: Iterable[Offer]) -> datetime:
    """Return the next moment (aware) at which a day, a cut-off, an offer's hours or a rule turns."""
    local = shop.local
    hours = {at for offer in offers for at in (offer.times.start, offer.times.until)} - {"24:00"}
    turns = (datetime.combine(local.date(), time.fromisoformat(at), shop.time_zone) for at in {*hours, *shop.turns})
    every = (*turns, _midnight(local, shop.time_zone), *_cutoffs(shop))
    return min([shop.now + LONGEST, *(moment for moment in every if moment > shop.now)])


def _midnight(local: datetime, zone: ZoneInfo) -> datetime:
    return datetime.combine(local.date() + timedelta(days=1), time(), zone)


def _cutoffs(shop: Shop) -> Iterator[datetime]:
    """Yield when each truck of today has left, and when its day ends where it starts."""
    for carrier in shop.carriers:
        zone = ZoneInfo(carrier.own.card.time_zone)
        here = shop.now.astimezone(zone)
        yield _midnight(here, zone)
        for network in carrier.own.card.networks:
            timetable = timetable_of(carrier, network.id, shop.origin, shop.closed)
            yield good_until(here.date(), timetable) + timedelta(microseconds=1)
