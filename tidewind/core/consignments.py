"""What goes: its route, its goods, its parcels and the extras asked for; one form of it from price to label.

Whoever prices, plans, buys or prints takes it as it is, or wraps it.  A new fact stands here, where it is read, and
where it is used.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, replace
from typing import Any

from tidewind.core.addresses.check import Address, is_po_box
from tidewind.core.frozen import frozen
from tidewind.core.quantities import Size
from tidewind.core.written import Written

Destination = tuple[str, str, str, str, str]
"""Country, postcode and state or province of the recipient, then country and postcode that it leaves from."""


@frozen
class Route:
    """From where to where, and how it is handed over there: at a private door (``home``), or a ``point`` by its code.

    ``ends`` is what a zone depends on; every card asks for it.
    """

    country: str
    postcode: str
    home: bool
    region: str = ""
    po_box: bool = False
    point: str = ""
    from_country: str = ""
    from_postcode: str = ""
    ends: Destination = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Put together what every card looks up."""
        ends = (self.country, self.postcode, self.region, self.from_country, self.from_postcode)
        object.__setattr__(self, "ends", ends)


def route_between(start: Address, to: Address, *, home: bool, point: str = "", po_box: bool | None = None) -> Route:
    """Return the route between two addresses; ``po_box`` where it is known already whether it ends at one."""
    boxed = is_po_box(to) if po_box is None else po_box
    return Route(to.country, to.postcode, home, to.region, boxed, point, start.country, start.postcode)


CONTENTS = ("lithium", "limited_quantity", "dry_ice", "dangerous")
"""What goods may hold that carriers ask about; whatever is not among these nobody can price, and is refused."""


@frozen
class Goods:
    """What the goods are worth, in minor units, and what they hold that carriers ask about."""

    value: int = 0
    contents: frozenset[str] = frozenset()


NO_GOODS = Goods()


@frozen
class Parcel:
    """What the carrier sees of one parcel: gross weight, outer size, and the carrier's packaging where it is one.

    Sides, volume and girth are kept beside the size: every cell of a matrix asks for them.
    """

    gross_g: int
    size: Size
    packaging: str | None = None
    not_stackable: bool = False
    mm3: int = field(init=False, compare=False)
    girth_mm: int = field(init=False, compare=False)

    def __post_init__(self) -> None:
        """Work out what follows from the size."""
        object.__setattr__(self, "mm3", self.size.mm3)
        object.__setattr__(self, "girth_mm", self.size.girth_mm)


@frozen
class Consignment:
    """Everything a price depends on; ``extras`` are those that the carrier is asked for.

    ``simple`` tells that it is one stackable parcel with nothing in it that carriers ask about, as most are.
    """

    route: Route
    goods: Goods
    parcels: tuple[Parcel, ...]
    extras: frozenset[str] = frozenset()
    simple: bool = field(init=False, compare=False)

    def __post_init__(self) -> None:
        """Work out what every service asks first."""
        special = self.goods.contents or self.route.po_box or len(self.parcels) != 1
        object.__setattr__(self, "simple", not special and not self.parcels[0].not_stackable)

    def in_parcels(self, parcels: tuple[Parcel, ...]) -> Consignment:
        """Return the same goods in other parcels."""
        return Consignment(self.route, self.goods, parcels, self.extras)

    def with_extras(self, extras: frozenset[str]) -> Consignment:
        """Return the same with other extras."""
        return replace(self, extras=extras)


def write_consignment(c: Consignment) -> Written:
    """Return a consignment as it is said to a carrier: weights in g, sides in mm, money in minor units."""
    to = c.route
    return {
        "route": {
            "country": to.country,
            "postcode": to.postcode,
            "home": to.home,
            "region": to.region,
            "po_box": to.po_box,
            "point": to.point,
            "from_country": to.from_country,
            "from_postcode": to.from_postcode,
        },
        "goods": {"value_minor": c.goods.value, "contents": sorted(c.goods.contents)},
        "parcels": [
            {
                "gross_g": p.gross_g,
                "sides_mm": [p.size.longest, p.size.middle, p.size.shortest],
                "packaging": p.packaging,
                "not_stackable": p.not_stackable,
            }
            for p in c.parcels
        ],
        "extras": sorted(c.extras),
    }


def read_consignment(written: Mapping[str, Any]) -> Consignment:
    """Return a consignment from what ``write_consignment`` made.  Raises KeyError, TypeError or ValueError."""
    goods = written["goods"]
    parcels = tuple(
        Parcel(p["gross_g"], Size.of(*p["sides_mm"]), p["packaging"], p["not_stackable"]) for p in written["parcels"]
    )
    return Consignment(
        Route(**written["route"]),
        Goods(goods["value_minor"], frozenset(goods["contents"])),
        parcels,
        frozenset(written["extras"]),
    )
