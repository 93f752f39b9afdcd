"""How much of copied addresses comes out right: of every field that a block should give, and of those it should not.

.venv/bin/python -m tests.core.copied_score [file]   (the lines are as in tests/core/corpus/copied.txt)
"""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from tidewind.core.addresses.copied import parse_address

CORPUS = Path(__file__).parent / "corpus" / "copied.txt"


class Verdict(NamedTuple):
    """One field of one block: what was wanted, what came, and whether it was marked as unsure."""

    block: str
    field: str
    wanted: str
    found: str
    marked: bool

    @property
    def kind(self) -> str:
        """``right``, ``marked`` (wrong, and said to be unsure) or ``wrong``."""
        return "right" if self.found == self.wanted else "marked" if self.marked else "wrong"


def verdicts(line: str) -> list[Verdict]:
    """Return a verdict for each field that a line of the corpus names with its value."""
    block, _, wanted = line.partition(" → ")
    parsed = parse_address(block.replace("|", "\n"))
    made = []
    for part in wanted.split("; "):
        name, equals, value = part.partition("=")
        if equals:
            made.append(Verdict(block, name, value, getattr(parsed.address, name), name in parsed.unsure))
    return made


def score(lines: list[str]) -> tuple[Counter[str], list[Verdict]]:
    """Return how many fields came out how, and the verdicts on all that did not come out right."""
    found = [verdict for line in lines if line.strip() for verdict in verdicts(line)]
    return Counter(v.kind for v in found), [v for v in found if v.kind != "right"]


if __name__ == "__main__":
    counts, bad = score(Path(sys.argv[1] if len(sys.argv) > 1 else CORPUS).read_text("utf-8").splitlines())
    for one in bad:
        print(f"{one.kind}: {one.field} is “{one.found}”, wanted “{one.wanted}”: {one.block}")
    whole = sum(counts.values())
    print(
        *(
            f"{kind} {counts[kind]} of {whole} ({100 * counts[kind] / whole:.1f} %)"
            for kind in ("right", "marked", "wrong")
        ),
        sep="; ",
    )
