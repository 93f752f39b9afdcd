"""What an offer is called when its order comes back: its version, its service, how it was packed, at what price.

The reference itself carries all of it, so that a checkout which answers hundreds a second keeps nothing.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

LONGEST = 120
_WRITTEN = re.compile(
    r"([a-z0-9][a-z0-9-]{0,29})@(\d{1,9})(?::([\w.-]{1,60}))?(?:~([\w.+-]{0,60})~(\d{1,9}))?", re.ASCII
)


@dataclass(frozen=True, slots=True)
class Sold:
    """An offer that a shopper took: its code, the version it was made by, the service it was priced for, if any.

    ``boxes`` are the codes of the packaging of each parcel, ``price`` minor units; None where nobody kept them.
    """

    offer: str
    version: int
    service: str = ""
    boxes: tuple[str, ...] = ()
    price: int | None = None

    def __str__(self) -> str:
        """Return the reference that goes to the store and comes back with the order, at most 120 signs."""
        short = f"{self.offer}@{self.version}" + (f":{self.service}" if self.service else "")
        if self.price is None:
            return short
        whole = f"{short}~{'+'.join(self.boxes)}~{self.price}"
        return whole if len(whole) <= LONGEST and _WRITTEN.fullmatch(whole) else f"{short}~~{self.price}"


def sold_from(reference: str) -> Sold | None:
    """Return what a reference stands for, None where it is none of ours."""
    found = _WRITTEN.fullmatch(reference)
    if found is None:
        return None
    boxes = tuple(filter(None, (found[4] or "").split("+")))
    return Sold(found[1], int(found[2]), found[3] or "", boxes, int(found[5]) if found[5] else None)
