"""Totals of 10,000 orders by every service, against a bare NumPy look-up of as many cells.

.venv/bin/python -m benchmarks.matrix
"""

from __future__ import annotations

import random

import numpy as np

from benchmarks.quotes import BOXES, PLACES, anything, best_rate, cards
from tidewind.core.tariffs.totals import totals

ORDERS = 10_000


def main() -> None:
    chance = random.Random(2)
    consignments = [anything(chance, chance.choice(PLACES), chance.choice(BOXES)) for _ in range(ORDERS)]
    compiled = cards()
    cells = ORDERS * sum(len(card.services) for card in compiled)
    weights = np.random.default_rng(1).integers(50, 20_000, cells)
    steps, prices = np.array([500, 1000, 2000, 5000, 10_000, 20_000]), np.array([390, 430, 520, 700, 1010, 1490])

    def floor() -> int:
        prices[np.searchsorted(steps, weights)].sum()
        return cells

    def full() -> int:
        for card in compiled:
            totals(card, consignments)
        return cells

    bare, featured = best_rate(floor), best_rate(full)
    print(f"floor, NumPy look-up:   {bare:12,.0f} cells/s")
    print(f"totals, every feature:  {featured:12,.0f} cells/s   {featured / bare:.0%} of the floor (aim 30 %)")


if __name__ == "__main__":
    main()
