"""Work on many rows of which each is its own affair: what goes wrong with one stays with that one."""

from __future__ import annotations

import time
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import structlog

from tidewind.outside.errors import MaybeDone, NeverSent
from tidewind.services.base.again import tried_again

log = structlog.get_logger(__name__)
Row = TypeVar("Row")
Done = TypeVar("Done")
PARTIES_AT_ONCE = 8
SHARE_S = 60.0
"""So long one party may take of a round; what is left of it comes in the next one (shop policy)."""


def each_by_itself(what: str, rows: Iterable[Row], work: Callable[[Row], Done]) -> dict[Row, Done]:
    """Return what ``work`` made of each row; a fault that nobody foresaw is logged with its row, and the rest go on.

    ``what`` names the work in the log.  Rows are ids or other things that can be keys.
    """
    done = {}
    for row in rows:
        try:
            done[row] = tried_again(work)(row)
        except Exception:  # whatever it is, it must not stop the rows behind it
            log.exception("one of many failed", work=what, row=str(row))
    return done


def side_by_side(
    what: str,
    due: Mapping[Row, Hashable],
    work: Callable[[Row], Done],
    left: Done | None = None,
    unheard_at_most: int = 3,
) -> dict[Row, Done]:
    """Return what ``work`` made of each row that is due by the party outside that it asks; parties are asked together.

    The rows of one party are taken one after the other.  A party that cannot be reached (NeverSent), does not answer
    several times running (MaybeDone: once may be the row's fault), or has used its share of the round is left alone
    until the next: its rows stay due (``left`` is said of them, if anything is), and it holds up nobody else's.
    """
    parties: dict[Hashable, list[Row]] = {}
    for row, party in due.items():
        parties.setdefault(party, []).append(row)

    def take(rows: Sequence[Row]) -> dict[Row, Done]:
        done: dict[Row, Done] = {}
        waiting, unheard, ends = list(rows), 0, time.monotonic() + SHARE_S
        for row in rows:
            if unheard >= unheard_at_most or time.monotonic() >= ends:
                break
            try:
                done[row] = tried_again(work)(row)
            except NeverSent:
                break
            except MaybeDone:
                unheard += 1
                continue
            except Exception:  # whatever it is, it must not stop the rows behind it
                log.exception("one of many failed", work=what, row=str(row))
            waiting.remove(row)
            unheard = 0
        return done if left is None else done | dict.fromkeys(waiting, left)

    if len(parties) < 2:
        return {row: made for rows in parties.values() for row, made in take(rows).items()}
    with ThreadPoolExecutor(min(len(parties), PARTIES_AT_ONCE), thread_name_prefix=what.replace(" ", "-")) as threads:
        return {row: made for part in threads.map(take, parties.values()) for row, made in part.items()}
