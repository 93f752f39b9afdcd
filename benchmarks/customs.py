"""Finding a code by words, and one order at its border, against plain floors of the same run.

.venv/bin/python -m benchmarks.customs [times, 200]
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from datetime import date
from importlib.resources import files
from time import perf_counter

from rapidfuzz import fuzz, process

from tidewind.core.customs.codes import CodeSearch, read_entries
from tidewind.core.customs.declaration import Sold, declare
from tidewind.core.customs.duties import Journey, estimate
from tidewind.core.customs.needs import Known, needs_of
from tidewind.core.customs.tables import read_tables

ASKED = ("steel hand fork with ash handle", "terracotta pot 15 cm", "Gartenschere", "sementes de flores", "bath duck")


def _ms(what: Callable[[], object], times: int) -> float:
    start = perf_counter()
    for _ in range(times):
        what()
    return (perf_counter() - start) / times * 1000


def main() -> None:
    """Print milliseconds and ratios."""
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    data = files("tidewind.data") / "customs"
    written = json.loads((data / "codes.json").read_text(encoding="utf-8"))
    entries = read_entries(written["entries"], written["chapters"])
    own = [(f"Product {n} of steel for gardening", entries[n % len(entries)].code) for n in range(5_000)]
    search, texts = CodeSearch(entries, own), [" ".join(entry.words) for entry in entries]
    ours = _ms(lambda: [search.find(text) for text in ASKED], times) / len(ASKED)

    def compared() -> object:
        return [process.extract(text, texts, scorer=fuzz.token_set_ratio) for text in ASKED]

    floor = _ms(compared, times) / len(ASKED)
    print(f"a code by words, 5,000 own choices: {ours:.3f} ms; all compared: {floor:.3f} ms ({ours / floor:.1f} x)")

    tables = read_tables(json.loads((data / "sample-tables.json").read_text(encoding="utf-8")))
    facts = {"text": "Hand fork of steel", "hs_code": "820190", "origin": "PT"}
    goods = [Sold(str(n), f"S{n}", f"Thing {n}", 2, 300, 1_990, **facts) for n in range(5)]
    journey, known = Journey("PT", "GB", date(2026, 11, 27), "norvia", "parcel"), Known({"EORI": "PT980000001"})

    def border() -> object:
        declared = declare(goods, "EUR", 1_290, 4_000)
        return needs_of(declared, journey, tables, known, estimate(declared, journey, tables))

    def read_once() -> object:
        return [row for part in (tables.duties, tables.taxes, tables.papers) for row in part if row.on(journey.day)]

    bare, whole = _ms(read_once, times), _ms(border, times)
    print(f"an order of 5 items at its border: {whole:.3f} ms; rows read once: {bare:.3f} ms ({whole / bare:.0f} x)")


if __name__ == "__main__":
    main()
