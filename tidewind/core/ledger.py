"""The postage ledger: every movement as balanced postings; entries are never changed, only reversed.

Accounts, all in minor units of the shop's currency: ``available`` and ``held`` together are the balance,
``postage`` is what labels cost, ``expected`` are refunds asked for, ``bank`` is where top-ups come from.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

ACCOUNTS = ("available", "held", "postage", "expected", "bank")


@dataclass(frozen=True, slots=True)
class Entry:
    """One movement: its kind, and the postings that sum to zero."""

    kind: str
    postings: tuple[tuple[str, int], ...]


_MOVES: Mapping[str, tuple[str, str]] = {
    "top_up": ("bank", "available"),
    "hold": ("available", "held"),
    "release": ("held", "available"),
    "charge": ("held", "postage"),
    "void_asked": ("postage", "expected"),
    "refund": ("expected", "available"),
    "refund_refused": ("expected", "postage"),
    "correction": ("available", "postage"),
}


def entry(kind: str, amount: int) -> Entry:
    """Return the entry that moves ``amount`` minor units for ``kind``.

    Only a correction may be negative (the carrier gives money back).  Raises ValueError for an unknown kind,
    a zero amount, or a negative amount of any other kind.
    """
    if kind not in _MOVES:
        raise ValueError(f"unknown kind of ledger entry: {kind}")
    if amount == 0 or (amount < 0 and kind != "correction"):
        raise ValueError(f"a {kind} of {amount} moves nothing")
    source, target = _MOVES[kind]
    return Entry(kind, ((source, -amount), (target, amount)))


def reversal(of: Entry) -> Entry:
    """Return the entry that undoes another one."""
    return Entry(f"reversal_of_{of.kind}", tuple((account, -amount) for account, amount in of.postings))


def apply(balances: Mapping[str, int], movement: Entry) -> dict[str, int]:
    """Return the balances after ``movement``; the sum over all accounts stays what it was."""
    after = {account: balances.get(account, 0) for account in ACCOUNTS}
    for account, amount in movement.postings:
        after[account] += amount
    return after
