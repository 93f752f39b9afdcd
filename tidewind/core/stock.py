"""How many pieces of each article are left to sell: a fold over what was counted, sold, and put back on the shelf.

Nothing is booked when a label is bought, voided or divided: pieces are gone from the moment in which an order takes
them until it is cancelled, and that can be added up at any time.  So a void, a divided order or a label that was
bought twice over cannot leave a level wrong.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

Sets = Mapping[str, Sequence[tuple[str, int]]]
"""By the SKU of a set, the SKUs it is made of, and how many of each."""
_SEVERAL = re.compile(r"^([1-9][0-9]{0,3})\s*[x×]\s+(.+)$")


def read_parts(written: Iterable[str]) -> list[tuple[str, int]]:
    """Return what a set is made of as it is written with the product: “SKU”, or “2x SKU” for two of it."""
    found = []
    for word in written:
        several = _SEVERAL.match(word)
        found.append((several[2].strip(), int(several[1])) if several else (word, 1))
    return found


def in_parts(pieces: Mapping[str, int], sets: Sets) -> dict[str, int]:
    """Return pieces of articles where sets stand for what they are made of as well; a set in a set is opened, too.

    What a set is made of is opened once: one that names itself, by way of others or not, takes nothing twice.
    """
    found: Counter[str] = Counter()
    for sku, many in pieces.items():
        found[sku] += many
        for part, times in _parts_of(sku, sets, frozenset({sku})).items():
            found[part] += many * times
    return dict(found)


def _parts_of(sku: str, sets: Sets, above: frozenset[str]) -> Counter[str]:
    found: Counter[str] = Counter()
    for part, each in sets.get(sku, ()):
        if part not in above:
            found[part] += each
            for inner, many in _parts_of(part, sets, above | {part}).items():
                found[inner] += many * each
    return found


def base_of(left: int, *, taken: int, put_back: int) -> int:
    """Return what is kept of a count that left so many pieces to sell, when so many were taken and put back so far."""
    return left + taken - put_back


def left_to_sell(base: int, *, taken: int, put_back: int) -> int:
    """Return how many pieces are left to sell now; fewer than none where more was sold than there is."""
    return base - taken + put_back


def levels(
    bases: Mapping[str, int], taken: Mapping[str, int], put_back: Mapping[str, int], sets: Sets
) -> dict[str, int]:
    """Return what is left to sell of every article that was counted, and of sets all of whose parts were.

    ``taken`` and ``put_back`` are by the SKU that was ordered.  A set has as many as its scarcest part lets one make,
    unless it was counted itself.
    """
    gone, came = in_parts(taken, sets), in_parts(put_back, sets)
    found = {sku: left_to_sell(base, taken=gone.get(sku, 0), put_back=came.get(sku, 0)) for sku, base in bases.items()}
    for sku in sets.keys() - bases.keys():
        parts = {part: many for part, many in _parts_of(sku, sets, frozenset({sku})).items() if not sets.get(part)}
        if parts and parts.keys() <= bases.keys():
            found[sku] = min(found[part] // many for part, many in parts.items())
    return found
