"""From rows to orders.  Never a parcel to the wrong person, never a part of an order: what is in doubt is kept back."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from itertools import islice

from tidewind.core.addresses.check import LONGEST, Address, tidy, tidy_address
from tidewind.core.addresses.copied import parse_address
from tidewind.core.addresses.copied_words import STREET, UNIT
from tidewind.core.addresses.countries import country_code, plain
from tidewind.core.order_limits import NAME, NOTE, NUMBER, PROMISE, SKU, TAX_NUMBER
from tidewind.core.order_rows.columns import (
    NEEDED,
    currency_of,
    plain_header,
    weight_unit_of,
)
from tidewind.core.order_rows.days import DayOrder, day_order
from tidewind.core.order_rows.figures import (
    Units,
)
from tidewind.core.order_rows.headings import FIELDS
from tidewind.core.order_rows.no_goods import goods_of
from tidewind.core.order_rows.row import Row, RowFault, field_words
from tidewind.core.order_rows.standing import WHO, check_paid, check_standing, is_no_order
from tidewind.core.order_rows.wide import columns_of_items, item_columns

MOST_LINES = 500
_PARTS = ("name", "company", "street", "extra", "city", "region", "postcode", "country", "phone", "email")
# What says who and where; where two rows of one order differ in these, one of them would go to the wrong place.
# Where every postcode has five figures, and some begin with a zero (UPU, addressing of each country).
_FIVE_FIGURES = frozenset({"DE", "EE", "ES", "FI", "FR", "HR", "IT", "MX", "US"})
# “28195 Bremen”, “1015 CS Amsterdam”, “8000-205 Faro”, “111 43 Stockholm”; a city alone begins with no figure.
_CODE_FIRST = re.compile(r"^((?:[A-Z]{1,2}-)?\d{4,6}|\d{4} ?[A-Z]{2}|\d{2}-\d{3}|\d{4}-\d{3}|\d{3} \d{2})\s+(\D.*)$")
_TOTALS = frozenset(
    ("total", "amount", "sum", "gesamt", "summe", "totaal", "totale", "importe", "montant", "betrag")
    + FIELDS["line_total"]
)
_WHO_AND_WHERE = ("name", "company", "street", "city", "postcode", "country")


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
    """One order out of one or several rows with the same number; its money is in ``currency``, empty for the shop's."""

    number: str
    address: Address
    promise: str
    paid_shipping: int
    note: str
    lines: list[RowLine] = field(default_factory=list)
    rows: list[int] = field(default_factory=list)
    recipient_number: str = ""
    ordered_on: date | None = None
    deliver_by: date | None = None
    currency: str = ""

    def fingerprint(self) -> str:
        """Return a hash over everything the order says, to know it again when the file comes twice."""
        said = (self.number, self.address, self.promise, self.lines, self.paid_shipping, self.note)
        if self.recipient_number:  # files that came in before this was read are known again
            said = (*said, self.recipient_number)  # type: ignore[assignment]
        if self.deliver_by:
            said = (*said, self.deliver_by)  # type: ignore[assignment]
        if self.currency:
            said = (*said, self.currency)  # type: ignore[assignment]
        return hashlib.sha256(repr(said).encode()).hexdigest()


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
    days = _days(rows, columns, units)
    for number, group in _by_number(rows, columns, units, headers).items():
        order, found = _order(number, group, headers, days)
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
    days = _days(rows, columns, units)
    while lot := list(islice(groups, size)):
        made = (_order(number, group, headers, days)[0] for number, group in lot)
        yield [order for order in made if order is not None]


def _days(
    rows: Sequence[tuple[int, Sequence[str]]], columns: Mapping[str, int], units: Units
) -> Mapping[str, DayOrder]:
    """Return which figure of a day comes first, by the field of each column of days.

    Whoever wrote the file writes its days in one way: a column that leaves it open has it from one that does not.
    """
    found = {
        name: units.days or day_order(cells[at] for _, cells in rows if at < len(cells))
        for name in ("ordered_on", "deliver_by")
        if (at := columns.get(name)) is not None
    }
    sure = {order for order in found.values() if order}
    return {name: order or (next(iter(sure)) if len(sure) == 1 else order) for name, order in found.items()}


def _by_number(
    rows: Sequence[tuple[int, Sequence[str]]], columns: Mapping[str, int], units: Units, headers: Sequence[str] = ()
) -> dict[str, list[Row]]:
    """Return the rows by order number; rows that only name goods belong to the order above them."""
    found: dict[str, list[Row]] = {}
    above = ""
    items = columns_of_items(columns, item_columns([plain_header(head) for head in headers]))
    for number, cells in rows:
        row = Row(number, cells, items[0] if items else columns, units)
        row.heading_currency = currency_of(_header(row, headers, "unit_price"))
        if not any(cell.strip() for cell in cells) or is_no_order(row, headers):
            continue
        mine = row.text("order_number")
        if not mine and above and row.text("sku") and not any(row.text(name) for name in WHO):
            mine = above
        mine_here = found.setdefault(mine or f"\x00{number}", [])
        mine_here.append(row)
        more = (Row(number, cells, one, units) for one in items[1:])
        mine_here += [one for one in more if any(one.text(name) for name in ("sku", "item_name"))]
        above = mine
    return found


def _order(
    number: str, rows: Sequence[Row], headers: Sequence[str], days: Mapping[str, DayOrder]
) -> tuple[RowOrder | None, list[RowFault]]:
    """Return the order that rows of one number make, or the faults that keep all of them back."""
    first = rows[0]
    header_unit = weight_unit_of(_header(first, headers, "weight_g"))
    goods, paid = goods_of(rows)
    lines = [_line(row, header_unit) for row in goods]
    first.whole("order_number", NUMBER)
    for row in rows:
        check_standing(row, headers)
    for row in goods:
        if not row.text("sku"):
            row.fail("sku", "sku is empty")
        _check_total(row, headers)
    if not goods:
        first.fail("sku", "none of its rows is goods, so there is nothing to send")
    check_paid(rows)
    address = _address(rows)
    if len(lines) > MOST_LINES:
        first.fail("order_number", f"order {number} has {len(lines):,} lines; at most {MOST_LINES} go into one order")
    made = RowOrder(
        number,
        address,
        _once(rows, "promise")[:PROMISE],
        _paid(rows) or paid,
        _once(rows, "note")[:NOTE],
        lines,
        list(dict.fromkeys(row.number for row in rows)),
        next((text for row in rows if (text := row.whole("recipient_number", TAX_NUMBER))), ""),
        # When it was ordered is good to know; by when it must be there decides how it goes.
        first.day("ordered_on", days.get("ordered_on", ""), matters=False),
        first.day("deliver_by", days.get("deliver_by", ""), matters=True),
        _currency(rows),
    )
    for name in NEEDED:
        said = getattr(address, name, None)
        if said is None and name not in {"quantity", "sku"}:
            said = first.text(name)
        if said == "":
            first.fail(name, f"{field_words(name)} is empty")
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


def _currency(rows: Sequence[Row]) -> str:
    """Return the currency in which an order is, empty for the shop's; two of them are a fault."""
    found = {row.currency()[0]: row for row in rows if row.names_amount()}
    if len(found) > 1:
        names = " and in ".join(sorted(name or row.units.currency for name, row in found.items()))
        next(iter(found.values())).fail("unit_price", f"the rows of this order are priced in {names}")
    return next(iter(found), "")


def _header(row: Row, headers: Sequence[str], name: str) -> str:
    index = row.columns.get(name)
    return headers[index] if index is not None and index < len(headers) else ""


def _line(row: Row, header_unit: str) -> RowLine:
    return RowLine(
        row.whole("sku", SKU),
        row.text("item_name")[:NAME],
        row.to_send(),
        row.unit_price(),
        row.weight(header_unit),
    )


def _check_total(row: Row, headers: Sequence[str]) -> None:
    """Keep a row back whose price of a piece is its total, too: for several pieces only one of them can be true."""
    written = row.text("unit_price")
    if not written or row.text("quantity") in {"", "1"}:
        return
    totals = (n for n, head in enumerate(headers) if plain_header(head) in _TOTALS and n != row.columns["unit_price"])
    if any(n < len(row.cells) and row.cells[n].strip() == written and row.money("unit_price") for n in totals):
        words = f"“{written:.30}” is the price of a piece and of all {row.text('quantity'):.12}"
        row.fail("unit_price", f"{words}: map the column to the line’s total, or correct the row")


def _once(rows: Sequence[Row], name: str) -> str:
    """Return what the rows of an order say of it, the first that says anything."""
    return next((text for row in rows if (text := row.text(name))), "")


def _paid(rows: Sequence[Row]) -> int:
    """Return what was paid for delivery: said once, or the same in each row; another sum is a fault."""
    said = [(row, row.money("paid_shipping")) for row in rows if row.text("paid_shipping")]
    amounts = {amount for _, amount in said if amount}
    if len(amounts) > 1:
        said[-1][0].fail("paid_shipping", "the rows of this order say different sums for delivery")
    return max(amounts, default=0)


def _address(rows: Sequence[Row]) -> Address:
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
            elif text != there and name in _WHO_AND_WHERE and _same(name, text) != _same(name, there):
                row.fail(name, f"{name} is “{text:.40}” here and “{there:.40}” in row {first} of the same order")
    said = {name: text for name, (text, _) in parts.items()}
    if "postcode" not in rows[0].columns:
        said |= _city_apart(said.get("city", ""))
    said["postcode"] = _with_its_zero(said.get("postcode", ""), said.get("country", ""))
    return tidy_address(Address(**said))


def _with_its_zero(postcode: str, country: str) -> str:
    """Return a postcode with the zero in front that a spreadsheet has taken for a figure's."""
    five = country_code(country) in _FIVE_FIGURES
    return postcode.zfill(5) if five and len(postcode) in {3, 4} and postcode.isdigit() else postcode


def _city_apart(city: str) -> dict[str, str]:
    """Return postcode and city out of one cell, “28195 Bremen”, in a file that has no column of postcodes."""
    match = _CODE_FIRST.match(city)
    return {"postcode": match[1], "city": match[2]} if match else {}


def _same(name: str, text: str) -> str:
    return (country_code(text) or text) if name == "country" else plain(text).replace(" ", "")


def _name(row: Row) -> str:
    """Return whom a row names: a whole name as it is, else the first and the last name by whichever columns hold them.

    Beside a column of last names, “Name” holds the first ones; beside one of first names, the last ones or both.
    """
    name, first, last = (row.text(field) for field in ("name", "first_name", "last_name"))
    first, last = (name or first, last) if last else (first, name)
    words = set(first.split()), set(last.split())
    if words[0] <= words[1] or words[1] <= words[0]:  # by words: “Rosa” is no part of “Rosario”
        return max(first, last, key=len)
    return f"{first} {last}"


def _said_by(row: Row) -> dict[str, str]:
    """Return the parts of an address that one row says; lines in one cell are parts of their own."""
    said = {name: row.text(name) for name in _PARTS}
    said["name"] = _name(row)
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
        at = _street_among(lines)
        said["street"], more = lines[at], ", ".join(lines[:at] + lines[at + 1 :])
        said["extra"] = f"{said['extra']}, {more}" if said["extra"] and more else said["extra"] or more
    return said


def _street_among(lines: Sequence[str]) -> int:
    """Return which of several lines is the street: a company or a flat may stand above it.

    The first with a street's word, else the first with a number that is no flat's, else the first.
    """
    plain = [n for n, line in enumerate(lines) if not UNIT.match(line)]
    named = (n for n in plain if STREET.search(lines[n]))
    numbered = (n for n in plain if re.search(r"\d", lines[n]))
    return next(named, next(numbered, 0))
