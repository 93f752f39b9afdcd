"""Papers as files, printers and their queue, and what stands chosen for each kind of document."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Query, Response, UploadFile

from tidewind.core.printing import medium_in_words
from tidewind.db.tables import Printer, PrintJob, PrintPreference
from tidewind.services import shop as shop_room
from tidewind.services.follow import mail_label
from tidewind.services.papers import (
    PAPERS,
    PrintRequest,
    add_printer,
    all_printers,
    change_print,
    look_at_printer,
    mark_printed,
    papers_of,
    print_batch_summary,
    print_customs,
    print_interleaved,
    print_invoices,
    print_labels,
    print_pick_list,
    print_pictures,
    print_posting_lists,
    print_preferences,
    print_queue,
    print_returns,
    print_slips,
    remove_printer,
    send_to_printer,
    set_print_preference,
    shipments_in,
    shipments_meant,
    trial_labels,
)
from tidewind.services.shop import paper_template, set_paper_template
from tidewind.web.access import Anyone, Bench, Now, Owner, Parts, Shipper, Tx
from tidewind.web.base.schemas import CountOut, Short
from tidewind.web.files import PDF, answers_with, download, uploaded
from tidewind.web.papers.schemas import (
    JobChangeIn,
    JobOut,
    LabelsIn,
    MailLabelIn,
    MarkIn,
    PreferenceIO,
    PrinterIn,
    PrinterOut,
    PrintIn,
    PrintSetupOut,
    TemplateIO,
)

router = APIRouter(prefix="/api", tags=["printing"])
MOST_IN_ADDRESS = 2_000
"""An address of more is too long for servers and browsers; a batch, or the body of a POST, names more."""
Ids = Annotated[list[int], Query(max_length=MOST_IN_ADDRESS)]
Stock = Annotated[str, Query(max_length=20)]
Way = Literal["selected", "shelf", "carrier"]


def _meant(_who: Bench, session: Tx, shipment: Ids = [], order: Ids = [], batch: int | None = None) -> list[int]:  # noqa: B006 - never changed
    return shipments_meant(session, shipment, order, batch)


Meant = Annotated[list[int], Depends(_meant)]
"""Shipments by their ids, by their orders' ids, or all of a batch."""


def _pdf(data: bytes, name: str) -> Response:
    headers = {"Content-Disposition": f'inline; filename="{name}.pdf"', "Cache-Control": "no-store"}
    return Response(data, media_type="application/pdf", headers=headers)


@router.get("/labels.pdf", **answers_with(PDF))
def labels(_who: Bench, shipments: Meant, session: Tx, paper: Stock = "roll", sequence: Way = "selected") -> Response:
    """Return the labels of bought shipments in one PDF; ``paper``: roll, narrow, a4, letter."""
    return _pdf(print_labels(session, shipments, paper, sequence), "labels")


@router.post("/labels.pdf", **answers_with(PDF))
def many_labels(body: LabelsIn, _who: Bench, session: Tx) -> Response:
    """Return the labels of more orders than an address has room for; it changes nothing."""
    shipments = shipments_meant(session, body.shipment_ids, body.order_ids, None)
    return _pdf(print_labels(session, shipments, body.paper or "roll", body.sequence), "labels")


@router.get("/labels/pictures", **answers_with("image/png", "application/zip"))
def pictures(_who: Bench, shipments: Meant, session: Tx) -> Response:
    """Return the labels as PNG at 203 dpi: one picture, or a ZIP of several."""
    data, ending = print_pictures(session, shipments)
    return download(data, f"labels.{ending}", "image/png" if ending == "png" else "application/zip")


@router.get("/packing-slips.pdf", **answers_with(PDF))
def slips(_who: Bench, shipments: Meant, session: Tx, sequence: Way = "selected") -> Response:
    """Return the packing slips of shipments in one PDF."""
    return _pdf(print_slips(session, shipments, sequence), "packing-slips")


@router.get("/labels-and-slips.pdf", **answers_with(PDF))
def interleaved(
    _who: Bench, shipments: Meant, session: Tx, paper: Stock = "roll", sequence: Way = "selected"
) -> Response:
    """Return slips and labels in one PDF: each order's slip, then its labels."""
    data = print_interleaved(session, shipments, paper, sequence)
    return _pdf(data, "labels-and-slips")


@router.get("/posting-list.pdf", **answers_with(PDF))
def posting_list(_who: Bench, shipments: Meant, session: Tx, paper: Stock = "a4") -> Response:
    """Return what goes with each carrier, one row a parcel, to be checked and signed when it is handed over."""
    return _pdf(print_posting_lists(session, shipments, paper), "posting-list")


@router.get("/pick-list.pdf", **answers_with(PDF))
def pick_list(_who: Bench, shipments: Meant, session: Tx, paper: Stock = "a4") -> Response:
    """Return the pick list of shipments, by shelf."""
    return _pdf(print_pick_list(session, shipments, paper), "pick-list")


@router.get("/batches/{batch_id}/summary.pdf", **answers_with(PDF))
def batch_summary(batch_id: int, _who: Shipper, session: Tx, paper: Stock = "a4") -> Response:
    """Return what was bought in a batch, with what it cost."""
    return _pdf(print_batch_summary(session, batch_id, paper), f"batch-{batch_id}")


@router.get("/customs-papers.pdf", **answers_with(PDF))
def customs_papers(_who: Bench, shipments: Meant, session: Tx, now: Now) -> Response:
    """Return the customs papers of shipments, in the copies that are needed."""
    return _pdf(print_customs(session, shipments, now), "customs-papers")


@router.get("/invoices.pdf", **answers_with(PDF))
def invoices(_who: Shipper, shipments: Meant, session: Tx, paper: Stock = "a4") -> Response:
    """Return the buyers' invoices of shipments."""
    return _pdf(print_invoices(session, shipments, paper), "invoices")


@router.get("/return-labels.pdf", **answers_with(PDF))
def return_labels(
    parcel_return: Annotated[list[int], Query(min_length=1, max_length=500)],
    _who: Bench,
    session: Tx,
    now: Now,
    paper: Stock = "roll",
) -> Response:
    """Return labels for the way back in one PDF."""
    return _pdf(print_returns(session, parcel_return, now, paper), "labels-for-the-way-back")


@router.get("/orders/{order_id}/test-label.pdf", **answers_with(PDF))
def trial_label(order_id: int, _who: Bench, session: Tx, paper: Stock = "roll") -> Response:
    """Return a label of a planned order that costs nothing, and says so across its face."""
    return _pdf(trial_labels(session, order_id, paper), "test-label")


@router.get("/recipes/barcodes.pdf", **answers_with(PDF))
def recipe_barcodes(_who: Bench, session: Tx, now: Now) -> Response:
    """Return a sheet with a barcode for every recipe."""
    return _pdf(shop_room.recipe_barcodes(session, now), "recipes")


@router.post("/labels/printed")
def mark(body: MarkIn, _who: Bench, session: Tx, now: Now) -> CountOut:
    """Mark labels as printed elsewhere, or as not printed after all."""
    meant = shipments_meant(session, body.shipment_ids, body.order_ids, body.batch_id)
    count = mark_printed(session, meant, body.printed, now)
    return CountOut(count=count)


@router.post("/labels/mail")
def mail(body: MailLabelIn, who: Shipper, session: Tx, now: Now) -> CountOut:
    """Mail the label of a shipment to somebody."""
    shipment = shipments_in(session, [body.shipment_id])[0]
    words = f"The label for order {shipment.order.number} is in the attachment. Print it at its full size.\n"
    mail_label(session, shipment, body.mail_to, words, f"sent by {who.name}", now)
    return CountOut(count=1)


@router.get("/printing")
def print_setup(_who: Anyone, session: Tx) -> PrintSetupOut:
    """Return the printers, and what stands chosen for each kind of document."""
    return PrintSetupOut(
        printers=[_printer(p) for p in all_printers(session)],
        preferences=[_preference(p) for p in print_preferences(session)],
    )


def _printer(row: Printer) -> PrinterOut:
    return PrinterOut(
        code=row.code, name=row.name, address=row.base_url, kind="ipp" if row.kind == "ipp" else "server",
        model=row.facts.model, media=[medium_in_words(name) for name in row.facts.ready],
        papers=papers_of(row), troubles=list(row.facts.troubles), failure=row.failure, seen_at=row.seen_at,
    )  # fmt: skip


@router.post("/printers", status_code=201)
def new_printer(body: PrinterIn, _who: Owner, session: Tx, parts: Parts, now: Now) -> PrinterOut:
    """Add a printer once it has answered at its address."""
    return _printer(add_printer(session, parts.outside, body.name, body.address, now))


@router.post("/printers/{code}/look")
def look(code: Short, _who: Bench, session: Tx, parts: Parts, now: Now) -> PrinterOut:
    """Ask a printer anew what lies in it and what is in its way."""
    return _printer(look_at_printer(session, parts.outside, code, now))


@router.delete("/printers/{code}")
def delete_printer(code: Short, _who: Owner, session: Tx) -> CountOut:
    """Take a printer out of use; returns how many prints that waited for it were cancelled."""
    return CountOut(count=remove_printer(session, code))


def _preference(row: PrintPreference) -> PreferenceIO:
    return PreferenceIO(
        kind=row.kind, paper=row.paper, printer=row.printer, copies=row.copies, papers=list(PAPERS[row.kind])
    )


@router.put("/printing/preferences")
def set_preference(body: PreferenceIO, _who: Shipper, session: Tx) -> PreferenceIO:
    """Choose paper, printer and copies for a kind of document; no printer means the browser prints."""
    return _preference(set_print_preference(session, body.kind, body.paper, body.printer, body.copies))


@router.get("/printing/template")
def template(_who: Anyone, session: Tx) -> TemplateIO:
    """Return what the shop puts on its papers."""
    return TemplateIO(**asdict(paper_template(session)))


@router.put("/printing/template")
def set_template(body: TemplateIO, _who: Owner, session: Tx) -> TemplateIO:
    """Set the slip's message and prices, and the free line on labels."""
    return TemplateIO(**asdict(set_paper_template(session, body.message, body.prices, body.label_line)))


@router.put("/printing/logo")
def set_logo(file: UploadFile, _who: Owner, session: Tx) -> TemplateIO:
    """Set the logo on packing slips: PNG or JPEG, up to 2 MB and 2,000 dots a side."""
    shop_room.set_logo(session, uploaded(file, 2_000_000)[1])
    return TemplateIO(**asdict(paper_template(session)))


@router.delete("/printing/logo")
def remove_logo(_who: Owner, session: Tx) -> TemplateIO:
    """Take the logo off the slips."""
    shop_room.set_logo(session, None)
    return TemplateIO(**asdict(paper_template(session)))


@router.get("/prints")
def queue(_who: Bench, session: Tx) -> list[JobOut]:
    """Return what waits for the printers, and what was printed last."""
    return [_job(job) for job in print_queue(session)]


def _job(job: PrintJob) -> JobOut:
    return JobOut.model_validate(job)


@router.post("/prints", status_code=202)
def send(body: PrintIn, who: Bench, session: Tx, now: Now) -> JobOut:
    """Send a document to a printer; the same ``client_key`` again prints nothing more."""
    wish = PrintRequest(**body.model_dump())
    job = send_to_printer(session, wish, who.id, now)
    return _job(job)


@router.post("/prints/{job_id}")
def change(job_id: int, body: JobChangeIn, _who: Bench, session: Tx, parts: Parts, now: Now) -> JobOut:
    """Cancel a print that is not on paper, say that one in doubt is, or print one again."""
    return _job(change_print(session, parts.outside, job_id, body.what, now))
