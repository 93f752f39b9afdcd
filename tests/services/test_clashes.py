"""Transactions in each other's way: the one that the database ends is done again, and nobody sees a fault."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import httpx
import psycopg
import pytest
from fastapi import FastAPI, Request
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker
from starlette.responses import JSONResponse, StreamingResponse

from tests.run.in_process import client_of
from tidewind.db.clashes import is_clash
from tidewind.services.base import TRIES, each_by_itself, tried_again
from tidewind.web import problems
from tidewind.web.access import Wiring
from tidewind.web.again import MOST_KEPT, Again


def raised(inner: Exception) -> Exception:
    return OperationalError("update", {}, inner)


DEADLOCK, OTHERWISE = raised(psycopg.errors.DeadlockDetected()), raised(psycopg.errors.SerializationFailure())
AWAY, TWICE = raised(psycopg.OperationalError("gone")), IntegrityError("x", {}, psycopg.errors.UniqueViolation())


@pytest.mark.parametrize(
    ("error", "clash"), [(DEADLOCK, True), (OTHERWISE, True), (AWAY, False), (TWICE, False), (ValueError(), False)]
)
def test_only_what_another_transaction_caused_is_tried_again(error: Exception, clash: bool) -> None:
    asked = []

    def work(row: int) -> int:
        asked.append(row)
        if len(asked) < TRIES:
            raise error
        return row

    assert is_clash(error) is clash
    assert each_by_itself("test", [7], work) == ({7: 7} if clash else {})
    assert len(asked) == (TRIES if clash else 1)


def test_it_ends_where_somebody_is_always_in_the_way() -> None:
    asked = []

    @tried_again
    def work() -> None:
        asked.append(1)
        raise DEADLOCK

    with pytest.raises(OperationalError):
        work()
    assert len(asked) == TRIES


def test_two_that_lock_the_same_rows_crosswise_both_get_their_work_done(wiring: Wiring) -> None:
    with wiring.sessions.begin() as session:
        session.execute(text("create table crossing (id int primary key, n int not null)"))
        session.execute(text("insert into crossing values (1, 0), (2, 0)"))
    meeting, first = threading.Barrier(2), threading.local()

    @tried_again
    def step(sessions: sessionmaker[Session], one: int, other: int) -> None:
        with sessions.begin() as session:
            session.execute(text("update crossing set n = n + 1 where id = :id"), {"id": one})
            if not getattr(first, "met", False):
                first.met = True
                meeting.wait(timeout=30)
            session.execute(text("update crossing set n = n + 1 where id = :id"), {"id": other})

    both = [threading.Thread(target=step, args=(wiring.sessions, *way)) for way in ((1, 2), (2, 1))]
    for one in both:
        one.start()
    for one in both:
        one.join()
    with wiring.sessions() as session:
        assert session.scalars(text("select n from crossing order by id")).all() == [2, 2]


@pytest.fixture
def asked() -> list[bytes]:
    return []


@pytest.fixture
def client(asked: list[bytes]) -> Iterator[httpx.Client]:
    """An application whose routes meet ``clashes`` others before they are done."""
    app = FastAPI()
    problems.install(app)

    @app.post("/deed")
    async def deed(request: Request, clashes: int) -> JSONResponse:
        asked.append(await request.body())
        if len(asked) <= clashes:
            raise DEADLOCK
        return JSONResponse({"tries": len(asked)})

    @app.get("/stream")
    def stream() -> StreamingResponse:
        return StreamingResponse(iter([b"one ", b"two"]))

    app.add_middleware(Again)
    with client_of(app, "http://shop.test") as made:
        yield made


@pytest.mark.parametrize(
    ("clashes", "size", "status", "tries"),
    [(0, 10, 200, 1), (1, 10, 200, 2), (TRIES - 1, MOST_KEPT, 200, TRIES), (TRIES, 10, 503, TRIES), (1, 0, 200, 2),
     (1, MOST_KEPT + 1, 503, 1)],
)  # fmt: skip
def test_a_request_is_read_whole_at_each_try_and_answered_once(
    client: httpx.Client, asked: list[bytes], clashes: int, size: int, status: int, tries: int
) -> None:
    answer = client.post("/deed", params={"clashes": clashes}, content=b"x" * size)
    assert (answer.status_code, len(asked), {len(body) for body in asked}) == (status, tries, {size})
    if status == 503:
        assert answer.headers["Retry-After"] == "1"
        assert answer.json()["code"] == "busy"
    assert client.get("/stream").text == "one two"
