"""One request to a carrier and what its answer is worth: sold, refused, not to be believed, or nobody knows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import structlog

from tidewind.core.quantities import money_text
from tidewind.db.tables import CarrierRow, Shipment
from tidewind.outside.carrier import CarrierClient, Purchase, Sold
from tidewind.outside.errors import MaybeDone, NeverSent, NotBelieved, OutsideError, RefusedOutside

log = structlog.get_logger(__name__)


@dataclass(frozen=True, slots=True)
class Asking:
    """A shipment about to be bought: its key, what is wanted, and the most that may be charged, in minor units."""

    shipment: Shipment
    key: str
    purchase: Purchase
    most_minor: int
    currency: str


Answer = Sold | str
"""What a carrier sold, or in words why nothing was bought."""


def ask_all(
    client: CarrierClient, carrier: CarrierRow, asking: Sequence[Asking]
) -> tuple[dict[Shipment, Answer], list[int]]:
    """Ask for each; return what was answered, and the ids of those that got no answer."""
    answers: dict[Shipment, Answer] = {}
    for one in asking:
        try:
            answers[one.shipment] = _ask(client, carrier, one)
        except (NeverSent, MaybeDone):
            continue
        except Exception:
            log.exception("purchase failed", shipment=one.shipment.id)  # the others of its job still can
    return answers, [one.shipment.id for one in asking if one.shipment not in answers]


def _ask(client: CarrierClient, carrier: CarrierRow, one: Asking) -> Answer:
    """Ask for one.  Raises NeverSent or MaybeDone where nobody knows; what cannot be believed is taken back at once."""
    try:
        return _bought(client, carrier, one)
    except NotBelieved as error:
        words = took_back(client, carrier, one.key, str(error))
        if not words:
            raise
        return words


def took_back(client: CarrierClient, carrier: CarrierRow, key: str, why: str) -> str:
    """Take a purchase back whose answer cannot be true; return that in words, nothing where it could not be done."""
    try:
        client.cancel(key)
    except OutsideError:
        return ""
    return f"{carrier.name}'s answer cannot be believed: {why}. It was taken back; buy again, or by another service"


def _bought(client: CarrierClient, carrier: CarrierRow, one: Asking) -> Answer:
    try:
        sold = client.buy(one.key, one.purchase)
    except RefusedOutside as refusal:
        # An earlier answer may have been lost: that a repeat is refused does not say that nothing was or will be sold.
        found = client.find(one.key) if one.shipment.attempts > 1 else None
        if found is None:
            if one.shipment.attempts > 1:
                client.cancel(one.key)
            return f"{carrier.name}: {refusal}"
        sold = found
    except MaybeDone:
        found = client.find(one.key)  # the answer was lost on the way: what became of it?
        if found is None:
            raise
        sold = found
    if len(sold.parcels) != len(one.purchase.consignment.parcels):
        raise NotBelieved(f"{len(sold.parcels)} numbers for {len(one.purchase.consignment.parcels)} parcels")
    if sold.price_minor > one.most_minor:
        client.cancel(one.key)
        asks = money_text(sold.price_minor, one.currency)
        return f"{carrier.name} asks {asks} now. It was voided at once; buy again if you agree."
    return sold
