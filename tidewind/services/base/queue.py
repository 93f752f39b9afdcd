"""Put a job into the queue on the caller's own transaction: the job exists only if the transaction commits."""

from __future__ import annotations

from typing import Any

import procrastinate
from sqlalchemy import text
from sqlalchemy.orm import Session

from tidewind.db.engine import plain_connection

_WAITS = text("select 1 from procrastinate_jobs where task_name = :task and status = 'todo' limit 1")
_app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


def defer(
    session: Session, task: str, *, lock: str | None = None, in_seconds: int = 0, once: bool = False, **arguments: Any
) -> None:
    """Defer ``task`` with JSON-ready ``arguments``; jobs with the same ``lock`` never run side by side.

    ``once`` leaves it where one waits already: for jobs that go on by deferring themselves, else each that was ever
    begun goes on beside the others.
    """
    session.flush()
    if once and session.execute(_WAITS, {"task": task}).first():
        return
    later = {"seconds": in_seconds} if in_seconds else None
    with plain_connection(session) as connection:
        wanted = _app.configure_task(task, allow_unknown=True, lock=lock, connection=connection, schedule_in=later)
        wanted.defer(**arguments)
