"""Who runs what, in which order: the longest first, each test by whichever process is free.

Tests that share a shop or a browser stay together, since what they share is started once for each process that has
some of them.  Everything else is handed out one by one, so that no process is left with a long file at the end.
"""

from __future__ import annotations

from typing import Any

import pytest
from xdist.scheduler import LoadScopeScheduling

from tests.run.length import LONG

TOGETHER = ("tests/browser/", "tests/conformance/test_carriers.py", "tests/running/test_two_machines.py")
FIRST = ("tests/running/", "tests/browser/", "tests/web/", "tests/services/")


class OneByOne(LoadScopeScheduling):  # type: ignore[misc]
    """Hands out files whose tests share something, and single tests of all others."""

    def _split_scope(self, nodeid: str) -> str:
        return nodeid.split("::", maxsplit=1)[0] if nodeid.startswith(TOGETHER) else nodeid


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> OneByOne:
    config.option.loadscopereorder = False
    return OneByOne(config, log)


def _turn(item: pytest.Item) -> tuple[int, int]:
    slow = item.get_closest_marker("slow")
    place = next((n for n, start in enumerate(FIRST) if item.nodeid.startswith(start)), len(FIRST))
    return (0 if slow else 1), place


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    late = [] if LONG else [item for item in items if item.get_closest_marker("long")]
    if late:  # walks, storms and the same once more in every phase: the long run has them
        config.hook.pytest_deselected(items=late)
        items[:] = [item for item in items if not item.get_closest_marker("long")]
    for item in items:
        slow = item.get_closest_marker("slow")
        assert slow is None or slow.args, f"{item.nodeid} is slow and does not say why"
    if any(item.nodeid.startswith("tests/browser/") for item in items):
        # A file is handed out where its first test stands: its slow ones must not be torn from the others.
        together = {i.nodeid.split("::")[0] for i in items if i.nodeid.startswith(TOGETHER)}
        items.sort(key=lambda i: (0, 0) if i.nodeid.split("::")[0] in together else _turn(i))
        return
    items.sort(key=_turn)
