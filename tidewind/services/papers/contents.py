"""From rows to papers: labels, slips, pick lists, summaries and invoices of shipments, ready to be drawn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.countries import country_name
from tidewind.core.addresses.latin import latin_address
from tidewind.core.addresses.printed import address_lines, with_country
from tidewind.core.codes import is_sscc
from tidewind.core.quantities import money_text, weight_in
from tidewind.core.scanned import slip_code
from tidewind.core.stored import first_known, pieces_in
from tidewind.db.tables import CarrierRow, Label, Order, OrderLine, Place, Product, Return, Shipment, Shop
from tidewind.documents.label import LabelPaper
from tidewind.documents.lists import Column, ListPaper
from tidewind.documents.packing_slip import SlipLine, SlipPaper
from tidewind.services.planning import shop_settings

NO_SHELF = "no shelf"


def day_text(day: date) -> str:
    """Write a day as people read it: Tue 24 Nov."""
    return f"{day:%a} {day.day} {day:%b}"


def _printable(address: Address, latin_only: bool) -> tuple[str, ...]:
    """Return the address as the carrier can print it; below it the name as it is written, where that is another."""
    if not latin_only:
        return address_lines(address)
    spelt = latin_address(address)
    own = (address.name,) if spelt.name != address.name else ()
    return (*address_lines(spelt), *own)


def reference_line(kind: str, shipment: Shipment, label: Label, lines: Mapping[int, OrderLine]) -> str:
    """Return the free line printed on a label beside the order's number, as the shop chose it."""
    if kind == "items":
        held = [(lines[i].sku, n) for i, n in label.parcel.contents if i in lines]
        return ", ".join(f"{n} × {sku}" for sku, n in held)
    if kind == "channel":
        return shipment.order.channel.name
    return shipment.reference if kind == "reference" else ""


def label_paper(
    shipment: Shipment, label: Label, carrier: CarrierRow, reference: str = "", units: str = "metric"
) -> LabelPaper:
    """Return the paper of one parcel's label, its weight in the shop's units; one printed before says so."""
    number = label.tracking_number or ""
    return LabelPaper(
        carrier=carrier.name,
        monogram=carrier.monogram,
        service=shipment.service_name,
        network="",
        sender=with_country(shipment.sender),
        recipient=_printable(shipment.address, carrier.latin_only),
        country_line=country_name(shipment.address.country).upper(),
        routing=label.routing,
        tracking_number=number,
        is_sscc=is_sscc(number),
        order_number=shipment.order.number,
        reference=reference,
        parcel_no=label.parcel_no,
        parcel_count=len(shipment.labels),
        weight=weight_in(label.gross_g, units),
        ship_date=day_text(shipment.ship_date),
        reprint=label.printed_at is not None,
    )


def trial_papers(order: Order, carrier: CarrierRow, place: Place, shop: Shop) -> list[LabelPaper]:
    """Return what an order's labels would look like; they cost nothing, and say so across their face."""
    return [
        LabelPaper(
            carrier=carrier.name,
            monogram=carrier.monogram,
            service=order.plan.service_name or "",
            network="",
            sender=with_country(first_known(order.sender, place.address)),
            recipient=_printable(order.address, carrier.latin_only),
            country_line=country_name(order.address.country).upper(),
            routing="TEST",
            tracking_number="TEST0000000",
            is_sscc=False,
            order_number=order.number,
            reference="",
            parcel_no=n,
            parcel_count=order.parcel_count,
            weight=weight_in(parcel.gross_g, shop.units),
            ship_date=day_text(order.ship_date or shop.day_of(order.ordered_at)),
            test=True,
        )
        for n, parcel in enumerate(order.plan.parcels, 1)
    ]


def return_paper(row: Return, carrier: CarrierRow, shop: Shop) -> LabelPaper:
    """Return the label for the way back of a shipment: sender and recipient changed over."""
    shipment, number = row.shipment, row.tracking_number or ""
    return LabelPaper(
        carrier=carrier.name,
        monogram=carrier.monogram,
        service=f"{shipment.service_name}, way back",
        network="",
        sender=(*_printable(shipment.address, carrier.latin_only), country_name(shipment.address.country)),
        recipient=address_lines(shipment.sender),
        country_line=country_name(shipment.sender.country).upper(),
        routing=row.routing,
        tracking_number=number,
        is_sscc=is_sscc(number),
        order_number=shipment.order.number,
        reference="",
        parcel_no=1,
        parcel_count=1,
        weight="as it comes",
        ship_date=day_text(shop.day_of(row.asked_at)),
        heading="charged when used",
    )


@dataclass(frozen=True, slots=True)
class Goods:
    """What the parcels of some shipments hold: order lines by id, and the catalogue's products by SKU."""

    lines: Mapping[int, OrderLine]
    products: Mapping[str, Product]

    def packed(self, shipment: Shipment) -> list[tuple[OrderLine, int]]:
        """Return (line, pieces) of a shipment, in the order of the lines."""
        counts = contents(shipment)
        return [(self.lines[i], n) for i, n in counts.items() if i in self.lines]

    def shelf(self, sku: str) -> str:
        """Return where a product lies, empty where nobody has said."""
        return self.products[sku].shelf if sku in self.products else ""


def contents(shipment: Shipment) -> dict[int, int]:
    """Return how many of each order line are in a shipment's parcels, in the order of the lines."""
    return pieces_in([label.parcel for label in shipment.labels])


def goods_of(session: Session, shipments: Sequence[Shipment]) -> Goods:
    """Look up everything in the shipments' parcels at once."""
    ids = {line_id for shipment in shipments for line_id in contents(shipment)}
    lines = {line.id: line for line in session.scalars(select(OrderLine).where(OrderLine.id.in_(ids)))}
    skus = {line.sku for line in lines.values()}
    return Goods(lines, {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(skus)))})


def slip_of(shipment: Shipment, goods: Goods, shop: Shop) -> SlipPaper:
    """Return a packing slip after the shop's template; an order tagged as a gift shows no prices."""
    order, template = shipment.order, shop.slip
    currency = order.currency or shop.currency
    priced = bool(template.get("prices")) and "gift" not in order.tags
    packed = goods.packed(shipment)
    names = [label.parcel.name for label in shipment.labels]
    total = sum(line.unit_price_minor * count for line, count in packed)
    return SlipPaper(
        shop=shop.brand,
        order_number=order.number,
        ordered=day_text(shop.day_of(order.ordered_at)),
        recipient=with_country(shipment.address),
        service=shipment.service_name,
        packaging=names[0] if len(names) == 1 else f"{len(names)} parcels",
        note=order.note,
        lines=tuple(
            SlipLine(
                count,
                ln.sku,
                ln.name,
                goods.shelf(ln.sku),
                money_text(ln.unit_price_minor * count, currency) if priced else "",
            )
            for ln, count in packed
        ),
        message=str(template.get("message", "")),
        total=money_text(total, currency) if priced else "",
        logo=shop.logo or b"",
    )


def pick_list(shipments: Sequence[Shipment], goods: Goods, title: str) -> ListPaper:
    """Return everything that must be fetched, by shelf; each row says for how many orders."""
    found: dict[tuple[str, str], list[int]] = {}
    names: dict[str, str] = {}
    for shipment in shipments:
        for line, count in goods.packed(shipment):
            names[line.sku] = line.name
            pieces = found.setdefault((goods.shelf(line.sku) or NO_SHELF, line.sku), [0, 0])
            pieces[0] += count
            pieces[1] += 1
    rows = tuple(
        (shelf, str(pieces), names[sku], sku, str(orders))
        for (shelf, sku), (pieces, orders) in sorted(found.items(), key=lambda item: _shelf_order(item[0]))
    )
    return ListPaper(
        title=title,
        facts=(f"{len(shipments)} orders, {sum(p for p, _ in found.values())} pieces",),
        columns=(
            Column("Shelf", 2),
            Column("Pieces", 2, figures=True),
            Column("Item", 7),
            Column("SKU", 3),
            Column("Orders", 2, figures=True),
        ),
        rows=rows,
    )


def _shelf_order(key: tuple[str, str]) -> tuple[bool, str, int, str]:
    """Sort D4 before D10, and what has no shelf last."""
    shelf, sku = key
    letters = shelf.rstrip("0123456789")
    return (shelf == NO_SHELF, letters, int(shelf[len(letters) :] or 0), sku)


def by_shelf(shipments: Sequence[Shipment], goods: Goods) -> list[Shipment]:
    """Return shipments in the order in which somebody walks along the shelves, by their first."""

    def first(shipment: Shipment) -> tuple[bool, str, int, str]:
        keys = [_shelf_order((goods.shelf(ln.sku) or NO_SHELF, ln.sku)) for ln, _ in goods.packed(shipment)]
        return min(keys, default=_shelf_order((NO_SHELF, "")))

    return sorted(shipments, key=first)


def _numbers(shipment: Shipment) -> str:
    return ", ".join(label.tracking_number or "" for label in shipment.labels)


def batch_summary(session: Session, shipments: Sequence[Shipment], title: str, who: str) -> ListPaper:
    """Return what was bought in a batch, one row a shipment, and what it cost by service."""
    shop = shop_settings(session)
    rows = tuple(
        (
            s.order.number,
            s.address.name or s.address.company,
            s.service_name,
            _numbers(s) if s.state == "bought" else s.state.replace("_", " "),
            money_text(s.price_minor, shop.currency) if s.state == "bought" else "–",
        )
        for s in shipments
    )
    sums: dict[str, int] = {}
    for s in shipments:
        if s.state == "bought":
            sums[s.service_name] = sums.get(s.service_name, 0) + s.price_minor
    bought = sum(s.state == "bought" for s in shipments)
    closing = [(name, money_text(total, shop.currency)) for name, total in sorted(sums.items())]
    return ListPaper(
        title=title,
        facts=(f"{bought} of {len(shipments)} orders bought, by {who}",),
        rows=rows,
        columns=(
            Column("Order", 3),
            Column("Recipient", 5),
            Column("Service", 4),
            Column("Tracking number", 5),
            Column("Price", 3, figures=True),
        ),
        closing=(*closing, ("Total", money_text(sum(sums.values()), shop.currency))),
    )


def posting_lists(session: Session, shipments: Sequence[Shipment]) -> list[ListPaper]:
    """Return what goes with each carrier, a list each, to be checked and signed when it is taken: one row a parcel."""
    carriers, units = {row.code: row for row in session.scalars(select(CarrierRow))}, shop_settings(session).units
    by_carrier: dict[str, list[Shipment]] = {}
    for shipment in shipments:
        if shipment.state == "bought":
            by_carrier.setdefault(shipment.carrier, []).append(shipment)
    return [_posting_list(carriers[code], some, units) for code, some in sorted(by_carrier.items())]


def _posting_list(carrier: CarrierRow, shipments: Sequence[Shipment], units: str) -> ListPaper:
    parcels = [(s, label) for s in shipments for label in s.labels]
    accounts = sorted({s.account for s in shipments if s.account})
    days = sorted({s.ship_date for s in shipments})
    return ListPaper(
        title=f"Posting list, {carrier.name}",
        facts=(
            f"{len(parcels)} parcels, {weight_in(sum(label.gross_g for _, label in parcels), units)}",
            f"{' to '.join(dict.fromkeys(day_text(day) for day in (days[0], days[-1])))}",
            *([f"Account {', '.join(accounts)}"] if accounts else []),
        ),
        left=with_country(shipments[0].sender),
        rows=tuple(
            (
                label.tracking_number or "",
                s.order.number,
                s.address.name or s.address.company,
                f"{s.address.country} {s.address.postcode} {s.address.city}",
                s.service_name,
                weight_in(label.gross_g, units),
            )
            for s, label in parcels
        ),
        columns=(
            Column("Number", 5),
            Column("Order", 3),
            Column("Recipient", 4),
            Column("To", 5),
            Column("Service", 3),
            Column("Weight", 2, figures=True),
        ),
        closing=(("Taken over by, date", "____________"),),
    )


def invoice(shipment: Shipment, shop: Shop) -> ListPaper:
    """Return the buyer's invoice of an order: what was bought and paid, shipping in it.

    It shows the sums that the channel told, which hold whatever tax there is; no tax is worked out (shop policy).
    """
    order = shipment.order
    currency = order.currency or shop.currency
    rows = [
        (
            line.sku,
            line.name,
            str(line.quantity),
            money_text(line.unit_price_minor, currency),
            money_text(line.unit_price_minor * line.quantity, currency),
        )
        for line in order.lines
    ]
    goods = sum(line.unit_price_minor * line.quantity for line in order.lines)
    buyer = order.billing_name and order.billing_name != order.address.name
    recipient = with_country(order.address)
    return ListPaper(
        title="Invoice",
        facts=(f"Order {order.number} of {order.ordered_at:%d %B %Y}", shop.brand),
        rows=tuple(rows),
        columns=(
            Column("SKU", 3),
            Column("Item", 7),
            Column("Pieces", 2, figures=True),
            Column("Each", 3, figures=True),
            Column("Sum", 3, figures=True),
        ),
        closing=(
            ("Goods", money_text(goods, currency)),
            ("Shipping", money_text(order.paid_shipping_minor, currency)),
            ("Total", money_text(goods + order.paid_shipping_minor, currency)),
        ),
        barcode=slip_code(order.id),
        left=with_country(shipment.sender),
        right=(order.billing_name, *recipient) if buyer else recipient,
    )
