"""Wrong guesses slow down, by where they come from and by whom they are about, and never lock the right person out.

A browser in which somebody has signed in before is known to be his: guesses elsewhere do not slow it down (OWASP,
*device cookies*).  Elsewhere a guess has to wait longer after each wrong one, up to ten minutes.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from tidewind.db.tables import Attempt
from tidewind.services.base import TooMany

WINDOW = timedelta(minutes=10)
FREE_GUESSES = {"from": 20, "login": 5, "known": 5, "own": 5}
"""How many wrong guesses within the window cost nothing: by address, by login elsewhere, by its own browser, and of
one's own password, asked again."""
FIRST_PAUSE = timedelta(seconds=4)


def keys_of(login: str, source: str, known: str) -> list[str]:
    """Return under what an attempt is counted; ``known`` names the browser, empty where it is not known."""
    return [f"from:{source}", f"known:{known}" if known else f"login:{login}"]


def may_guess(session: Session, keys: Sequence[str], at: datetime) -> None:
    """Raises TooMany with the seconds to wait, while an attempt under one of these keys has to wait."""
    for key in keys:
        counted = select(func.count(), func.max(Attempt.at)).where(Attempt.source == key, Attempt.at > at - WINDOW)
        wrong, last = session.execute(counted).one()
        over = wrong - FREE_GUESSES[key.partition(":")[0]]
        if over < 0:
            continue
        wait = last + min(FIRST_PAUSE * 2 ** min(over, 10), WINDOW) - at
        if wait > timedelta():
            seconds = int(wait.total_seconds()) + 1
            words = f"Too many wrong passwords. Wait {seconds} seconds"
            words += "." if key.startswith("own:") else "; a browser you have used before need not."
            raise TooMany("too_many_guesses", words, seconds)


def count_wrong(session: Session, keys: Sequence[str], at: datetime) -> None:
    """Keep a wrong attempt, and forget those that count no longer."""
    session.execute(delete(Attempt).where(Attempt.at < at - WINDOW))
    session.add_all(Attempt(source=key[:200], at=at) for key in keys)


def forget(session: Session, keys: Sequence[str]) -> None:
    """Forget wrong attempts about somebody who has signed in."""
    session.execute(delete(Attempt).where(Attempt.source.in_([k for k in keys if not k.startswith("from:")])))
