"""All benchmarks one after the other, each as a process of its own, with one table of their figures at the end.

.venv/bin/python -m benchmarks [name …]
"""

from __future__ import annotations

import re
import subprocess
import sys
import time
from pathlib import Path

HERE = Path(__file__).parent
HELPERS = {"__init__", "__main__"}
_FIGURE = re.compile(r"\d\s*[×%x]|\d+(\.\d+)?\s*(times|of the floor)|/s\b")


def names() -> list[str]:
    return sorted(file.stem for file in HERE.glob("*.py") if file.stem not in HELPERS)


def run(name: str) -> tuple[int, float, list[str]]:
    """Run one, showing what it prints; return its exit code, how long it took and its lines that hold a figure."""
    began, figures = time.monotonic(), []
    print(f"\n== {name}", flush=True)
    with subprocess.Popen(
        [sys.executable, "-m", f"benchmarks.{name}"], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    ) as process:
        for line in process.stdout or ():
            print(line, end="", flush=True)
            if _FIGURE.search(line):
                figures.append(line.strip())
    return process.returncode, time.monotonic() - began, figures


def main(wanted: list[str]) -> int:
    unknown = sorted(set(wanted) - set(names()))
    if unknown:
        print(f"{', '.join(unknown)} does not exist. There are: {', '.join(names())}.", file=sys.stderr)
        return 2
    ended = {name: run(name) for name in wanted or names()}
    print(f"\n{'benchmark':12}{'ended':>8}{'seconds':>9}   figures")
    for name, (code, seconds, figures) in ended.items():
        print(f"{name:12}{'well' if code == 0 else f'with {code}':>8}{seconds:9.0f}   {figures[0] if figures else ''}")
        for figure in figures[1:]:
            print(f"{'':32}{figure}")
    return 1 if any(code for code, _, _ in ended.values()) else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
