"""JSON values of every kind, and ways to put one in the place of a part of others: for tests of what is read."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from typing import Any

from hypothesis import strategies as st

SCALARS = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-5, 10**20),
    st.floats(),
    st.text(max_size=6),
    st.sampled_from([float("inf"), 10**400, "", "PT", "9-1", "not", "\x00", "٣", "2026-02-30", "24:00", "\ud800"]),
)
KEYS = st.sampled_from(["code", "id", "all", "any", "not", "fact", "test", "to", "prices", "by", "kind", "zone", ""])
ANYTHING = st.recursive(SCALARS, lambda part: st.lists(part, max_size=3) | st.dictionaries(KEYS, part, max_size=3))


def paths(value: Any, at: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Return the way to each part of JSON values, the whole first."""
    yield at
    parts = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, part in parts:
        yield from paths(part, (*at, key))


def put(value: Any, path: tuple[Any, ...], new: Any) -> Any:
    """Return JSON values with another part at the end of a way."""
    if not path:
        return new
    inside = whole = copy.deepcopy(value)
    for key in path[:-1]:
        inside = inside[key]
    inside[path[-1]] = new
    return whole
