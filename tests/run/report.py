"""What a run says at its end: where its time went, part by part, and which tests and setups took longest."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

import pytest

from tests.run.length import LONG, SEED

MOST_S = 20.0
"""A test of a short run that takes longer says why, by the mark ``slow``."""
_took: dict[tuple[str, str], float] = defaultdict(float)
_says_why = set[str]()


@pytest.hookimpl
def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    _took[report.nodeid, report.when or ""] += report.duration
    if "slow" in report.keywords:
        _says_why.add(report.nodeid)


def pytest_terminal_summary(terminalreporter: Any, config: pytest.Config) -> None:
    if hasattr(config, "workerinput") or not _took:
        return
    write = terminalreporter.write_line
    parts: dict[str, list[float]] = defaultdict(lambda: [0.0, 0.0, 0])
    for (nodeid, when), seconds in _took.items():
        part = parts["/".join(nodeid.split("::")[0].split("/")[:2])]
        part[0 if when == "call" else 1] += seconds
        part[2] += when == "call"
    terminalreporter.section("where the time went, in seconds of all processes together")
    write(f"{'':34}{'tests':>7}{'test':>9}{'set-up':>9}")
    for name, (call, around, count) in sorted(parts.items(), key=lambda one: -one[1][0] - one[1][1]):
        write(f"{name:34}{count:7.0f}{call:9.1f}{around:9.1f}")
    for title, wanted in (("tests", {"call"}), ("set-ups", {"setup"})):
        terminalreporter.section(f"the ten slowest {title}")
        named = [(s, node) for (node, when), s in _took.items() if when in wanted]
        for seconds, nodeid in sorted(named, reverse=True)[:10]:
            asks = seconds > MOST_S and not LONG and nodeid not in _says_why and title == "tests"
            write(f"{seconds:7.1f}  {nodeid}{'  (over 20 s: must say why)' if asks else ''}")
    if LONG:
        write(f"seeds from {SEED}; TIDEWIND_TESTS=long TIDEWIND_SEED={SEED} bin/test … repeats them")
