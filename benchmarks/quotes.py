"""Itemised quotes, one parcel × all services × boxes, against a bare integer bisect look-up.

.venv/bin/python -m benchmarks.quotes
"""

from __future__ import annotations

import json
import random
import statistics
import time
from bisect import bisect_left
from collections.abc import Callable
from datetime import date
from importlib import resources

from tidewind.core.quantities import Size
from tidewind.core.tariffs.card import Consignment, Parcel
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.written import read_card
from tidewind.garbage import look_seldom

PLACES = (("PT", "3800-001"), ("PT", "4700-100"), ("PT", "9500-321"), ("ES", "37001"), ("FR", "69003"), ("DE", "50667"))
BOXES = (Size.of(250, 180, 120), Size.of(400, 300, 200), Size.of(530, 370, 315))


def in_turn(floor: Callable[[], int], full: Callable[[], int], repeats: int = 9) -> tuple[float, float]:
    """Return the median rates of two pieces of work done in turn, so that what disturbs one disturbs both."""
    rates: tuple[list[float], list[float]] = ([], [])
    for _ in range(repeats):
        for work, found in zip((floor, full), rates, strict=True):
            start = time.perf_counter()
            pieces = work()
            found.append(pieces / (time.perf_counter() - start))
    return statistics.median(rates[0]), statistics.median(rates[1])


def cards() -> list[CompiledCard]:
    made = []
    for name, cuts in (("norvia-2026-06", {}), ("brightmile-2026-07", {"*": 1200})):
        card = read_card(json.loads(resources.files("tidewind.data.cards").joinpath(f"{name}.json").read_text("utf-8")))
        if isinstance(card, BadCard):
            raise SystemExit(card.errors)
        made.append(CompiledCard(card, date(2026, 11, 23), cuts))
    return made


def anything(chance: random.Random, place: tuple[str, str], box: Size) -> Consignment:
    """Return a parcel as they come: in eight there is one with batteries, with a signature, or not to be stacked."""
    special = chance.choice(("lithium", "signature", "stack")) if chance.randrange(8) == 0 else ""
    parcel = Parcel(chance.randint(50, 15_000), box, None, special == "stack")
    contents, extras = frozenset({"lithium"} & {special}), frozenset({"signature"} & {special})
    return Consignment(place[0], place[1], chance.random() < 0.8, (parcel,), 4_000, contents, extras)


def main() -> None:
    chance = random.Random(1)
    consignments = [anything(chance, place, box) for place in PLACES for box in BOXES for _ in range(60)]
    compiled = [(card, code) for card in cards() for code in card.services]
    bounds, prices = [1000, 2000, 3000, 5000, 7000, 10_000, 15_000, 20_000], [430, 475, 520, 615, 700, 830, 1010, 1170]

    zones = {place: str(n) for n, place in enumerate(PLACES)}

    def look_up(c: Consignment) -> tuple[str, int, int]:
        """A price without features: zone, volumetric weight, step, tax."""
        parcel = c.parcels[0]
        billable = max(parcel.gross_g, -(-parcel.size.mm3 // 4000))
        index = min(bisect_left(bounds, billable), len(prices) - 1)
        return zones[c.country, c.postcode], prices[index], (prices[index] * 2_300 + 5_000) // 10_000

    def floor() -> int:
        for c in consignments:
            for _ in compiled:
                look_up(c)
        return len(consignments) * len(compiled)

    def full() -> int:
        for c in consignments:
            for card, code in compiled:
                card.quote(code, c)
        return len(consignments) * len(compiled)

    bare, featured = in_turn(floor, full)
    print(f"floor, bare look-up:      {bare:12,.0f} quotes/s")
    print(f"itemised, every feature:  {featured:12,.0f} quotes/s   {featured / bare:.0%} of the floor (aim 50 %)")


if __name__ == "__main__":
    look_seldom()
    main()
