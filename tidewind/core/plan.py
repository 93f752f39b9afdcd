"""A plan: how an order will be sent, and why."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

from tidewind.core.layers import Step
from tidewind.core.options import Option, Settled
from tidewind.core.packing import PackedParcel
from tidewind.core.rules.facts import Facts
from tidewind.core.snags import Snag


@dataclass(slots=True)
class Plan:
    """How an order will be sent: complete, or with a snag that stops it and then without a price.

    ``facts`` is what the rules saw; ``good_until`` is the last moment before the same
    order may get another plan because time passes.
    """

    parcels: tuple[PackedParcel, ...] = ()
    chosen: Option | None = None
    snags: list[Snag] = field(default_factory=list)
    trail: dict[str, list[Step]] = field(default_factory=dict)
    extras: frozenset[str] = frozenset()
    value: int = 0
    tags: frozenset[str] = frozenset()
    desk: str = ""
    hold: str = ""
    leave_out: str = ""
    rules: tuple[str, ...] = ()
    settled: Settled | None = None
    facts: Facts = field(default_factory=dict)
    good_until: datetime | None = None

    @property
    def stopped(self) -> bool:
        """Whether a snag stops this order."""
        return any(s.level == "stops" for s in self.snags)
