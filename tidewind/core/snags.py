"""What stops or endangers an order, each with words and the fix that a person can make."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tidewind.core.channel_changes import ChangeKind, ChannelChange

Level = Literal["stops", "warns"]
Fix = Literal[
    "product_weight",
    "product_size",
    "product_customs",
    "customs",
    "customs_numbers",
    "address",
    "billing_name",
    "packaging",
    "service",
    "approve",
    "clear_party",
    "difference",
    "worth",
    "none",
]


APPROVAL_WORDS = "Needs approval: "
"""What the snag of an order that waits for the owner's word begins with; the reason follows."""


@dataclass(frozen=True, slots=True)
class Snag:
    """One snag: a stable code, how bad it is, words, the kind of fix, and what the fix is about (a SKU, a field)."""

    code: str
    level: Level
    words: str
    fix: Fix = "none"
    about: str = ""


_CHANGE_CODES = {ChangeKind.CANCELLED: "cancelled_upstream", ChangeKind.STOPPED: "stopped_upstream"}


def snag_of_change(change: ChannelChange) -> Snag:
    """Return a channel's change that waits for a decision as the snag of an order that it concerns."""
    code = _CHANGE_CODES.get(change.kind, "changed_upstream")
    return Snag(code, "stops" if change.stops else "warns", change.words, "difference", change.whose)
