"""The demo shop as a folder, loaded once for the whole run with some history and once without; who needs a shop of real processes has a copy of it."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from tests.run.folder import first, shared
from tests.run.mother import mother
from tidewind.running.children import Child
from tidewind.running.cluster import FAST_FOR_TESTS, free_port
from tidewind.running.supervisor import Supervisor

DAYS = 20


@contextmanager
def forked() -> Iterator[None]:
    """Shops started meanwhile are forks of one process that has read the program's modules."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Child, "start", lambda *given: mother().start(*given))
        yield


def copy_demo(folder: Path, days: int = DAYS) -> Path:
    """Copy the demo shop with so many days of history into a folder; return the copy, which nothing runs on."""
    kept = shared() / f"demo-{days}"
    with first(f"demo-{days}") as mine:
        if mine:
            kept.mkdir()
            made = Supervisor(kept / "shop", free_port(), demo=True, fast=FAST_FOR_TESTS, history_days=days)
            with forked():
                try:
                    made.up()
                finally:
                    made.down()
    # The database's files belong to another user where root runs the tests: cp keeps that.
    subprocess.run(["cp", "-a", str(kept / "shop"), folder], check=True)
    return folder / "shop"
