"""What is claimed for a parcel that was lost or damaged, and until when."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Final, Literal

ClaimKind = Literal["lost", "damaged"]
DAYS: Final[dict[ClaimKind, int]] = {"lost": 30, "damaged": 7}
"""How many days after it should have come, or came, a claim is good, where its carrier says nothing else.

Damage that does not show is told within seven days of delivery (CMR, article 30(1)); for what is lost thirty days are
shop policy, early enough for every carrier that we know of.
"""


def claim_by(kind: ClaimKind, day: date, own_days: int | None = None) -> date:
    """Return the last day for a claim; ``day`` is when it should have come, or for damage when it came."""
    return day + timedelta(days=own_days if own_days is not None else DAYS[kind])


def share_of_price(price_minor: int, parcels: int, of: int) -> int:
    """Return what so many of a shipment's parcels cost of its price, in minor units, rounded half up (shop policy)."""
    return (2 * price_minor * parcels + of) // (2 * of)


def claimed(lines: Sequence[tuple[int, int]], label_minor: int) -> int:
    """Return what is claimed: the goods (pieces and price of one) and the label, in minor units."""
    return sum(pieces * price for pieces, price in lines) + label_minor
