"""Totals of many consignments × services at once: what ``engine`` reckons, over columns and without the lines.

A property test holds every cell equal to the itemised price, to the cent; see docs/rate-card.md for the arithmetic.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from tidewind.core.quantities import WHOLE
from tidewind.core.tariffs.amounts import NEVER, thresholds
from tidewind.core.tariffs.card import Limits, Surcharge, When
from tidewind.core.tariffs.engine import CompiledCard, CompiledService
from tidewind.core.tariffs.load import Flags, Ints, Load
from tidewind.core.tariffs.rates import ZoneRates
from tidewind.core.tariffs.zones import Where

REFUSED = -1


@dataclass(frozen=True, slots=True)
class Totals:
    """Net price and tax, consignments × services, in minor units; ``REFUSED`` where a service cannot take it."""

    codes: tuple[str, ...]
    net: Ints
    tax: Ints


def totals(card: CompiledCard, load: Load, codes: Sequence[str] | None = None) -> Totals:
    """Return the totals of every consignment of a load by services of a card, all where ``codes`` names none.

    Services whose price is asked from the carrier stand as refused.
    """
    codes = tuple(card.services if codes is None else codes)
    net = np.full((len(load), len(codes)), REFUSED, np.int64)
    tax = np.zeros_like(net)
    for where, home, rows in _by_destination(card, load):
        part = load.rows(rows)
        for column, service in enumerate(map(card.services.__getitem__, codes)):
            rates = service.rates(where, home)
            if rates is not None and service.service.kind != "live":
                net[rows, column], tax[rows, column] = _of_service(service, rates, part)
    return Totals(codes, net, tax)


def _of_service(service: CompiledService, rates: ZoneRates, part: Load) -> tuple[Ints, Ints]:
    """Return net and tax of a load that goes to one destination; where few are taken, only those are reckoned."""
    reckoning = _Reckoning(service, rates, part)
    taken = np.flatnonzero(reckoning.ok)
    if 2 * taken.size > len(part):
        return reckoning.totals()
    net, tax = np.full(len(part), REFUSED, np.int64), np.zeros(len(part), np.int64)
    if taken.size:
        net[taken], tax[taken] = _Reckoning(service, rates, part.rows(taken)).totals()
    return net, tax


def _by_destination(card: CompiledCard, load: Load) -> Iterator[tuple[Where, bool, Ints]]:
    """Return rows by what the card makes of their destination: rates and conditions are the same within one."""
    places = [card.places.look_up(to) for to in load.to.values]
    numbers = np.array([-1 if where is None else where.number for where in places], np.int64)[load.to.numbers]
    known = {where.number: where for where in places if where is not None}
    for number, where in known.items():
        there = numbers == number
        parts = ((True, there & load.home), (False, there & ~load.home)) if card.home_matters else ((True, there),)
        for home, mine in parts:
            rows = np.flatnonzero(mine)
            if rows.size:
                yield where, home, rows


def _percent(amounts: Ints, rate: int) -> Ints:
    """Return basis points of amounts, half up; amounts here are never negative."""
    return (amounts * rate + WHOLE // 2) // WHOLE


def _begun(amounts: Ints, step: int) -> Ints:
    return np.maximum(-(-amounts // step), 0)


class _Reckoning:
    """One service's prices for a load that goes to one destination."""

    def __init__(self, compiled: CompiledService, rates: ZoneRates, load: Load) -> None:
        self.compiled, self.service, self.rates, self.load = compiled, compiled.service, rates, load
        self.ok = self._taken()

    def totals(self) -> tuple[Ints, Ints]:
        """Return net and tax of each consignment."""
        load, rates = self.load, self.rates
        billable = self._billable()
        gross_base = self._base(billable)
        base = np.maximum(
            gross_base - _percent(gross_base, rates.discount_bp), np.minimum(gross_base, self.service.minimum_charge)
        )
        net = load.sums(base)
        carried = taxed = net
        if rates.surcharges:
            amount, carries, taxes = self._surcharges(billable, gross_base, base)
            net, carried, taxed = net + load.sums(amount), carried + load.sums(carries), taxed + load.sums(taxes)
        if self.compiled.fuel_bp:
            fuel = _percent(carried, self.compiled.fuel_bp)
            net, taxed = net + fuel, taxed + fuel
        if load.asked:
            amount, taxes = self._extras(billable, gross_base, base)
            net, taxed = net + amount, taxed + taxes
        tax = _percent(taxed, self.compiled.card.tax_bp) if rates.taxed else np.zeros_like(net)
        return np.where(self.ok, net, REFUSED), np.where(self.ok, tax, 0)

    def _taken(self) -> Flags:
        """Tell which consignments are within the limits."""
        load, limits, service = self.load, self.rates.limits, self.service
        ok = np.ones(len(load), np.bool_)
        if limits.value is not None:
            ok &= load.value <= limits.value
        if limits.refused_contents:
            ok &= load.contents.where(limits.refused_contents.isdisjoint)
        if "po_box" in limits.refused_contents:
            ok &= ~load.po_box
        if service.to_point:
            ok &= load.point
        if not load.asked <= self.compiled.known_extras:
            ok &= load.extras.where(lambda asked: asked <= self.compiled.known_extras)
        if limits.parcels is not None:
            ok &= load.count <= limits.parcels
        fit = self._within(limits) & load.packaging.where(lambda packaging: packaging == service.packaging)
        ok &= np.logical_and.reduceat(fit, load.starts) if len(fit) != len(ok) else fit
        return ok

    def _within(self, limits: Limits) -> Flags:
        load = self.load
        fit = np.ones(len(load.gross), np.bool_)
        if limits.gross_g is not None:
            fit &= load.gross <= limits.gross_g
        for bound, least in ((limits.sides, False), (limits.least_sides, True)):
            if bound is not None:
                for side, most in zip(load.sides, (bound.longest, bound.middle, bound.shortest), strict=True):
                    fit &= side >= most if least else side <= most
        if limits.girth_mm is not None:
            fit &= load.girth <= limits.girth_mm
        return fit

    def _billable(self) -> Ints:
        load, service = self.load, self.service
        heavier = np.maximum(load.gross, service.minimum_g)
        rule = service.volumetric
        if rule is not None:
            mm3 = load.mm3
            if rule.side_step_mm > 1:
                mm3 = np.prod(_begun(load.sides, rule.side_step_mm), axis=0) * rule.side_step_mm**3
            volumetric = np.where(mm3 > rule.threshold_cm3 * 1000, -(-mm3 // rule.divisor), 0)
            heavier = np.maximum(heavier, volumetric)
        step = service.round_up_g
        return heavier if step <= 1 else _begun(heavier, step) * step

    def _base(self, billable: Ints) -> Ints:
        """Return the list price of each parcel; weighed together it stands with the first one."""
        load, service = self.load, self.service
        if not service.weighed_together or len(load.gross) == len(load):
            price, ok = self._priced(billable, slice(None))
            self.ok &= np.logical_and.reduceat(ok, load.starts) if len(ok) != len(load) else ok
            return price
        step = max(service.round_up_g, 1)
        alone = load.count == 1
        together = _begun(load.sums(billable), step) * step
        price, ok = self._priced(np.where(alone, billable[load.starts], together), load.starts)
        self.ok &= ok
        spread = np.zeros(len(load.gross), np.int64)
        spread[load.starts] = price
        return spread

    def _priced(self, billable: Ints, rows: Ints | slice) -> tuple[Ints, Flags]:
        """Return the list prices of parcels ``rows`` of these billable weights, and which the table holds."""
        load, service, steps = self.load, self.service, self.rates.steps
        gross = load.gross[rows]
        if service.kind == "one_price":
            return np.full(len(gross), steps.prices[0], np.int64), np.ones(len(gross), np.bool_)
        if service.kind == "size_classes":
            return self._by_class(gross, load.sides[:, rows])
        prices, last = np.array(steps.prices, np.int64), len(steps.prices) - 1
        figure = billable if service.kind == "weight" else -(-load.mm3[rows] // 1000)
        row = np.searchsorted(np.array(steps.bounds, np.int64), figure, "left")
        price, ok = prices[np.minimum(row, last)], row <= last
        if service.kind == "volume_tiers":
            return price, ok & (gross <= np.array(service.max_g_per_tier, np.int64)[np.minimum(row, last)])
        if steps.tail_unit:
            tail = _begun(figure - steps.bounds[-1], steps.tail_unit) * steps.tail_price
            return np.where(ok, price, price + tail), np.ones_like(ok)
        return price, ok

    def _by_class(self, gross: Ints, sides: Ints) -> tuple[Ints, Flags]:
        price, found = np.zeros(len(gross), np.int64), np.zeros(len(gross), np.bool_)
        for size_class in self.service.classes:
            most = size_class.sides
            fits = (gross <= size_class.max_gross_g) & (sides[0] <= most.longest)
            fits &= (sides[1] <= most.middle) & (sides[2] <= most.shortest) & ~found
            price[fits] = size_class.prices[self.rates.zone]
            found |= fits
        return price, found

    def _holds(self, when: When) -> Flags | bool:
        """Tell for which parcels a condition on goods and parcels holds."""
        load = self.load
        holds: Flags | bool = True
        if when.contents:
            of_all = load.contents.where(lambda contents: not when.contents.isdisjoint(contents))
            holds = of_all if isinstance(of_all, bool) else of_all[load.owner]
        if when.not_stackable is not None:
            holds = holds & (load.not_stackable == when.not_stackable)
        figures = (load.gross, load.sides[0], load.sides[1], load.girth, load.mm3, load.value, load.count)
        for number, (figure, limit) in enumerate(zip(figures, thresholds(when), strict=True)):
            if limit < NEVER:
                over = figure > limit
                holds = holds & (over[load.owner] if number > 4 else over)  # the last two are of the consignment
        return holds

    def _surcharges(self, billable: Ints, gross_base: Ints, base: Ints) -> tuple[Ints, Ints, Ints]:
        """Return over parcels what surcharges come to, how much of it carries fuel and how much is taxed."""
        load = self.load
        sums = {"list": gross_base, "base": base}
        found: list[tuple[int, Surcharge, Ints]] = []
        nothing = np.zeros(len(load.gross), np.int64)
        for position, surcharge, holds in self.rates.surcharges:
            applies = True if holds is None else self._holds(surcharge.when)
            if applies is False or not (applies is True or np.any(applies)):
                sums[surcharge.code] = nothing
                continue
            if surcharge.once:
                amount = self._once(surcharge, applies, billable, gross_base, base, sums)
            else:
                amount = self._amount(surcharge, billable, load.value[load.owner], sums)
                amount = amount if applies is True else np.where(applies, amount, 0)
            sums[surcharge.code] = amount
            found.append((position, surcharge, amount))
        return _reduced(found, len(load.gross))

    def _once(
        self,
        surcharge: Surcharge,
        applies: Flags | bool,
        billable: Ints,
        gross_base: Ints,
        base: Ints,
        sums: dict[str, Ints],
    ) -> Ints:
        """Return a surcharge of the shipment: it stands with the first parcel, if any parcel meets its condition."""
        load = self.load
        whole = {name: column[load.starts] for name, column in sums.items()}
        whole |= {"list": load.sums(gross_base), "base": load.sums(base)}
        amount = self._amount(surcharge, load.sums(billable), load.value, whole)
        if not isinstance(applies, bool):
            applies = np.logical_or.reduceat(applies, load.starts)
        spread = np.zeros(len(load.gross), np.int64)
        spread[load.starts] = np.where(applies, amount, 0)
        return spread

    def _amount(self, surcharge: Surcharge, billable: Ints, value: Ints, sums: dict[str, Ints]) -> Ints:
        rule = surcharge.amount
        if rule.kind == "fixed":
            amount = np.full(len(value), rule.figure, np.int64)
        elif rule.kind == "percent":
            taken_of = [sums[name] for name in rule.of if name in sums]
            amount = _percent(sum(taken_of, np.zeros(len(value), np.int64)), rule.figure)
        elif rule.kind == "per_kg":
            amount = _begun(billable, 1000) * rule.figure
        else:
            amount = _begun(value - rule.included, rule.step) * rule.figure
        if rule.minimum is not None:
            amount = np.maximum(amount, rule.minimum)
        return amount if rule.cap is None else np.minimum(amount, rule.cap)

    def _extras(self, billable: Ints, gross_base: Ints, base: Ints) -> tuple[Ints, Ints]:
        """Return over consignments what the extras asked for come to and how much of it is taxed; refuses the rest."""
        load, service = self.load, self.service
        to_be_had = {extra.code for _, extra, _ in self.rates.extras}
        for code in load.asked.intersection(service.extras) - set(service.included) - to_be_had:
            self.ok &= ~_flags(load.extras.where(lambda asked, code=code: code in asked), len(load))  # type: ignore[misc]
        each: list[tuple[int, Surcharge, Ints]] = []
        once: list[tuple[int, Surcharge, Ints]] = []
        for position, extra, holds in self.rates.extras:
            if extra.code in service.included or extra.code not in load.asked:
                continue
            asked = _flags(load.extras.where(lambda want, code=extra.code: code in want), len(load))  # type: ignore[misc]
            if not asked.any():
                continue
            if holds is not None:
                self._refuse_extra(extra, asked)
            if extra.once:
                sums = {"list": load.sums(gross_base), "base": load.sums(base)}
                amount = self._amount(extra, load.sums(billable), load.value, sums)
                once.append((position, extra, np.where(asked, amount, 0)))
            else:
                sums = {"list": gross_base, "base": base}
                amount = self._amount(extra, billable, load.value[load.owner], sums)
                each.append((position, extra, np.where(asked[load.owner], amount, 0)))
        amount, _, taxed = _reduced(each, len(load.gross))
        more, _, more_taxed = _reduced(once, len(load))
        return load.sums(amount) + more, load.sums(taxed) + more_taxed

    def _refuse_extra(self, extra: Surcharge, asked: Flags) -> None:
        load = self.load
        holds = np.broadcast_to(np.asarray(self._holds(extra.when)), (len(load.gross),))
        if extra.once:
            self.ok &= ~asked | holds[load.starts]
        else:
            self.ok &= ~asked | np.logical_and.reduceat(holds, load.starts)


def _flags(flags: Flags | bool, count: int) -> Flags:
    return np.full(count, flags) if isinstance(flags, bool) else flags


def _reduced(found: list[tuple[int, Surcharge, Ints]], count: int) -> tuple[Ints, Ints, Ints]:
    """Return sums over parcels with exclusive groups reduced to their dearest: all, carrying fuel, taxed."""
    found.sort(key=lambda entry: entry[0])
    groups: dict[str, list[Ints]] = {}
    for _, surcharge, amount in found:
        if surcharge.group:
            groups.setdefault(surcharge.group, []).append(amount)
    winners = {group: np.argmax(np.stack(amounts), axis=0) for group, amounts in groups.items()}
    places = dict.fromkeys(groups, 0)
    whole, carried, taxed = (np.zeros(count, np.int64) for _ in range(3))
    for _, surcharge, amount in found:
        counted = amount
        if surcharge.group:
            counted = np.where(winners[surcharge.group] == places[surcharge.group], amount, 0)
            places[surcharge.group] += 1
        whole += counted
        if surcharge.carries_fuel:
            carried += counted
        if surcharge.taxable:
            taxed += counted
    return whole, carried, taxed
