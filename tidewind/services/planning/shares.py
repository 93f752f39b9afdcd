"""Workers take shares of one long piece of work in short transactions of their own, so that they work side by side.

A share is a range of order ids.  It is kept with the work until it is done; who died with one finds it again when the
job is run anew, or somebody else does once its time is over.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta

from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Work

TIME_FOR_A_SHARE = timedelta(minutes=10)


@dataclass(frozen=True, slots=True)
class Share:
    """The orders after one id up to another, whose they are and until when."""

    by: str
    after: int
    up_to: int
    until: str


UpTo = Callable[[Session, Work], int | None]
"""Says up to which order id the next share of a piece of work goes; None where nothing is left."""


def take_share(sessions: sessionmaker[Session], work_id: int, by: str, up_to: UpTo, now: datetime) -> Share | None:
    """Take the next share of a piece of work, or one that was left lying; None where there is none to take.

    The work is done when nothing is left and nobody has a share of it any more.
    """
    with sessions.begin() as session:
        work = session.get(Work, work_id, with_for_update=True)
        if work is None or work.state == "done":
            return None
        shares = [Share(**written) for written in work.shares]
        left = next((s for s in shares if s.by == by or datetime.fromisoformat(s.until) < now), None)
        end = left.up_to if left else up_to(session, work)
        if end is None:
            if not shares:
                work.state, work.total = "done", work.done
            return None
        after, work.cursor = (left.after, work.cursor) if left else (work.cursor, end)
        mine = Share(by, after, end, (now + TIME_FOR_A_SHARE).isoformat())
        work.shares = [asdict(share) for share in (*(s for s in shares if s != left), mine)]
        work.state = "running"
        return mine


def give_back(sessions: sessionmaker[Session], work_id: int, mine: Share, looked: int, changed: int) -> None:
    """Note that a share is done: how many orders were looked at and how many have another plan."""
    with sessions.begin() as session:
        work = session.get(Work, work_id, with_for_update=True)
        if work is None or asdict(mine) not in work.shares:
            return  # it took too long: somebody else has it now, and counts it
        work.shares = [written for written in work.shares if written != asdict(mine)]
        work.done += looked
        work.result = str((int(work.result) if work.result.isdigit() else 0) + changed)
