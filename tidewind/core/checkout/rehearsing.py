"""What the orders of the last weeks would have paid by other offers, against what sending them really cost.

Two assumptions, said wherever the figures are shown: each buyer takes the first offer that is had, and what a service
would have cost is what the one that was bought really did.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from tidewind.core.checkout.answering import Basket, PackedBasket, ServicePrice, answer
from tidewind.core.checkout.offer import Free, Offer
from tidewind.core.checkout.tables import RateTable
from tidewind.core.checkout.written import Checkout


@dataclass(frozen=True, slots=True)
class SentOrder:
    """An order that was sent: its basket, how it was packed, what it cost and what its buyer paid, in minor units."""

    number: str
    basket: Basket
    gross_g: int
    volume_cm3: int
    parcels: int
    abroad: bool
    cost: int
    paid: int


@dataclass(slots=True)
class ByOffer:
    """What the orders of one offer would have paid, and what they cost."""

    name: str
    orders: int = 0
    paid: int = 0
    cost: int = 0


@dataclass(slots=True)
class CheckoutRehearsal:
    """Sums over all orders: what they really paid and cost, what they would pay, and which get no offer at all."""

    orders: int = 0
    really_paid: int = 0
    cost: int = 0
    would_pay: int = 0
    offers: dict[str, ByOffer] = field(default_factory=dict)
    without: list[str] = field(default_factory=list)

    @property
    def margin(self) -> int:
        """What would be left of what buyers pay; below zero the shop adds."""
        return self.would_pay - self.cost


def rehearse_checkout(checkout: Checkout, orders: Sequence[SentOrder], currency: str) -> CheckoutRehearsal:
    """Return what orders would have paid by these offers; one without an offer is counted, and pays nothing."""
    return _rehearsed(checkout.offers, checkout.by_code, orders, currency)


def _rehearsed(
    offers: Sequence[Offer], tables: Mapping[str, RateTable], orders: Sequence[SentOrder], currency: str
) -> CheckoutRehearsal:
    made = CheckoutRehearsal()
    services = {code for offer in offers for code in offer.services}
    for order in orders:
        made.orders += 1
        made.really_paid += order.paid
        made.cost += order.cost
        known = {code: ServicePrice(code, code, order.cost) for code in services}
        packed = PackedBasket("", order.parcels, order.gross_g, order.volume_cm3, order.abroad, known)
        found = answer(offers, tables, order.basket, packed, currency).offered
        if not found:
            made.without.append(order.number)
            continue
        made.would_pay += found[0].price
        mine = made.offers.setdefault(found[0].code.partition(":")[0], ByOffer(found[0].name))
        mine.orders += 1
        mine.paid += found[0].price
        mine.cost += order.cost
    return made


@dataclass(frozen=True, slots=True)
class AtThreshold:
    """The margin over all orders, were an offer free from a value on (minor units), and how many would go free."""

    from_value: int
    margin: int
    free: int


def threshold_curve(
    checkout: Checkout,
    code: str,
    orders: Sequence[SentOrder],
    currency: str,
    thresholds: Sequence[int],
    rising_bp: int = 0,
    reaches_bp: int = 2_000,
) -> list[AtThreshold]:
    """Return the margin at each threshold from which an offer would be free.

    ``rising_bp`` of the baskets that are below a threshold by at most ``reaches_bp`` of it are taken to rise to it:
    the one assumption about people, 0 at first.  A basket that rises goes free and costs what it did.
    """
    points = []
    for value in thresholds:
        offers = [_free_from(offer, value) if offer.code == code else offer for offer in checkout.offers]
        made = _rehearsed(offers, checkout.by_code, orders, currency)
        mine = next(offer for offer in offers if offer.code == code)
        near = [o for o in orders if value - value * reaches_bp // 10_000 <= _worth(o, mine) < value]
        rising = _rehearsed(offers, checkout.by_code, near, currency)
        lost = (rising.offers[code].paid if code in rising.offers else 0) * rising_bp // 10_000
        free = sum(_worth(order, mine) >= value for order in orders)
        points.append(AtThreshold(value, made.margin - lost, free))
    return points


def _free_from(offer: Offer, value: int) -> Offer:
    return replace(offer, free=Free(value, offer.free.counts if offer.free else "before"))


def _worth(order: SentOrder, offer: Offer) -> int:
    return order.basket.value(offer.free.counts if offer.free else "before")


def proposed_threshold(curve: Sequence[AtThreshold], margin_now: int) -> AtThreshold | None:
    """Return the lowest threshold at which the margin is not worse than it is now; None where none is."""
    return next((point for point in sorted(curve, key=lambda p: p.from_value) if point.margin >= margin_now), None)
