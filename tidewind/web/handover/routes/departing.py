"""What is done to a departure: its manifest closed and opened again, parcels counted out, handed over, brought."""

from __future__ import annotations

import json

from fastapi import APIRouter, Response

from tidewind.db.tables import Manifest
from tidewind.services.handover import (
    bring,
    close_manifest,
    count_out,
    hand_over,
    move_pile,
    open_count_again,
    reopen_manifest,
    take_count_back,
)
from tidewind.services.papers import mail_receipt, manifest_data, manifest_rows, print_manifest
from tidewind.web.access import Bench, Now, Owner, Parts, Shipper, Tx
from tidewind.web.base.schemas import CountOut
from tidewind.web.files import CSV, PDF, answers_with, download
from tidewind.web.handover.schemas.departing import (
    BringIn,
    CountBackIn,
    CountedOut,
    CountIn,
    DepartureIn,
    HandedOverOut,
    HandOverIn,
    MovedOut,
    MoveIn,
    ReceiptIn,
    RecountIn,
)
from tidewind.web.handover.schemas.pickups import ManifestOut

router = APIRouter(prefix="/api", tags=["handing over"])


def _manifest(row: Manifest) -> ManifestOut:
    return ManifestOut.model_validate(row)


@router.post("/departures/close")
def close(body: DepartureIn, who: Bench, session: Tx, now: Now) -> ManifestOut:
    """Close a departure's manifest; closed before, it is the same one."""
    return _manifest(close_manifest(session, body.key, who.name, now))


@router.post("/departures/reopen")
def reopen(body: DepartureIn, who: Shipper, session: Tx, now: Now) -> ManifestOut:
    """Open a closed departure again, as long as it is not handed over; its manifest is worth nothing any more."""
    return _manifest(reopen_manifest(session, body.key, who.name, now))


@router.post("/departures/bring")
def bring_it(body: BringIn, _who: Shipper, session: Tx, now: Now) -> CountOut:
    """Say that a departure is taken to the carrier by us, or that it is to be fetched after all."""
    bring(session, body.key, body.brought, body.point, now)
    return CountOut(count=1)


@router.post("/departures/count")
def count(body: CountIn, _who: Bench, session: Tx, now: Now) -> CountedOut:
    """Count a scanned parcel out for the driver; the answer says at once what is wrong with it."""
    return CountedOut.model_validate(count_out(session, body.key, body.code, now))


@router.post("/departures/count/back")
def count_back(body: CountBackIn, _who: Bench, session: Tx, now: Now) -> CountedOut:
    """Take a parcel out of the driver's count again; without a code the one that was counted last."""
    return CountedOut.model_validate(take_count_back(session, body.key, body.code, now))


@router.post("/departures/recount")
def recount(body: RecountIn, who: Owner, session: Tx, now: Now) -> CountOut:
    """Open the count of a departure that was handed over again; its list and the refusal of voids stay."""
    open_count_again(session, body.key, body.why, who.name, now)
    return CountOut(count=1)


@router.post("/departures/hand-over")
def hand_it_over(body: HandOverIn, who: Bench, session: Tx, now: Now) -> HandedOverOut:
    """Hand a departure over: what the driver took goes, the rest falls to the next one."""
    done = hand_over(session, body.key, body.number, body.driver, body.signature, who.name, now)
    return HandedOverOut(parcels=done.parcels, left=[MovedOut.model_validate(one) for one in done.left])


@router.post("/departures/receipt")
def receipt(body: ReceiptIn, _who: Bench, session: Tx, parts: Parts) -> CountOut:
    """Mail a receipt of a departure that was handed over, with the list of its parcels."""
    mail_receipt(session, parts.outside, body.key, body.mail_to)
    return CountOut(count=1)


@router.post("/departures/move")
def move(body: MoveIn, who: Shipper, session: Tx, now: Now) -> list[MovedOut]:
    """Let the labels of a service leave on another day; with ``only_try`` it is only said what that would do."""
    with session.begin_nested() as tried:
        moved = move_pile(session, body.key, body.service, body.to_day, who.name, now)
        found = [MovedOut.model_validate(one) for one in moved]
        if body.only_try:
            tried.rollback()
    return found


@router.get("/manifests/{number}.pdf", **answers_with(PDF))
def manifest_pdf(number: str, _who: Bench, session: Tx, paper: str = "a4") -> Response:
    """Return a manifest as PDF in two copies, with lines to sign."""
    headers = {"Content-Disposition": f'inline; filename="manifest-{number}.pdf"', "Cache-Control": "no-store"}
    return Response(print_manifest(session, number, paper), media_type="application/pdf", headers=headers)


@router.get("/manifests/{number}.json", **answers_with("application/json"))
def manifest_json(number: str, _who: Bench, session: Tx) -> Response:
    """Return a manifest as JSON."""
    data = json.dumps(manifest_data(session, number), ensure_ascii=False).encode()
    return download(data, f"manifest-{number}.json", "application/json")


@router.get("/manifests/{number}.csv", **answers_with(CSV))
def manifest_csv(number: str, _who: Bench, session: Tx) -> Response:
    """Return a manifest as CSV."""
    return download(manifest_rows(session, number), f"manifest-{number}.csv", CSV)
