"""Surcharges and extras: when they apply, and what they come to."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date

from tidewind.core.consignments import Consignment, Parcel
from tidewind.core.quantities import percent_of, steps_begun
from tidewind.core.tariffs.card import Amount, Surcharge, When
from tidewind.core.tariffs.quote import Basis

Holds = Callable[[Consignment, Parcel], bool]
NEVER = 1 << 60
"""Above every figure that can occur: a threshold that is not set."""


def may_hold(surcharge: Surcharge, zone: str, places: frozenset[str], home: bool, on: date) -> bool:
    """Tell whether a surcharge can apply at all: its zone, place, kind of address, season and weekday."""
    when = surcharge.when
    return (
        (when.home is None or when.home is home)
        and (not when.zones or zone in when.zones)
        and (not when.places or surcharge.code in places)
        and (not when.weekdays or on.weekday() in when.weekdays)
        and (when.ship_from is None or when.ship_from <= on)
        and (when.ship_until is None or on <= when.ship_until)
    )


def of_the_parcel(when: When) -> Holds | None:
    """Return the test of what depends on the goods and parcels; None where nothing does, and it always holds."""
    tests: list[Holds] = []
    if when.contents:
        tests.append(lambda c, _p: not when.contents.isdisjoint(c.goods.contents))
    if when.not_stackable is not None:
        tests.append(lambda _c, p: p.not_stackable is when.not_stackable)
    over = thresholds(when)
    if any(limit < NEVER for limit in over):
        tests.append(
            lambda c, p: all(figure > limit for figure, limit in zip(figures(c, p), over, strict=True) if limit < NEVER)
        )
    if not tests:
        return None
    return tests[0] if len(tests) == 1 else lambda c, p: all(test(c, p) for test in tests)


def thresholds(when: When) -> tuple[int, ...]:
    """Return what the figures of a parcel must be over, in the order of ``figures``."""
    volume = None if when.volume_over_cm3 is None else when.volume_over_cm3 * 1000
    wanted = (when.gross_over_g, when.longest_over_mm, when.middle_over_mm, when.girth_over_mm, volume,
              when.value_over, when.parcels_over)  # fmt: skip
    return tuple(NEVER if limit is None else limit for limit in wanted)


def figures(c: Consignment, p: Parcel) -> tuple[int, ...]:
    """Return the figures of a parcel that a condition can be about: g, mm, mm, mm, mm³, minor units, parcels."""
    return (p.gross_g, p.size.longest, p.size.middle, p.girth_mm, p.mm3, c.goods.value, len(c.parcels))


def amount_of(rule: Amount, billable: int, value: int, sums: Mapping[str, int]) -> tuple[int, Basis]:
    """Return what a surcharge comes to and its arithmetic; ``sums`` holds what a percentage may be taken of."""
    basis: Basis
    if rule.kind == "fixed":
        amount, basis = rule.figure, ("fixed",)
    elif rule.kind == "percent":
        base = sum(sums.get(name, 0) for name in rule.of)
        amount, basis = percent_of(base, rule.figure), ("percent", rule.figure, base)
    elif rule.kind == "per_kg":
        count = steps_begun(billable, 1000)
        amount, basis = count * rule.figure, ("per_kg", count, rule.figure)
    else:
        count = steps_begun(value - rule.included, rule.step)
        amount, basis = count * rule.figure, ("value", count, rule.figure, rule.step)
    if rule.minimum is not None and amount < rule.minimum:
        amount, basis = rule.minimum, ("at_least", basis, rule.minimum)
    if rule.cap is not None and amount > rule.cap:
        amount, basis = rule.cap, ("at_most", basis, rule.cap)
    return amount, basis


def in_order_of_need(surcharges: Sequence[Surcharge]) -> list[Surcharge]:
    """Return surcharges so that each stands behind those it is a percentage of.  Raises ValueError for a circle."""
    known = {s.code: s for s in surcharges}
    placed: dict[str, Surcharge] = {}

    def place(surcharge: Surcharge, above: tuple[str, ...]) -> None:
        if surcharge.code in above:
            raise ValueError(" → ".join((*above[above.index(surcharge.code) :], surcharge.code)))
        if surcharge.code in placed:
            return
        if surcharge.amount.kind == "percent":
            for name in surcharge.amount.of:
                if name in known:
                    place(known[name], (*above, surcharge.code))
        placed[surcharge.code] = surcharge

    for surcharge in surcharges:
        place(surcharge, ())
    return list(placed.values())
