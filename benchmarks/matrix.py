"""Totals of 10,000 orders by every service, against a bare NumPy look-up of as many cells.

.venv/bin/python -m benchmarks.matrix
"""

from __future__ import annotations

import random

import numpy as np

from benchmarks.quotes import BOXES, PLACES, anything, cards, in_turn
from tidewind.core.tariffs.load import load_of
from tidewind.core.tariffs.totals import totals
from tidewind.garbage import look_seldom

ORDERS = 10_000


def main() -> None:
    chance = random.Random(2)
    consignments = [anything(chance, chance.choice(PLACES), chance.choice(BOXES)) for _ in range(ORDERS)]
    compiled = cards()
    services = sum(len(card.services) for card in compiled)
    cells = ORDERS * services
    chance_of = np.random.default_rng(1)
    weights, volumes = chance_of.integers(50, 20_000, ORDERS), chance_of.integers(500, 90_000, ORDERS)
    zones = chance_of.integers(0, 9, ORDERS)
    bounds = [np.sort(chance_of.choice(31_000, 30, replace=False)) for _ in range(services)]
    prices = [chance_of.integers(200, 4_000, (9, 31)) for _ in range(services)]

    def floor() -> int:
        """A price without features: volumetric weight, step, zone, tax."""
        for steps, table in zip(bounds, prices, strict=True):
            billable = np.maximum(weights, -(-volumes // 4))
            net = table[zones, np.searchsorted(steps, billable)]
            (net * 2_300 + 5_000) // 10_000
        return cells

    load = load_of(consignments)

    def full() -> int:
        for card in compiled:
            totals(card, load)
        return cells

    bare, featured = in_turn(floor, full)
    print(f"floor, NumPy look-up:   {bare:12,.0f} cells/s")
    _, columns = in_turn(floor, lambda: len(load_of(consignments)))
    print(f"orders made columns:    {columns:12,.0f} orders/s")
    print(f"totals, every feature:  {featured:12,.0f} cells/s   {featured / bare:.0%} of the floor (aim 30 %)")


if __name__ == "__main__":
    look_seldom()
    main()
