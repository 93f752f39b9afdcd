"""From rows of a spreadsheet to orders: which column is what, and what is wrong with a row, in words."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import ROUND_CEILING, Decimal, InvalidOperation
from itertools import islice

from tidewind.core.addresses.check import Address, country_code, tidy, tidy_address
from tidewind.core.quantities import minor_digits, minor_of

FIELDS: Mapping[str, tuple[str, ...]] = {
    "order_number": (
        "order",
        "order number",
        "order no",
        "order id",
        "encomenda",
        "ref",
        "reference",
        "number",
    ),
    "name": ("name", "recipient", "customer", "ship to", "full name", "nome", "recipient name"),
    "company": ("company", "organisation", "organization", "empresa"),
    "street": ("street", "address", "address 1", "address line 1", "street address", "morada"),
    "extra": ("address 2", "address line 2", "flat", "unit", "floor", "andar"),
    "city": ("city", "town", "localidade", "cidade"),
    "region": ("region", "state", "county", "province", "distrito"),
    "postcode": ("postcode", "postal code", "zip", "zip code", "código postal", "codigo postal", "cp"),
    "country": ("country", "country code", "país", "pais"),
    "phone": ("phone", "telephone", "mobile", "telefone"),
    "email": ("email", "e mail", "mail"),
    "sku": ("sku", "item", "article", "product code", "item number", "artigo"),
    "item_name": ("item name", "description", "product", "title", "produto"),
    "quantity": ("quantity", "qty", "count", "pieces", "quantidade"),
    "unit_price": ("price", "unit price", "item price", "preço", "preco"),
    "weight_g": ("weight g", "weight", "weight grams", "peso g", "peso"),
    "paid_shipping": ("shipping paid", "shipping", "postage paid", "portes"),
    "promise": ("delivery", "delivery method", "shipping method", "promise", "entrega"),
    "note": ("note", "notes", "comment", "remarks", "nota"),
}
NEEDED = ("order_number", "name", "street", "city", "country", "sku", "quantity")
MOST_LINES = 500
MOST_QUANTITY = 5_000


@dataclass(frozen=True, slots=True)
class RowFault:
    """What is wrong with one row: its number in the file (from 1), the field, and words."""

    row: int
    field: str
    words: str


@dataclass(frozen=True, slots=True)
class RowLine:
    """One order line out of a row."""

    sku: str
    name: str
    quantity: int
    unit_price: int
    weight_g: int | None


@dataclass(slots=True)
class RowOrder:
    """One order out of one or several rows with the same number."""

    number: str
    address: Address
    promise: str
    paid_shipping: int
    note: str
    lines: list[RowLine] = field(default_factory=list)
    rows: list[int] = field(default_factory=list)

    def fingerprint(self) -> str:
        """Return a hash over everything the order says, to know it again when the file comes twice."""
        return hashlib.sha256(repr((self.number, self.address, self.promise, self.lines)).encode()).hexdigest()


def plain_header(text: str) -> str:
    """Return a header in small letters with single spaces and no punctuation."""
    return " ".join(re.sub(r"[^\w]+", " ", text.lower().replace("_", " ")).split())


def guess_columns(headers: Sequence[str]) -> dict[str, int]:
    """Return field → column index for every header that is known; each column and field at most once."""
    names = [plain_header(h) for h in headers]
    found: dict[str, int] = {}
    for wanted, spellings in FIELDS.items():
        for spelling in spellings:
            if spelling in names and names.index(spelling) not in found.values():
                found[wanted] = names.index(spelling)
                break
    return found


def header_row(rows: Sequence[Sequence[str]]) -> int:
    """Return the index of the row, among the first 15, that looks most like a header; 0 where none does."""
    scores = [len(guess_columns(row)) for row in rows[:15]]
    return scores.index(max(scores)) if scores and max(scores) >= 3 else 0


def read_money(text: str, currency: str) -> int:
    """Return minor units for ``4.90``, ``4,90``, ``€ 1.204,50``, for yen ``1,204``; empty is 0.

    Raises ValueError otherwise, also for more decimals than the currency has.
    """
    digits = minor_digits(currency)
    plain = re.sub(rf"[\s€$£¥]|{currency}|kr", "", text)
    if not plain:
        return 0
    comma, dot = plain.rfind(","), plain.rfind(".")
    if not digits and re.fullmatch(r"\d{1,3}([.,]\d{3})+", plain):
        plain = re.sub(r"[.,]", "", plain)  # where nothing is smaller than one, a mark before three digits groups them
    else:
        plain = plain.replace(".", "").replace(",", ".") if comma > dot else plain.replace(",", "")
    if not re.fullmatch(rf"\d{{1,9}}(\.\d{{1,{max(digits, 1)}}})?", plain):
        raise ValueError(text)
    return minor_of(Decimal(plain), currency)


# Grams in a unit: the international avoirdupois pound (0.45359237 kg exactly, 1959) and its sixteenth.
_GRAMS = {"g": Decimal(1), "kg": Decimal(1000), "lb": Decimal("453.59237"), "oz": Decimal("28.349523125")}


@dataclass(frozen=True, slots=True)
class Units:
    """How figures without a unit are meant."""

    currency: str
    weight: str = "g"


def read_weight(text: str, unit: str = "g") -> int | None:
    """Return grams for ``250``, ``250 g``, ``0,25 kg``, ``1.5 lb``; None for empty.  Raises ValueError otherwise.

    ``unit`` is meant where none is written.  Pounds and ounces are rounded up to the gram; half a gram is refused.
    """
    plain = text.strip().lower().replace(",", ".")
    if not plain:
        return None
    match = re.fullmatch(r"(\d{1,7}(?:\.\d{1,4})?)\s*(g|kg|lbs?|oz)?", plain)
    if not match:
        raise ValueError(text)
    meant = (match[2] or unit).removesuffix("s")
    try:
        grams = Decimal(match[1]) * _GRAMS[meant]
    except InvalidOperation as error:
        raise ValueError(text) from error
    if meant in {"lb", "oz"}:
        grams = grams.to_integral_value(ROUND_CEILING)
    if grams != grams.to_integral_value() or not 0 < grams <= 1_000_000:
        raise ValueError(text)
    return int(grams)


class _Row:
    """One row with its mapping; reads cells and collects faults."""

    def __init__(self, number: int, cells: Sequence[str], columns: Mapping[str, int], units: Units) -> None:
        self.number, self.cells, self.columns, self.units = number, cells, columns, units
        self.faults: list[RowFault] = []

    def text(self, name: str) -> str:
        index = self.columns.get(name)
        return tidy(self.cells[index]) if index is not None and index < len(self.cells) else ""

    def fail(self, name: str, words: str) -> None:
        self.faults.append(RowFault(self.number, name, words))

    def money(self, name: str) -> int:
        try:
            return read_money(self.text(name), self.units.currency)
        except ValueError:
            self.fail(name, f"“{self.text(name):.40}” is no price; write it like 4.90")
            return 0

    def weight(self) -> int | None:
        try:
            return read_weight(self.text("weight_g"), self.units.weight)
        except ValueError:
            self.fail("weight_g", f"“{self.text('weight_g'):.40}” is no weight; write it like 250 or 0.25 kg")
            return None

    def quantity(self) -> int:
        text = self.text("quantity").removesuffix(".0")
        if not (text.isascii() and text.isdigit() and 1 <= int(text[:9]) <= MOST_QUANTITY):
            self.fail(
                "quantity",
                f"“{text:.40}” is no quantity; a whole number from 1 to {MOST_QUANTITY} is expected",
            )
            return 0
        return int(text)


def _line(row: _Row) -> RowLine:
    return RowLine(
        row.text("sku")[:60], row.text("item_name")[:200], row.quantity(), row.money("unit_price"), row.weight()
    )


def read_orders(
    rows: Sequence[tuple[int, Sequence[str]]], columns: Mapping[str, int], units: Units
) -> tuple[list[RowOrder], list[RowFault]]:
    """Return the orders in ``rows`` (file row number, cells) and what is wrong with the rows that were kept back.

    Rows with the same order number make one order with several lines.  One bad row keeps its whole order back,
    so that nothing is sent half.
    """
    orders: dict[str, RowOrder] = {}
    faults: list[RowFault] = []
    spoiled: dict[str, int] = {}
    for number, cells in rows:
        if not any(c.strip() for c in cells):
            continue
        row = _Row(number, cells, columns, units)
        order_number = _order_number(row)
        order = _order(row, order_number)
        line = _line(row)
        for name in NEEDED:
            if name != "quantity" and not row.text(name):
                row.fail(name, f"{name.replace('_', ' ')} is empty")
        if row.faults:
            faults += row.faults
            spoiled.setdefault(order_number, number)
            continue
        kept = orders.setdefault(order_number, order)
        kept.rows.append(number)
        kept.lines.append(line)
    for order_number, first in spoiled.items():
        dropped = orders.pop(order_number, None)
        if dropped:
            faults += [
                RowFault(n, "order_number", f"kept back with row {first} of the same order") for n in dropped.rows
            ]
    return _reasonable(orders, faults), sorted(faults, key=lambda f: f.row)


def read_in_lots(
    rows: Sequence[tuple[int, Sequence[str]]], columns: Mapping[str, int], units: Units, size: int
) -> Iterator[list[RowOrder]]:
    """Return the orders of ``read_orders`` in lots made of ``size`` order numbers each, so that few are in memory.

    Rows kept back make a lot smaller, or empty.
    """
    by_number: dict[str, list[tuple[int, Sequence[str]]]] = {}
    for number, cells in rows:
        by_number.setdefault(_order_number(_Row(number, cells, columns, units)), []).append((number, cells))
    groups = iter(by_number.values())
    while group := list(islice(groups, size)):
        yield read_orders([row for rows_of_one in group for row in rows_of_one], columns, units)[0]


def _order_number(row: _Row) -> str:
    return row.text("order_number")[:60]


def _order(row: _Row, number: str) -> RowOrder:
    parts = {name: row.text(name) for name in Address.__dataclass_fields__}
    address = tidy_address(Address(**parts))
    if parts["country"] and country_code(parts["country"]) is None:
        row.fail("country", f"“{parts['country']:.40}” is no country; write its name or two-letter code")
    for name, text in parts.items():
        if len(text) > 120:
            row.fail(name, f"{name} has {len(text)} characters; at most 120 fit")
    return RowOrder(number, address, row.text("promise")[:120], row.money("paid_shipping"), row.text("note")[:500])


def _reasonable(orders: Mapping[str, RowOrder], faults: list[RowFault]) -> list[RowOrder]:
    good = []
    for order in orders.values():
        if len(order.lines) > MOST_LINES:
            words = f"order {order.number} has {len(order.lines):,} lines; at most {MOST_LINES} go into one order"
            faults.append(RowFault(order.rows[0], "order_number", words))
        else:
            good.append(order)
    return good
