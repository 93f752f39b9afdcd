"""Levels of stock as channels write them: pieces left to sell, by SKU."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import httpx

from tidewind.core.order_limits import SKU, short_text, whole
from tidewind.outside.errors import NeverSent, RefusedOutside
from tidewind.outside.http import json_in

MOST_PIECES = 1_000_000


@dataclass(frozen=True, slots=True)
class LevelsPage:
    """One page of a channel's levels, and where to go on from; what could not be read is left out."""

    left: Mapping[str, int]
    cursor: str
    more: bool


def read_page(answer: httpx.Response) -> LevelsPage:
    """Return the levels of an answer; one without a cursor is the only page.

    Raises NeverSent for half an answer, RefusedOutside for what is none.
    """
    body = _body(answer)
    levels = body.get("levels")
    if not isinstance(levels, list):
        raise RefusedOutside("not_understood", "what it answered are no levels of stock")
    return LevelsPage(read_levels(levels), str(body.get("cursor", ""))[:200], body.get("more") is True)


def read_levels(written: Iterable[Any]) -> dict[str, int]:
    """Return what is left to sell of each article that is written as ``sku`` and ``pieces``; others are left out."""
    found = {}
    for one in written:
        try:
            pieces = whole(one["pieces"], "pieces")
            sku = short_text(one["sku"], SKU, "SKU")
        except (ValueError, KeyError, TypeError):
            continue
        if sku and -MOST_PIECES <= pieces <= MOST_PIECES:
            found[sku] = pieces
    return found


def written_levels(left: Mapping[str, int]) -> dict[str, Any]:
    """Return levels as they are told: nobody can sell less than nothing."""
    return {"levels": [{"sku": sku, "pieces": max(pieces, 0)} for sku, pieces in left.items()]}


def read_unknown(answer: httpx.Response, told: Mapping[str, int]) -> frozenset[str]:
    """Return the articles among those told that the channel says it does not have.  Raises NeverSent."""
    said = _body(answer).get("unknown")
    named = said if isinstance(said, list) else []
    return frozenset(sku for sku in named if isinstance(sku, str) and sku in told)


def _body(answer: httpx.Response) -> Mapping[str, Any]:
    try:
        body = json_in(answer)
    except ValueError as error:
        raise NeverSent("the answer broke off in the middle") from error
    return body if isinstance(body, dict) else {}
