"""Databases cloned from the template before they are asked for, and dropped after the next test has begun."""

from __future__ import annotations

import os
import queue
import threading

import psycopg
from psycopg import sql

AHEAD = 2


class Clones:
    """One process's databases; a thread makes and drops them while tests run."""

    def __init__(self, admin_url: str, template: str) -> None:
        self._admin_url, self._template = admin_url, sql.Identifier(template)
        self._prefix = f"test_{os.environ.get('PYTEST_XDIST_WORKER', 'one')}"
        self._ready: queue.Queue[str | BaseException] = queue.Queue(AHEAD)
        self._used: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._closed = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True)
        self._thread.start()

    def take(self) -> str:
        """Return the name of a fresh database."""
        made = self._ready.get()
        if isinstance(made, BaseException):
            raise made
        return made

    def give_back(self, name: str) -> None:
        """Let a database go; it is dropped some time later."""
        self._used.put(name)

    def close(self) -> None:
        """Stop; the server with all that is left goes with the run's folder."""
        self._closed.set()
        while not self._ready.empty():
            self._ready.get()
        self._thread.join(30)

    def _work(self) -> None:
        number = 0
        try:
            with psycopg.connect(self._admin_url, autocommit=True) as admin:
                while not self._closed.is_set():
                    number += 1
                    name = sql.Identifier(f"{self._prefix}_{number}")
                    command = "create database {} template {} strategy file_copy owner tidewind"
                    admin.execute(sql.SQL(command).format(name, self._template))
                    self._ready.put(f"{self._prefix}_{number}")
                    while not self._used.empty():
                        used = sql.Identifier(self._used.get())
                        admin.execute(sql.SQL("drop database {} with (force)").format(used))
        except BaseException as error:  # it is raised where a database is asked for
            self._ready.put(error)
