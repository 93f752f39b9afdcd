"""What the scale says about a parcel: whether it is what was expected, and which item would explain the difference."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tidewind.core.bench.checking import Item
from tidewind.core.quantities import weight_text

BP = 10_000


@dataclass(frozen=True, slots=True)
class Tolerance:
    """How far a weight may be from what was expected: so many hundredths of a per cent, and at least so many grams."""

    share_bp: int = 300
    least_g: int = 30

    def grams(self, expected_g: int) -> int:
        """Return the tolerance for an expected weight, in grams, rounded half up."""
        return max((expected_g * self.share_bp * 2 + BP) // (2 * BP), self.least_g)


@dataclass(frozen=True, slots=True)
class Weighed:
    """A measured weight beside the expected one, in grams; ``words`` say what is wrong, nothing where nothing is."""

    expected_g: int
    measured_g: int
    tolerance_g: int
    words: str = ""

    @property
    def fits(self) -> bool:
        """Whether it lies inside the tolerance."""
        return abs(self.measured_g - self.expected_g) <= self.tolerance_g


def weigh(measured_g: int, expected_g: int, items: Sequence[Item], tolerance: Tolerance) -> Weighed:
    """Return a weight beside the expected one; outside the tolerance it says which item would explain it.

    Source: worked example of the trade's practice, shop policy for the tolerance.
    """
    allowed = tolerance.grams(expected_g)
    difference = measured_g - expected_g
    weighed = Weighed(expected_g, measured_g, allowed)
    if weighed.fits:
        return weighed
    what = f"{weight_text(abs(difference))} too {'heavy' if difference > 0 else 'light'}"
    guess = _explanation(abs(difference), items, allowed)
    if guess:
        item, pieces = guess
        many = "one" if pieces == 1 else str(pieces)
        what += f": {many} {item.sku} {'too many' if difference > 0 else 'missing'}?"
    return Weighed(expected_g, measured_g, allowed, what)


def _explanation(grams: int, items: Sequence[Item], allowed: int) -> tuple[Item, int] | None:
    """Return the item, and how many pieces of it, that come nearest to a difference; None where none comes near."""
    found = [
        (abs(item.each_g * pieces - grams), pieces, n)
        for n, item in enumerate(items)
        if item.each_g
        for pieces in range(1, item.pieces + 1)
    ]
    near = [one for one in found if one[0] <= allowed]
    if not near:
        return None
    _, pieces, n = min(near)
    return items[n], pieces


@dataclass(frozen=True, slots=True)
class Reading:
    """What a scale shows: grams, whether it is at rest, and whether there is more on it than it can weigh.

    ``fresh``: what lies on it came there since this parcel is to be weighed; else it may be the one before.
    """

    grams: int
    stable: bool = True
    overload: bool = False
    fresh: bool = True


def reading_refusal(reading: Reading | None) -> str:
    """Return why a reading cannot be taken; nothing where it can."""
    if reading is None:
        return "the scale does not answer"
    if reading.overload:
        return "there is more on the scale than it can weigh"
    if not reading.stable:
        return "the scale is not at rest yet"
    if reading.grams <= 0:
        return "the scale is empty"
    if not reading.fresh:
        return "that lay on the scale before: take it off and put this parcel on"
    return ""
