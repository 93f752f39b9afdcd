"""From rows to orders.  Never a parcel to the wrong person, never a part of an order: what is in doubt is kept back."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice

from tidewind.core.addresses.check import LONGEST, Address, tidy, tidy_address
from tidewind.core.addresses.copied import parse_address
from tidewind.core.addresses.copied_words import STREET, UNIT
from tidewind.core.addresses.countries import country_code, plain
from tidewind.core.order_limits import MOST_PIECES, NAME, NOTE, NUMBER, PROMISE, SKU, TAX_NUMBER, storable
from tidewind.core.order_rows.columns import NEEDED, currency_of, is_billing, unit_named, weight_unit_of
from tidewind.core.order_rows.figures import (
    TooLarge,
    Units,
    is_shortened,
    other_currency,
    read_money,
    read_weight,
)
from tidewind.core.order_rows.standing import CLEAR, GOES, GOING_PHRASES, STOPPING_PHRASES, STOPS, SUMS

MOST_LINES = 500
_PARTS = ("name", "company", "street", "extra", "city", "region", "postcode", "country", "phone", "email")
# What says who and where; where two rows of one order differ in these, one of them would go to the wrong place.
_WHO_AND_WHERE = ("name", "company", "street", "city", "postcode", "country")


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
    recipient_number: str = ""

    def fingerprint(self) -> str:
        """Return a hash over everything the order says, to know it again when the file comes twice."""
        said = (self.number, self.address, self.promise, self.lines, self.paid_shipping, self.note)
        if self.recipient_number:  # files that came in before this was read are known again
            said = (*said, self.recipient_number)  # type: ignore[assignment]
        return hashlib.sha256(repr(said).encode()).hexdigest()


class _Row:
    """One row with its mapping; reads cells and collects faults."""

    def __init__(self, number: int, cells: Sequence[str], columns: Mapping[str, int], units: Units) -> None:
        self.number, self.cells, self.columns, self.units = number, cells, columns, units
        self.faults: list[RowFault] = []
        self.heading_currency = ""

    def raw(self, name: str) -> str:
        index = self.columns.get(name)
        return storable(self.cells[index]) if index is not None and index < len(self.cells) else ""

    def text(self, name: str) -> str:
        return tidy(self.raw(name))

    def fail(self, name: str, words: str) -> None:
        self.faults.append(RowFault(self.number, name, words))

    def whole(self, name: str, most: int) -> str:
        """Return an identifier that must not be cut, nor be one that a spreadsheet has shortened."""
        text = self.text(name)
        if len(text) > most:
            self.fail(name, f"{_words(name)} has {len(text):,} characters; at most {most} fit, cut it would be another")
        elif is_shortened(text):
            self.fail(name, f"“{text:.30}” was shortened by a spreadsheet; format that column as text and save again")
        return text

    def money(self, name: str) -> int:
        text = self.text(name)
        other = other_currency(text, self.units.currency)
        named = (self.text("currency").upper() or self.heading_currency) if text else ""
        if other or (named and named != self.units.currency):
            words = f"“{text:.40}” is in {other or named:.20}, the shop's prices are in {self.units.currency}"
            self.fail(name, f"{words}; nothing is converted")
            return 0
        try:
            return read_money(self.text(name), self.units.currency, self.units.decimal)
        except TooLarge as error:
            self.fail(name, f"“{self.text(name):.40}”: {error}")
        except ValueError:
            self.fail(name, f"“{self.text(name):.40}” is no price; write it like 4.90, or say the decimal sign")
        return 0

    def weight(self, header_unit: str) -> int | None:
        named = self.text("weight_unit")
        unit = unit_named(named) if named else header_unit or self.units.weight
        if not unit:
            self.fail("weight_unit", f"“{named:.20}” is no unit of weight; g, kg, lb and oz are")
            return None
        try:
            return read_weight(self.text("weight_g"), unit)
        except ValueError:
            self.fail("weight_g", f"“{self.text('weight_g'):.40}” is no weight; write it like 250 or 0.25 kg")
            return None

    def unit_price(self) -> int:
        """Return the price of a piece: as it is written, else the line's total shared by its pieces."""
        if self.text("unit_price") or not self.text("line_total"):
            return self.money("unit_price")
        whole, pieces = self.money("line_total"), self.quantity()
        if pieces and whole % pieces:
            words = f"“{self.text('line_total'):.40}” for {pieces} pieces makes no whole price of one"
            self.fail("line_total", f"{words}; add a column with the unit price")
        return whole // pieces if pieces else 0

    def to_send(self) -> int:
        """Return how many pieces are left to send."""
        ordered, sent = self.quantity(), self.text("quantity_sent")
        if sent in {"", "0"} or not ordered:
            return ordered
        if not sent.isdigit() or int(sent) >= ordered:
            self.fail("quantity_sent", f"{sent:.20} of {ordered} pieces were sent already; nothing is left to send")
            return 0
        return ordered - int(sent)

    def quantity(self) -> int:
        text = self.text("quantity").removesuffix(".0").removesuffix(",0").removesuffix(".00").removesuffix(",00")
        if not (text.isascii() and text.isdigit() and len(text) < 10 and 1 <= int(text) <= MOST_PIECES):
            self.fail("quantity", f"“{text:.40}” is no quantity; a whole number from 1 to {MOST_PIECES:,} is expected")
            return 0
        return int(text)


def _words(name: str) -> str:
    return name.replace("_", " ")


def read_orders(
    rows: Sequence[tuple[int, Sequence[str]]],
    columns: Mapping[str, int],
    units: Units,
    headers: Sequence[str] = (),
) -> tuple[list[RowOrder], list[RowFault]]:
    """Return the orders in ``rows`` (file row number, cells) and what is wrong with the rows that were kept back.

    Rows with the same order number make one order with several lines, and rows without one belong to the order above
    them.  What is said of the order may stand in any of its rows, once or the same each time.  One bad row keeps its
    whole order back, so that nothing is sent half.
    """
    orders: list[RowOrder] = []
    faults: list[RowFault] = []
    for number, group in _by_number(rows, columns, units, headers).items():
        order, found = _order(number, group, headers)
        faults += found
        if order is not None:
            orders.append(order)
    return orders, sorted(faults, key=lambda f: f.row)


def read_in_lots(
    rows: Sequence[tuple[int, Sequence[str]]],
    columns: Mapping[str, int],
    units: Units,
    size: int,
    headers: Sequence[str] = (),
) -> Iterator[list[RowOrder]]:
    """Return the orders of ``read_orders`` in lots made of ``size`` order numbers each, so that few are in memory.

    Rows kept back make a lot smaller, or empty.
    """
    groups = iter(_by_number(rows, columns, units, headers).items())
    while lot := list(islice(groups, size)):
        made = (_order(number, group, headers)[0] for number, group in lot)
        yield [order for order in made if order is not None]


def _is_no_order(row: _Row, headers: Sequence[str]) -> bool:
    """Tell whether a row is the heading once more, where two files were pasted together, or a sum below the others."""
    again = bool(headers) and [c.strip() for c in row.cells[: len(headers)]] == [h.strip() for h in headers]
    number, sku = row.text("order_number").casefold(), row.text("sku").casefold()
    words = {number, sku, row.text("item_name").casefold()} - {""}
    who = any(row.text(name) for name in (*_PARTS, "address_block"))
    return again or (not who and bool(words & SUMS) and (number in SUMS or not number))


def _by_number(
    rows: Sequence[tuple[int, Sequence[str]]], columns: Mapping[str, int], units: Units, headers: Sequence[str] = ()
) -> dict[str, list[_Row]]:
    """Return the rows by order number; rows that only name goods belong to the order above them."""
    found: dict[str, list[_Row]] = {}
    above = ""
    for number, cells in rows:
        row = _Row(number, cells, columns, units)
        row.heading_currency = currency_of(_header(row, headers, "unit_price"))
        if not any(cell.strip() for cell in cells) or _is_no_order(row, headers):
            continue
        mine = row.text("order_number")
        if not mine and above and row.text("sku") and not any(row.text(name) for name in (*_PARTS, "address_block")):
            mine = above
        found.setdefault(mine or f"\x00{number}", []).append(row)
        above = mine
    return found


def _order(number: str, rows: Sequence[_Row], headers: Sequence[str]) -> tuple[RowOrder | None, list[RowFault]]:
    """Return the order that rows of one number make, or the faults that keep all of them back."""
    first = rows[0]
    header_unit = weight_unit_of(_header(first, headers, "weight_g"))
    lines = [_line(row, header_unit) for row in rows]
    first.whole("order_number", NUMBER)
    for row in rows:
        _standing(row, headers)
        if not row.text("sku"):
            row.fail("sku", "sku is empty")
    address = _address(rows)
    if len(lines) > MOST_LINES:
        first.fail("order_number", f"order {number} has {len(lines):,} lines; at most {MOST_LINES} go into one order")
    made = RowOrder(
        number,
        address,
        _once(rows, "promise")[:PROMISE],
        _paid(rows),
        _once(rows, "note")[:NOTE],
        lines,
        [row.number for row in rows],
        next((text for row in rows if (text := row.whole("recipient_number", TAX_NUMBER))), ""),
    )
    for name in NEEDED:
        said = getattr(address, name, None)
        if said is None and name not in {"quantity", "sku"}:
            said = first.text(name)
        if said == "":
            first.fail(name, f"{_words(name)} is empty")
    faults = [fault for row in rows for fault in row.faults]
    if not faults:
        return made, []
    bad = {fault.row for fault in faults}
    faults += [
        RowFault(row.number, "order_number", f"kept back with row {min(bad)} of the same order")
        for row in rows
        if row.number not in bad
    ]
    return None, faults


def _header(row: _Row, headers: Sequence[str], name: str) -> str:
    index = row.columns.get(name)
    return headers[index] if index is not None and index < len(headers) else ""


def _line(row: _Row, header_unit: str) -> RowLine:
    return RowLine(
        row.whole("sku", SKU),
        row.text("item_name")[:NAME],
        row.to_send(),
        row.unit_price(),
        row.weight(header_unit),
    )


def _once(rows: Sequence[_Row], name: str) -> str:
    """Return what the rows of an order say of it, the first that says anything."""
    return next((text for row in rows if (text := row.text(name))), "")


def _paid(rows: Sequence[_Row]) -> int:
    """Return what was paid for delivery: said once, or the same in each row; another sum is a fault."""
    said = [(row, row.money("paid_shipping")) for row in rows if row.text("paid_shipping")]
    amounts = {amount for _, amount in said if amount}
    if len(amounts) > 1:
        said[-1][0].fail("paid_shipping", "the rows of this order say different sums for delivery")
    return max(amounts, default=0)


def _address(rows: Sequence[_Row]) -> Address:
    """Return where an order goes, put together from all of its rows; a contradiction is a fault of its row."""
    parts: dict[str, tuple[str, int]] = {}
    for row in rows:
        for name, text in _said_by(row).items():
            if not text:
                continue
            there, first = parts.setdefault(name, (text, row.number))
            if name == "country" and country_code(text) is None:
                row.fail("country", f"“{text:.40}” is no country; write its name or two-letter code")
            elif len(text) > LONGEST:
                row.fail(name, f"{name} has {len(text)} characters; at most {LONGEST} fit")
            elif name in _WHO_AND_WHERE and _same(name, text) != _same(name, there):
                row.fail(name, f"{name} is “{text:.40}” here and “{there:.40}” in row {first} of the same order")
    return tidy_address(Address(**{name: text for name, (text, _) in parts.items()}))


def _same(name: str, text: str) -> str:
    return (country_code(text) or text) if name == "country" else plain(text).replace(" ", "")


def _said_by(row: _Row) -> dict[str, str]:
    """Return the parts of an address that one row says; lines in one cell are parts of their own."""
    said = {name: row.text(name) for name in _PARTS}
    said["name"] = said["name"] or f"{row.text('first_name')} {row.text('last_name')}".strip()
    number = row.text("house_number")
    if said["street"] and number and number not in said["street"].split():
        said["street"] = f"{said['street']} {number}"
    if said["street"] and row.text("house_addition"):
        said["street"] = f"{said['street']} {row.text('house_addition')}"
    said["extra"] = ", ".join(part for part in (said["extra"], row.text("extra_2")) if part)
    if UNIT.match(said["street"]) and STREET.search(said["extra"]) and not STREET.search(said["street"]):
        said["street"], said["extra"] = said["extra"], said["street"]  # the flat stood before the street
    block = row.raw("address_block")
    if block.strip():
        found = parse_address(block)
        for name in _PARTS:
            if not said[name]:
                said[name] = getattr(found.address, name)
        for name, doubt in found.unsure.items():
            if name in _WHO_AND_WHERE and not row.text(name):
                row.fail("address_block", f"the {name} is not sure in “{tidy(block):.60}”: {doubt}")
    lines = [tidy(line) for line in row.raw("street").splitlines() if line.strip()]
    if len(lines) > 1:
        said["street"], more = lines[0], ", ".join(lines[1:])
        said["extra"] = f"{said['extra']}, {more}" if said["extra"] and more else said["extra"] or more
    return said


def _standing(row: _Row, headers: Sequence[str]) -> None:
    """Keep a row back that says itself, mapped or not, that it must not go."""
    mapped = row.text("standing")
    if mapped and _says_stop(mapped, STOPS) and not _says_stop(mapped, GOES, GOING_PHRASES):
        row.fail("standing", f"the row says “{mapped:.40}”: it must not go")
    elif mapped and not _says_stop(mapped, GOES, GOING_PHRASES):
        row.fail("standing", f"the row says “{mapped:.40}”, which is not known; write “paid” if it may go")
    if row.text("cancelled_at"):
        row.fail("cancelled_at", f"it was cancelled: “{row.text('cancelled_at'):.40}”")
    used = set(row.columns.values())
    for index, cell in enumerate(row.cells):
        head = headers[index] if index < len(headers) else ""
        if index not in used and len(cell) <= 40 and not is_billing(head) and _says_stop(tidy(cell), CLEAR):
            head = headers[index] if index < len(headers) and headers[index].strip() else f"column {index + 1}"
            row.fail("standing", f"{head:.40} says “{tidy(cell)}”: it must not go. If it may, correct the row")


def _says_stop(text: str, words: Iterable[str], phrases: Sequence[str] = STOPPING_PHRASES) -> bool:
    said = text.casefold().strip(" .!")
    return said in words or any(said.startswith(phrase) for phrase in phrases)
