"""Services × boxes for one shipment: every price and refusal at once, which stand out, and what follows from each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from tidewind.core import packing
from tidewind.core.choosing import Policy, frontier, pick
from tidewind.core.customs.said import DUTIES_PAID
from tidewind.core.deciding import choosable_of
from tidewind.core.destinations import crosses_customs
from tidewind.core.options import (
    Option,
    Settled,
    carrier_of,
    in_parcels,
    options_for,
    priced_options,
    with_published,
)
from tidewind.core.order_facts import OrderFacts, Shop, leaves_from
from tidewind.core.packing import PackedParcel
from tidewind.core.parcels import parcels_text
from tidewind.core.ship_days import asked_day
from tidewind.core.tariffs.card import Service

MOST_BOXES = 6
USUAL, CARRIERS_BOX = "", "carrier"


@dataclass(frozen=True, slots=True)
class Column:
    """One way to pack: its code (empty: as the plan has it), its name, the parcels, and what the packaging costs."""

    code: str
    name: str
    parcels: tuple[PackedParcel, ...]
    cost: int


@dataclass(frozen=True, slots=True)
class Cell:
    """One service in one way to pack; ``box`` is the column's code."""

    box: str
    option: Option
    stale_net: int | None = None


@dataclass(frozen=True, slots=True)
class Compared:
    """All cells, with the best cell of each service, the marks, and what nothing beats on price and arrival."""

    columns: tuple[Column, ...]
    cells: tuple[Cell, ...]
    best: dict[str, str]
    marks: dict[str, tuple[str, ...]]
    frontier: frozenset[str]


def compare(order: OrderFacts, shop: Shop, settled: Settled) -> Compared:
    """Return every service in every box that takes the goods, the carriers' own packaging included."""
    columns = [Column(USUAL, parcels_text(settled.packed), settled.packed, _cost(settled.packed))]
    columns += _other_boxes(shop, settled)
    cells = [
        _cell(order, shop, settled, CARRIERS_BOX if _service(shop, option).packaging else USUAL, option)
        for option in options_for(order, shop, settled)
    ]
    for column in columns[1:]:
        cells += _in_column(order, shop, settled, column)
    return _judged(order, shop, columns, cells)


def _cost(parcels: Sequence[PackedParcel]) -> int:
    return sum(p.packaging.cost for p in parcels if p.packaging)


def _other_boxes(shop: Shop, settled: Settled) -> list[Column]:
    """The shop's other boxes that take everything in one; none where the goods are divided or are their own box."""
    lot = settled.lot
    if settled.divided or not lot or lot.own_boxes or not lot.measured:
        return []
    used = {p.packaging.code for p in settled.packed if p.packaging} if len(settled.packed) == 1 else set()
    fitting = [box for box in packing.all_that_take(lot, shop.own_boxes) if box.code not in used]
    return [Column(box.code, box.name, (packing.parcel_of(lot, box),), box.cost) for box in fitting[: MOST_BOXES - 1]]


def _cell(order: OrderFacts, shop: Shop, settled: Settled, box: str, option: Option) -> Cell:
    """One option with the carrier's published price beside it, or with the price that was true until it expired."""
    if option.quote:
        return Cell(box, with_published(option, shop, settled))
    return Cell(box, option, _stale(order, shop, settled, option))


def _in_column(order: OrderFacts, shop: Shop, settled: Settled, column: Column) -> list[Cell]:
    return [
        _cell(order, shop, settled, column.code, option)
        for carrier in shop.carriers
        for option in priced_options(order, shop, carrier, settled, column.parcels)
    ]


def _stale(order: OrderFacts, shop: Shop, settled: Settled, option: Option) -> int | None:
    """The price that was true until it expired; only where a carrier that is asked has no fresh one."""
    carrier, consignment = carrier_of(shop, option), in_parcels(settled, option.parcels)
    day = asked_day(order, shop, carrier, _service(shop, option), settled.not_before, consignment)
    asked = carrier.shipping_on(day) if day else None
    return asked.own.answers.stale_net(consignment, option.service) if asked else None


def _service(shop: Shop, option: Option) -> Service:
    return carrier_of(shop, option).own.services[option.service].service


def _judged(order: OrderFacts, shop: Shop, columns: Sequence[Column], cells: Sequence[Cell]) -> Compared:
    best: dict[str, Cell] = {}
    for cell in cells:
        quote, known = cell.option.quote, best.get(cell.option.service)
        if quote and (known is None or (known.option.quote and quote.net < known.option.quote.net)):
            best[cell.option.service] = cell
    choosable = choosable_of((cell.option for cell in best.values()), shop)
    marks: dict[str, tuple[str, ...]] = {}
    for policy in (Policy.CHEAPEST, Policy.FASTEST, Policy.BALANCED, Policy.CHEAPEST_ON_PROMISE):
        picked = pick(choosable, policy, order.promise, shop.values)
        if picked and (policy is not Policy.CHEAPEST_ON_PROMISE or order.promise):
            marks[picked.key] = (*marks.get(picked.key, ()), policy.value)
    return Compared(
        tuple(columns), tuple(cells), {code: cell.box for code, cell in best.items()}, marks, frontier(choosable)
    )


def consequences(order: OrderFacts, shop: Shop, option: Option, extras: frozenset[str]) -> list[str]:
    """Say in words what follows from an option: the truck and its cut-off, customs, approval, the carrier's notes."""
    carrier = carrier_of(shop, option)
    card, service = carrier.own.card, carrier.own.services[option.service].service
    network = next(n for n in card.networks if n.id == service.network)
    place = card.time_zone.rsplit("/", 1)[-1].replace("_", " ")
    words = [f"Leaves with {network.name}, cut-off {network.cutoff:%H:%M} in {place}"]
    if option.arrival and option.arrival.waits_because:
        words.append(f"Waits until {_day(option.arrival.ship_date)}: {option.arrival.waits_because}")
    if service.by_time:
        words.append(f"On the day of arrival by {service.by_time:%H:%M}")
    if "pickup" not in service.handover:
        words.append("Must be dropped off: no pickup")
    if crosses_customs(order.address, leaves_from(order, shop)):
        if DUTIES_PAID in extras:
            words.append("Duties and taxes are paid by us")
        else:
            words.append("The recipient pays duties; a broker's fee that nobody can quote may come on top")
    if service.approval:
        words.append(f"Needs approval: {service.approval}")
    if not service.tracked:
        words.append("Cannot be followed on its way")
    return [*words, *service.notes]


def _day(day: date) -> str:
    return f"{day:%A} {day.day} {day:%B}"
