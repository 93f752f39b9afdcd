"""A sum shared out over parts so that nothing is lost: cents of shipping, grams of packaging."""

from __future__ import annotations

from collections.abc import Sequence


def spread(amount: int, weights: Sequence[int]) -> tuple[int, ...]:
    """Return shares of an amount in proportion to weights; their sum is the amount.

    The largest remainders get what rounding down left over, ties in the order of the parts (shop policy, as
    Hamilton's method has it).  Where no part weighs anything all weigh the same.  Raises ValueError for no parts.
    """
    if not weights:
        raise ValueError("nothing to spread over")
    if len(weights) == 1:
        return (amount,)
    if amount < 0:
        return tuple(-share for share in spread(-amount, weights))
    whole = sum(weights)
    if whole <= 0:
        return spread(amount, [1] * len(weights))
    shares = [amount * weight // whole for weight in weights]
    by_remainder = sorted(range(len(weights)), key=lambda n: (-(amount * weights[n] % whole), n))
    for n in by_remainder[: amount - sum(shares)]:
        shares[n] += 1
    return tuple(shares)
