"""The address book, addresses while typing, the product catalogue, and lists of restricted parties."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response, UploadFile

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.pasted import parse_address
from tidewind.services import contacts, products, screening
from tidewind.services.live import tell
from tidewind.web.access import Anyone, Care, Now, Owner, Parts, Shipper, Tx
from tidewind.web.files import download, uploaded
from tidewind.web.schemas.layers import WorkOut
from tidewind.web.schemas.orders import AddressIO, Changed
from tidewind.web.schemas.products import ContactIO, ParsedOut, ProductIO, ProductPage, ProductsEdit, SuggestionOut
from tidewind.web.schemas.worklist import BroughtIn, ClearanceOut, ListOut, MatchOut, PasteIn

router = APIRouter(prefix="/api")
Text = Annotated[str, Query(max_length=120)]


@router.get("/contacts", tags=["address book"])
def list_contacts(_who: Anyone, session: Tx, text: Text = "") -> list[ContactIO]:
    """Return contacts found by name, company or code."""
    return [
        ContactIO(id=c.id, code=c.code or "", home=c.home, address=AddressIO(**c.address))
        for c in contacts.contacts(session, text)
    ]


@router.post("/contacts", tags=["address book"])
def save_contact(body: ContactIO, _who: Care, session: Tx) -> ContactIO:
    """Add a contact, or change the one with this id."""
    row = contacts.save_contact(session, body.id, body.code, Address(**body.address.model_dump()), body.home)
    return ContactIO(id=row.id, code=row.code or "", home=row.home, address=AddressIO(**row.address))


@router.delete("/contacts/{contact_id}", status_code=204, tags=["address book"])
def remove_contact(contact_id: int, _who: Care, session: Tx) -> None:
    """Remove a contact."""
    contacts.remove_contact(session, contact_id)


@router.post("/contacts/file", tags=["address book"])
def contacts_in(file: UploadFile, _who: Care, session: Tx, parts: Parts) -> BroughtIn:
    """Bring contacts in from CSV, XLSX or vCard; those known already stay as they are."""
    made, known, odd = contacts.bring_in(session, *uploaded(file, parts.settings.upload_limit_bytes))
    return BroughtIn(made=made, known=known, odd=odd)


@router.get("/contacts/file", tags=["address book"])
def contacts_out(_who: Care, session: Tx, kind: Literal["csv", "vcf"] = "csv") -> Response:
    """Return the address book as CSV or vCard 4.0."""
    rows = contacts.contacts(session, "", contacts.MOST)
    if kind == "vcf":
        return download(contacts.as_vcards(rows).encode(), "contacts.vcf", "text/vcard; charset=utf-8")
    return download(b"\xef\xbb\xbf" + contacts.as_csv(rows).encode(), "contacts.csv", "text/csv; charset=utf-8")


@router.get("/addresses/suggest", tags=["addresses"])
def suggest(
    _who: Anyone, session: Tx, text: Text, country: Annotated[str, Query(max_length=2)] = ""
) -> list[SuggestionOut]:
    """Return what a beginning of an address may mean: contacts, past recipients, towns."""
    return [
        SuggestionOut(source=s.source, label=s.label, address=AddressIO.model_validate(s.address))
        for s in contacts.suggest(session, text, country)
    ]


@router.post("/addresses/parse", tags=["addresses"])
def parse(body: PasteIn, _who: Anyone) -> ParsedOut:
    """Return a pasted block in fields, with what was not sure marked."""
    parsed = parse_address(body.text, body.home_country)
    return ParsedOut(address=AddressIO.model_validate(parsed.address), unsure=parsed.unsure)


@router.get("/products", tags=["products"])
def list_products(
    _who: Anyone, session: Tx, text: Text = "", after: Text = "", limit: int = 200, missing: bool = False
) -> ProductPage:
    """Return products after a SKU; ``missing`` keeps to those without weight or size."""
    rows, total = products.products(session, text, after, max(limit, 1), missing)
    shown = [ProductIO.model_validate(p) for p in rows]
    return ProductPage(products=shown, matching=total, next=rows[-1].sku if len(rows) >= max(limit, 1) else None)


@router.patch("/products", tags=["products"])
def edit_products(body: ProductsEdit, _who: Shipper, session: Tx, now: Now) -> Changed:
    """Change the same fields of one product or many; open orders follow."""
    count = products.edit(session, body.skus, body.set.model_dump(exclude_unset=True), now)
    tell(session, "orders")
    return Changed(orders=count)


@router.post("/products/file", tags=["products"])
def products_in(file: UploadFile, _who: Shipper, session: Tx, parts: Parts, now: Now) -> BroughtIn:
    """Bring products in from CSV or XLSX; only columns that are there are changed."""
    made, changed, wrong = products.bring_in(session, *uploaded(file, parts.settings.upload_limit_bytes), now)
    tell(session, "orders")
    return BroughtIn(made=made, known=changed, odd=wrong)


@router.get("/products/file", tags=["products"])
def products_out(_who: Anyone, session: Tx, kind: Literal["csv", "xlsx"] = "csv") -> Response:
    """Return the whole catalogue as CSV or XLSX."""
    types = {"csv": "text/csv; charset=utf-8",
             "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}  # fmt: skip
    return download(products.to_file(session, kind), f"products.{kind}", types[kind])


@router.get("/restricted", tags=["restricted parties"])
def lists(_who: Anyone, session: Tx) -> list[ListOut]:
    """Return the lists of restricted parties in use."""
    return [ListOut(source=source, entries=count) for source, count in screening.lists(session).items()]


@router.post("/restricted", tags=["restricted parties"])
def bring_list(file: UploadFile, source: Text, _who: Owner, session: Tx, parts: Parts, now: Now) -> WorkOut:
    """Bring a list in (columns key, names, country), in the place of the one with the same name."""
    name, data = uploaded(file, parts.settings.upload_limit_bytes)
    work = screening.replace_list(session, source, screening.read_list(data, name), now)
    tell(session, "orders")
    return WorkOut.model_validate(work)


@router.get("/restricted/try", tags=["restricted parties"])
def try_name(
    _who: Anyone, session: Tx, name: Text, country: Annotated[str, Query(max_length=2)] = ""
) -> list[MatchOut]:
    """Say which entries a name is like, with the score explained."""
    return [
        MatchOut(key=m.entry.key, source=m.entry.source, names=list(m.entry.names), country=m.entry.country,
                 score=m.score, words=m.words)
        for m in screening.try_name(session, name, country)
    ]  # fmt: skip


@router.get("/clearances", tags=["restricted parties"])
def clearances(_who: Anyone, session: Tx) -> list[ClearanceOut]:
    """Return who cleared which order of which near match, and why."""
    return [
        ClearanceOut(order_id=c.order_id, order_number=number, party=c.party, words=c.words, reason=c.reason, who=name,
                     at=c.at)
        for c, number, name in screening.clearances(session)
    ]  # fmt: skip
