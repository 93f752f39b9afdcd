"""How much a run tries: a short one the same examples every time, a long one many more and new ones.

``bin/test long`` sets TIDEWIND_TESTS=long.  Its seeds begin anywhere, at the figure that the report prints; with
TIDEWIND_SEED=that figure they are the same once more.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Sequence
from typing import TypeVar

Thing = TypeVar("Thing")

LONG = os.environ.get("TIDEWIND_TESTS") == "long"
# The other processes of the run inherit what its first one chose.
SEED = int(os.environ.setdefault("TIDEWIND_SEED", str(secrets.randbelow(1_000_000) if LONG else 0)))


def examples(short: int) -> int:
    """Return how many examples of a property are tried, of which a short run tries ``short``."""
    return short * 8 if LONG else short


def seeds(short: int, long: int | None = None) -> range:
    """Return where random walks begin."""
    return range(SEED, SEED + (long or short * 6)) if LONG else range(short)


def some(things: Sequence[Thing], turn: int, one_in: int = 3) -> Sequence[Thing]:
    """Return all of them in a long run; in a short one each third, beginning with others at each turn."""
    return things if LONG else things[turn % min(one_in, len(things)) :: one_in] if things else things
