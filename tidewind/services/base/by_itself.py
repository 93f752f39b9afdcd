"""Work on many rows of which each is its own affair: what goes wrong with one stays with that one."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

import structlog

log = structlog.get_logger(__name__)
Row = TypeVar("Row")
Done = TypeVar("Done")


def each_by_itself(what: str, rows: Iterable[Row], work: Callable[[Row], Done]) -> dict[Row, Done]:
    """Return what ``work`` made of each row; a fault that nobody foresaw is logged with its row, and the rest go on.

    ``what`` names the work in the log.  Rows are ids or other things that can be keys.
    """
    done = {}
    for row in rows:
        try:
            done[row] = work(row)
        except Exception:  # whatever it is, it must not stop the rows behind it
            log.exception("one of many failed", work=what, row=str(row))
    return done
