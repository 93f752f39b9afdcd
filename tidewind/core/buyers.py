"""Whether two orders are of one buyer: a number that two shops have given is two orders, never a change of one."""

from __future__ import annotations

from tidewind.core.addresses.check import Address
from tidewind.core.screening import plain_name
from tidewind.core.searching import folded


def same_buyer(one: Address, other: Address) -> bool:
    """Tell whether two addresses can be one buyer's: mail, telephone, name or place is the same (shop policy).

    A buyer who moves keeps a name, one who marries keeps a place; who has nothing in common with another is another.
    What neither of them says is nothing in common.
    """
    return any(left and left == right for left, right in zip(_marks(one), _marks(other), strict=True))


def _marks(to: Address) -> tuple[str, ...]:
    digits = "".join(sign for sign in to.phone if sign.isdigit())[-8:]
    place = folded(f"{to.country} {to.postcode} {to.street}") if to.street else ""
    return folded(to.email), digits, plain_name(to.name or to.company), place
