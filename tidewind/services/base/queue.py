"""Put a job into the queue on the caller's own transaction: the job exists only if the transaction commits."""

from __future__ import annotations

from typing import Any

import procrastinate
from sqlalchemy.orm import Session

from tidewind.db.engine import plain_connection

_app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


def defer(session: Session, task: str, *, lock: str | None = None, in_seconds: int = 0, **arguments: Any) -> None:
    """Defer ``task`` with JSON-ready ``arguments``; jobs with the same ``lock`` never run side by side."""
    session.flush()
    later = {"seconds": in_seconds} if in_seconds else None
    with plain_connection(session) as connection:
        wanted = _app.configure_task(task, allow_unknown=True, lock=lock, connection=connection, schedule_in=later)
        wanted.defer(**arguments)
