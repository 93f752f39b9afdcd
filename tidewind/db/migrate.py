"""Bring a database to the newest form."""

from __future__ import annotations

import re
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, inspect, text

HERE = Path(__file__).parent / "migrations"
OLDER_FOLDERS = HERE / "older_folders.sql"
FIRST, JOINED = "0001", "0042"
"""Versions between these were steps of their own once; a new database begins with the last of them."""


def config() -> Config:
    """Return Alembic's configuration without a file."""
    made = Config()
    made.set_main_option("script_location", str(HERE))
    made.set_main_option("path_separator", "os")
    return made


def migrate(engine: Engine) -> None:
    """Run all migrations that this database has not seen, in one transaction."""
    settings = config()
    with engine.begin() as connection:
        bring_up_older(connection)
        settings.attributes["connection"] = connection
        command.upgrade(settings, "head")


def bring_up_older(connection: Connection) -> None:
    """Bring a database from before the one first migration to the version that this migration makes."""
    if not inspect(connection).has_table("alembic_version"):
        return
    version = connection.scalar(text("select version_num from alembic_version"))
    if version is None or not FIRST <= version < JOINED:
        return
    for mark, statements in older_steps():
        if mark > version:
            connection.exec_driver_sql(statements)
    connection.execute(text("update alembic_version set version_num = :joined"), {"joined": JOINED})


def older_steps() -> list[tuple[str, str]]:
    """Return the steps of older versions in their order: the version that each leads to, and its SQL."""
    parts = re.split(r"^-- (\d{4}): .*$", OLDER_FOLDERS.read_text("utf-8"), flags=re.MULTILINE)
    return list(zip(parts[1::2], parts[2::2], strict=True))
