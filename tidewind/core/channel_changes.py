"""What a channel says of an order after it was taken in: what is different, how bad that is, and how it is merged.

Two versions of the channel's word are compared with each other, never with what stands here: what people corrected
here is theirs and stays (shop policy).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from tidewind.core.addresses.check import Address

FIELDS = {
    "address": "address",
    "lines": "items",
    "promise": "promise",
    "promise_date": "promised day",
    "note": "note",
    "billing_name": "billing name",
    "home": "home or business",
    "paid_shipping_minor": "delivery paid",
    "currency": "currency",
    "recipient_number": "recipient's tax number",
}
"""What of a channel's word is compared, and what people call it."""

CONTACT = "e-mail or phone"
_PLACE = ("street", "extra", "city", "postcode", "region", "country")
_REACHED = ("email", "phone")
"""What of an address is on no label's face that decides where it goes: a change of it stops nothing."""
_STOPPING = frozenset({"address", "items"})


class ChangeKind(StrEnum):
    """How bad it is, the least first: a detail, where or what, it must not go for now, it must not go at all."""

    EDITED = "edited"
    CONTENT = "content"
    STOPPED = "stopped"
    CANCELLED = "cancelled"


_ORDER = list(ChangeKind)


@dataclass(frozen=True, slots=True)
class ChannelChange:
    """A change that waits for a decision, as planning sees it; ``whose`` is another order's number, or empty."""

    kind: ChangeKind
    fields: tuple[str, ...] = ()
    why: str = ""
    whose: str = ""

    @property
    def stops(self) -> bool:
        """Whether the order must not leave before somebody has decided."""
        return self.kind is not ChangeKind.EDITED

    @property
    def words(self) -> str:
        """What the snag says."""
        what = f"order {self.whose}, which belongs to it," if self.whose else "this order"
        if self.kind is ChangeKind.CANCELLED:
            return f"The channel cancelled {what} after it was imported"
        if self.kind is ChangeKind.STOPPED:
            return f"The channel keeps {what} back since it was imported: {self.why}"
        return f"The channel changed {what} after it was imported: {', '.join(self.fields)}"


@dataclass(frozen=True, slots=True)
class FieldChange:
    """One thing that is different: its name, and both versions in words."""

    field: str
    before: str
    after: str


def changes_between(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[FieldChange]:
    """Return what two versions of a channel's word differ in, but for its states.

    A field that the first version did not know is no change, but for one that is left out where it is empty.
    """
    before, after = (_apart({"recipient_number": "", "currency": "", **said}) for said in (before, after))
    return [
        FieldChange(words, _plain(before.get(name)), _plain(after.get(name)))
        for name, words in _COMPARED.items()
        if name in before and before[name] != after.get(name)
    ]


_COMPARED = {"address": FIELDS["address"], "contact": CONTACT, **FIELDS}


def _apart(said: Mapping[str, Any]) -> dict[str, Any]:
    """Return a channel's word with the ways to reach the recipient apart from where the parcel goes."""
    if not isinstance(address := said.get("address"), dict):
        return dict(said)
    where = {name: value for name, value in address.items() if name not in _REACHED}
    reached = [str(address[name]) for name in _REACHED if address.get(name)]
    return {**said, "address": where, "contact": ", ".join(reached)}


def kind_of(changes: Sequence[FieldChange], fate: str) -> ChangeKind:
    """Return how bad a change is, by what is different and by what the channel's state means for us."""
    if fate == "cancelled":
        return ChangeKind.CANCELLED
    if fate != "open":
        return ChangeKind.STOPPED
    return ChangeKind.CONTENT if any(c.field in _STOPPING for c in changes) else ChangeKind.EDITED


def worst(changes: Sequence[ChannelChange]) -> ChannelChange | None:
    """Return the worst of several changes, the first of those alike."""
    return max(changes, key=lambda c: _ORDER.index(c.kind), default=None)


def _plain(value: Any) -> str:
    if isinstance(value, dict):  # an address; the database keeps no order of its parts
        return ", ".join(str(value[name]) for name in Address.__dataclass_fields__ if value.get(name))
    if isinstance(value, (list, tuple)):
        return ", ".join(f"{line['quantity']} × {line['name'] or line['sku']}" for line in value)
    if isinstance(value, bool):
        return "home" if value else "business"
    return "" if value is None else str(value)


def merged_address(here: Address, before: Address, after: Address) -> Address:
    """Return an address with what the channel changed, and what was corrected here in all it did not.

    Street, city, postcode and the like are one thing: half of the old place and half of the new one is nowhere.
    """
    new = {
        name: getattr(after, name)
        for name in Address.__dataclass_fields__
        if getattr(before, name) != getattr(after, name)
    }
    if new.keys() & set(_PLACE):
        new.update({name: getattr(after, name) for name in _PLACE})
    return replace(here, **new)


@dataclass(frozen=True, slots=True)
class MergedLine:
    """A line as the channel has it now, with how many of it went already and the weight that is known here."""

    sku: str
    name: str
    quantity: int
    unit_price_minor: int
    sent: int
    weight_g: int | None


def merged_lines(here: Sequence[tuple[str, int, int | None]], after: Sequence[Mapping[str, Any]]) -> list[MergedLine]:
    """Return the channel's lines with what went already of each SKU (``here``: SKU, pieces sent, weight in g).

    Pieces that went are spread over the lines of their SKU from the first; more than are wanted now cannot come back.
    """
    gone: dict[str, int] = {}
    weights: dict[str, int | None] = {}
    for sku, sent, weight_g in here:
        gone[sku] = gone.get(sku, 0) + sent
        weights[sku] = weights.get(sku) or weight_g
    made = []
    for line in after:
        sku, quantity = str(line["sku"]), int(line["quantity"])
        sent = min(gone.get(sku, 0), quantity)
        gone[sku] = gone.get(sku, 0) - sent
        price = int(line["unit_price_minor"])
        made.append(MergedLine(sku, str(line["name"]), quantity, price, sent, weights.get(sku)))
    return made
