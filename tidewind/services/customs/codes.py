"""Finding a customs code by everyday words, with what the shop has chosen before, and a better description."""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import lru_cache
from importlib.resources import files

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.customs.codes import CodeSearch, Entry, Hit, read_entries
from tidewind.core.customs.vague import better_text, why_vague
from tidewind.db.tables import Product
from tidewind.services.planning import shop_settings

MOST_OWN = 5_000
_search: dict[tuple[int, int], CodeSearch] = {}  # by how many products have a code, and a sum over what they say


@lru_cache(maxsize=1)
def _entries() -> tuple[Entry, ...]:
    text = (files("tidewind.data") / "customs" / "codes.json").read_text(encoding="utf-8")
    written = json.loads(text)
    return read_entries(written["entries"], written["chapters"])


def find_codes(session: Session, text: str, limit: int = 5) -> Sequence[Hit]:
    """Return the codes that a text in everyday words most likely means; what the catalogue says weighs too."""
    coded = Product.hs_code != ""
    said = func.coalesce(func.sum(func.hashtext(Product.name + "\n" + Product.hs_code)), 0)
    stamp = session.execute(select(func.count(), said).where(coded)).one()
    key = int(stamp[0]), int(stamp[1])
    if key not in _search:
        own = session.execute(select(Product.name, Product.hs_code).where(coded).limit(MOST_OWN))
        _search.clear()
        _search[key] = CodeSearch(_entries(), [(name, code) for name, code in own])
    return _search[key].find(text[:200], limit)


def suggest_text(session: Session, sku: str, text: str = "") -> tuple[tuple[str, ...], str]:
    """Return why a product's description is vague (nothing where it would do), and a better one or nothing.

    ``text`` is looked at instead of what the product says, while somebody types.
    """
    product = session.scalar(select(Product).where(Product.sku == sku))
    said = text or (product.customs_text if product else "")
    why = why_vague(said, shop_settings(session).brand)
    better = better_text(product.name, product.material, product.used_for) if product and why else ""
    return why, better
