"""A closed manifest as paper (two copies, to be signed), as JSON and as CSV: the same parcels in the same order."""

from __future__ import annotations

from collections import Counter

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.printed import with_country
from tidewind.core.quantities import weight_in
from tidewind.core.written import Written
from tidewind.db.tables import CarrierRow, Manifest, Place
from tidewind.documents.lists import Column, ListPaper, list_pdf
from tidewind.outside.sheets_out import to_csv
from tidewind.services.handover import listed_of, manifest_by_number
from tidewind.services.papers.contents import day_text
from tidewind.services.planning import shop_settings

COPIES = ("copy for the carrier", "copy for the sender")
HEADS = ("Number", "Order", "Service", "Grams", "To")


def print_manifest(session: Session, number: str, sheet: str = "a4") -> bytes:
    """Return a manifest as one PDF with two copies.  Raises NotFound."""
    manifest = manifest_by_number(session, number)
    return list_pdf([_paper(session, manifest, copy) for copy in COPIES], f"Manifest {number}", sheet)


def _paper(session: Session, manifest: Manifest, copy: str) -> ListPaper:
    departure, units = manifest.departure, shop_settings(session).units
    carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == departure.carrier)).one()
    place = session.get_one(Place, departure.place_id)
    listed = listed_of(manifest)
    count, gross = Counter(one.service for one in listed), Counter[str]()
    for one in listed:
        gross[one.service] += one.gross_g
    account = carrier.account("")
    opened = " · OPENED AGAIN, worth nothing" if manifest.reopened_at else ""
    return ListPaper(
        title=f"Manifest {manifest.number}",
        facts=(
            f"{carrier.name} · {day_text(departure.day)} · {copy}{opened}",
            f"{counted(len(listed))}, {weight_in(manifest.gross_g, units)}",
            *([f"Account {account.number}"] if account else []),
        ),
        barcode=manifest.number,
        left=with_country(place.address),
        columns=(
            Column("Number", 6),
            Column("Order", 3),
            Column("Service", 4),
            Column("To", 6),
            Column("Weight", 2, figures=True),
        ),
        rows=tuple(
            (one.tracking_number, one.order_number, one.service, one.to, weight_in(one.gross_g, units))
            for one in listed
        ),
        closing=(
            *((f"{name}: {counted(many)}", weight_in(gross[name], units)) for name, many in sorted(count.items())),
            ("Together", weight_in(manifest.gross_g, units)),
        ),
        signatures=("Handed over by, time", "Taken over by, name and signature"),
    )


def counted(parcels: int) -> str:
    """Write how many parcels."""
    return "1 parcel" if parcels == 1 else f"{parcels:,} parcels"


def manifest_data(session: Session, number: str) -> Written:
    """Return a manifest as JSON values; grams and instants with their zone.  Raises NotFound."""
    manifest = manifest_by_number(session, number)
    departure = manifest.departure
    return {
        "number": manifest.number,
        "carrier": departure.carrier,
        "network": departure.network,
        "day": departure.day.isoformat(),
        "closed_at": manifest.closed_at.isoformat(),
        "closed_by": manifest.closed_by,
        "opened_again_at": manifest.reopened_at.isoformat() if manifest.reopened_at else None,
        "gross_g": manifest.gross_g,
        "parcels": [one.written for one in listed_of(manifest)],
    }


def manifest_rows(session: Session, number: str) -> bytes:
    """Return a manifest as CSV in UTF-8.  Raises NotFound."""
    listed = listed_of(manifest_by_number(session, number))
    return to_csv(HEADS, ((one.tracking_number, one.order_number, one.service, one.gross_g, one.to) for one in listed))
