"""Reading what channels write: each order by itself, so that one that is odd does not lose the others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

import httpx

from tidewind.core.order_limits import NUMBER, storable, whole
from tidewind.outside.channels.upstream import Counts, Unreadable, UpstreamOrder
from tidewind.outside.errors import NONSENSE, NeverSent, RefusedOutside
from tidewind.outside.http import json_in


def json_of(answer: httpx.Response) -> Any:
    """Return the JSON of an answer.  Raises NeverSent for half a page: reading is asked again without harm."""
    try:
        return json_in(answer)
    except ValueError as error:
        raise NeverSent("the answer broke off in the middle") from error


@contextmanager
def as_agreed(what: str) -> Iterator[None]:
    """Refuse an answer that is not written as was agreed.  Raises RefusedOutside, which names what makes no sense."""
    try:
        yield
    except NONSENSE as error:
        raise RefusedOutside("not_understood", f"{what} make no sense: {_why(error)}") from error


def read_counts(states: Mapping[str, Any], payments: Mapping[str, Any]) -> Counts:
    """Return how many orders a channel has in each of its states.  Raises ValueError, TypeError or AttributeError."""
    both = ({storable(word)[:NUMBER]: whole(n, "count") for word, n in said.items()} for said in (states, payments))
    return Counts(*both)


def read_each(
    written: Sequence[Mapping[str, Any]], read: Callable[[Mapping[str, Any]], UpstreamOrder], number_field: str
) -> tuple[UpstreamOrder | Unreadable, ...]:
    """Return each order read, or why it could not be."""
    found: list[UpstreamOrder | Unreadable] = []
    for body in written:
        try:
            order = read(body)
        except (*NONSENSE, RecursionError) as error:
            found.append(_aside(body, number_field, _why(error)))
            continue
        if order.number and order.lines:
            found.append(order)
        else:
            found.append(_aside(body, number_field, "it has no items" if order.number else "it has no number"))
    return tuple(found)


def _why(error: Exception) -> str:
    if isinstance(error, KeyError):
        return f"“{storable(error.args[0])}” is missing"
    if isinstance(error, ValueError) and str(error):
        return storable(error)[:160]
    return f"it is not written as expected ({storable(error)[:120]})"


def _aside(body: Any, number_field: str, why: str) -> Unreadable:
    """Return an order that is kept aside: whole, as far as it can be stored."""
    written = body if isinstance(body, Mapping) else {"order": body}
    number = written.get(number_field)
    known = storable(number) if isinstance(number, (str, int)) else ""
    return Unreadable(known[:NUMBER], why, written)
