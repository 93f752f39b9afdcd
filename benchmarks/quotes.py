"""Itemised quotes, one parcel × all services × boxes, against an integer bisect look-up without features.

The floor finds zone and step, adds tax, and says so in a quote of one line; the bare arithmetic, which makes no quote,
is printed beside it (docs/decisions/0020).

.venv/bin/python -m benchmarks.quotes
"""

from __future__ import annotations

import json
import random
import statistics
import time
from bisect import bisect_left
from collections.abc import Callable, Sequence
from datetime import date
from functools import partial
from importlib import resources

from tidewind.core.consignments import Consignment, Goods, Parcel, Route
from tidewind.core.quantities import Size
from tidewind.core.tariffs.contracts import terms
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.quote import Line, Quote
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
        made.append(CompiledCard(card, date(2026, 11, 23), terms(cuts)))
    return made


def anything(chance: random.Random, place: tuple[str, str], box: Size) -> Consignment:
    """Return a parcel as they come: in eight there is one with batteries, with a signature, or not to be stacked."""
    special = chance.choice(("lithium", "signature", "stack")) if chance.randrange(8) == 0 else ""
    parcel = Parcel(chance.randint(50, 15_000), box, None, special == "stack")
    contents, extras = frozenset({"lithium"} & {special}), frozenset({"signature"} & {special})
    return Consignment(Route(*place, chance.random() < 0.8), Goods(4_000, contents), (parcel,), extras)


BOUNDS, PRICES = [1000, 2000, 3000, 5000, 7000, 10_000, 15_000, 20_000], [430, 475, 520, 615, 700, 830, 1010, 1170]
ZONES = {place: str(n) for n, place in enumerate(PLACES)}


def look_up(c: Consignment) -> tuple[str, int, int, int]:
    """A price without features: zone, volumetric weight, step, tax."""
    parcel = c.parcels[0]
    billable = max(parcel.gross_g, -(-parcel.size.mm3 // 4000))
    price = PRICES[min(bisect_left(BOUNDS, billable), len(PRICES) - 1)]
    return ZONES[c.route.country, c.route.postcode], billable, price, (price * 2_300 + 5_000) // 10_000


def bare(consignments: Sequence[Consignment], codes: Sequence[str]) -> int:
    for c in consignments:
        for _ in codes:
            look_up(c)
    return len(consignments) * len(codes)


def of_one_line(consignments: Sequence[Consignment], codes: Sequence[str]) -> int:
    for c in consignments:
        for code in codes:
            zone, billable, price, tax = look_up(c)
            Quote(code, zone, (Line("base", "Base", price, 1, ("step", zone, billable)),), billable, price, tax, "EUR")
    return len(consignments) * len(codes)


def itemised(consignments: Sequence[Consignment], compiled: Sequence[CompiledCard]) -> int:
    return sum(1 for c in consignments for card in compiled for _ in card.quotes(c))


def main() -> None:
    chance = random.Random(1)
    consignments = [anything(chance, place, box) for place in PLACES for box in BOXES for _ in range(60)]
    compiled = cards()
    codes = [code for card in compiled for code, s in card.services.items() if s.service.packaging is None]
    floor = partial(of_one_line, consignments, codes)
    arithmetic, _ = in_turn(partial(bare, consignments, codes), floor, 5)
    lowest, featured = in_turn(floor, partial(itemised, consignments, compiled))
    print(f"arithmetic alone, no quote: {arithmetic:12,.0f} look-ups/s")
    print(f"floor, quotes of one line:  {lowest:12,.0f} quotes/s")
    print(f"itemised, every feature:    {featured:12,.0f} quotes/s   {featured / lowest:.0%} of the floor (aim 50 %)")
    print(f"                            {featured / arithmetic:.0%} of the arithmetic alone")


if __name__ == "__main__":
    look_seldom()
    main()
