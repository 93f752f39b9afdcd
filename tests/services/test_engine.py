"""How the database's connections are lent: what they keep, what is let go, and what happens to one that has died."""

from __future__ import annotations

import time
from collections.abc import Iterator

import psycopg
import pytest
from sqlalchemy import Engine, text
from sqlalchemy.exc import OperationalError, ProgrammingError

from tests.conftest import Cluster
from tidewind.db.engine import ByDriver, ask_together, driver_of, make_engine, make_sessions

ASKED = text("select name from shop_of_this_test where n = :n")


@pytest.fixture
def engine(database: str) -> Iterator[Engine]:
    """An engine of one connection, which everybody in a test is lent."""
    one = make_engine(database, pool_size=1)
    with one.begin() as connection:
        connection.execute(text("create table shop_of_this_test (n int primary key, name text)"))
        connection.execute(text("insert into shop_of_this_test select n, 'name ' || n from generate_series(1, 9) n"))
    yield one
    with one.begin() as connection:
        connection.execute(text("drop table shop_of_this_test"))
    one.dispose()


def prepared(engine: Engine) -> list[str]:
    """Return the statements that the server has ready on the connection."""
    with engine.connect() as connection:
        return [said for (said,) in driver_of(connection).execute("select statement from pg_prepared_statements")]


def test_statements_stay_prepared_when_a_transaction_is_let_go_and_what_it_wrote_does_not(engine: Engine) -> None:
    sessions = make_sessions(engine)
    for n in range(1, 9):
        with sessions() as session:
            assert session.scalar(ASKED, {"n": n}) == f"name {n}"
            session.execute(text("delete from shop_of_this_test"))
    assert any("shop_of_this_test where n" in said for said in prepared(engine))
    with sessions() as session:
        assert session.scalar(text("select count(*) from shop_of_this_test")) == 9


def test_a_failure_within_a_transaction_leaves_a_connection_that_works(engine: Engine) -> None:
    sessions = make_sessions(engine)
    for _ in range(7):
        with sessions() as session, pytest.raises(ProgrammingError):
            session.scalar(ASKED, {"n": 1})
            session.execute(text("select no_such_column from shop_of_this_test"))
        with sessions.begin() as session, pytest.raises(ProgrammingError):
            session.execute(text("selec"))
        with sessions() as session:
            assert session.scalar(ASKED, {"n": 2}) == "name 2"


def test_statements_asked_together_are_run_one_after_the_other_and_fail_together(engine: Engine) -> None:
    sessions = make_sessions(engine)
    locks = ByDriver(text("update shop_of_this_test set name = :name where n = :n returning n"))
    named = ByDriver(text("select name from shop_of_this_test where n = :n"))
    failing = ByDriver(text("select 1 / (:n - 3)"))
    for n in range(1, 10):
        with sessions() as session:
            given = {"n": n, "name": f"new {n}"}
            assert ask_together(session.connection(), given, locks, named) == ([(n,)], [(f"new {n}",)])
            if n == 3:
                with pytest.raises(psycopg.errors.DivisionByZero):
                    ask_together(session.connection(), given, named, failing, named)
        with sessions() as session:
            assert named.all(session.connection(), {"n": n}) == [(f"name {n}",)]


@pytest.mark.parametrize("rested", [0, 0.15], ids=["in use a moment ago", "rested"])
def test_a_connection_that_died_costs_at_most_the_one_who_was_lent_it(
    engine: Engine, cluster: Cluster, rested: float
) -> None:
    sessions = make_sessions(engine)
    with sessions() as session:
        backend = session.scalar(text("select pg_backend_pid()"))
    with psycopg.connect(cluster.admin_url, autocommit=True) as other:
        other.execute("select pg_terminate_backend(%s, 5000)", (backend,))
    time.sleep(rested)
    failed = 0
    for n in range(1, 9):
        try:
            with sessions() as session:
                assert session.scalar(ASKED, {"n": n}) == f"name {n}"
        except OperationalError:
            failed += 1
    assert failed <= (0 if rested else 1)
