"""What a column is where its heading can mean two things: the cells under it say which, or it is asked.

“State” is a region in one country's files and how far an order is in another's; read as the wrong one, an order that
must not go would go.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import lru_cache

import pycountry
from anyascii import anyascii

from tidewind.core.order_rows.columns import plain_header
from tidewind.core.order_rows.standing import what_it_means

_CODE = re.compile(r"^[A-Z]{2,3}$")
_COUNT = re.compile(r"^\d{1,5}$")
LOOKED_AT = 2_000


def settle_by_cells(
    columns: Mapping[str, int], headers: Sequence[str], rows: Iterable[Sequence[str]]
) -> dict[str, int]:
    """Return the mapping with a heading of two meanings given the one that its cells have, or none.

    Codes of two or three capitals and names of regions are regions; words of which one says whether an order may go
    are states of orders.  “Ordered” is a count over small figures, and a day over days.  What is neither is left to be
    asked.
    """
    made = dict(columns)
    for at, heading in enumerate(headers):
        fields, meaning = _TWO_MEANINGS.get(plain_header(heading), ((), _region_or_state))
        mine = next((name for name in fields if made.get(name) == at), "")
        if not fields or (not mine and at in made.values()):
            continue
        said = Counter(cells[at].strip() for _, cells in zip(range(LOOKED_AT), rows, strict=False) if at < len(cells))
        said.pop("", None)
        meant = meaning(said)
        if not said or meant == mine:
            continue
        if mine:
            del made[mine]
        if meant and meant not in made:
            made[meant] = at
    return _whole_address(made, rows)


def _whole_address(columns: dict[str, int], rows: Iterable[Sequence[str]]) -> dict[str, int]:
    """Take a column of names with several lines in each cell, in a file without streets, for whole addresses."""
    at = columns.get("name")
    if at is None or "street" in columns:
        return columns
    cells = [cells[at].strip() for _, cells in zip(range(LOOKED_AT), rows, strict=False) if at < len(cells)]
    if any(cells) and all(cell.count("\n") >= 2 for cell in cells if cell):
        columns["address_block"] = columns.pop("name")
    return columns


@lru_cache(maxsize=1)
def _region_names() -> frozenset[str]:
    """Return the names of all subdivisions of all countries (ISO 3166-2), in small Latin letters."""
    return frozenset(anyascii(one.name).casefold() for one in pycountry.subdivisions)


def _region_or_state(said: Mapping[str, int]) -> str:
    if all(_CODE.match(text) or anyascii(text).casefold() in _region_names() for text in said):
        return "region"
    return _state(said)


def _state(said: Mapping[str, int]) -> str:
    return "standing" if any(what_it_means(text, {}) for text in said) else ""


def _count_or_day(said: Mapping[str, int]) -> str:
    if all(_COUNT.match(text) for text in said):
        return "quantity"
    return "" if any(_COUNT.match(text) for text in said) else "ordered_on"


_TWO_MEANINGS: dict[str, tuple[tuple[str, ...], Callable[[Mapping[str, int]], str]]] = {
    **dict.fromkeys(("state", "estado", "stato"), (("region", "standing"), _region_or_state)),
    **dict.fromkeys(("type", "kind", "document type", "typ", "art"), (("standing",), _state)),
    **dict.fromkeys(("ordered", "besteld", "bestellt", "commandé"), (("quantity", "ordered_on"), _count_or_day)),
}
"""By heading: the fields that it can be, and what its cells say which of them it is."""
