"""The address book: people found by name, company or code; CSV and vCard in and out; addresses while typing."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, tidy, tidy_address
from tidewind.core.addresses.gazetteer import shipped
from tidewind.core.order_rows.columns import guess_columns, header_row, plain_header
from tidewind.core.searching import folded
from tidewind.db.tables import Contact, Order
from tidewind.outside.sheets_out import harmless
from tidewind.outside.spreadsheets import SpreadsheetError, read_sheet
from tidewind.outside.vcards import ContactCard, VcardError, read_vcards, write_vcards
from tidewind.services.base import Conflict, Invalid, NotFound

MOST_CONTACTS = 20_000


@dataclass(frozen=True, slots=True)
class Suggestion:
    """An address that what was typed may mean, and where it is known from."""

    source: str
    label: str
    address: Address


def find_contacts(session: Session, text: str = "", limit: int = 200) -> Sequence[Contact]:
    """Return contacts whose name, company or code holds every word typed."""
    query = select(Contact)
    for word in folded(tidy(text)[:80]).split():
        query = query.where(Contact.search.contains(word, autoescape=True))
    return session.scalars(query.order_by(Contact.search, Contact.id).limit(limit)).all()


def save_contact(session: Session, contact_id: int | None, code: str, address: Address, home: bool) -> Contact:
    """Add or change a contact.  Raises Conflict for a code that is taken, Invalid without a name."""
    tidied, plain = tidy_address(address), tidy(code)[:30] or None
    if not (tidied.name or tidied.company):
        raise Invalid("no_name", "A contact needs a name or a company.")
    taken = session.scalar(select(Contact.id).where(Contact.code == plain)) if plain else None
    if taken and taken != contact_id:
        raise Conflict("code_taken", f"The code {plain} belongs to another contact.")
    row = session.get(Contact, contact_id) if contact_id else Contact()
    if row is None:
        raise NotFound("unknown_contact", "This contact does not exist.")
    row.code, row.address, row.home = plain, tidied, home
    row.search = folded(" ".join(p for p in (tidied.name, tidied.company, plain or "", tidied.city) if p))[:600]
    session.add(row)
    session.flush()
    return row


def remove_contact(session: Session, contact_id: int) -> None:
    """Remove a contact; one that is gone already is no fault."""
    row = session.get(Contact, contact_id)
    if row:
        session.delete(row)


def bring_in_contacts(session: Session, file_name: str, data: bytes) -> tuple[int, int, list[str]]:
    """Bring contacts in from CSV, XLSX or vCard; return how many were new, how many were known, and what was odd.

    A contact with the same name, company and street is known.  Raises Invalid for a file that cannot be read.
    """
    if b"BEGIN:VCARD" in data[:400].upper().replace(b"\x00", b""):
        try:
            found, odd = read_vcards(data)
        except VcardError as error:
            raise Invalid("unreadable_file", str(error)) from error
    else:
        found, odd = read_contact_rows(file_name, data)
    if len(found) > MOST_CONTACTS:
        raise Invalid("too_many", f"At most {MOST_CONTACTS:,} contacts are brought in at once.")
    known = {_same(row.address) for row in session.scalars(select(Contact))}
    codes = set(session.scalars(select(Contact.code)))
    made = there = 0
    for code, address, home in found:
        tidied = tidy_address(address)
        if _same(tidied) in known:
            there += 1
            continue
        known.add(_same(tidied))
        free = "" if code in codes else code
        codes.add(free)
        save_contact(session, None, free, tidied, not tidied.company if home is None else home)
        made += 1
    return made, there, odd[:50]


def _same(address: Address) -> tuple[str, str, str]:
    return (address.name.casefold(), address.company.casefold(), address.street.casefold())


def contacts_as_csv(rows: Iterable[Contact]) -> str:
    """Return contacts as CSV; a cell that a spreadsheet would take for a formula is made harmless."""
    out = io.StringIO()
    names = list(Address.__dataclass_fields__)
    writer = csv.writer(out)
    writer.writerow(["code", *names, "home or business"])
    for row in rows:
        cells = [harmless(getattr(row.address, name)) for name in names]
        writer.writerow([harmless(row.code or ""), *cells, "home" if row.home else "business"])
    return out.getvalue()


def contacts_as_vcards(rows: Iterable[Contact]) -> str:
    """Return contacts as vCard 4.0 (RFC 6350)."""
    return write_vcards(ContactCard(row.code or "", row.address, row.home) for row in rows)


def suggest_addresses(session: Session, text: str, country: str = "", limit: int = 8) -> list[Suggestion]:
    """Return what a beginning of an address may mean: contacts, past recipients, then towns of the gazetteer."""
    words = tidy(text).lower()[:80]
    if len(words) < 2:
        return []
    found = [Suggestion("address book", row.code or "", row.address) for row in find_contacts(session, words, limit)]
    query = select(Order.address).order_by(Order.id.desc())
    for word in folded(words).split():
        query = query.where(Order.search.contains(word, autoescape=True))
    seen = {_same(s.address) for s in found}
    for stored in session.scalars(query.limit(limit * 3)):
        address = stored
        if _same(address) not in seen and len(found) < limit:
            seen.add(_same(address))
            found.append(Suggestion("earlier order", "", address))
    for town in shipped().starting(country.upper(), words, limit):
        region = town.region if town.country in {"US", "BR", "JP"} else ""
        found.append(Suggestion("town", town.region, Address(city=town.name, region=region, country=town.country)))
    return found[:limit]


def read_contact_rows(file_name: str, data: bytes) -> tuple[list[ContactCard], list[str]]:
    """Return the contacts of a spreadsheet's rows, and words about rows without a name.

    Raises Invalid for a file that cannot be read, or without a column for names.
    """
    try:
        sheet = read_sheet(data, file_name)
    except SpreadsheetError as error:
        raise Invalid("unreadable_file", str(error)) from error
    heads = sheet.rows[header_row(sheet.rows)] if sheet.rows else []
    columns = guess_columns(heads)
    codes = [n for n, head in enumerate(heads) if head.strip().lower() in {"code", "short code"}]
    kinds = [n for n, head in enumerate(heads) if plain_header(head) in {"home or business", "address kind"}]
    if "name" not in columns and "company" not in columns:
        raise Invalid("no_names", "No column of this file is called name or company.")
    found, odd = [], []
    top = header_row(sheet.rows)
    for number, cells in enumerate(sheet.unharmed_rows[top + 1 :], top + 2):
        parts = {f: cells[columns[f]] for f in Address.__dataclass_fields__ if f in columns and columns[f] < len(cells)}
        address = tidy_address(Address(**{name: text[:120] for name, text in parts.items()}))
        if not (address.name or address.company):
            odd.append(f"Row {number} has no name.")
            continue
        code, kind = (cells[at[0]].strip() if at and at[0] < len(cells) else "" for at in (codes, kinds))
        home = {"home": True, "business": False}.get(kind.lower())
        found.append(ContactCard(code[:30], address, home))
    return found, odd
