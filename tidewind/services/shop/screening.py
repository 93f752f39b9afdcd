"""Lists of restricted parties: brought in, tried, and what was cleared."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.addresses.countries import country_code
from tidewind.core.screening import Match, plain_name
from tidewind.db.tables import Clearance, Order, Person, RestrictedParty, Work
from tidewind.outside.spreadsheets import SpreadsheetError, read_sheet
from tidewind.services.base import Invalid
from tidewind.services.planning import replan_waiting, screen_of

_MOST, _MOST_NAMES = 50_000, 20
_COLUMNS = {
    "key": ("key", "id", "reference"),
    "names": ("names", "name"),
    "country": ("country",),
    "addresses": ("addresses", "address"),
}


def restricted_lists(session: Session) -> dict[str, int]:
    """Return the lists in use, with how many entries each has."""
    query = (
        select(RestrictedParty.source, func.count()).group_by(RestrictedParty.source).order_by(RestrictedParty.source)
    )
    return {source: count for source, count in session.execute(query)}  # noqa: C416 - rows, not pairs


def read_restricted_list(data: bytes, file_name: str) -> list[dict[str, object]]:
    """Return the entries of a spreadsheet: columns key, names and addresses (each with ``;`` between them), country.

    Raises Invalid, naming the row, for anything that cannot be an entry; nothing is kept then.
    """
    try:
        sheet = read_sheet(data, file_name)
    except SpreadsheetError as error:
        raise Invalid("unreadable_file", str(error)) from error
    head = [cell.strip().lower() for cell in sheet.rows[0]] if sheet.rows else []
    at = {name: next((head.index(s) for s in spellings if s in head), None) for name, spellings in _COLUMNS.items()}
    if at["key"] is None or at["names"] is None:
        raise Invalid("bad_list", "The first row must name the columns key, names and country.")
    if len(sheet.rows) > _MOST + 1:
        raise Invalid("too_long", f"A list has at most {_MOST:,} entries.")
    entries: dict[str, dict[str, object]] = {}
    for number, cells in enumerate(sheet.rows[1:], 2):
        cell = {name: tidy(cells[i]) if i is not None and i < len(cells) else "" for name, i in at.items()}
        if not any(cell.values()):
            continue
        names = [name.strip()[:200] for name in cell["names"].split(";") if plain_name(name)][:_MOST_NAMES]
        country = country_code(cell["country"]) or ""
        if not cell["key"] or not names or (cell["country"] and not country):
            raise Invalid("bad_list", f"Row {number} has no key, no name, or a country that is none. Nothing was kept.")
        addresses = [one.strip()[:300] for one in cell["addresses"].split(";") if plain_name(one)][:_MOST_NAMES]
        key = cell["key"][:60]
        entries[key] = {"key": key, "names": names, "country": country, "addresses": addresses}
    return list(entries.values())


def replace_restricted_list(session: Session, source: str, entries: Sequence[dict[str, object]], now: datetime) -> Work:
    """Put a list in the place of the one of the same name, and look at the waiting orders again."""
    plain = tidy(source)[:80]
    if not plain or not entries:
        raise Invalid("empty_list", "A list has a name and at least one entry.")
    session.execute(delete(RestrictedParty).where(RestrictedParty.source == plain))
    session.execute(insert(RestrictedParty), [{"source": plain, **entry} for entry in entries])
    return replan_waiting(session, f"The list “{plain}” was brought in", now)


def try_restricted_name(session: Session, name: str, country: str) -> list[Match]:
    """Return which entries a name is like, with the score explained."""
    screen = screen_of(session)
    return screen.matches(tidy(name), country=country.upper()) if screen else []


def clearances(session: Session, limit: int = 200) -> list[tuple[Clearance, str, str]]:
    """Return what was cleared, newest first, each with the order's number and who did it."""
    query = select(Clearance, Order.number, Person.name).join(Order, Order.id == Clearance.order_id)
    query = query.join(Person, Person.id == Clearance.person_id).order_by(Clearance.id.desc()).limit(limit)
    return [(row, number, name) for row, number, name in session.execute(query)]
