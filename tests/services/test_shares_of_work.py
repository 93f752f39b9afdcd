"""Workers share one long piece of replanning: every order is looked at, whoever dies on the way, and counted once."""

from __future__ import annotations

import threading
from datetime import datetime

import pytest
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, sessionmaker

from tests.conftest import Clock
from tidewind.db.tables import Order, Work
from tidewind.services.planning import Scope, go_on_replanning, is_done, replanning
from tidewind.services.planning.plans import waiting_clause
from tidewind.services.planning.shares import TIME_FOR_A_SHARE, Share, give_back, take_share
from tidewind.web.access import Wiring

EARLY = datetime.fromisoformat("2026-11-22T10:00+00:00")


@pytest.fixture(autouse=True)
def _small_chunks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(replanning, "CHUNK", 7)


def piece(sessions: sessionmaker[Session]) -> tuple[int, int]:
    """Put a piece of work over all waiting orders there; return its id and how many they are."""
    with sessions.begin() as session:
        total = session.scalar(select(func.count(Order.id)).where(waiting_clause())) or 0
        work = Work(kind="replan", words="", total=total, state="waiting", done=0, cursor=0, scope=Scope().written)
        session.add(work)
        session.execute(update(Order).values(planned_at=EARLY, plan_version=0, desk="nowhere"))
        session.flush()
        return work.id, total


def state_of(sessions: sessionmaker[Session], work_id: int) -> tuple[str, int, int]:
    with sessions() as session:
        work = session.get_one(Work, work_id)
        return work.state, work.done, len(work.shares)


def untouched(sessions: sessionmaker[Session]) -> int:
    with sessions() as session:
        return session.scalar(select(func.count(Order.id)).where(waiting_clause(), Order.desk == "nowhere")) or 0


def take(wiring: Wiring, work_id: int, by: str, at: datetime) -> Share | None:
    return take_share(wiring.sessions, work_id, by, replanning._next_end, at)


def test_a_share_left_lying_is_done_by_the_same_name_or_by_another_in_time(wiring: Wiring, clock: Clock) -> None:
    work_id, total = piece(wiring.sessions)
    first, second = take(wiring, work_id, "a", clock()), take(wiring, work_id, "b", clock())
    assert first
    assert second
    assert (first.after, first.up_to) == (0, second.after)
    assert take(wiring, work_id, "a", clock()) == first  # a died and comes back: its own again, no other
    go_on_replanning(wiring.sessions, work_id, clock, "c")  # c does all the rest, but neither a's nor b's
    assert state_of(wiring.sessions, work_id) == ("running", total - 14, 2)
    assert untouched(wiring.sessions) == 14
    clock.move(seconds=TIME_FOR_A_SHARE.total_seconds() + 1)
    go_on_replanning(wiring.sessions, work_id, clock, "d")  # nobody came back in time
    assert state_of(wiring.sessions, work_id) == ("done", total, 0)
    assert untouched(wiring.sessions) == 0
    give_back(wiring.sessions, work_id, first, 7, 7)  # a was only slow: it is counted already
    assert state_of(wiring.sessions, work_id) == ("done", total, 0)
    assert take(wiring, work_id, "a", clock()) is None
    with wiring.sessions() as session:
        assert (is_done(session, work_id), is_done(session, work_id + 1)) == (True, False)


def test_four_at_once_look_at_every_order_once(wiring: Wiring, clock: Clock) -> None:
    work_id, total = piece(wiring.sessions)
    workers = [
        threading.Thread(target=go_on_replanning, args=(wiring.sessions, work_id, clock, f"w{n}")) for n in range(4)
    ]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    assert state_of(wiring.sessions, work_id) == ("done", total, 0)
    assert untouched(wiring.sessions) == 0
    with wiring.sessions() as session:
        versions = session.scalars(select(Order.plan_version).where(waiting_clause())).all()
        assert set(versions) <= {0, 1}  # nothing was planned twice


def test_a_share_that_fails_stays_for_the_next_try(
    wiring: Wiring, clock: Clock, monkeypatch: pytest.MonkeyPatch
) -> None:
    work_id, total = piece(wiring.sessions)

    def breaks(*_: object) -> None:
        raise RuntimeError("the power went")

    with monkeypatch.context() as patch:
        patch.setattr(replanning, "write_plans", breaks)
        with pytest.raises(RuntimeError):
            go_on_replanning(wiring.sessions, work_id, clock, "a")
    assert state_of(wiring.sessions, work_id) == ("running", 0, 1)
    go_on_replanning(wiring.sessions, work_id, clock, "a")
    assert state_of(wiring.sessions, work_id) == ("done", total, 0)
    assert untouched(wiring.sessions) == 0
