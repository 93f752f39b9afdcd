"""The address book, and addresses while typing."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response, UploadFile

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.copied import parse_address
from tidewind.services import shop as service
from tidewind.services.shop import (
    MOST_CONTACTS,
    bring_in_contacts,
    contacts_as_csv,
    contacts_as_vcards,
    find_contacts,
    suggest_addresses,
)
from tidewind.web.access import Anyone, Care, Parts, Tx
from tidewind.web.base.schemas import AddressIO
from tidewind.web.files import CSV, answers_with, download, uploaded
from tidewind.web.shop.schemas.products import BroughtIn, ContactIO, CopiedIn, ParsedOut, SuggestionOut

router = APIRouter(prefix="/api")
Text = Annotated[str, Query(max_length=120)]


@router.get("/contacts", tags=["address book"])
def list_contacts(_who: Anyone, session: Tx, text: Text = "") -> list[ContactIO]:
    """Return contacts found by name, company or code."""
    return [
        ContactIO(id=c.id, code=c.code or "", home=c.home, address=AddressIO.model_validate(c.address))
        for c in find_contacts(session, text)
    ]


@router.post("/contacts", tags=["address book"])
def save_contact(body: ContactIO, _who: Care, session: Tx) -> ContactIO:
    """Add a contact, or change the one with this id."""
    row = service.save_contact(session, body.id, body.code, Address(**body.address.model_dump()), body.home)
    return ContactIO(id=row.id, code=row.code or "", home=row.home, address=AddressIO.model_validate(row.address))


@router.delete("/contacts/{contact_id}", status_code=204, tags=["address book"])
def remove_contact(contact_id: int, _who: Care, session: Tx) -> None:
    """Remove a contact."""
    service.remove_contact(session, contact_id)


@router.post("/contacts/file", tags=["address book"])
def contacts_in(file: UploadFile, _who: Care, session: Tx, parts: Parts) -> BroughtIn:
    """Bring contacts in from CSV, XLSX or vCard; those known already stay as they are."""
    made, known, odd = bring_in_contacts(session, *uploaded(file, parts.settings.upload_limit_bytes))
    return BroughtIn(made=made, known=known, odd=odd)


@router.get("/contacts/file", tags=["address book"], **answers_with(CSV, "text/vcard"))
def contacts_out(_who: Care, session: Tx, kind: Literal["csv", "vcf"] = "csv") -> Response:
    """Return the address book as CSV or vCard 4.0."""
    rows = find_contacts(session, "", MOST_CONTACTS)
    if kind == "vcf":
        return download(contacts_as_vcards(rows).encode(), "contacts.vcf", "text/vcard; charset=utf-8")
    return download(b"\xef\xbb\xbf" + contacts_as_csv(rows).encode(), "contacts.csv", "text/csv; charset=utf-8")


@router.get("/addresses/suggest", tags=["addresses"])
def suggest(
    _who: Anyone, session: Tx, text: Text, country: Annotated[str, Query(max_length=2)] = ""
) -> list[SuggestionOut]:
    """Return what a beginning of an address may mean: contacts, past recipients, towns."""
    return [
        SuggestionOut(source=s.source, label=s.label, address=AddressIO.model_validate(s.address))
        for s in suggest_addresses(session, text, country)
    ]


@router.post("/addresses/parse", tags=["addresses"])
def parse(body: CopiedIn, _who: Anyone, session: Tx) -> ParsedOut:
    """Return a copied block in fields, with what was not sure marked."""
    parsed = parse_address(body.text, body.home_country or service.home_country(session))
    return ParsedOut(address=AddressIO.model_validate(parsed.address), unsure=parsed.unsure)
