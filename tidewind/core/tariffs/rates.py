"""One service's rates to one destination, compiled: table, discount, limits and the surcharges that can apply."""

from __future__ import annotations

from datetime import date

from tidewind.core.consignments import Parcel
from tidewind.core.quantities import percent_of
from tidewind.core.tariffs.amounts import NEVER, Holds, in_order_of_need, may_hold, of_the_parcel, thresholds
from tidewind.core.tariffs.card import RateCard, Service, Steps, Surcharge
from tidewind.core.tariffs.contracts import Contract
from tidewind.core.tariffs.limits import narrowed
from tidewind.core.tariffs.quote import Basis, Line
from tidewind.core.tariffs.weights import billable_g
from tidewind.core.tariffs.zones import Where

Conditional = tuple[int, Surcharge, Holds | None]
"""The place on the card, the surcharge, and the test of what depends on the parcel (None: it always holds)."""
TableKey = int | tuple[int, frozenset[str]]
_EMPTY = Steps((), ())


class ZoneRates:
    """What a service costs to a destination on a day, home or business.

    ``table`` keeps the lines, net and tax of parcels to which nothing special applies, by their row (and started
    kilogram where a surcharge counts it) and the extras asked for, ``flat_extras`` at most, which cost the same for
    any parcel: at most one entry for each price on the card and set of extras.
    """

    def __init__(
        self, card: RateCard, service: Service, where: Where, home: bool, on: date, contract: Contract
    ) -> None:
        zone = where.zone
        self.zone, self.zone_name, self.taxed = zone.id, zone.name, zone.taxed
        self.service, self.account = service, contract.number
        self.discount_bp = contract.discount(service.code, zone.id)
        self.steps = service.steps.get(zone.id, _EMPTY)
        self.bounds, self.tail_unit = self.steps.bounds, self.steps.tail_unit
        self.by_weight = service.kind == "weight" and bool(self.bounds)
        self.last_bound = self.bounds[-1] if self.bounds else 0
        self.limits = narrowed(service.limits, service.zone_limits.get(zone.id))

        def can(known: tuple[Surcharge, ...], codes: tuple[str, ...]) -> list[Conditional]:
            mine = [s for s in known if s.code in codes]
            order = {s.code: n for n, s in enumerate(mine)}
            possible = [s for s in in_order_of_need(mine) if may_hold(s, zone.id, where.places, home, on)]
            return [(order[s.code], s, of_the_parcel(s.when)) for s in possible]

        self.surcharges = can(card.surcharges, service.surcharges)
        self.extras = can(card.extras, service.extras)
        self.table: dict[TableKey, tuple[tuple[Line, ...], int, int]] = {}
        self._set_ease()

    def _set_ease(self) -> None:
        """Work out up to which figures a parcel is surely within the limits and under every condition."""
        limits = self.limits
        always = [s.amount.kind for _, s, holds in self.surcharges if holds is None]
        self.per_kg = "per_kg" in always
        conditions = [s.when for _, s, holds in self.surcharges if holds is not None and not s.when.contents]
        over = [min(column) for column in zip(*(thresholds(when) for when in conditions), strict=True)]
        gross, longest, middle, girth, volume, value, parcels = over or [NEVER] * 7
        odd = [when for when in conditions if when.not_stackable is False or min(thresholds(when)) == NEVER]
        odd = [when for when in odd if when.not_stackable is not True]
        plain = self.service.kind != "live" and not self.service.to_point
        easy = plain and "per_value_step" not in always and not odd and parcels >= 1
        sides = limits.sides
        self._gross = min(gross, NEVER if limits.gross_g is None else limits.gross_g) if easy else -1
        self._longest = min(longest, sides.longest if sides else NEVER)
        self._middle = min(middle, sides.middle if sides else NEVER)
        self._shortest = sides.shortest if sides else NEVER
        self._girth = min(girth, NEVER if limits.girth_mm is None else limits.girth_mm)
        self._mm3 = volume
        self._value = min(value, NEVER if limits.value is None else limits.value)
        self._least = limits.least_sides
        service = self.service
        self._by_gross = service.volumetric is None and service.minimum_g <= 0 and service.round_up_g <= 1
        anyhow = [extra for _, extra, holds in self.extras if holds is None]
        flat = {extra.code for extra in anyhow if extra.amount.kind not in {"per_value_step", "per_kg"}}
        self.flat_extras = frozenset({*flat, *service.included})

    def simple_billable(self, p: Parcel, value: int) -> int:
        """Return the billable weight of a simple parcel to which no limit and no condition applies, else −1.

        It is never wrong when it is a weight; a parcel that only seems special is reckoned the long way.
        """
        size, gross = p.size, p.gross_g
        if (
            gross > self._gross
            or size.longest > self._longest
            or size.middle > self._middle
            or size.shortest > self._shortest
            or p.girth_mm > self._girth
            or p.mm3 > self._mm3
            or value > self._value
            or not (self._least is None or self._least.fits(size))
        ):
            return -1
        return gross if self._by_gross else billable_g(p, self.service)

    def base(self, row: int) -> tuple[int, Basis]:
        """Return the list price of a row and its arithmetic; rows past the last step count units of the tail."""
        service, steps, name = self.service, self.steps, self.zone_name
        if service.kind == "size_classes":
            size_class = service.classes[row]
            return size_class.prices[self.zone], ("class", name, size_class.code)
        if service.kind == "one_price":
            return steps.prices[0], ("one_price", name)
        if row < len(steps.bounds):
            return steps.prices[row], ("tier" if service.kind == "volume_tiers" else "step", name, steps.bounds[row])
        count, top, last = row - len(steps.bounds) + 1, steps.bounds[-1], steps.prices[-1]
        return last + count * steps.tail_price, ("tail", name, top, last, count, steps.tail_price, steps.tail_unit)

    def discounted(self, price: int) -> int:
        """Return the net base: the list price less the contract's discount, not under the minimum charge."""
        net = price - percent_of(price, self.discount_bp)
        return max(net, min(price, self.service.minimum_charge))

    def discount_basis(self, price: int) -> Basis:
        """Return the arithmetic of the discount on a list price."""
        if self.discounted(price) > price - percent_of(price, self.discount_bp):
            return ("minimum_charge", -self.discount_bp, self.service.minimum_charge)
        return ("percent", -self.discount_bp, price)
