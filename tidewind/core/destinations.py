"""Destination groups as the shop thinks of them, and whether a parcel crosses a customs border.

Islands and customs: public facts of the EU's customs and VAT territory (Council Directive 2006/112/EC, article 6).
The same region is the same first two characters of the postcode (shop policy).
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Literal

from tidewind.core.addresses.check import Address
from tidewind.core.tariffs.zones import in_postcodes, plain_postcode

Group = Literal["same_region", "country", "islands", "neighbours", "world"]
GROUPS: tuple[Group, ...] = ("same_region", "country", "islands", "neighbours", "world")

EU = frozenset(
    "AT BE BG CY CZ DE DK EE ES FI FR GR HR HU IE IT LT LU LV MT NL PL PT RO SE SI SK".split()  # noqa: SIM905
)
_ISLANDS: Mapping[str, tuple[str, ...]] = {
    "PT": ("90-99",),
    "ES": ("07", "35", "38"),
    "FR": ("20", "97", "98"),
    "IT": ("07-09", "90-98"),
    "GB": ("BT", "HS", "IM", "JE", "GY", "ZE"),
}
_OUTSIDE_CUSTOMS: Mapping[str, tuple[str, ...]] = {"ES": ("35", "38", "51", "52"), "FR": ("97", "98"), "IT": ("23041",)}

KEPT = 4_096
"""So many answers are kept: the plan of one order asks for the group of its address three times."""


def destination_group(to: Address, origin: Address) -> Group:
    """Return the destination group of an address as seen from the place it leaves from.

    Neighbours are the other countries of the European Union for a place inside it (no customs border between).
    """
    return _group(to.country, to.postcode, origin.country, origin.postcode)


@lru_cache(KEPT)
def _group(country: str, postcode: str, origin_country: str, origin_postcode: str) -> Group:
    plain = plain_postcode(postcode)
    near = country == origin_country or (country in EU and origin_country in EU)
    if near and in_postcodes(plain, _ISLANDS.get(country, ())):
        return "islands"
    if country == origin_country:
        return "same_region" if plain[:2] and plain[:2] == plain_postcode(origin_postcode)[:2] else "country"
    return "neighbours" if near else "world"


def crosses_customs(to: Address, origin: Address) -> bool:
    """Tell whether goods between the two need a customs declaration."""
    goods_in, goods_out = _in_the_union(to.country, to.postcode), _in_the_union(origin.country, origin.postcode)
    return not (to.country == origin.country and goods_in == goods_out) and not (goods_in and goods_out)


def customs_land(place: Address) -> str:
    """Return the country as customs sees it: parts of an EU country that lie outside its customs territory say so."""
    outside = place.country in EU and not _in_the_union(place.country, place.postcode)
    return f"{place.country} (outside the EU)" if outside else place.country


@lru_cache(KEPT)
def _in_the_union(country: str, postcode: str) -> bool:
    """Tell whether a place is inside the customs territory of the European Union."""
    return country in EU and not in_postcodes(plain_postcode(postcode), _OUTSIDE_CUSTOMS.get(country, ()))
