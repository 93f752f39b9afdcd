"""What a column is where its heading can mean two things: the cells under it say which, or it is asked.

“State” is a region in one country's files and how far an order is in another's; read as the wrong one, an order that
must not go would go.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache

import pycountry
from anyascii import anyascii

from tidewind.core.order_rows.columns import plain_header
from tidewind.core.order_rows.standing import what_it_means

_TWO_MEANINGS = frozenset({"state", "estado", "stato"})
_FIELDS = "region", "standing"
_CODE = re.compile(r"^[A-Z]{2,3}$")
LOOKED_AT = 2_000


def settle_by_cells(
    columns: Mapping[str, int], headers: Sequence[str], rows: Iterable[Sequence[str]]
) -> dict[str, int]:
    """Return the mapping with a heading of two meanings given the one that its cells have, or none.

    Codes of two or three capitals and names of regions are regions; words of which one says whether an order may go
    are states of orders; what is neither is left to be asked.
    """
    made = dict(columns)
    for at, heading in enumerate(headers):
        mine = next((name for name in _FIELDS if made.get(name) == at), "")
        if plain_header(heading) not in _TWO_MEANINGS or (not mine and at in made.values()):
            continue
        said = Counter(cells[at].strip() for _, cells in zip(range(LOOKED_AT), rows, strict=False) if at < len(cells))
        said.pop("", None)
        meant = _meaning(said)
        if not said or meant == mine:
            continue
        if mine:
            del made[mine]
        if meant and meant not in made:
            made[meant] = at
    return made


@lru_cache(maxsize=1)
def _region_names() -> frozenset[str]:
    """Return the names of all subdivisions of all countries (ISO 3166-2), in small Latin letters."""
    return frozenset(anyascii(one.name).casefold() for one in pycountry.subdivisions)


def _meaning(said: Mapping[str, int]) -> str:
    if all(_CODE.match(text) or anyascii(text).casefold() in _region_names() for text in said):
        return "region"
    return "standing" if any(what_it_means(text, {}) for text in said) else ""
