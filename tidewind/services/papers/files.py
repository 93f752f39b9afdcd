"""Papers of shipments as files, in the order and on the stock asked for.

Making a file marks nothing: that labels are printed is said by a printer, or by a person.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Batch, CarrierRow, Label, Order, Return, Shipment
from tidewind.documents.label import LabelPaper, label_papers, labels_pdf
from tidewind.documents.lists import SHEETS, list_pdf
from tidewind.documents.packing_slip import slip_paper, slips_pdf
from tidewind.documents.paper import STOCKS, Draw, pdf_of
from tidewind.documents.raster import pngs_of
from tidewind.services.base import MOST_ORDERS, Conflict, Invalid, NotFound
from tidewind.services.customs import papers_back, papers_of_shipments
from tidewind.services.papers.contents import (
    batch_summary,
    by_shelf,
    goods_of,
    invoice,
    label_paper,
    pick_list,
    posting_lists,
    reference_line,
    return_paper,
    slip_of,
    trial_papers,
)
from tidewind.services.planning import default_place, shop_settings

MOST_PICTURES = 50
Arrangement = Literal["selected", "shelf", "carrier"]


def shipments_meant(
    session: Session, shipment_ids: Sequence[int], order_ids: Sequence[int], batch_id: int | None
) -> list[int]:
    """Return shipments named by themselves, by their orders (the label that stands), or by a batch, each once."""
    stands = select(Shipment.id, Shipment.order_id).where(Shipment.state.in_(LabelState.TRAVELS)).order_by(Shipment.id)
    found = list(shipment_ids)
    if order_ids:
        of_order = {row.order_id: row.id for row in session.execute(stands.where(Shipment.order_id.in_(order_ids)))}
        found += [of_order[i] for i in order_ids if i in of_order]
    if batch_id is not None:
        found += session.scalars(stands.where(Shipment.batch_id == batch_id)).all()
    return list(dict.fromkeys(found))


def shipments_in(session: Session, ids: Sequence[int], sequence: Arrangement = "selected") -> list[Shipment]:
    """Return shipments as selected, along the shelves, or by carrier and service.

    Raises Invalid for none or too many, NotFound where one does not exist.
    """
    if not ids:
        raise Invalid("how_many", "None of these has a label.")
    if len(ids) > MOST_ORDERS:
        raise Invalid("how_many", f"At most {MOST_ORDERS:,} shipments go into one file.")
    found = {s.id: s for s in session.scalars(select(Shipment).where(Shipment.id.in_(ids)))}
    if set(ids) - found.keys():
        raise NotFound("unknown_shipment", "One of these shipments does not exist.")
    chosen = [found[i] for i in dict.fromkeys(ids)]
    if sequence == "shelf":
        return by_shelf(chosen, goods_of(session, chosen))
    if sequence == "carrier":
        return sorted(chosen, key=lambda s: (s.carrier, s.service_name, s.order.number))
    return chosen


def _papers(session: Session, shipments: Sequence[Shipment]) -> list[tuple[Shipment, list[LabelPaper]]]:
    """Return the labels of each shipment.  Raises Conflict where one is not bought."""
    accounts = {a.code: a for a in session.scalars(select(CarrierRow))}
    for shipment in shipments:
        if shipment.state not in LabelState.TRAVELS:
            words = f"The label for order {shipment.order.number} is not bought; it cannot be printed."
            raise Conflict("not_bought", words)
    shop = shop_settings(session)
    kind = str(shop.slip.get("label_line", ""))
    lines = goods_of(session, shipments).lines if kind == "items" else {}

    def paper(shipment: Shipment, label: Label) -> LabelPaper:
        line = reference_line(kind, shipment, label, lines)
        return label_paper(shipment, label, accounts[shipment.carrier], line, shop.units)

    return [(s, [paper(s, label) for label in s.labels]) for s in shipments]


def _stock(stock: str) -> str:
    if stock not in STOCKS:
        raise Invalid("unknown_stock", f"Labels are printed on one of: {', '.join(STOCKS)}.")
    return stock


def print_labels(
    session: Session, shipment_ids: Sequence[int], stock: str = "roll", sequence: Arrangement = "selected"
) -> bytes:
    """Return one PDF with the labels of the shipments; looking at it changes nothing.

    Raises Conflict where one is not bought, NotFound where one does not exist.
    """
    shipments = shipments_in(session, shipment_ids, sequence)
    made = [paper for _, some in _papers(session, shipments) for paper in some]
    title = f"{len(made)} labels" if len(made) > 1 else f"Label {made[0].order_number}"
    return labels_pdf(made, title, _stock(stock))


def print_slips(session: Session, shipment_ids: Sequence[int], sequence: Arrangement = "selected") -> bytes:
    """Return one PDF with the packing slips of the shipments."""
    shipments = shipments_in(session, shipment_ids, sequence)
    goods, shop = goods_of(session, shipments), shop_settings(session)
    return slips_pdf([slip_of(s, goods, shop) for s in shipments])


def print_interleaved(
    session: Session, shipment_ids: Sequence[int], stock: str = "roll", sequence: Arrangement = "selected"
) -> bytes:
    """Return one PDF in which each order's slip is followed by its labels."""
    shipments = shipments_in(session, shipment_ids, sequence)
    goods, shop = goods_of(session, shipments), shop_settings(session)

    def pages() -> Iterator[Draw]:
        for shipment, labels in _papers(session, shipments):
            yield slip_paper(slip_of(shipment, goods, shop))
            yield from label_papers(labels, _stock(stock))

    return pdf_of(pages(), f"{len(shipments)} slips and labels")


def print_pictures(session: Session, shipment_ids: Sequence[int]) -> tuple[bytes, str]:
    """Return the labels as PNG at 203 dpi, one picture or a ZIP of several, and the file's ending."""
    shipments = shipments_in(session, shipment_ids)
    made = [paper for _, some in _papers(session, shipments) for paper in some]
    if len(made) > MOST_PICTURES:
        raise Invalid("too_many", f"At most {MOST_PICTURES} labels are made into pictures at once; take PDF for more.")
    pictures = pngs_of(labels_pdf(made))
    if len(pictures) == 1:
        return pictures[0], "png"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for number, (paper, picture) in enumerate(zip(made, pictures, strict=True), 1):
            archive.writestr(f"{number:03d}-{''.join(c for c in paper.tracking_number if c.isalnum())}.png", picture)
    return out.getvalue(), "zip"


def trial_labels(session: Session, order_id: int, stock: str = "roll") -> bytes:
    """Return labels of a planned order that cost nothing and say so.  Raises Conflict where it has no service yet."""
    order = session.get(Order, order_id)
    if order is None:
        raise NotFound("unknown_order", "This order does not exist.")
    if not order.carrier or not order.plan.parcels:
        raise Conflict("no_plan", f"Order {order.number} has no service yet, so there is no label to try.")
    carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == order.carrier)).one()
    made = trial_papers(order, carrier, default_place(session), shop_settings(session))
    return labels_pdf(made, f"Test label {order.number}", _stock(stock))


def print_returns(session: Session, return_ids: Sequence[int], now: datetime, stock: str = "roll") -> bytes:
    """Return one PDF with labels for the way back, and behind them the papers of those that cross a border.

    Raises Conflict where one is not ready, NotFound for none.
    """
    rows = session.scalars(select(Return).where(Return.id.in_(return_ids)).order_by(Return.id)).all()
    if not rows or len(rows) != len(set(return_ids)):
        raise NotFound("unknown_return", "One of these returns does not exist.")
    if any(row.tracking_number is None for row in rows):
        raise Conflict("not_ready", "The carrier has not made this label yet. Wait a moment.")
    accounts = {a.code: a for a in session.scalars(select(CarrierRow))}
    shop = shop_settings(session)
    made = [return_paper(row, accounts[row.shipment.carrier], shop) for row in rows]
    papers = [
        draw
        for row in rows
        for draw in papers_back(
            session,
            row.shipment,
            {item["sku"]: item["quantity"] for item in row.items},
            row.tracking_number or "",
            now,
        )
    ]
    return pdf_of([*label_papers(made, _stock(stock)), *papers], "Labels for the way back")


def _sheet(sheet: str) -> str:
    if sheet not in SHEETS:
        raise Invalid("unknown_sheet", f"Lists are printed on one of: {', '.join(SHEETS)}.")
    return sheet


def print_pick_list(session: Session, shipment_ids: Sequence[int], sheet: str = "a4") -> bytes:
    """Return the pick list of shipments, by shelf."""
    shipments = shipments_in(session, shipment_ids)
    made = pick_list(shipments, goods_of(session, shipments), "Pick list")
    return list_pdf([made], "Pick list", _sheet(sheet))


def print_posting_lists(session: Session, shipment_ids: Sequence[int], sheet: str = "a4") -> bytes:
    """Return what goes with each carrier.  Raises Conflict where nothing of it is bought."""
    made = posting_lists(session, shipments_in(session, shipment_ids))
    if not made:
        raise Conflict("nothing_bought", "None of these has a label, so nothing can be handed over.")
    return list_pdf(made, "Posting list", _sheet(sheet))


def print_batch_summary(session: Session, batch_id: int, sheet: str = "a4") -> bytes:
    """Return what was bought in a batch.  Raises NotFound where nothing was."""
    batch = session.get(Batch, batch_id)
    shipments = session.scalars(select(Shipment).where(Shipment.batch_id == batch_id).order_by(Shipment.id)).all()
    if batch is None or not shipments:
        raise NotFound("unknown_batch", "There is no such batch, or nothing in it was bought.")
    title = batch.name or f"Batch {batch.id}"
    return list_pdf([batch_summary(session, shipments, title, batch.person.name)], title, _sheet(sheet))


def print_invoices(session: Session, shipment_ids: Sequence[int], sheet: str = "a4") -> bytes:
    """Return the buyers' invoices of shipments, in the order given."""
    shop = shop_settings(session)
    made = [invoice(s, shop) for s in shipments_in(session, shipment_ids)]
    return list_pdf(made, "Invoices", _sheet(sheet))


def print_customs(session: Session, shipment_ids: Sequence[int], now: datetime) -> bytes:
    """Return the customs papers of shipments in their copies, in the order given.

    Raises Conflict where none of them crosses a border.
    """
    made = [draw for _, some in papers_of_shipments(session, shipment_ids, now) for draw in some]
    if not made:
        raise Conflict("no_papers", "None of these crosses a customs border, so no papers are needed.")
    return pdf_of(made, "Customs papers")


def mark_printed(session: Session, shipment_ids: Sequence[int], printed: bool, now: datetime) -> int:
    """Mark labels as printed elsewhere, or as not printed after all; return how many shipments."""
    shipments = shipments_in(session, shipment_ids)
    for shipment in shipments:
        for label in shipment.labels:
            label.printed_at = (label.printed_at or now) if printed else None
    return len(shipments)
