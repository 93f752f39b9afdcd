"""What is to be packed for an order, parcel by parcel, and the facts that the bench shows beside it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.bench.checking import Check, Item, Step
from tidewind.core.stock import read_parts
from tidewind.core.stored import StoredParcel
from tidewind.core.written import Written
from tidewind.db.tables import Order, OrderLine, Packing, Product, Shipment

_SETS = "codes", "set_codes"


@dataclass(frozen=True, slots=True)
class PackingFacts:
    """What stands beside the items: the order, who gets it, boxes and expected grams by parcel, how it goes.

    ``labelled``: its label was bought before it was packed.  ``note`` is the buyer's.
    """

    number: str
    to: str
    service: str
    boxes: tuple[str, ...]
    expected_g: tuple[int, ...]
    labelled: bool
    note: str

    @classmethod
    def of(cls, packing: Packing) -> PackingFacts:
        """Return the facts of a packing."""
        kept = {name: packing.facts[name] for name in cls.__dataclass_fields__}
        return cls(**{**kept, **{name: tuple(kept[name]) for name in ("boxes", "expected_g")}})

    @property
    def written(self) -> Written:
        """The facts as JSON values."""
        return {
            name: list(value) if isinstance(value := getattr(self, name), tuple) else value
            for name in self.__dataclass_fields__
        }


def facts_of(order: Order, shipment: Shipment | None) -> PackingFacts:
    """Return the facts about an order as it is bought, or as it is planned."""
    parcels = _parcels(order, shipment)
    to = shipment.address if shipment else order.address
    name = shipment.service_name if shipment else order.plan.service_name or ""
    return PackingFacts(
        order.number,
        f"{to.name or to.company}, {to.city}",
        name,
        tuple(parcel.name for parcel in parcels),
        tuple(parcel.gross_g for parcel in parcels),
        shipment is not None,
        order.note,
    )


def _parcels(order: Order, shipment: Shipment | None) -> Sequence[StoredParcel]:
    return [label.parcel for label in shipment.labels] if shipment else order.plan.parcels


def items_of(
    session: Session, order: Order, shipment: Shipment | None, known: Mapping[str, Product | None]
) -> tuple[Item, ...]:
    """Return what goes into each parcel, sets as their parts, in the order of the shelves.

    ``known``: products that were read already, None for an SKU that is none.
    """
    parcels = _parcels(order, shipment)
    ids = {line_id for parcel in parcels for line_id, _ in parcel.contents}
    lines = {line.id: line for line in order.lines if line.id in ids}
    if elsewhere := ids - lines.keys():  # of orders that go in the same parcel
        lines |= {line.id: line for line in session.scalars(select(OrderLine).where(OrderLine.id.in_(elsewhere)))}
    products = _products(session, {line.sku for line in lines.values()}, known)
    made = []
    for number, parcel in enumerate(parcels, 1):
        mine = [
            item
            for line_id, pieces in parcel.contents
            if line_id in lines
            for item in _items(lines[line_id], pieces, number, products)
        ]
        made += sorted(mine, key=lambda item: (item.shelf or "~", item.key))
    return tuple(made)


def _products(session: Session, skus: set[str], known: Mapping[str, Product | None]) -> Mapping[str, Product]:
    """Return products by SKU, with the parts of those that are sets."""
    found = {sku: product for sku, product in known.items() if product is not None}
    if asked := skus - known.keys():
        found |= {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(asked)))}
    parts = {sku for product in found.values() for sku, _ in read_parts(product.parts)} - found.keys()
    if parts:
        found |= {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(parts)))}
    return found


def _items(line: OrderLine, pieces: int, parcel: int, products: Mapping[str, Product]) -> list[Item]:
    product = products.get(line.sku)
    if product is not None and product.parts:
        whole = _codes(line.sku, product)
        return [
            replace(
                _item(f"{line.id}/{sku}/{parcel}", sku, products.get(sku), sku, pieces * each, parcel),
                set_codes=whole,
                of_set=f"{line.id}/{parcel}",
                per_set=each,
            )
            for sku, each in read_parts(product.parts)
        ]
    return [_item(f"{line.id}/{parcel}", line.sku, product, line.name, pieces, parcel)]


def _item(key: str, sku: str, product: Product | None, name: str, pieces: int, parcel: int) -> Item:
    if product is None:
        return Item(key, sku, name, pieces, codes=frozenset({sku}) if sku else frozenset(), parcel=parcel)
    codes = _codes(sku, product)
    return Item(key, sku, product.name, pieces, product.shelf, codes, product.serial, parcel, product.weight_g or 0)


def _codes(sku: str, product: Product) -> frozenset[str]:
    """Return the codes that a product is scanned by; without a barcode it is confirmed."""
    return frozenset({product.barcode, sku} - {""}) if product.barcode else frozenset()


def write_items(items: Sequence[Item]) -> list[Written]:
    """Return items as JSON values."""
    return [
        {**{n: getattr(i, n) for n in i.__dataclass_fields__}, **{n: sorted(getattr(i, n)) for n in _SETS}}
        for i in items
    ]


def check_of(packing: Packing) -> Check:
    """Return how far a packing has come."""
    items = tuple(Item(**{**kept, **{n: frozenset(kept.get(n, ())) for n in _SETS}}) for kept in packing.items)
    return Check(items, tuple(Step(*kept) for kept in packing.steps))


def keep_steps(packing: Packing, check: Check) -> None:
    """Keep how far a packing has come."""
    packing.steps = [[s.key, s.pieces, s.serial, *([True] if s.with_last else [])] for s in check.steps]


def fill(
    session: Session,
    packing: Packing,
    order: Order,
    shipment: Shipment | None,
    known: Mapping[str, Product | None] = MappingProxyType({}),
) -> None:
    """Write into a packing what is to be packed; what was scanned and still belongs there stays scanned.

    A piece may have moved to another parcel since: it counts by its SKU.
    """
    items = items_of(session, order, shipment, known)
    before = check_of(packing) if packing.items else None
    packing.items = write_items(items)
    packing.facts = facts_of(order, shipment).written
    check = Check(items)
    if before is not None:
        skus = {item.key: item.sku for item in before.items}
        for step in before.steps:
            room = next((i for i in items if i.sku == skus[step.key] and check.left(i) >= step.pieces), None)
            if room is not None:
                check = Check(items, (*check.steps, replace(step, key=room.key)))
    keep_steps(packing, check)
