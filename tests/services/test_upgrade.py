"""A database of an older version comes up to date with everything in it, and the tables are what the program takes them for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Connection, Engine, text

from tidewind.db import tables
from tidewind.db.base import Base
from tidewind.db.engine import make_engine
from tidewind.db.migrate import config, migrate


@pytest.fixture
def engine(database: str) -> Iterator[Engine]:
    made = make_engine(database)
    yield made
    made.dispose()


def move(connection: Connection, to: str) -> None:
    settings = config()
    settings.attributes["connection"] = connection
    (command.upgrade if to == "head" else command.downgrade)(settings, to)


def rows(connection: Connection, sql: str) -> list[tuple[Any, ...]]:
    return [tuple(row) for row in connection.execute(text(sql))]


def test_the_tables_are_what_the_program_takes_them_for(engine: Engine) -> None:
    assert tables.__all__
    with engine.connect() as connection:
        mine = {table.name for table in Base.metadata.sorted_tables}
        context = MigrationContext.configure(
            connection,
            opts={"compare_type": True, "include_name": lambda name, kind, _: kind != "table" or name in mine},
        )
        assert compare_metadata(context, Base.metadata) == []


def test_one_account_a_carrier_becomes_an_account_of_its_own(engine: Engine) -> None:
    accounts = "select c.code, a.number, a.discounts_bp, a.payer from carrier c join carrier_account a on a.carrier_id = c.id order by a.id"
    with engine.begin() as connection:
        before, orders = (
            rows(connection, accounts),
            rows(connection, "select count(*), sum(price_minor) from customer_order"),
        )
        move(connection, "0006")
        older = "select code, account_number, discounts_bp, payer from carrier_account order by id"
        assert rows(connection, older) == [row for row in before if row[1] != "447-2210"]  # of several the first stays
        assert rows(connection, "select count(*) from rate_card where account_id is not null") == [(5,)]
        move(connection, "head")
        assert rows(connection, accounts) == [row for row in before if row[1] != "447-2210"]
        assert rows(connection, "select count(*), sum(price_minor) from customer_order") == orders
        assert rows(connection, "select cover from shop") == [({},)]
        assert rows(connection, "select balance_minor from ledger_account where code = 'cover'") == [(0,)]
        named = "insert into carrier_account (carrier_id, number, name, discounts_bp, services_off, payer, active)"
        connection.execute(text(f"{named} select id, 'NEW', '', '{{}}', '[]', 'balance', true from carrier limit 1"))


def test_every_step_that_can_be_taken_back_can_be_taken_again(engine: Engine) -> None:
    with engine.begin() as connection:
        connection.execute(
            text("truncate customer_order, channel, rate_card, batch, ledger_entry restart identity cascade")
        )
        for step in ("0007", "0006", "0005", "0004", "0003", "0002"):
            move(connection, step)
            assert rows(connection, "select version_num from alembic_version") == [(step,)]
    migrate(engine)
    with engine.connect() as connection:
        assert rows(connection, "select version_num from alembic_version") == [("0042",)]
        assert rows(connection, "select count(*) from carrier") == [(4,)]


def test_orders_that_went_along_get_the_one_standing_that_they_mean(engine: Engine) -> None:
    with engine.begin() as connection:
        move(connection, "0007")
        ids = [
            row[0] for row in rows(connection, "select id from customer_order where state = 'open' order by id limit 4")
        ]
        host, *others = ids
        before = [("shipped", "", host), ("left_out", "join", host), ("held", "", None)]
        for order_id, (state, by, joined) in zip(others, before, strict=True):
            connection.execute(
                text("update customer_order set state = :s, state_by = :b, joined_to = :j where id = :i"),
                {"s": state, "b": by, "j": joined, "i": order_id},
            )
        move(connection, "head")
        found = rows(connection, f"select state, state_by from customer_order where id in {tuple(others)} order by id")
        assert found == [("shipped", "join"), ("held", "join"), ("held", "person")]
