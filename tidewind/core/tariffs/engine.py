"""The computation of a price.

Order of the arithmetic (shop policy, docs/rate-card.md): base → contract discount → surcharges in the card's
order, exclusive groups reduced to their dearest → fuel on the net base and on surcharges that carry it →
extras → tax, once, on the taxable sum.  Every line is rounded half up when it is made.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable
from dataclasses import replace
from datetime import date

from tidewind.core.quantities import Refused, length_text, money_text, percent_of, steps_begun, weight_text
from tidewind.core.tariffs.card import Amount, Consignment, Limits, Parcel, RateCard, Service, Surcharge, When
from tidewind.core.tariffs.quote import Line, Quote
from tidewind.core.tariffs.zones import ZoneFinder, in_postcodes, plain_postcode

Base = tuple[int, tuple[object, ...]]


def volumetric_g(parcel: Parcel, service: Service) -> int:
    """Return the volumetric weight in grams, rounded up to the gram; 0 where it does not count."""
    rule = service.volumetric
    if rule is None or parcel.size.mm3 <= rule.threshold_cm3 * 1000:
        return 0
    return -(-parcel.size.mm3 // rule.divisor)


def billable_g(parcel: Parcel, service: Service) -> int:
    """Return what the carrier charges for: the heavier of gross and volumetric, at least the minimum, rounded up."""
    heavier = max(parcel.gross_g, volumetric_g(parcel, service), service.minimum_g)
    step = service.round_up_g
    return heavier if step <= 1 else steps_begun(heavier, step) * step


def limit_refusal(parcel: Parcel, limits: Limits) -> Refused | None:
    """Return why a parcel is over a limit, with the figure it is over by, or None."""
    if limits.gross_g is not None and parcel.gross_g > limits.gross_g:
        over = parcel.gross_g - limits.gross_g
        return Refused("too_heavy", f"{weight_text(over)} over {weight_text(limits.gross_g)}")
    if limits.sides is not None and not parcel.size.fits(limits.sides):
        for mine, most, word in (
            (parcel.size.longest, limits.sides.longest, "long"),
            (parcel.size.middle, limits.sides.middle, "wide"),
            (parcel.size.shortest, limits.sides.shortest, "thick"),
        ):
            if mine > most:
                return Refused("too_large", f"{length_text(mine - most)} too {word}")
    if limits.girth_mm is not None and parcel.size.girth_mm > limits.girth_mm:
        over = parcel.size.girth_mm - limits.girth_mm
        return Refused("too_large", f"length plus girth {length_text(over)} over {length_text(limits.girth_mm)}")
    return None


class CompiledService:
    """A service made ready for many quotes: its surcharges looked up, its zone prices at hand."""

    def __init__(self, card: RateCard, service: Service, discount_bp: int, fuel_bp: int) -> None:
        known = {s.code: s for s in (*card.surcharges, *card.extras)}
        self.service = service
        self.card = card
        self.discount_bp = discount_bp
        self.fuel_bp = fuel_bp
        self.surcharges = tuple((known[code], _predicate(known[code].when)) for code in service.surcharges)
        self.extras = {code: known[code] for code in service.extras}
        self.known_extras = frozenset({*service.extras, *service.included})
        self._zone_names = {zone.id: zone.name for zone in card.zones}
        self._base: Callable[[Parcel, str, int], Base | Refused] = {
            "weight": self._by_weight,
            "volume_tiers": self._by_volume,
            "one_price": self._one_price,
            "size_classes": self._by_class,
        }[service.kind]

    def quote(self, c: Consignment, zone: str | None) -> Quote | Refused:
        """Return the itemised price of a consignment to ``zone``, or why this service cannot take it."""
        service = self.service
        if zone is None or zone not in service.transit:
            return Refused("not_served", "does not go there")
        refusal = self._refusal(c)
        if refusal is not None:
            return refusal
        lines: list[Line] = []
        fuel_base = taxed = billable_total = 0
        for number, parcel in enumerate(c.parcels, 1):
            billable = billable_g(parcel, service)
            base = self._base(parcel, zone, billable)
            if isinstance(base, Refused):
                return base
            billable_total += billable
            net_base = base[0]
            lines.append(Line("base", "Base", net_base, number, base[1]))
            if self.discount_bp:
                cut = -percent_of(net_base, self.discount_bp)
                lines.append(
                    Line("discount", "Contract discount", cut, number, ("percent", -self.discount_bp, net_base))
                )
                net_base += cut
            taxed += net_base
            fuel_base += net_base
            if self.surcharges:
                carried, plain = self._add_surcharges(lines, c, parcel, zone, number, billable, net_base)
                fuel_base += carried
                taxed += plain
        if self.fuel_bp and fuel_base:
            fuel = percent_of(fuel_base, self.fuel_bp)
            lines.append(Line("fuel", "Fuel", fuel, 0, ("percent", self.fuel_bp, fuel_base)))
            taxed += fuel
        if c.extras:
            taxed += self._add_extras(lines, c)
        net = sum([line[2] for line in lines])  # the amounts; by position, since this runs for every cell of a matrix
        return Quote(service.code, zone, tuple(lines), billable_total, net, percent_of(taxed, self.card.tax_bp))

    def _refusal(self, c: Consignment) -> Refused | None:
        service, limits = self.service, self.service.limits
        if limits.value is not None and c.value > limits.value:
            return Refused("too_valuable", f"goods worth more than {money_text(limits.value, self.card.currency)}")
        if c.contents and not c.contents.isdisjoint(limits.refused_contents):
            banned = c.contents & limits.refused_contents
            return Refused("contents", f"does not take {', '.join(sorted(b.replace('_', ' ') for b in banned))}")
        if c.po_box and "po_box" in limits.refused_contents:
            return Refused("po_box", "does not deliver to a PO box")
        if c.extras and not c.extras <= self.known_extras:
            missing = c.extras - self.known_extras
            return Refused("extra", f"has no {', '.join(sorted(m.replace('_', ' ') for m in missing))}")
        for parcel in c.parcels:
            if parcel.packaging != service.packaging and (parcel.packaging or service.packaging):
                return Refused("packaging", "needs the carrier's own box" if service.packaging else "not in that box")
            refusal = limit_refusal(parcel, limits)
            if refusal is not None:
                return refusal
        return None

    def _by_weight(self, _parcel: Parcel, zone: str, billable: int) -> Base | Refused:
        steps = self.service.steps[zone]
        index = bisect_left(steps.bounds, billable)
        if index < len(steps.bounds):
            return steps.prices[index], ("step", self._zone_names[zone], steps.bounds[index])
        top = steps.bounds[-1]
        if not steps.tail_unit:
            return Refused("too_heavy", f"{weight_text(billable - top)} over {weight_text(top)}")
        count = steps_begun(billable - top, steps.tail_unit)
        last = steps.prices[-1]
        basis = ("tail", self._zone_names[zone], top, last, count, steps.tail_price, steps.tail_unit)
        return last + count * steps.tail_price, basis

    def _by_volume(self, parcel: Parcel, zone: str, _billable: int) -> Base | Refused:
        steps = self.service.steps[zone]
        index = bisect_left(steps.bounds, -(-parcel.size.mm3 // 1000))
        if index == len(steps.bounds):
            return Refused("too_large", f"more than {steps.bounds[-1] // 1000} dm³")
        most = self.service.max_g_per_tier[index]
        if parcel.gross_g > most:
            return Refused("too_heavy", f"{weight_text(parcel.gross_g - most)} over {weight_text(most)}")
        return steps.prices[index], ("tier", self._zone_names[zone], steps.bounds[index])

    def _one_price(self, _parcel: Parcel, zone: str, _billable: int) -> Base | Refused:
        return self.service.steps[zone].prices[0], ("one_price", self._zone_names[zone])

    def _by_class(self, parcel: Parcel, zone: str, _billable: int) -> Base | Refused:
        for size_class in self.service.classes:
            if parcel.size.fits(size_class.sides) and parcel.gross_g <= size_class.max_gross_g:
                return size_class.prices[zone], ("class", self._zone_names[zone], size_class.code)
        return Refused("too_large", "fits none of the size classes")

    def _add_surcharges(
        self,
        lines: list[Line],
        c: Consignment,
        parcel: Parcel,
        zone: str,
        number: int,
        billable: int,
        net_base: int,
    ) -> tuple[int, int]:
        """Append the surcharge lines of one parcel; return the sums that carry fuel and that are taxed."""
        found: list[tuple[Surcharge, Line]] = []
        for surcharge, applies in self.surcharges:
            if (number == 1 or not surcharge.per_shipment) and applies(c, parcel, zone):
                owner = 0 if surcharge.per_shipment else number
                found.append((surcharge, _line(surcharge, owner, billable, net_base, c.value)))
        if not found:
            return 0, 0
        dearest: dict[str, Line] = {}
        for surcharge, line in found:
            if surcharge.group and (surcharge.group not in dearest or line.amount > dearest[surcharge.group].amount):
                dearest[surcharge.group] = line
        carried = taxed = 0
        for surcharge, line in found:
            if surcharge.group and dearest[surcharge.group] is not line:
                lines.append(line._replace(amount=0, basis=("not_counted", line.amount, surcharge.group)))
                continue
            lines.append(line)
            carried += line.amount if surcharge.carries_fuel else 0
            taxed += line.amount if surcharge.taxable else 0
        return carried, taxed

    def _add_extras(self, lines: list[Line], c: Consignment) -> int:
        taxed = 0
        for code, extra in self.extras.items():
            if code not in c.extras or code in self.service.included:
                continue
            for number in (0,) if extra.per_shipment else range(1, len(c.parcels) + 1):
                line = _line(extra, number, 0, 0, c.value)
                lines.append(line)
                taxed += line.amount if extra.taxable else 0
        return taxed


def _line(surcharge: Surcharge, number: int, billable: int, net_base: int, value: int) -> Line:
    amount, basis = _amount(surcharge.amount, billable, net_base, value)
    return Line(surcharge.code, surcharge.name, amount, number, basis)


def _amount(rule: Amount, billable: int, net_base: int, value: int) -> Base:
    basis: tuple[object, ...]
    if rule.kind == "fixed":
        amount, basis = rule.figure, ("fixed",)
    elif rule.kind == "percent":
        amount, basis = percent_of(net_base, rule.figure), ("percent", rule.figure, net_base)
    elif rule.kind == "per_kg":
        count = steps_begun(billable, 1000)
        amount, basis = count * rule.figure, ("per_kg", count, rule.figure)
    else:
        count = steps_begun(value - rule.included, rule.step)
        amount, basis = count * rule.figure, ("value", count, rule.figure, rule.step)
    if rule.minimum is not None:
        amount = max(amount, rule.minimum)
    if rule.cap is not None:
        amount = min(amount, rule.cap)
    return amount, basis


def _predicate(when: When) -> Callable[[Consignment, Parcel, str], bool]:
    """Turn a condition into the few tests it really needs, so that quotes do not pay for parts not set."""
    tests: list[Callable[[Consignment, Parcel, str], bool]] = []
    if when.home is not None:
        tests.append(lambda c, _p, _z: c.home is when.home)
    if when.zones:
        tests.append(lambda _c, _p, z: z in when.zones)
    if when.contents:
        tests.append(lambda c, _p, _z: not when.contents.isdisjoint(c.contents))
    if when.not_stackable is not None:
        tests.append(lambda _c, p, _z: p.not_stackable is when.not_stackable)
    if when.postcodes:
        tests.append(lambda c, _p, _z: in_postcodes(plain_postcode(c.postcode), when.postcodes))
    longest, girth, gross = when.longest_over_mm, when.girth_over_mm, when.gross_over_g
    if longest is not None:
        tests.append(lambda _c, p, _z: p.size.longest > longest)
    if girth is not None:
        tests.append(lambda _c, p, _z: p.size.girth_mm > girth)
    if gross is not None:
        tests.append(lambda _c, p, _z: p.gross_g > gross)
    if len(tests) == 1:
        return tests[0]
    return lambda c, p, z: all(test(c, p, z) for test in tests)


class CompiledCard:
    """A rate card in memory, ready to quote: every service compiled for one day and one contract."""

    def __init__(self, card: RateCard, on: date, discounts_bp: dict[str, int] | None = None) -> None:
        self.card = card
        self.zones = ZoneFinder(card.zones)
        fuel = max((pair for pair in card.fuel if pair[0] <= on), default=(on, 0))[1]
        cuts = discounts_bp or {}
        dated = {s.code for s in card.surcharges if _in_season(s.when, on)}
        self.services = {
            service.code: CompiledService(
                card, _with_surcharges(service, dated), cuts.get(service.code, cuts.get("*", 0)), fuel
            )
            for service in card.services
        }

    def quote(self, code: str, c: Consignment) -> Quote | Refused:
        """Return the price of ``c`` by service ``code``, or the refusal.  Raises KeyError for an unknown service."""
        return self.services[code].quote(c, self.zones.find(c.country, c.postcode))


def _in_season(when: When, on: date) -> bool:
    return (when.ship_from is None or when.ship_from <= on) and (when.ship_until is None or on <= when.ship_until)


def _with_surcharges(service: Service, allowed: set[str]) -> Service:
    return replace(service, surcharges=tuple(code for code in service.surcharges if code in allowed))
