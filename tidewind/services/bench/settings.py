"""How the shop packs: whether every parcel is weighed, how far a weight may be off, where the scale is reached."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from tidewind.core.bench.weighing import Tolerance
from tidewind.core.written import Written
from tidewind.services.base import Invalid
from tidewind.services.planning import shop_settings

MOST_BP, MOST_G = 5_000, 5_000
STAND_IN = "{standins}"
_OWN_MACHINE = ("ws://127.0.0.1:", "ws://localhost:", f"{STAND_IN}/")
"""Where a scale may be; the demo's stand-in is where its start puts it."""


@dataclass(frozen=True, slots=True)
class BenchSettings:
    """The shop's ways at the bench; ``scale_address`` is a WebSocket on the bench's own machine (empty: no scale)."""

    weighs: bool = False
    share_bp: int = 300
    least_g: int = 30
    scale_address: str = ""

    @property
    def tolerance(self) -> Tolerance:
        """How far a weight may be off."""
        return Tolerance(self.share_bp, self.least_g)


def bench_settings(session: Session) -> BenchSettings:
    """Return how the shop packs."""
    return read_bench_settings(shop_settings(session).bench)


def read_bench_settings(kept: Written) -> BenchSettings:
    """Return how a shop packs, as it keeps that."""
    known = BenchSettings.__dataclass_fields__
    return BenchSettings(**{name: value for name, value in kept.items() if name in known})


def set_bench_settings(session: Session, wanted: BenchSettings) -> BenchSettings:
    """Change how the shop packs.  Raises Invalid for a tolerance or an address that cannot be."""
    if not 0 <= wanted.share_bp <= MOST_BP or not 0 <= wanted.least_g <= MOST_G:
        raise Invalid("tolerance", "A tolerance is between 0 and 50 per cent, and at most 5 kg.")
    if wanted.scale_address and not wanted.scale_address.startswith(_OWN_MACHINE):
        raise Invalid("scale", "The scale is on the bench's own machine: an address like ws://127.0.0.1:8765.")
    shop_settings(session).bench = {name: getattr(wanted, name) for name in BenchSettings.__dataclass_fields__}
    return wanted
