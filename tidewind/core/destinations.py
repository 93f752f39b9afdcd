"""Destination groups as the shop thinks of them, and whether a parcel crosses a customs border.

Islands and customs: public facts of the EU's customs and VAT territory (Council Directive 2006/112/EC, article 6).
The same region is the same first two characters of the postcode (shop policy).
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from tidewind.core.addresses.check import Address
from tidewind.core.tariffs.zones import in_postcodes, plain_postcode

Group = Literal["same_region", "country", "islands", "neighbours", "world"]
GROUPS: tuple[Group, ...] = ("same_region", "country", "islands", "neighbours", "world")

EU = frozenset(
    "AT BE BG CY CZ DE DK EE ES FI FR GR HR HU IE IT LT LU LV MT NL PL PT RO SE SI SK".split()  # noqa: SIM905
)
_ISLANDS: Mapping[str, tuple[str, ...]] = {
    "PT": ("90-99",), "ES": ("07", "35", "38"), "FR": ("20", "97", "98"), "IT": ("07-09", "90-98"),
    "GB": ("BT", "HS", "IM", "JE", "GY", "ZE"),
}  # fmt: skip
_OUTSIDE_CUSTOMS: Mapping[str, tuple[str, ...]] = {"ES": ("35", "38", "51", "52"), "FR": ("97", "98"), "IT": ("23041",)}


def destination_group(to: Address, origin: Address) -> Group:
    """Return the destination group of an address as seen from the place it leaves from.

    Neighbours are the other countries of the European Union for a place inside it (no customs border between).
    """
    postcode = plain_postcode(to.postcode)
    near = to.country == origin.country or (to.country in EU and origin.country in EU)
    if near and in_postcodes(postcode, _ISLANDS.get(to.country, ())):
        return "islands"
    if to.country == origin.country:
        same = bool(postcode[:2]) and postcode[:2] == plain_postcode(origin.postcode)[:2]
        return "same_region" if same else "country"
    return "neighbours" if near else "world"


def crosses_customs(to: Address, origin: Address) -> bool:
    """Tell whether goods between the two need a customs declaration."""

    def inside(address: Address) -> bool:
        outer = _OUTSIDE_CUSTOMS.get(address.country, ())
        return address.country in EU and not in_postcodes(plain_postcode(address.postcode), outer)

    return not (to.country == origin.country and inside(to) == inside(origin)) and not (inside(to) and inside(origin))
