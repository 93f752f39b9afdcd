"""Files with an order in one row and its items beside each other: “Item 1 SKU, Item 1 quantity, Item 2 SKU, …”."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping, Sequence

from tidewind.core.order_rows.headings import FIELDS

ITEM_FIELDS = ("sku", "item_name", "quantity", "unit_price", "line_total", "weight_g")
_NUMBERED = re.compile(
    r"^(?:(?P<before>[^\d]*?)\s?(?P<n>\d{1,2})\s(?P<behind>[^\d]+)|(?P<alone>[^\d]+?)\s?(?P<m>\d{1,2}))$"
)
# What stands before or behind the number without saying which field it is.
_ITEM = frozenset("item line lineitem product article artikel produto producto produit position pos artigo".split())  # noqa: SIM905
_SHORT = {"name": "item_name", "title": "item_name", "code": "sku", "amount": "quantity", "price": "unit_price"}


def item_columns(names: Sequence[str]) -> list[dict[str, int]]:
    """Return the columns of each numbered item by field, from plain headings; none where items are not numbered so.

    There are at least two items, the first of which says what it is by a SKU: “Address 2” is no second item.
    """
    found: dict[int, dict[str, int]] = defaultdict(dict)
    for at, name in enumerate(names):
        match = _NUMBERED.match(name)
        if match is None:
            continue
        wanted = _field(match["behind"] or match["alone"] or "", match["before"] or "")
        if wanted:
            found[int(match["n"] or match["m"])].setdefault(wanted, at)
    several = [found[n] for n in sorted(found) if "sku" in found[n] or "item_name" in found[n]]
    return several if len(several) > 1 and "sku" in several[0] else []


def _field(word: str, before: str) -> str:
    """Return the field of an item that a heading names beside its number; empty where it names none."""
    plain = word.strip()
    bare = not before or set(before.split()) <= _ITEM
    if not bare:
        return ""
    first, _, rest = plain.partition(" ")
    plain = rest if rest and first in _ITEM else plain
    if before and plain in _SHORT:
        return _SHORT[plain]
    return next((name for name in ITEM_FIELDS if plain in FIELDS[name]), "")


def columns_of_items(columns: Mapping[str, int], items: Sequence[Mapping[str, int]]) -> list[dict[str, int]]:
    """Return the mapping for each item of a row: what belongs to the order, with that item's own columns."""
    order = {name: at for name, at in columns.items() if name not in ITEM_FIELDS}
    return [{**order, **item} for item in items]
