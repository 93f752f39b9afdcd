"""The postage ledger: every movement as balanced postings; entries are never changed, only reversed.

Accounts, all in minor units of the shop's currency: ``available`` and ``held`` together are the balance,
``postage`` is what labels cost, ``pickups`` what vans cost that fetch them, ``cover`` what an insurer asks beside them,
``expected`` are refunds asked for, ``bank`` is where top-ups come from and bills are paid; ``owed`` is what carriers
that bill by account, and the insurer, will ask for (below zero), or must give back of a bill that was paid (above).
``claims`` is what they paid for what was lost or damaged (below zero, as all that comes in).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

ACCOUNTS = ("available", "held", "postage", "expected", "bank", "owed", "cover", "pickups", "claims")


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
    "return_used": ("available", "postage"),
    "on_account": ("owed", "postage"),
    "credit": ("expected", "owed"),
    "correction_on_account": ("owed", "postage"),
    "return_on_account": ("owed", "postage"),
    "bill_paid": ("bank", "owed"),
    "premium": ("owed", "cover"),
    "premium_back": ("cover", "owed"),
    "pickup_fee": ("held", "pickups"),
    "pickup_fee_on_account": ("owed", "pickups"),
    "pickup_fee_back": ("pickups", "available"),
    "pickup_fee_credit": ("pickups", "owed"),
    "claim_paid": ("claims", "bank"),
}
_EITHER_WAY = frozenset({"correction", "correction_on_account"})
Payer = Literal["balance", "account", "elsewhere"]
"""Who pays for a label: our balance, our account with the carrier, or somebody else's account."""


def charge_kind(payer: Payer) -> str:
    """Return the kind of entry that a bought label makes; empty where somebody else is billed."""
    return {"balance": "charge", "account": "on_account", "elsewhere": ""}[payer]


def refund_kind(payer: Payer) -> str:
    """Return the kind of entry by which a refund comes back to where the label was paid from."""
    return "refund" if payer == "balance" else "credit"


def pickup_fee_kind(payer: Payer, *, back: bool = False) -> str:
    """Return the kind of entry for a pickup's fee, or for one that comes back since the pickup was cancelled."""
    if payer == "balance":
        return "pickup_fee_back" if back else "pickup_fee"
    return "pickup_fee_credit" if back else "pickup_fee_on_account"


def later_kind(kind: str, payer: Payer, amount: int, available: int) -> str:
    """Return the kind for a carrier's later charge: it goes on account where the balance does not reach.

    The carrier has charged it already, so it can be put off but not refused (shop policy).
    """
    return kind if payer == "balance" and amount <= available else f"{kind.removesuffix('_used')}_on_account"


def entry(kind: str, amount: int) -> Entry:
    """Return the entry that moves ``amount`` minor units for ``kind``.

    Only corrections may be negative (the carrier gives money back).  Raises ValueError for an unknown kind,
    a zero amount, or a negative amount of any other kind.
    """
    if kind not in _MOVES:
        raise ValueError(f"unknown kind of ledger entry: {kind}")
    if amount == 0 or (amount < 0 and kind not in _EITHER_WAY):
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
