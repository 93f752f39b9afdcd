"""A folder of an older version comes up to date with everything in it, and the tables are what the program takes them for."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from procrastinate.schema import SchemaManager
from sqlalchemy import Connection, Engine, inspect, text

from tidewind.db import migrations, tables
from tidewind.db.base import Base
from tidewind.db.engine import make_engine
from tidewind.db.migrate import migrate, older_steps
from tidewind.running.cluster import Cluster, programs

NEWEST = max(file.name[:4] for file in Path(migrations.__file__).parent.glob("versions/0*.py"))
FIRST_VERSION = Path(__file__).with_name("first_version.sql")
EMPTY = {"JSONB": "{}", "BOOLEAN": "true", "BIGINT": "0", "INTEGER": "0", "TIMESTAMP": "2026-11-23T10:00Z"}


@pytest.fixture
def engines(cluster: Cluster) -> Iterator[tuple[Engine, Engine]]:
    """Two empty databases: one for an older folder, one for a new one."""
    names = [f"{age}_{os.getpid()}" for age in ("older", "newer")]
    with psycopg.connect(cluster.admin_url, autocommit=True) as admin:
        for name in names:
            admin.execute(f"create database {name} owner tidewind")
        made = [make_engine(f"{cluster.url.rsplit('/', 1)[0]}/{name}") for name in names]
        yield made[0], made[1]
        for engine, name in zip(made, names, strict=True):
            engine.dispose()
            admin.execute(f"drop database {name} with (force)")


def version_one(connection: Connection) -> None:
    connection.exec_driver_sql(FIRST_VERSION.read_text("utf-8"))
    connection.exec_driver_sql(SchemaManager.get_schema())
    connection.exec_driver_sql(
        "create table alembic_version (version_num varchar(32) constraint alembic_version_pkc primary key)"
    )
    connection.exec_driver_sql("insert into alembic_version values ('0001')")


def bring_to(connection: Connection, version: str) -> None:
    """Bring a folder of version one to a later one, as the program of that day did."""
    for mark, statements in older_steps():
        if mark <= version:
            connection.exec_driver_sql(statements)
    connection.execute(text("update alembic_version set version_num = :v"), {"v": version})


def insert(connection: Connection, table: str, **values: Any) -> int:
    """Write a row, with something plain in every other column that must not be empty; return its id."""
    given = dict(values)
    for column in inspect(connection).get_columns(table):
        if not (column["nullable"] or column["default"] or column["name"] in given):
            given[column["name"]] = EMPTY.get(str(column["type"]).split("(")[0], "")
    into, marks = ", ".join(given), ", ".join(f":{name}" for name in given)
    return int(connection.scalar(text(f"insert into {table} ({into}) values ({marks}) returning id"), given) or 0)


def rows(connection: Connection, sql: str) -> list[tuple[Any, ...]]:
    return [tuple(row) for row in connection.execute(text(sql))]


def schema_of(engine: Engine) -> list[str]:
    """Everything that a database is made of but its rows, line by line in one order."""
    url = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    dump = subprocess.run(
        [str(programs() / "pg_dump"), "--schema-only", "--no-owner", "--restrict-key=x", url],
        capture_output=True,
        text=True,
        check=True,
    )
    # A column that was added later stands behind the others, and the bodies of functions were indented deeper once.
    return sorted({line.strip().rstrip(",").replace("'0'::bigint", "0") for line in dump.stdout.splitlines()})


def test_the_tables_are_what_the_program_takes_them_for(database: str) -> None:
    assert tables.__all__
    engine = make_engine(database)
    with engine.connect() as connection:
        mine = {table.name for table in Base.metadata.sorted_tables}
        context = MigrationContext.configure(
            connection,
            opts={"compare_type": True, "include_name": lambda name, kind, _: kind != "table" or name in mine},
        )
        assert compare_metadata(context, Base.metadata) == []
    engine.dispose()


def test_the_first_folders_come_up_to_the_tables_of_a_new_one_and_keep_what_was_in_them(
    engines: tuple[Engine, Engine],
) -> None:
    older, newer = engines
    with older.begin() as connection:
        version_one(connection)
        insert(connection, "carrier_account", code="norvia", account_number="447-1", discounts_bp='{"economy": 500}')
        channel = insert(connection, "channel", code="web", name="Web shop", kind="store")
        insert(connection, "customer_order", channel_id=channel, number="A-1", state="open", price_minor=610)
        insert(connection, "shop", name="Larkspur", currency="EUR", policy="own", id=1)
    migrate(older)
    migrate(newer)
    assert schema_of(older) == schema_of(newer)
    with older.connect() as connection:
        account = "select c.code, a.number, a.discounts_bp from carrier c join carrier_account a on a.carrier_id = c.id"
        assert rows(connection, account) == [("norvia", "447-1", {"economy": 500})]
        assert rows(connection, "select number, price_minor, payment from customer_order") == [("A-1", 610, "paid")]
        assert rows(connection, "select name, cover from shop") == [("Larkspur", {})]
    for table in ("ledger_account", "checkout_stamp", "alembic_version"):
        with older.connect() as one, newer.connect() as other:
            every = f"select * from {table} order by 1"
            assert rows(one, every) == rows(other, every) != []
    migrate(older)  # and what is up to date stays as it is
    with older.connect() as connection:
        assert rows(connection, "select version_num from alembic_version") == [(NEWEST,)]


def test_orders_that_went_along_get_the_one_standing_that_they_mean(engines: tuple[Engine, Engine]) -> None:
    with engines[0].begin() as connection:
        version_one(connection)
        bring_to(connection, "0007")
        channel = insert(connection, "channel", code="web", name="Web shop", kind="store")
        host = insert(connection, "customer_order", channel_id=channel, number="A-0", state="open")
        for number, state, by, joined in (
            ("A-1", "shipped", "", host),
            ("A-2", "left_out", "join", host),
            ("A-3", "held", "", None),
        ):
            order = {"number": number, "state": state, "state_by": by, "joined_to": joined}
            insert(connection, "customer_order", channel_id=channel, **order)
    migrate(engines[0])
    with engines[0].connect() as connection:
        found = rows(connection, "select number, state, state_by from customer_order where number <> 'A-0' order by 1")
        assert found == [("A-1", "shipped", "join"), ("A-2", "held", "join"), ("A-3", "held", "person")]
