"""Reading what channels write: each order by itself, so that one that is odd does not lose the others."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import httpx

from tidewind.outside.channels.upstream import Unreadable, UpstreamOrder
from tidewind.outside.errors import NeverSent


def json_of(answer: httpx.Response) -> Any:
    """Return the JSON of an answer.  Raises NeverSent for half a page: reading is asked again without harm."""
    try:
        return answer.json()
    except ValueError as error:
        raise NeverSent("the answer broke off in the middle") from error


def read_each(
    written: Sequence[Mapping[str, Any]], read: Callable[[Mapping[str, Any]], UpstreamOrder], number_field: str
) -> tuple[UpstreamOrder | Unreadable, ...]:
    """Return each order read, or why it could not be."""
    found: list[UpstreamOrder | Unreadable] = []
    for body in written:
        try:
            order = read(body)
        except (KeyError, TypeError, ValueError, AttributeError, ArithmeticError) as error:
            number = str(body.get(number_field, ""))[:60] if isinstance(body, Mapping) else ""
            missing = f"“{error.args[0]}” is missing" if isinstance(error, KeyError) else str(error)[:160]
            found.append(Unreadable(number, missing))
            continue
        possible = order.number and order.lines and all(0 < ln.quantity <= 100_000 for ln in order.lines)
        found.append(order if possible else Unreadable(order.number, "has no number, no items or an odd quantity"))
    return tuple(found)
