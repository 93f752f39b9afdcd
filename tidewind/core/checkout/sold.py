"""What an offer is called when its order comes back: which offer, of which version, by which service."""

from __future__ import annotations

import re
from dataclasses import dataclass

_WRITTEN = re.compile(r"([a-z0-9][a-z0-9-]{0,29})@(\d{1,9})(?::([\w.-]{1,60}))?", re.ASCII)


@dataclass(frozen=True, slots=True)
class Sold:
    """An offer that a shopper took: its code, the version it was made by, the service it was priced for, if any."""

    offer: str
    version: int
    service: str = ""

    def __str__(self) -> str:
        """Return the reference that goes to the store and comes back with the order."""
        return f"{self.offer}@{self.version}" + (f":{self.service}" if self.service else "")


def sold_from(reference: str) -> Sold | None:
    """Return what a reference stands for, None where it is none of ours."""
    found = _WRITTEN.fullmatch(reference)
    return Sold(found[1], int(found[2]), found[3] or "") if found else None
