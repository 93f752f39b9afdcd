"""What the shop has agreed with a carrier, account by account, and which account is the cheapest for a service."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

_NOTHING: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Contract:
    """An account with a carrier: its number, what it takes off the list price, the services not used on it.

    ``discounts_bp`` are pairs of a name and basis points; the name is a service and zone (``bp-road:es``), a service, a
    zone of any service (``*:es``) or everything (``*``), and the closest one counts.
    """

    number: str = ""
    discounts_bp: tuple[tuple[str, int], ...] = ()
    services_off: frozenset[str] = _NOTHING

    def discount(self, service: str, zone: str) -> int:
        """Return what is taken off a service to a zone, in basis points."""
        cuts = dict(self.discounts_bp)
        for name in (f"{service}:{zone}", service, f"*:{zone}", "*"):
            if name in cuts:
                return cuts[name]
        return 0


PUBLISHED = (Contract(),)
"""The carrier's published prices: nothing taken off."""


def terms(discounts_bp: Mapping[str, int], number: str = "") -> tuple[Contract, ...]:
    """Return one account with these discounts."""
    return (Contract(number, tuple(sorted(discounts_bp.items()))),)


def cheapest(contracts: Sequence[Contract], service: str, zone: str) -> Contract:
    """Return the account on which a service to a zone costs least: the one that takes most off, the first of equals.

    All accounts go by the same card, and no price of a card rises with the discount; so this holds for any parcel.
    Raises ValueError where no account uses the service.
    """
    using = [contract for contract in contracts if service not in contract.services_off]
    return max(using, key=lambda contract: contract.discount(service, zone))
