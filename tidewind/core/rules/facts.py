"""What a rule can ask about an order: each fact's kind, and its name on screen.

A fact that nobody knows yet (the weight before every product has one) is None; a test on it neither holds nor fails.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from tidewind.core.consignments import CONTENTS
from tidewind.core.destinations import GROUPS

Kind = Literal["choice", "text", "postcode", "money", "weight", "length", "volume", "count", "set", "time", "flag"]
Value = str | int | bool | frozenset[str] | None
Facts = Mapping[str, Value]

WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
NUMBERS: frozenset[Kind] = frozenset({"money", "weight", "length", "volume", "count"})


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing a rule can ask about: its code, kind, words, and the values it can have where they are few."""

    code: str
    kind: Kind
    words: str
    values: tuple[str, ...] = ()


CATALOGUE: Mapping[str, Fact] = {
    f.code: f
    for f in (
        Fact("country", "choice", "the country"),
        Fact("destination", "choice", "the destination group", GROUPS),
        Fact("region", "text", "the region"),
        Fact("city", "text", "the city"),
        Fact("postcode", "postcode", "the postcode"),
        Fact("value", "money", "the value of the goods"),
        Fact("paid_shipping", "money", "what the buyer paid for delivery"),
        Fact("weight", "weight", "the gross weight"),
        Fact("longest", "length", "the longest side"),
        Fact("volume", "volume", "the volume of all parcels"),
        Fact("parcels", "count", "the number of parcels"),
        Fact("items", "count", "the number of items"),
        Fact("lines", "count", "the number of order lines"),
        Fact("sku", "set", "the SKUs"),
        Fact("product_tag", "set", "the product tags"),
        Fact("tag", "set", "the order's tags"),
        Fact("channel", "choice", "the channel"),
        Fact("promise", "text", "the promise"),
        Fact("note", "text", "the buyer's note"),
        Fact("payment", "choice", "the payment", ("paid", "pay_on_delivery", "unpaid")),
        Fact("address", "choice", "the address", ("home", "business")),
        Fact("po_box", "flag", "the address is a PO box"),
        Fact("ordered_day", "choice", "the day it was ordered", WEEKDAYS),
        Fact("ordered_time", "time", "the time it was ordered"),
        Fact("planned_day", "choice", "the day of planning", WEEKDAYS),
        Fact("planned_time", "time", "the time of planning"),
        Fact("customs", "flag", "it crosses a customs border"),
        Fact("hs_code", "set", "the HS codes"),
        Fact("origin", "set", "the countries of origin"),
        Fact("contents", "set", "the special contents", CONTENTS),
    )
}

CLOCK = frozenset({"planned_day", "planned_time"})
"""Facts that change by themselves as time passes."""


def written_facts(facts: Facts) -> dict[str, object]:
    """Return facts as JSON values: sets in order, without what is not known and what the clock says."""
    return {
        code: sorted(value) if isinstance(value, frozenset) else value
        for code, value in facts.items()
        if value is not None and code not in CLOCK
    }


def read_facts(written: Mapping[str, Any], planned_day: str, planned_time: str) -> Facts:
    """Return facts from what ``written_facts`` made, as of a day of the week and a time (HH:MM)."""
    read = {code: frozenset(value) if isinstance(value, list) else value for code, value in written.items()}
    return {**read, "planned_day": planned_day, "planned_time": planned_time}


TESTS: Mapping[Kind, tuple[str, ...]] = {
    "choice": ("is_any_of", "is_none_of"),
    "text": ("is", "is_not", "contains", "contains_not", "starts_with"),
    "postcode": ("is_in", "is_not_in"),
    "set": ("includes_any", "includes_all", "includes_none", "includes_only"),
    "time": ("from", "before"),
    "flag": ("is",),
    **dict.fromkeys(NUMBERS, ("more_than", "at_least", "less_than", "at_most", "between", "equals")),
}
