"""What customs is told: for each item what it is, of which value, weight, code and origin; the sums are the invoice's.

The price of shipping is spread over the items by their value, the packaging's weight by theirs (``spread``).  A line
that costs the buyer nothing is declared with what the product is worth: customs asks for the value, not the price.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from tidewind.core.customs.said import NOTHING_SAID, CustomsSaid, ItemSaid, Purpose
from tidewind.core.customs.spreading import spread
from tidewind.core.frozen import frozen

_AS_SOLD = ItemSaid()


@frozen
class Sold:
    """One line as it was sold: pieces, net weight of one in g, what one costs and is worth in minor units."""

    id: str
    sku: str
    name: str
    quantity: int
    weight_g: int
    price_minor: int
    worth_minor: int = 0
    text: str = ""
    hs_code: str = ""
    origin: str = ""
    contents: frozenset[str] = frozenset()


@frozen
class Item:
    """One item of a declaration; value, shipping and weights are of all its pieces together."""

    line: str
    sku: str
    name: str
    text: str
    quantity: int
    value_minor: int
    shipping_minor: int
    net_g: int
    gross_g: int
    hs_code: str
    origin: str
    contents: frozenset[str] = frozenset()
    free: bool = False
    said: bool = False


@frozen
class Declaration:
    """All of it: why it goes, whether the sender pays the duties, its items and their currency."""

    purpose: Purpose
    sender_pays: bool
    currency: str
    items: tuple[Item, ...]

    @property
    def goods_minor(self) -> int:
        """What the goods are worth."""
        return sum(item.value_minor for item in self.items)

    @property
    def shipping_minor(self) -> int:
        """What their transport costs the buyer."""
        return sum(item.shipping_minor for item in self.items)

    @property
    def total_minor(self) -> int:
        """The invoice's total."""
        return self.goods_minor + self.shipping_minor

    @property
    def net_g(self) -> int:
        """The weight of the goods alone."""
        return sum(item.net_g for item in self.items)

    @property
    def gross_g(self) -> int:
        """The weight with what they are packed in."""
        return sum(item.gross_g for item in self.items)

    @property
    def contents(self) -> frozenset[str]:
        """What the goods hold that carriers and customs ask about."""
        return frozenset().union(*(item.contents for item in self.items))


def declare(
    lines: Sequence[Sold],
    currency: str,
    shipping_minor: int,
    gross_g: int,
    said: CustomsSaid = NOTHING_SAID,
    *,
    sender_pays: bool = False,
) -> Declaration:
    """Return the declaration of what is sent; lines of which nothing goes are left out.

    ``shipping_minor`` is what the buyer pays for transport, ``gross_g`` the weight of all parcels (never taken for
    less than the goods weigh).
    """
    items = items_of(lines, said)
    if not items:
        return Declaration(said.purpose, sender_pays, currency, ())
    packed_g = max(0, gross_g - sum(item.net_g for item in items))
    shares = spread(shipping_minor, [item.value_minor for item in items])
    wraps = spread(packed_g, [item.net_g for item in items])
    done = (
        replace(item, shipping_minor=share, gross_g=item.net_g + wrap)
        for item, share, wrap in zip(items, shares, wraps, strict=True)
    )
    return Declaration(said.purpose, sender_pays, currency, tuple(done))


def items_of(lines: Sequence[Sold], said: CustomsSaid = NOTHING_SAID) -> list[Item]:
    """Return what is sent as items that have no share of shipping and packaging yet."""
    return [_item(line, said.items.get(line.id, _AS_SOLD)) for line in lines if line.quantity > 0]


def _item(line: Sold, own: ItemSaid) -> Item:
    worth = line.price_minor or line.worth_minor
    each = own.value_minor if own.value_minor is not None else worth
    return Item(
        line=line.id,
        sku=line.sku,
        name=line.name,
        text=own.text or line.text,
        quantity=line.quantity,
        value_minor=each * line.quantity,
        shipping_minor=0,
        net_g=line.weight_g * line.quantity,
        gross_g=0,
        hs_code=own.hs_code or line.hs_code,
        origin=own.origin or line.origin,
        contents=line.contents,
        free=line.price_minor == 0,
        said=own != _AS_SOLD,
    )


def by_parcel(whole: Declaration, parcels: Sequence[Mapping[str, int]], gross_g: Sequence[int]) -> list[Declaration]:
    """Return a declaration for each parcel, by how many pieces of which line are in it; their sums are the whole's.

    Where an item lies in several parcels, its value and shipping go with its pieces.  Each parcel has its own gross
    weight.  Pieces that no parcel names are declared with the first.
    """
    if len(parcels) < 2:
        return [whole]
    shared: list[list[Item]] = [[] for _ in parcels]
    for item in whole.items:
        pieces = [parcel.get(item.line, 0) for parcel in parcels]
        pieces[0] += item.quantity - sum(pieces)
        parts = [spread(amount, pieces) for amount in (item.value_minor, item.shipping_minor, item.net_g)]
        for n, count in enumerate(pieces):
            if count > 0:
                value, shipping, net = (part[n] for part in parts)
                here = replace(item, quantity=count, value_minor=value, shipping_minor=shipping, net_g=net, gross_g=net)
                shared[n].append(here)
    return [replace(whole, items=_wrapped(items, weight)) for items, weight in zip(shared, gross_g, strict=True)]


def _wrapped(items: Sequence[Item], gross_g: int) -> tuple[Item, ...]:
    if not items:
        return ()
    wraps = spread(max(0, gross_g - sum(item.net_g for item in items)), [item.net_g for item in items])
    return tuple(replace(item, gross_g=item.net_g + wrap) for item, wrap in zip(items, wraps, strict=True))
