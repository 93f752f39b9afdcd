"""Work that the database ended because of somebody else's is done again from its beginning, and nobody sees a fault."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from functools import wraps
from typing import Final, ParamSpec, TypeVar

import structlog

from tidewind.db.clashes import is_clash

log = structlog.get_logger(__name__)
Given = ParamSpec("Given")
Done = TypeVar("Done")
TRIES: Final = 4


def pause_s(turn: int) -> float:
    """Return how long to wait before another try: longer each time, and not as long as whoever was in the way."""
    longest: float = 0.06 * 2.0**turn
    return random.uniform(longest / 4, longest)  # noqa: S311, nothing secret hangs on it


def tried_again(work: Callable[Given, Done]) -> Callable[Given, Done]:
    """Return ``work`` as it is tried again, up to four times, where another transaction was in its way.

    It must begin its own transactions, and find what it has done already: whatever can be killed half-way does.
    """

    @wraps(work)
    def trying(*given: Given.args, **named: Given.kwargs) -> Done:
        for turn in range(TRIES - 1):
            try:
                return work(*given, **named)
            except Exception as error:
                if not is_clash(error):
                    raise
                log.info("tried again after a clash", work=getattr(work, "__name__", str(work)), turn=turn + 1)
                time.sleep(pause_s(turn))
        return work(*given, **named)

    return trying
