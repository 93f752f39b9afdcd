"""The formats in which stores ask at their checkout, where they have one of their own beside docs/checkout.md."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Format:
    """How a store writes a basket and reads offers: to and from the values of our own format."""

    basket: Callable[[Mapping[str, Any]], dict[str, Any]]
    offers: Callable[[Sequence[Mapping[str, Any]]], Any]


def _larkspur_basket(said: Mapping[str, Any]) -> dict[str, Any]:
    to = said["to"]
    return {
        "lines": [{"sku": c["sku"], "quantity": c["pieces"], "unit_price_minor": c["cents"]} for c in said["cart"]],
        "country": to["country"],
        "postcode": to.get("postcode", ""),
        "city": to.get("town", ""),
        "language": said.get("language", ""),
        "discount_minor": said.get("voucher_cents", 0),
    }


def _larkspur_offers(offers: Sequence[Mapping[str, Any]]) -> Any:
    return {
        "choices": [
            {
                "id": o["code"],
                "title": o["name"],
                "cents": o["price_minor"],
                "border_cents": o["duties_minor"],
                "from": o["arrives_from"],
                "by": o["arrives_by"],
                "reference": o["reference"],
            }
            for o in offers
        ]
    }


FORMATS: Mapping[str, Format] = {"larkspur": Format(_larkspur_basket, _larkspur_offers)}
"""By the channel's adapter; every other store asks in our own format."""
