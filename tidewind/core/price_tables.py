"""Many orders by every service at once: net price and latest day by columns, what is chosen itemised afterwards."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

import numpy as np

from tidewind.core.choosing import pick_by_columns
from tidewind.core.insuring import premium_in
from tidewind.core.options import (
    Option,
    Settled,
    goes_into,
    option_of,
    options_for,
    packed_in,
    priced_as,
)
from tidewind.core.order_facts import Carrier, OrderFacts, Shop, leaves_from
from tidewind.core.packing import PackedParcel
from tidewind.core.quantities import Refused
from tidewind.core.ship_days import leaving_day, option_arrival, too_far_ahead
from tidewind.core.subdivisions import working_place
from tidewind.core.tariffs.card import Service
from tidewind.core.tariffs.load import Ints, Kinds, Load, kinds_of, load_of
from tidewind.core.tariffs.quote import Line
from tidewind.core.tariffs.totals import REFUSED, totals


@dataclass(frozen=True, slots=True)
class PriceTable:
    """Orders × services: net price in minor units (``REFUSED``: it does not take it) and latest day (ordinal)."""

    orders: Sequence[OrderFacts]
    shop: Shop
    all_settled: Sequence[Settled]
    services: tuple[tuple[Carrier, Service], ...]
    net: Ints
    latest: Ints

    def parcels(self, row: int, packaging: str | None) -> tuple[PackedParcel, ...]:
        """Return an order's parcels in a carrier's packaging, or the shop's own.

        Raises ValueError where the goods do not go in.
        """
        settled = self.all_settled[row]
        return packed_in(settled, self.shop.boxes[packaging]) if packaging else settled.packed


class _Packed(NamedTuple):
    """Orders in one kind of packaging: which of all they are, and what a price depends on."""

    rows: Ints
    load: Load


class _Goods(NamedTuple):
    """The weight (g) and volume (mm³) of each order's goods."""

    weight_g: Ints
    mm3: Ints


Start = tuple[str, str, bool, date | None]
"""What arrivals depend on beside service and zone: where to, where from, whether no weekend, and from which day on."""


def price_table(orders: Sequence[OrderFacts], shop: Shop, all_settled: Sequence[Settled]) -> PriceTable:
    """Return what every service asks for every order, and when it arrives; each on the cheapest of the accounts."""
    services = tuple((c, compiled.service) for c in shop.carriers for compiled in c.own.services.values())
    net = np.full((len(orders), len(services)), REFUSED, np.int64)
    table = PriceTable(orders, shop, all_settled, services, net, np.zeros_like(net))
    starts = _starts(orders, shop, all_settled)
    load = load_of([settled.consignment for settled in all_settled])
    goods = _Goods(*np.array([(s.lot.weight_g, s.lot.mm3) for s in all_settled], np.int64).reshape(-1, 2).T)
    every: dict[str | None, _Packed] = {None: _Packed(np.arange(len(orders)), load)}
    for carrier in shop.carriers:
        for packaging in carrier.own.packagings:
            if packaging not in every:
                every[packaging] = _inside(table, load, goods, packaging or "")
            packed = every[packaging]
            columns = [
                n for n, (owner, service) in enumerate(services) if owner is carrier and service.packaging == packaging
            ]
            if not columns or not packed.rows.size:
                continue
            priced = totals(carrier.own, packed.load, [services[n][1].code for n in columns])
            net[packed.rows[:, np.newaxis], columns] = priced.net
            _ask(table, carrier, columns, packed)
            _arrivals(table, carrier, columns, packed, starts)
            if carrier.dated is not None:
                _dated(table, carrier, columns, packed, starts)
    _insure(table)
    return table


def _inside(table: PriceTable, load: Load, goods: _Goods, packaging: str) -> _Packed:
    """Return the orders that go into a carrier's packaging, in it; the parcels themselves nobody asks for yet."""
    box = table.shop.boxes.get(packaging)
    if box is None:
        nobody = np.zeros(0, np.int64)
        return _Packed(nobody, load.rows(nobody))
    # Most are too heavy or too large for a box at a glance; where the others lie in it has to be looked for.
    light = np.flatnonzero((goods.weight_g <= box.max_load_g) & (goods.mm3 <= box.mm3)).tolist()
    rows = np.array([n for n in light if goes_into(table.all_settled[n], box)], np.int64)
    gross = goods.weight_g[rows] + (box.own_g + box.padding_g)
    return _Packed(rows, load.in_one_box(rows, gross, box.outer, priced_as(box)))


def _ask(table: PriceTable, carrier: Carrier, columns: Sequence[int], packed: _Packed) -> None:
    """Fill in the prices that a carrier was asked for, one by one, each for its day: no list says them."""
    for column in columns if carrier.asked else ():
        if table.services[column][1].kind == "live":
            for row in packed.rows.tolist():
                _price_alone(table, carrier, column, row)


def _starts(orders: Sequence[OrderFacts], shop: Shop, all_settled: Sequence[Settled]) -> Kinds[Start]:
    return kinds_of(
        [
            (
                working_place(order.address),
                working_place(leaves_from(order, shop)),
                any(line.no_weekend for line in order.lines),
                settled.not_before,
            )
            for order, settled in zip(orders, all_settled, strict=True)
        ]
    )


def _arrivals(
    table: PriceTable, carrier: Carrier, columns: Sequence[int], packed: _Packed, starts: Kinds[Start]
) -> None:
    """Fill in the latest days, reckoned once for all orders alike, and refuse what is to leave too far ahead."""
    to, extras = packed.load.to, packed.load.extras
    reached = [where.zone.id if where else "" for where in map(carrier.own.places.look_up, to.values)]
    zones = kinds_of(reached)
    saturdays = np.array([not carrier.own.saturday_extras.isdisjoint(asked) for asked in extras.values], np.int64)
    alike = zones.numbers[to.numbers] * len(starts.values) + starts.numbers[packed.rows]
    _, firsts, numbers = np.unique(alike * 2 + saturdays[extras.numbers], return_index=True, return_inverse=True)
    for column in columns:
        service = table.services[column][1]
        taken = np.unique(numbers[table.net[packed.rows, column] != REFUSED])
        latest = np.zeros(len(firsts), np.int64)
        for kind in taken.tolist():
            row, zone = packed.rows[firsts[kind]], reached[to.numbers[firsts[kind]]]
            order, settled = table.orders[row], table.all_settled[row]
            due = option_arrival(
                order, table.shop, carrier, service, zone, settled.consignment.extras, settled.not_before
            )
            latest[kind] = due.latest.toordinal()
            if too_far_ahead(order, table.shop, carrier, service, due):
                table.net[packed.rows[numbers == kind], column] = REFUSED
        table.latest[packed.rows, column] = latest[numbers]


def _dated(table: PriceTable, carrier: Carrier, columns: Sequence[int], packed: _Packed, starts: Kinds[Start]) -> None:
    """Price one by one what leaves on a day that has other prices than today; most days have the same."""
    alike: dict[Start, list[int]] = {}
    for row, start in zip(packed.rows.tolist(), starts.numbers[packed.rows].tolist(), strict=True):
        alike.setdefault(starts.values[start], []).append(row)
    for column in columns:
        service = table.services[column][1]
        if service.kind == "live":  # has been asked for its day
            continue
        for (_, _, waits, not_before), rows in alike.items():
            day = leaving_day(table.orders[rows[0]], table.shop, carrier, service.network, not_before)
            for row in rows if waits or carrier.shipping_on(day) is not carrier else ():
                _price_alone(table, carrier, column, row)


def _price_alone(table: PriceTable, carrier: Carrier, column: int, row: int) -> None:
    order, settled, service = table.orders[row], table.all_settled[row], table.services[column][1]
    parcels = table.parcels(row, service.packaging)
    option = option_of(order, table.shop, carrier, settled, parcels, service.code)
    quote, due = option.quote, option.arrival
    # What an insurer asks is added to all of them in the end.
    table.net[row, column] = quote.net - premium_in(quote) if quote and due else REFUSED
    table.latest[row, column] = due.latest.toordinal() if due else 0


def _insure(table: PriceTable) -> None:
    """Add what an insurer asks; where it does not cover the goods, no service takes them."""
    for row, settled in enumerate(table.all_settled):
        if isinstance(settled.premium, Refused):
            table.net[row] = REFUSED
        elif isinstance(settled.premium, Line):
            table.net[row] += np.where(table.net[row] == REFUSED, 0, settled.premium.amount)


class Row:
    """One order of a table as candidates; an option is itemised when it is asked for."""

    def __init__(self, table: PriceTable, number: int, best: str | None, columns: dict[str, int]) -> None:
        self._table, self._number, self._best, self._columns = table, number, best, columns

    def best(self) -> str | None:
        """See Candidates."""
        return self._best

    def takes(self, service: str) -> bool:
        """See Candidates."""
        column = self._columns.get(service)
        return column is not None and bool(self._table.net[self._number, column] != REFUSED)

    def option(self, service: str) -> Option:
        """See Candidates."""
        table, n = self._table, self._number
        carrier, offered = table.services[self._columns[service]]
        packed = table.parcels(n, offered.packaging)
        return option_of(table.orders[n], table.shop, carrier, table.all_settled[n], packed, service)

    def every(self) -> Sequence[Option]:
        """See Candidates."""
        return options_for(self._table.orders[self._number], self._table.shop, self._table.all_settled[self._number])


def rows_of(table: PriceTable) -> Iterator[Row]:
    """Yield every order's candidates; what needs no approval goes before what does."""
    shop, usable = table.shop, np.not_equal(table.net, REFUSED)
    codes = [service.code for _, service in table.services]
    free = usable & np.array([not shop.approval_of(code) for code in codes], np.bool_)
    late = np.array([shop.late_bp(service.code, carrier.code) for carrier, service in table.services], np.int64)
    best = pick_by_columns(
        np.where(free.any(axis=1, keepdims=True), free, usable), table.net, table.latest, late, codes, shop.policy,
        [order.promise for order in table.orders], shop.values, shop.ranking,
    )  # fmt: skip
    columns = {code: n for n, code in enumerate(codes)}
    for number, chosen in enumerate(best.tolist()):
        yield Row(table, number, codes[chosen] if chosen >= 0 else None, columns)
