"""Statements are put together once a process: every test has an engine of its own, and all of them the same dialect."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlalchemy import Engine

from tidewind.db import engine as engines

_first: list[Engine] = []


def share() -> None:
    """Let every engine that is made from now on have what the first one has put together."""
    engines.create_engine = _sharing(engines.create_engine)


def _sharing(create: Callable[..., Engine]) -> Callable[..., Engine]:
    def made(*given: Any, **more: Any) -> Engine:
        engine = create(*given, **more)
        if not _first:
            _first.append(engine)
        elif _first[0].dialect.server_version_info is not None:  # it has met the server
            engine.dialect, engine._compiled_cache = _first[0].dialect, _first[0]._compiled_cache
        return engine

    return made
