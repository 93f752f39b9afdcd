"""What the orders of the last weeks would have paid by other offers, against what sending them really cost.

Two assumptions, said wherever the figures are shown: each buyer takes the first offer that is had, and what a service
would have cost is what the one that was bought really did.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from tidewind.core.checkout.answering import Basket, PackedBasket, ServicePrice, answer
from tidewind.core.checkout.arithmetic import vat_in
from tidewind.core.checkout.offer import Flat, Offer
from tidewind.core.checkout.written import Checkout


@dataclass(frozen=True, slots=True)
class SentOrder:
    """An order that was sent: its basket, how it was packed, what it cost and what its buyer paid, in minor units.

    ``exported``: it left the customs territory, and was sold without VAT.
    """

    number: str
    basket: Basket
    gross_g: int
    volume_cm3: int
    parcels: int
    abroad: bool
    cost: int
    paid: int
    exported: bool = False


@dataclass(slots=True)
class ByOffer:
    """What the orders of one offer would have paid, and what they cost."""

    name: str
    orders: int = 0
    paid: int = 0
    cost: int = 0


@dataclass(slots=True)
class CheckoutRehearsal:
    """Sums over all orders: what they really paid and cost, what they would pay, and which get no offer at all.

    All without VAT, since costs are.
    """

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


@dataclass(frozen=True, slots=True)
class _Taken:
    """What an order would have taken: the first offer that it gets and its price; ``order`` is what it was."""

    order: SentOrder
    code: str
    name: str
    price: int


def _taken(checkout: Checkout, orders: Sequence[SentOrder], currency: str) -> tuple[list[_Taken], list[str]]:
    """Return what each order takes, and the numbers of those that get no offer."""
    tables, taken, without = checkout.by_code, [], []
    services = {code for offer in checkout.offers for code in offer.services}
    for order in orders:
        known = {code: ServicePrice(code, code, order.cost) for code in services}
        packed = PackedBasket("", order.parcels, order.gross_g, order.volume_cm3, order.abroad, known)
        vat_bp = _vat_bp(checkout, order)
        found = answer(checkout.offers, tables, order.basket, packed, currency, vat_bp=vat_bp).offered
        if found:
            price = found[0].price - found[0].vat
            taken.append(_Taken(order, found[0].code.partition(":")[0], found[0].name, price))
        else:
            without.append(order.number)
    return taken, without


def _vat_bp(checkout: Checkout, order: SentOrder) -> int:
    return 0 if order.exported else checkout.vat_bp


def rehearse_checkout(checkout: Checkout, orders: Sequence[SentOrder], currency: str) -> CheckoutRehearsal:
    """Return what orders would have paid by these offers; one without an offer is counted, and pays nothing."""
    taken, without = _taken(checkout, orders, currency)
    paid = sum(o.paid - vat_in(o.paid, _vat_bp(checkout, o)) for o in orders)
    made = CheckoutRehearsal(len(orders), paid, sum(o.cost for o in orders), without=without)
    for one in taken:
        mine = made.offers.setdefault(one.code, ByOffer(one.name))
        mine.orders, mine.paid, mine.cost = mine.orders + 1, mine.paid + one.price, mine.cost + one.order.cost
        made.would_pay += one.price
    return made


Turn = Literal["free", "percent", "flat"]
"""What of an offer is turned: from which value on it is free, the percentage on its price, or its one price."""


@dataclass(frozen=True, slots=True)
class AtValue:
    """The margin over all orders, were an offer turned to a value (minor units, basis points); how many go free."""

    value: int
    margin: int
    free: int


def curve_of(
    checkout: Checkout,
    code: str,
    orders: Sequence[SentOrder],
    currency: str,
    values: Sequence[int],
    turn: Turn = "free",
    rising_bp: int = 0,
    reaches_bp: int = 2_000,
) -> list[AtValue]:
    """Return the margin at each value to which an offer could be turned.

    For ``free``, ``rising_bp`` of the baskets that are below a threshold by at most ``reaches_bp`` of it are taken to
    rise to it: the one assumption about people, 0 at first.  A basket that rises goes free and costs what it did.
    """
    if turn == "free":
        return _by_threshold(checkout, code, orders, currency, values, rising_bp, reaches_bp)
    points = []
    for value in values:
        turned = tuple(_turned(one, turn, value) if one.code == code else one for one in checkout.offers)
        made = rehearse_checkout(replace(checkout, offers=turned), orders, currency)
        points.append(AtValue(value, made.margin, 0))
    return points


def _turned(offer: Offer, turn: Turn, value: int) -> Offer:
    if turn == "flat":
        return replace(offer, price=Flat(value))
    return replace(offer, adjusting=replace(offer.adjusting, percent_bp=value))


def _by_threshold(
    checkout: Checkout,
    code: str,
    orders: Sequence[SentOrder],
    currency: str,
    thresholds: Sequence[int],
    rising_bp: int,
    reaches_bp: int,
) -> list[AtValue]:
    # Whether an offer is had does not depend on whether it is free, so each order is asked once for all thresholds.
    offer = next(one for one in checkout.offers if one.code == code)
    dear = tuple(replace(one, free=None) if one.code == code else one for one in checkout.offers)
    taken, _ = _taken(replace(checkout, offers=dear), orders, currency)
    mine = [(_worth(one.order, offer), one.price) for one in taken if one.code == code]
    others = sum(one.price for one in taken if one.code != code) - sum(order.cost for order in orders)
    points = []
    for value in thresholds:
        paid = sum(price for worth, price in mine if worth < value)
        near = sum(price for worth, price in mine if value - value * reaches_bp // 10_000 <= worth < value)
        free = sum(worth >= value for worth, _ in mine)
        points.append(AtValue(value, others + paid - near * rising_bp // 10_000, free))
    return points


def _worth(order: SentOrder, offer: Offer) -> int:
    return order.basket.value(offer.free.counts if offer.free else "before")


def proposed(curve: Sequence[AtValue], margin_now: int) -> AtValue | None:
    """Return the lowest value at which the margin is not worse than it is now; None where none is."""
    return next((point for point in sorted(curve, key=lambda p: p.value) if point.margin >= margin_now), None)
