"""Bring a database to the newest form."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine

HERE = Path(__file__).parent / "migrations"


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
        settings.attributes["connection"] = connection
        command.upgrade(settings, "head")
