"""Labels and packing slips of shipments as PDF; printing marks them as printed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, country_name
from tidewind.core.addresses.latin import latin_address
from tidewind.core.codes import is_sscc
from tidewind.core.quantities import weight_text
from tidewind.db.tables import CarrierAccount, Label, OrderLine, Product, Shipment
from tidewind.documents.label import LabelPaper, labels_pdf
from tidewind.documents.packing_slip import SlipLine, SlipPaper, slips_pdf
from tidewind.services.errors import Conflict, Invalid, NotFound
from tidewind.services.shop_facts import shop_settings

MOST_SHIPMENTS = 2_000


def address_lines(address: Mapping[str, str]) -> tuple[str, ...]:
    """Return the lines of an address as they are printed, without the country."""
    town = " ".join(part for part in (address["postcode"], address["city"]) if part)
    lines = (address["name"], address["company"], address["street"], address["extra"], town, address["region"])
    return tuple(line for line in lines if line)


def _day(day: date) -> str:
    return f"{day:%a} {day.day} {day:%b}"


def _shipments(session: Session, ids: Sequence[int]) -> list[Shipment]:
    if not 1 <= len(ids) <= MOST_SHIPMENTS:
        raise Invalid("how_many", f"Between 1 and {MOST_SHIPMENTS:,} shipments go into one file.")
    found = {s.id: s for s in session.scalars(select(Shipment).where(Shipment.id.in_(ids)))}
    if set(ids) - found.keys():
        raise NotFound("unknown_shipment", "One of these shipments does not exist.")
    return [found[i] for i in dict.fromkeys(ids)]


def print_labels(session: Session, shipment_ids: Sequence[int], now: datetime) -> bytes:
    """Return one PDF with the labels of the shipments, in the order given, and mark them printed.

    Raises Conflict where one is not bought, NotFound where one does not exist.
    """
    accounts = {a.code: a for a in session.scalars(select(CarrierAccount))}
    papers: list[LabelPaper] = []
    for shipment in _shipments(session, shipment_ids):
        if shipment.state != "bought":
            raise Conflict(
                "not_bought", f"The label for order {shipment.order.number} is not bought; it cannot be printed."
            )
        papers += [_paper(shipment, label, accounts[shipment.carrier]) for label in shipment.labels]
        for label in shipment.labels:
            label.printed_at = label.printed_at or now
    return labels_pdf(papers, f"{len(papers)} labels" if len(papers) > 1 else f"Label {papers[0].order_number}")


def _paper(shipment: Shipment, label: Label, account: CarrierAccount) -> LabelPaper:
    number = label.tracking_number or ""
    return LabelPaper(
        carrier=account.name,
        monogram=account.monogram,
        service=shipment.service_name,
        network="",
        sender=(*address_lines(shipment.sender), country_name(shipment.sender["country"])),
        recipient=_recipient_lines(shipment.address, account.latin_only),
        country_line=country_name(shipment.address["country"]).upper(),
        routing=label.routing,
        tracking_number=number,
        is_sscc=is_sscc(number),
        order_number=shipment.order.number,
        reference="",
        parcel_no=label.parcel_no,
        parcel_count=len(shipment.labels),
        weight=weight_text(label.gross_g),
        ship_date=_day(shipment.ship_date),
        reprint=label.printed_at is not None,
    )


def _recipient_lines(address: Mapping[str, str], latin_only: bool) -> tuple[str, ...]:
    """Return the address as the carrier can print it; below it the name as it is written, where that is another."""
    if not latin_only:
        return address_lines(address)
    spelt = asdict(latin_address(Address(**address)))
    own = (address["name"],) if spelt["name"] != address["name"] else ()
    return (*address_lines(spelt), *own)


def print_slips(session: Session, shipment_ids: Sequence[int]) -> bytes:
    """Return one PDF with the packing slips of the shipments, in the order given."""
    shipments = _shipments(session, shipment_ids)
    lines = _packed_lines(session, shipments)
    skus = {line.sku for line in lines.values()}
    products = {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(skus)))}
    brand = shop_settings(session).brand
    return slips_pdf([_slip(s, lines, products, brand) for s in shipments])


def _contents(shipment: Shipment) -> dict[int, int]:
    """Return how many of each order line are in a shipment's parcels, in the order of the lines."""
    counts: dict[int, int] = {}
    for label in shipment.labels:
        for line_id, count in label.parcel["contents"]:
            counts[line_id] = counts.get(line_id, 0) + count
    return dict(sorted(counts.items()))


def _packed_lines(session: Session, shipments: Sequence[Shipment]) -> dict[int, OrderLine]:
    ids = {line_id for shipment in shipments for line_id in _contents(shipment)}
    return {line.id: line for line in session.scalars(select(OrderLine).where(OrderLine.id.in_(ids)))}


def _slip(shipment: Shipment, lines: Mapping[int, OrderLine], products: Mapping[str, Product], brand: str) -> SlipPaper:
    order = shipment.order
    packed = [(lines[line_id], count) for line_id, count in _contents(shipment).items() if line_id in lines]
    names = [label.parcel["name"] for label in shipment.labels]
    return SlipPaper(
        shop=brand,
        order_number=order.number,
        ordered=_day(order.ordered_at.date()),
        recipient=(*address_lines(shipment.address), country_name(shipment.address["country"])),
        service=shipment.service_name,
        packaging=names[0] if len(names) == 1 else f"{len(names)} parcels",
        note=order.note,
        lines=tuple(
            SlipLine(count, ln.sku, ln.name, products[ln.sku].shelf if ln.sku in products else "")
            for ln, count in packed
        ),
    )
