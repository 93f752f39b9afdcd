"""What is due at the border, line by line: an estimate, which always says that it is one.

The customs value is the goods with or without their transport, as the destination has it (WTO Agreement on Customs
Valuation, article 8.2).  A duty is a percentage of it by code and origin, a tax is taken on value, transport and duty.
"""

from __future__ import annotations

from collections.abc import Collection
from datetime import date

from tidewind.core.customs.codes import code_text
from tidewind.core.customs.declaration import Declaration, Item
from tidewind.core.customs.spreading import spread
from tidewind.core.customs.tables import MILLION, Agreement, Duty, Place, Relief, Tables, Tax, among, reach
from tidewind.core.frozen import frozen
from tidewind.core.quantities import WHOLE, money_text, percent_of


@frozen
class Journey:
    """From which country to which the goods go, by whose service, on which day; ``by``: letter, parcel or carrier."""

    leaves: str
    to: str
    day: date
    carrier: str = ""
    by: str = "carrier"
    parcels: int = 1


@frozen
class Due:
    """One step of the stair, in minor units of the destination's currency, with why it is so much."""

    code: str
    words: str
    amount_minor: int
    why: str
    item: str = ""


@frozen
class Estimate:
    """The stair from the goods to what is due, in the destination's currency, and what is due in the order's too.

    ``at_sale_minor`` of the tax is collected at the sale and not due at the border.  ``known`` is false where the
    tables do not say enough of the destination.
    """

    currency: str
    goods_minor: int
    value_minor: int
    steps: tuple[Due, ...]
    duty_minor: int
    tax_minor: int
    fee_minor: int
    at_sale_minor: int
    total_minor: int
    in_order_minor: int
    notes: tuple[str, ...]
    agreements: tuple[str, ...] = ()
    known: bool = True


UNKNOWN = Estimate("", 0, 0, (), 0, 0, 0, 0, 0, 0, ("The tables say nothing of this destination.",), known=False)


def estimate(declared: Declaration, journey: Journey, tables: Tables, numbers: Collection[str] = ()) -> Estimate:
    """Return what duties, taxes and fees come to; ``numbers`` are the kinds of number that the sender has."""
    tables = tables.there(journey.to, journey.day)
    place = next(iter(tables.places), None)
    if place is None or not declared.items or declared.purpose == "documents":
        none = declared.purpose == "documents"
        return UNKNOWN if not none else Estimate("", 0, 0, (), 0, 0, 0, 0, 0, 0, ("Documents have no duty.",))
    reckoned = _Reckoning(declared, journey, tables, place, numbers)
    return reckoned.done()


class _Reckoning:
    def __init__(
        self, declared: Declaration, journey: Journey, tables: Tables, place: Place, numbers: Collection[str]
    ) -> None:
        self.declared, self.journey, self.tables, self.place, self.numbers = declared, journey, tables, place, numbers
        self.lines = [item.line for item in declared.items]
        # Converted once and shared out, so that the items' values add up to the whole in any currency.
        self.whole_of: dict[str, int] = {}
        self.goods_of: dict[str, int] = {}
        self.notes: list[str] = []
        self.used: list[str] = []
        self.steps: list[Due] = []

    def done(self) -> Estimate:
        there = self._there(self.declared.goods_minor)
        shipping = self._there(self.declared.shipping_minor)
        if there is None or shipping is None:
            return UNKNOWN
        parts = [item.value_minor + item.shipping_minor for item in self.declared.items]
        self.whole_of = dict(zip(self.lines, spread(there + shipping, parts), strict=True))
        goods_parts = [item.value_minor for item in self.declared.items]
        self.goods_of = dict(zip(self.lines, spread(there, goods_parts), strict=True))
        with_transport = self.place.value == "with_transport"
        value = there + (shipping if with_transport else 0)
        self._say("value", "Customs value", value, "goods and transport" if with_transport else "goods alone")
        duty = self._duty(there)
        tax, at_sale = self._tax(there)
        fee = self._fee(duty + tax - at_sale)
        total = duty + tax - at_sale + fee
        back = self.tables.convert(total, self.place.currency, self.declared.currency, self.journey.day) or 0
        rate = self.tables.rate(self.place.currency, self.journey.day)
        if rate and self.place.currency != self.declared.currency:
            each = f"{rate.millionths / MILLION:g} {self.place.currency} for 1 {self.tables.base}"
            self.notes.append(f"Converted at {each}, {rate.source or 'without a source'}, {rate.day:%-d %B %Y}.")
        if not self.declared.sender_pays and duty + tax - at_sale > 0:
            self.notes.append("A broker or the carrier may ask the recipient for a fee that nobody can quote before.")
        return Estimate(
            self.place.currency,
            there,
            value,
            tuple(self.steps),
            duty,
            tax,
            fee,
            at_sale,
            total,
            back,
            tuple(self.notes),
            tuple(dict.fromkeys(self.used)),
        )

    def _there(self, minor: int) -> int | None:
        return self.tables.convert(minor, self.declared.currency, self.place.currency, self.journey.day)

    def _say(self, code: str, words: str, amount: int, why: str, item: str = "") -> None:
        self.steps.append(Due(code, words, amount, why, item))

    def _relief(self, of: str, goods: int) -> Relief | None:
        for row in self.tables.reliefs:
            fits = not row.purposes or self.declared.purpose in row.purposes
            if of in row.of and fits and (row.up_to_minor is None or goods <= row.up_to_minor):
                return row
        return None

    def _free(self, relief: Relief) -> str:
        limit = "" if relief.up_to_minor is None else f"up to {money_text(relief.up_to_minor, self.place.currency)}"
        return relief.why or f"none is asked {limit}"

    def _value_of(self, item: Item) -> int:
        return (self.whole_of if self.place.value == "with_transport" else self.goods_of)[item.line]

    def _duty(self, goods: int) -> int:
        if relief := self._relief("duty", goods):
            self._say("duty", "Duty", 0, self._free(relief))
            return 0
        whole = 0
        for item in self.declared.items:
            row = self._duty_row(item, goods)
            name = f"Duty on {item.name}"
            if row is None:
                self._say("duty", name, 0, "no row of the table fits it", item.line)
                self.notes.append(f"The duty on {item.name} is not known.")
                continue
            free = self._agreement(item) if row.rate_bp or row.each_minor else None
            amount = 0 if free else percent_of(self._value_of(item), row.rate_bp) + row.each_minor
            why = f"{_percent(row.rate_bp)} of {money_text(self._value_of(item), self.place.currency)}"
            if row.each_minor:
                why = f"{money_text(row.each_minor, self.place.currency)} for each item"
            if free:
                why = f"free by the {free.name}, with a statement of origin"
                self.used.append(free.name)
            where = f"{code_text(item.hs_code)} from {item.origin or '?'}" if item.hs_code else "without a code"
            self._say("duty", name, amount, f"{why} ({where})", item.line)
            whole += amount
        return whole

    def _duty_row(self, item: Item, goods: int) -> Duty | None:
        rows = [
            row
            for row in self.tables.duties
            if among(item.origin, row.origins)
            and reach(item.hs_code, row.codes) >= 0
            and (row.up_to_minor is None or goods <= row.up_to_minor)
        ]
        # The nearest code decides, then a row for this origin before one for all, then one for small values.
        return max(
            rows,
            key=lambda r: (r.up_to_minor is not None, reach(item.hs_code, r.codes), "*" not in r.origins),
            default=None,
        )

    def _agreement(self, item: Item) -> Agreement | None:
        for row in self.tables.agreements:
            if not among(self.journey.leaves, row.leaves) or not among(item.origin, row.origins):
                continue
            worth = self.tables.convert(
                self.declared.goods_minor, self.declared.currency, row.currency, self.journey.day
            )
            small = row.anyone_up_to_minor is not None and worth is not None and worth <= row.anyone_up_to_minor
            if small or row.number in self.numbers:
                return row
            self.notes.append(
                f"Over {money_text(row.anyone_up_to_minor or 0, row.currency)} the {row.name} "
                f"asks for a {row.number} number; without it duty is due."
            )
        return None

    def _tax(self, goods: int) -> tuple[int, int]:
        if relief := self._relief("tax", goods):
            self._say("tax", "Tax", 0, self._free(relief))
            return 0, 0
        rows = [(item, self._tax_row(item)) for item in self.declared.items]
        if all(row is None for _, row in rows):
            self._say("tax", "Tax", 0, "no tax on imports")
            return 0, 0
        bases: dict[Tax, int] = {}
        for item, row in rows:
            if row is not None:
                bases[row] = bases.get(row, 0) + self.whole_of[item.line] + self._duty_of(item)
        whole = at_sale = 0
        for row, base in bases.items():
            amount = _taken(base, row)
            words = f"{_percent(row.rate_bp)} of {money_text(base, self.place.currency)}"
            if amount <= row.not_under_minor and amount:
                words, amount = f"{words}: so little is not asked", 0
            if row.at_sale_up_to_minor is not None and goods <= row.at_sale_up_to_minor and self._sold():
                words = f"{words}, collected at the sale ({row.number})"
                at_sale += amount
            self._say("tax", row.name, amount, words)
            whole += amount
        return whole, at_sale

    def _sold(self) -> bool:
        return self.declared.purpose == "sale"

    def _duty_of(self, item: Item) -> int:
        return sum(step.amount_minor for step in self.steps if step.code == "duty" and step.item == item.line)

    def _tax_row(self, item: Item) -> Tax | None:
        fitting = [row for row in self.tables.taxes if reach(item.hs_code, row.codes) >= 0]
        return max(fitting, key=lambda row: reach(item.hs_code, row.codes), default=None)

    def _fee(self, laid_out: int) -> int:
        if not self.declared.sender_pays or laid_out <= 0:
            return 0
        row = next((r for r in self.tables.fees if r.carrier == self.journey.carrier), None)
        if row is None:
            self.notes.append("The carrier's fee for laying out duties and tax is not known.")
            return 0
        least = self.tables.convert(row.least_minor, row.currency, self.place.currency, self.journey.day) or 0
        fee = max(percent_of(laid_out, row.rate_bp), least)
        why = f"{_percent(row.rate_bp)} of what is laid out, at least {money_text(least, self.place.currency)}"
        self._say("fee", "Carrier's fee", fee, why)
        return fee


def _taken(base: int, row: Tax) -> int:
    if not row.inside:
        return percent_of(base, row.rate_bp)
    # A tax that is part of its own base: base ÷ (1 − rate) × rate.
    up, down = base * row.rate_bp, WHOLE - row.rate_bp
    return (up * 2 + down) // (down * 2)


def _percent(basis_points: int) -> str:
    whole, rest = divmod(basis_points, 100)
    return f"{whole}.{rest:02d}".rstrip("0").rstrip(".") + " %"
