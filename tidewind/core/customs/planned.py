"""The customs of an order as it is planned: its declaration, and what is missing, before any money moves."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace
from datetime import date

from tidewind.core.addresses.check import Address
from tidewind.core.customs.declaration import Declaration, Sold, declare, items_of
from tidewind.core.customs.duties import Estimate, Journey, estimate
from tidewind.core.customs.needs import Known, Need, fact_needs, needs_of, snags_of, way_needs
from tidewind.core.customs.said import DUTIES_PAID, NOTHING_SAID
from tidewind.core.customs.spreading import spread
from tidewind.core.customs.tables import CustomsBook
from tidewind.core.destinations import crosses_customs, customs_land
from tidewind.core.frozen import frozen
from tidewind.core.order_facts import OrderFacts, Shop
from tidewind.core.snags import Snag


@frozen
class Leaving:
    """What customs asks of a shop: where parcels leave from, its currency, its book, and the day."""

    origin: Address
    currency: str
    book: CustomsBook
    day: date


def leaving_of(shop: Shop) -> Leaving:
    """Return what customs asks of a shop."""
    return Leaving(shop.origin, shop.currency, shop.customs, shop.local.date())


@frozen
class Going:
    """By whom an order goes: carrier, as what the post takes it (nothing: no post), extras, gross weight, parcels."""

    carrier: str = ""
    post: str = ""
    extras: Collection[str] = ()
    gross_g: int = 0
    parcels: int = 1


@frozen
class Border:
    """One order at its border: what is declared, the way it goes, what is due, and what it needs."""

    declared: Declaration
    journey: Journey
    due: Estimate
    needs: tuple[Need, ...]


def crosses(order: OrderFacts, leaving: Leaving) -> bool:
    """Tell whether an order crosses a customs border; one without a country does not yet."""
    return bool(order.address.country) and crosses_customs(order.address, _start(order, leaving))


def _start(order: OrderFacts, leaving: Leaving) -> Address:
    return order.sender or leaving.origin


def _sold(order: OrderFacts) -> list[Sold]:
    return [
        Sold(
            id=ln.id,
            sku=ln.sku,
            name=ln.name,
            quantity=ln.quantity,
            weight_g=ln.weight_g or 0,
            price_minor=ln.value,
            worth_minor=ln.value,
            text=ln.customs_text,
            hs_code=ln.hs_code,
            origin=ln.origin,
            contents=ln.contents,
        )
        for ln in order.lines
    ]


def _declared(order: OrderFacts, leaving: Leaving, going: Going) -> Declaration:
    said, pays = order.hand.customs or NOTHING_SAID, DUTIES_PAID in going.extras
    currency = order.currency or leaving.currency
    return declare(_sold(order), currency, order.paid_shipping, going.gross_g, said, sender_pays=pays)


def missing_facts(order: OrderFacts, leaving: Leaving) -> list[Snag]:
    """Return what customs asks of the goods and nobody has said; nothing where no border is crossed."""
    said = order.hand.customs or NOTHING_SAID
    if not crosses(order, leaving) or said.purpose == "documents":
        return []
    return snags_of(fact_needs(items_of(_sold(order), said), leaving.book.brand))


def missing_on_the_way(order: OrderFacts, leaving: Leaving, going: Going) -> list[Snag]:
    """Return what is missing by the chosen service, beyond ``missing_facts``; what is due there plays no part in it."""
    if not crosses(order, leaving):
        return []
    declared, journey = _declared(order, leaving, going), _journey(order, leaving, going)
    return snags_of(way_needs(declared, journey, leaving.book.tables, _known(order, leaving)))


def border_of(order: OrderFacts, leaving: Leaving, going: Going) -> Border | None:
    """Return what an order meets at its border; None where it crosses none."""
    if not crosses(order, leaving):
        return None
    declared, journey, book = _declared(order, leaving, going), _journey(order, leaving, going), leaving.book
    due = estimate(declared, journey, book.tables, [kind for kind, number in book.numbers.items() if number])
    return Border(declared, journey, due, needs_of(declared, journey, book.tables, _known(order, leaving), due))


def _journey(order: OrderFacts, leaving: Leaving, going: Going) -> Journey:
    return Journey(
        customs_land(_start(order, leaving)),
        customs_land(order.address),
        leaving.day,
        going.carrier,
        going.post or "carrier",
        going.parcels,
    )


def _known(order: OrderFacts, leaving: Leaving) -> Known:
    said, book = order.hand.customs or NOTHING_SAID, leaving.book
    return Known(book.numbers, said.recipient_number, said.papers, book.brand)


def way_back(out: Border, pieces: Mapping[str, int], leaving: Leaving) -> Border:
    """Return the border on the way back of what was sent: the same goods at the value first declared, not sold again.

    ``pieces`` are how many of which SKU come back; none: all of it.  Returned goods are free of duty where they had
    left (Regulation (EU) 952/2013, article 203, and the like elsewhere), which the papers have to show.
    """
    items = []
    for item in out.declared.items:
        count = min(pieces.get(item.sku, 0), item.quantity) if pieces else item.quantity
        if count:
            shares = [count, item.quantity - count]
            value, net, gross = (spread(n, shares)[0] for n in (item.value_minor, item.net_g, item.gross_g))
            back = replace(item, quantity=count, value_minor=value, net_g=net, gross_g=gross, shipping_minor=0)
            items.append(back)
    declared = Declaration("return", sender_pays=False, currency=out.declared.currency, items=tuple(items))
    journey = replace(out.journey, leaves=out.journey.to, to=out.journey.leaves, day=leaving.day, parcels=1)
    due = estimate(declared, journey, leaving.book.tables)
    return Border(declared, journey, due, needs_of(declared, journey, leaving.book.tables, Known(), due))
