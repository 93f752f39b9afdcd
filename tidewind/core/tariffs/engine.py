"""The computation of a price.

Order of the arithmetic (shop policy, docs/rate-card.md): base → contract discount → surcharges in the card's
order, exclusive groups reduced to their dearest → fuel on the net base and on surcharges that carry it →
extras → tax, once, on the taxable sum.  Every line is rounded half up when it is made.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from copy import copy
from datetime import date

from tidewind.core.consignments import Consignment, Parcel
from tidewind.core.quantities import Refused, decimal_text, percent_of, steps_begun, weight_text
from tidewind.core.tariffs.amounts import amount_of
from tidewind.core.tariffs.card import RateCard, Service, Surcharge, day_kind
from tidewind.core.tariffs.contracts import PUBLISHED, Contract, cheapest
from tidewind.core.tariffs.limits import refusal
from tidewind.core.tariffs.live import NO_ANSWERS, Answers
from tidewind.core.tariffs.quote import Line, Quote
from tidewind.core.tariffs.rates import TableKey, ZoneRates
from tidewind.core.tariffs.weights import billable_g
from tidewind.core.tariffs.zones import PlaceFinder, Where

_NOT_SERVED = Refused("not_served", "does not go there")
Sums = tuple[int, int]
"""What carries fuel, and what is taxed."""


def row_of(service: Service, bounds: tuple[int, ...], tail_unit: int, parcel: Parcel, billable: int) -> int | Refused:
    """Return the row of the price table that a parcel falls into; rows past the last step count the tail's units."""
    if service.kind == "weight":
        if not bounds or billable <= bounds[-1]:
            return bisect_left(bounds, billable)
        if not tail_unit:
            by_size = ", counted by its size" if parcel.gross_g <= bounds[-1] else ""
            over = f"{weight_text(billable - bounds[-1])} over {weight_text(bounds[-1])}{by_size}"
            return Refused("too_heavy", over)
        return len(bounds) - 1 + steps_begun(billable - bounds[-1], tail_unit)
    if service.kind == "one_price":
        return 0
    if service.kind == "size_classes":
        for number, size_class in enumerate(service.classes):
            if parcel.gross_g <= size_class.max_gross_g and parcel.size.fits(size_class.sides):
                return number
        return Refused("too_large", "fits none of the size classes")
    row = bisect_left(bounds, -(-parcel.mm3 // 1000))
    if row == len(bounds):
        return Refused("too_large", f"more than {decimal_text(bounds[-1])} dm³")
    most = service.max_g_per_tier[row]
    if parcel.gross_g > most:
        return Refused("too_heavy", f"{weight_text(parcel.gross_g - most)} over {weight_text(most)}")
    return row


class CompiledService:
    """A service made ready for many quotes: rates by zone, and what was reckoned once kept for parcels alike."""

    def __init__(self, card: RateCard, service: Service, contracts: Sequence[Contract], on: date) -> None:
        self.service, self.card, self.on = service, card, on
        self._contracts = contracts
        fuel = max((pair for pair in card.fuel if pair[0] <= on), default=(on, 0))[1]
        self.fuel_bp = fuel if service.fuel else 0
        self.known_extras = frozenset({*service.extras, *service.included})
        self._packaging, self._code, self._currency = service.packaging, service.code, card.currency
        self._rates: dict[int, ZoneRates | None] = {}
        self.answers = NO_ANSWERS

    def rates(self, where: Where, home: bool) -> ZoneRates | None:
        """Return the compiled rates to a destination, None where the service does not go there."""
        number = where.number * 2 + home
        if number not in self._rates:
            self._rates[number] = self._compiled(where, home) if where.zone.id in self.service.transit else None
        return self._rates[number]

    def _compiled(self, where: Where, home: bool) -> ZoneRates:
        contract = cheapest(self._contracts, self.service.code, where.zone.id)
        return ZoneRates(self.card, self.service, where, home, self.on, contract)

    def quote(self, c: Consignment, rates: ZoneRates | None) -> Quote | Refused:
        """Return the itemised price of a consignment at these rates, or why this service cannot take it."""
        if rates is None:
            return _NOT_SERVED
        if c.simple:
            parcel, extras = c.parcels[0], c.extras
            if parcel.packaging == self._packaging and (not extras or extras <= rates.flat_extras):
                billable = rates.simple_billable(parcel, c.goods.value)
                if billable >= 0:
                    return self._by_table(c, parcel, rates, billable)
        return self._full(c, rates)

    def _by_table(self, c: Consignment, parcel: Parcel, rates: ZoneRates, billable: int) -> Quote | Refused:
        """Price one parcel to which no condition but its zone applies: its row of the table says it all."""
        row: int | Refused
        if rates.by_weight and billable <= rates.last_bound:
            row = bisect_left(rates.bounds, billable)
        else:
            row = row_of(self.service, rates.bounds, rates.tail_unit, parcel, billable)
            if isinstance(row, Refused):
                return row
        number = row if not rates.per_kg else (row << 20) + steps_begun(billable, 1000)
        key: TableKey = (number, c.extras) if c.extras else number
        try:
            lines, net, tax = rates.table[key]
        except KeyError:
            quoted = self._full(c, rates)
            if isinstance(quoted, Refused):
                return quoted
            lines, net, tax = rates.table[key] = (quoted.lines, quoted.net, quoted.tax)
        return Quote(self._code, rates.zone, lines, billable, net, tax, self._currency, rates.account)

    def _full(self, c: Consignment, rates: ZoneRates) -> Quote | Refused:
        service = self.service
        refused = refusal(c, service, rates.limits, self.known_extras, self.card.currency)
        if refused is not None:
            return refused
        if service.kind == "live":
            return self.answers.quote(c, service.code, rates.zone, self._currency, rates.account)
        billables = [billable_g(parcel, service) for parcel in c.parcels]
        lines: list[Line] = []
        bases = self._bases(c, rates, billables, lines)
        if isinstance(bases, Refused):
            return bases
        fuel_base = taxed = sum(net for _, net in bases)
        if rates.surcharges:
            for number, parcel in enumerate(c.parcels, 1):
                carried, plain = self._add_surcharges(lines, c, parcel, rates, number, billables, bases)
                fuel_base, taxed = fuel_base + carried, taxed + plain
            if len(c.parcels) > 1:
                lines.sort(key=lambda line: line.parcel or 99)
        if self.fuel_bp and fuel_base:
            fuel = percent_of(fuel_base, self.fuel_bp)
            lines.append(Line("fuel", "Fuel", fuel, 0, ("percent", self.fuel_bp, fuel_base)))
            taxed += fuel
        if c.extras:
            asked = self._add_extras(lines, c, rates, billables, bases)
            if isinstance(asked, Refused):
                return asked
            taxed += asked
        net = sum([line[2] for line in lines])
        tax = percent_of(taxed, self.card.tax_bp) if rates.taxed else 0
        return Quote(service.code, rates.zone, tuple(lines), sum(billables), net, tax, self._currency, rates.account)

    def _bases(self, c: Consignment, rates: ZoneRates, billables: list[int], lines: list[Line]) -> list[Sums] | Refused:
        """Append the base and discount lines; return list and net base per parcel (all on the first if together)."""
        service, found = self.service, []
        pieces = list(zip(c.parcels, billables, strict=True))
        if service.weighed_together and len(pieces) > 1:
            step = max(service.round_up_g, 1)
            pieces = [(c.parcels[0], steps_begun(sum(billables), step) * step)]
        for number, (parcel, billable) in enumerate(pieces, 1):
            row = row_of(service, rates.bounds, rates.tail_unit, parcel, billable)
            if isinstance(row, Refused):
                return row
            price, basis = rates.base(row)
            owner = number
            if len(pieces) < len(c.parcels):
                owner, basis = 0, ("together", len(c.parcels), basis)
            lines.append(Line("base", "Base", price, owner, basis))
            net = rates.discounted(price)
            if rates.discount_bp:
                lines.append(Line("discount", "Contract discount", net - price, owner, rates.discount_basis(price)))
            found.append((price, net))
        return found + [(0, 0)] * (len(c.parcels) - len(found))

    def _add_surcharges(
        self,
        lines: list[Line],
        c: Consignment,
        parcel: Parcel,
        rates: ZoneRates,
        number: int,
        billables: list[int],
        bases: list[Sums],
    ) -> Sums:
        """Append the surcharge lines of one parcel; return the sums that carry fuel and that are taxed."""
        found: list[tuple[int, Surcharge, Line]] = []
        sums = {"list": bases[number - 1][0], "base": bases[number - 1][1]}
        for position, surcharge, holds in rates.surcharges:
            if surcharge.once:
                if number > 1 or not (holds is None or any(holds(c, p) for p in c.parcels)):
                    continue
                whole = {"list": sum(b[0] for b in bases), "base": sum(b[1] for b in bases)}
                amount, basis = amount_of(surcharge.amount, sum(billables), c.goods.value, {**sums, **whole})
            elif holds is None or holds(c, parcel):
                amount, basis = amount_of(surcharge.amount, billables[number - 1], c.goods.value, sums)
            else:
                continue
            sums[surcharge.code] = amount
            owner = 0 if surcharge.once else number
            found.append((position, surcharge, Line(surcharge.code, surcharge.name, amount, owner, basis)))
        return _reduced(found, lines) if found else (0, 0)

    def _add_extras(
        self, lines: list[Line], c: Consignment, rates: ZoneRates, billables: list[int], bases: list[Sums]
    ) -> int | Refused:
        """Append the lines of the extras asked for and return their taxable sum; one not to be had there refuses."""
        wanted = c.extras - set(self.service.included)
        known = {extra.code: (position, extra, holds) for position, extra, holds in rates.extras}
        found: list[tuple[int, Surcharge, Line]] = []
        taxed = 0
        for code in self.service.extras:
            if code not in wanted:
                continue
            if code not in known:
                return Refused("extra", f"has no {code.replace('_', ' ')} there")
            position, extra, holds = known[code]
            for number in (0,) if extra.once else range(1, len(c.parcels) + 1):
                if holds is not None and not holds(c, c.parcels[max(number - 1, 0)]):
                    return Refused("extra", f"has no {code.replace('_', ' ')} for this parcel")
                mine = bases[number - 1 : number] if number else bases
                sums = {"list": sum(b[0] for b in mine), "base": sum(b[1] for b in mine)}
                weight = billables[number - 1] if number else sum(billables)
                amount, basis = amount_of(extra.amount, weight, c.goods.value, sums)
                found.append((position * 100 + number, extra, Line(code, extra.name, amount, number, basis)))
        for number in range(len(c.parcels) + 1):
            taxed += _reduced([f for f in found if f[2].parcel == number], lines)[1]
        return taxed


def _reduced(found: list[tuple[int, Surcharge, Line]], lines: list[Line]) -> Sums:
    """Append lines in the card's order, exclusive groups reduced to their dearest (the first of equals)."""
    found.sort(key=lambda entry: entry[0])
    dearest: dict[str, Line] = {}
    for _, surcharge, line in found:
        group = surcharge.group
        if group and (group not in dearest or line.amount > dearest[group].amount):
            dearest[group] = line
    carried = taxed = 0
    for _, surcharge, line in found:
        if surcharge.group and dearest[surcharge.group] is not line:
            lines.append(line._replace(amount=0, basis=("not_counted", line.amount, surcharge.group)))
            continue
        lines.append(line)
        carried += line.amount if surcharge.carries_fuel else 0
        taxed += line.amount if surcharge.taxable else 0
    return carried, taxed


class CompiledCard:
    """A rate card in memory, ready to quote: every service compiled for one day, on the cheapest of some accounts.

    A service that no account uses is left out.
    """

    def __init__(
        self, card: RateCard, on: date, contracts: Sequence[Contract] = PUBLISHED, answers: Answers = NO_ANSWERS
    ) -> None:
        self.card, self.on, self.contracts = card, on, tuple(contracts)
        self.kind = day_kind(card, on)
        self.places = PlaceFinder(card)
        self._routes: dict[tuple[int, str | None], list[tuple[CompiledService, ZoneRates | None]]] = {}
        used = [s for s in card.services if any(s.code not in c.services_off for c in contracts)]
        self.saturday_extras = frozenset(extra.code for extra in card.extras if extra.saturday)
        self.services = {service.code: CompiledService(card, service, self.contracts, on) for service in used}
        self.home_matters = any(s.when.home is not None for s in (*card.surcharges, *card.extras))
        self.packagings = tuple(dict.fromkeys([None, *(service.packaging for service in card.services)]))
        self.live = any(service.kind == "live" for service in card.services)
        self.answers = answers
        for service in self.services.values():
            service.answers = answers

    def prices_as(self, other: CompiledCard) -> bool:
        """Tell whether another one on the same accounts has the same prices: of the same card, for a day alike."""
        return self.card is other.card and self.kind == other.kind

    def with_answers(self, answers: Answers) -> CompiledCard:
        """Return this card for a carrier that is asked, with other answers."""
        if answers is self.answers:
            return self
        other = copy(self)
        other.services = {code: copy(service) for code, service in self.services.items()}
        other.answers, other._routes = answers, {}
        for service in other.services.values():
            service.answers = answers
        return other

    def quote(self, code: str, c: Consignment) -> Quote | Refused:
        """Return the price of ``c`` by service ``code``, or the refusal.  Raises KeyError for an unknown service."""
        service, where = self.services[code], self.places.find(c)
        return service.quote(c, None if where is None else service.rates(where, c.route.home))

    def quotes(self, c: Consignment, packaging: str | None = None) -> Iterator[tuple[CompiledService, Quote | Refused]]:
        """Yield every service that goes in this packaging (None: the shop's own) and its price of ``c``, or why not."""
        where = self.places.find(c)
        key = (-1 if where is None else where.number * 2 + c.route.home, packaging)
        try:
            route = self._routes[key]
        except KeyError:
            route = self._routes[key] = [
                (service, None if where is None else service.rates(where, c.route.home))
                for service in self.services.values()
                if service.service.packaging == packaging
            ]
        for service, rates in route:
            yield service, service.quote(c, rates)

    def where(self, c: Consignment) -> Where | None:
        """Return a consignment's zone and places, None where the card does not reach."""
        return self.places.find(c)
