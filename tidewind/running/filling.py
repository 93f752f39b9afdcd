"""A database brought up to date and, in the demo, filled; what was cut off half-way is finished the next time."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager

import psycopg

from tidewind.running.folder import DataFolder
from tidewind.settings import ROOT, Settings, now

MIGRATIONS = ROOT / "tidewind" / "db" / "migrations" / "versions"
FILLED = "filled"
Step = Callable[[str], AbstractContextManager[None]]


def _newest() -> str:
    return max(path.name[:4] for path in MIGRATIONS.glob("[0-9]*.py"))


def _version(database_url: str) -> str | None:
    with psycopg.connect(database_url) as connection:
        try:
            found = connection.execute("select version_num from alembic_version").fetchone()
        except psycopg.errors.UndefinedTable:
            return None
        return str(found[0]) if found else None


def is_newer(database_url: str) -> bool:
    """Tell whether a database was brought to a version that this program does not know."""
    version = _version(database_url)
    return version is not None and version > _newest()


def up_to_date(database_url: str, folder: DataFolder, demo: bool) -> bool:
    """Tell whether every migration has run and, in the demo, everything was loaded."""
    return _version(database_url) == _newest() and (not demo or folder.has(FILLED))


def fill(
    settings: Settings, folder: DataFolder, history_days: int | None, step: Step, go_on: Callable[[], None]
) -> None:
    """Run the migrations; with a number of days, load the demo shop, too, and what it sent in these.

    Each load looks for itself what is there already, and the mark comes last.  ``go_on`` is called where a load can
    be given up, and may raise.
    """
    # Late imports: on most starts none of this is needed.
    from tidewind.app import make_wiring
    from tidewind.db.migrate import migrate
    from tidewind.demo.checkout import open_checkout
    from tidewind.demo.history import load_history
    from tidewind.demo.load import load
    from tidewind.demo.shelves import count_shelves

    wiring = make_wiring(settings)
    try:
        with step("Bringing the database up to date"):
            migrate(wiring.sessions.kw["bind"])
        if history_days is None:
            return
        with step("Loading the demo shop"):
            if load(wiring.sessions, wiring.outside, now()):
                open_checkout(wiring.sessions, settings)
        if history_days:
            with step(f"Loading what the demo shop has sent in the last {history_days} days"):
                load_history(
                    wiring.sessions, now(), history_days, standins_url=settings.standins_url, between_days=go_on
                )
        count_shelves(wiring.sessions, now())  # last: what was sent before lies there no more
        folder.mark(FILLED)
    finally:
        wiring.sessions.kw["bind"].dispose()
        wiring.outside.close()
