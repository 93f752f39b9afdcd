"""Alembic's environment: runs on the connection it is handed."""

from alembic import context

from tidewind.db import tables
from tidewind.db.base import Base

assert tables.__all__  # noqa: S101 - the import registers the tables


def run() -> None:
    context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()


run()
