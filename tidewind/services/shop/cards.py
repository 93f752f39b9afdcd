"""Versions of carriers' rate cards: proposed, compared with what is there, rehearsed, brought in."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.order_facts import Carrier, Shop
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.changes import Changed, changes
from tidewind.core.tariffs.check import clash
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.live import NO_ANSWERS
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.sheets import Sheet, to_sheets
from tidewind.core.tariffs.sheets_read import read_sheets
from tidewind.core.tariffs.simple import EXAMPLE, Around, is_simple, read_simple, simple_card
from tidewind.core.tariffs.written import read_card, write_card
from tidewind.db.tables import CarrierRow, Place, RateCardRow, Work
from tidewind.outside.sheets_out import tables_to_csv, tables_to_xlsx, to_csv
from tidewind.outside.spreadsheets import SpreadsheetError, read_tables
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.planning import Rehearsal, contracts_of, rehearse, replan_waiting, shop_day, shop_settings
from tidewind.services.shop.carriers import add_carrier, get_carrier, is_code

_NO_ERRORS: tuple[str, ...] = ()


@dataclass(slots=True)
class Proposal:
    """A card that somebody would like to bring in: all its errors, or what it changes against the version before it."""

    errors: Sequence[str] = _NO_ERRORS
    changes: Sequence[Changed] = ()
    card: RateCard | None = None
    ends: date | None = None
    against: date | None = None


def card_versions(session: Session, code: str) -> Sequence[RateCardRow]:
    """Return a carrier's card versions, newest first."""
    mine = select(RateCardRow).where(RateCardRow.carrier_id == get_carrier(session, code).id)
    return session.scalars(mine.order_by(RateCardRow.valid_from.desc())).all()


def get_card_version(session: Session, code: str, card_id: int) -> RateCardRow:
    """Return one version.  Raises NotFound."""
    row = session.get(RateCardRow, card_id)
    if row is None or row.carrier_id != get_carrier(session, code).id:
        raise NotFound("unknown_card", "This carrier has no such version of its rate card.")
    return row


def card_of(row: RateCardRow) -> RateCard:
    """Return a stored version as values.  Raises Invalid where it cannot be used."""
    card = read_card(row.body)
    if isinstance(card, BadCard):
        raise Invalid("bad_card", f"This version cannot be used: {card.errors[0]}")
    return card


def around(session: Session, code: str, name: str, now: datetime) -> Around | None:
    """Return what a simple price list leaves to the shop; None while there is no place to leave from."""
    place = session.scalar(select(Place.address).where(Place.is_default))
    if place is None:
        return None
    shop = shop_settings(session)
    return Around(code, name, shop.currency, place.country, shop.time_zone, shop_day(session, now))


def read_upload(data: bytes, name: str, beside: Around | None = None) -> RateCard | BadCard:
    """Return the card in a JSON, XLSX or CSV file, or everything that is wrong with it.

    With ``beside`` the file may also be a simple price list: one table of zones and weight steps.
    """
    if data.lstrip()[:1] == b"{":
        try:
            return read_card(json.loads(data))
        except (ValueError, RecursionError):
            return BadCard((f"{name} is not readable as JSON.",))
    try:
        tables = read_tables(data, name)
    except SpreadsheetError as error:
        return BadCard((str(error),))
    first = next(iter(tables.values()), [])
    if not is_simple(first):
        return read_sheets(tables)
    if beside is None:
        return BadCard(("Say first where parcels leave from: Set-up, Places. A simple list counts from there.",))
    said, faults = read_simple(first, beside.currency)
    return BadCard(tuple(faults)) if faults else read_card(simple_card(said, beside))


def simple_example(kind: str) -> bytes:
    """Return the example of a simple price list as a file: ``xlsx`` or ``csv``."""
    tables = {"Prices": EXAMPLE}
    return tables_to_xlsx(tables) if kind == "xlsx" else to_csv(EXAMPLE[0], EXAMPLE[1:])


def propose_card(session: Session, code: str, data: bytes, name: str, now: datetime) -> Proposal:
    """Read an uploaded card and say what it changes against the version that it follows; nothing is stored."""
    row = get_carrier(session, code)
    card = read_upload(data, name[:120], around(session, row.code, row.name, now))
    if isinstance(card, BadCard):
        return Proposal(card.errors)
    if card.carrier != row.code:
        return Proposal((f"This card is of {card.carrier}, not of {row.code}.",))
    currency = shop_settings(session).currency
    if card.currency != currency:  # decision 0024
        return Proposal((f"currency: this card is in {card.currency}, the shop's books are in {currency}.",))
    others = card_versions(session, code)
    stands = clash(card, [(other.valid_from, other.valid_until) for other in others])
    if stands:
        return Proposal((f"valid_from: {stands}",))
    earlier = next((other for other in others if other.valid_from < card.valid_from), None)
    if earlier is None:
        return Proposal(card=card)
    ends = card.valid_from - timedelta(days=1) if earlier.valid_until is None else None
    return Proposal((), changes(card_of(earlier), card), card, ends, earlier.valid_from)


_NAMELESS = "-"
"""Stands for the carrier's code in a list that does not say one."""


def begin_with_card(
    session: Session, name: str, account: str, data: bytes, file: str, now: datetime
) -> tuple[CarrierRow, Work]:
    """Add a carrier that is known by its price list alone, with that list as its first card.

    The list holds from today on unless it says otherwise.  A whole card says by which code it knows the carrier, and
    keeps it: its next version will say the same.  Raises Invalid with all that is wrong with it, and then nothing was
    added; Conflict for a name or code that is taken.
    """
    read = read_upload(data, file[:120], around(session, _NAMELESS, name, now))
    own = "" if isinstance(read, BadCard) or not is_code(read.carrier) else read.carrier
    row = add_carrier(session, name, "list", account, "account", code=own)
    if not isinstance(read, BadCard) and read.carrier not in {row.code, _NAMELESS}:  # what it says can be no code
        data = json.dumps({**write_card(read), "carrier": row.code}).encode()
    made, work = save_card(session, row.code, data, file, now)
    made.source = file[:200]
    return row, work


def save_card(session: Session, code: str, data: bytes, name: str, now: datetime) -> tuple[RateCardRow, Work]:
    """Bring a card in as a version of its own; one without an end before it ends the day before.  Raises Invalid."""
    proposal = propose_card(session, code, data, name, now)
    if proposal.card is None:
        raise Invalid("bad_card", f"Nothing was stored. {' · '.join(proposal.errors)}"[:2_000])
    row, card = get_carrier(session, code), proposal.card
    if proposal.ends:
        earlier = next(other for other in card_versions(session, code) if other.valid_from == proposal.against)
        earlier.valid_until, earlier.shortened = proposal.ends, True
        earlier.body = {**earlier.body, "valid_until": proposal.ends.isoformat()}
    made = RateCardRow(
        carrier_id=row.id,
        valid_from=card.valid_from,
        valid_until=card.valid_until,
        body=write_card(card),
        source=name[:200],
    )
    session.add(made)
    session.flush()
    return made, replan_waiting(session, f"{row.name}: rate card from {card.valid_from:%d %b %Y}", now)


def remove_card(session: Session, code: str, card_id: int, now: datetime) -> None:
    """Take a version away that has not begun yet.  Raises Conflict for one that prices were made by."""
    row = get_card_version(session, code, card_id)
    if row.valid_from <= shop_day(session, now):
        raise Conflict("in_force", "This version has begun: prices were made by it. Bring in a newer one instead.")
    earlier = next(
        (v for v in card_versions(session, code) if v.valid_until == row.valid_from - timedelta(days=1)), None
    )
    if earlier and earlier.shortened:  # it had no end of its own
        earlier.valid_until, earlier.shortened = None, False
        earlier.body = {key: value for key, value in earlier.body.items() if key != "valid_until"}
    words = f"{get_carrier(session, code).name}: the card from {row.valid_from:%d %b %Y} was taken away"
    session.delete(row)
    session.flush()
    replan_waiting(session, words, now)


def rehearse_card(
    session: Session, code: str, data: bytes, name: str, now: datetime, *, past: bool = False
) -> Rehearsal:
    """Say what a card would change as if it were in force now.  Raises Invalid for one that cannot be."""
    proposal = propose_card(session, code, data, name, now)
    if proposal.card is None:
        raise Invalid("bad_card", " · ".join(proposal.errors)[:2_000])
    row, card = get_carrier(session, code), proposal.card
    day = max(shop_day(session, now), card.valid_from)

    def changed(shop: Shop) -> Shop:
        carriers = [c for c in shop.carriers if c.code != code]
        answers = next((c.own.answers for c in shop.carriers if c.code == code), None)
        own = CompiledCard(card, day, contracts_of(row), answers or NO_ANSWERS)
        carriers.append(Carrier(code, row.name, own, CompiledCard(card, day)))
        return replace(shop, carriers=tuple(carriers))

    return rehearse(session, now, changed, past=past)


def card_tables(row: RateCardRow) -> dict[str, Sheet]:
    """Return a version as tables, for reading."""
    return to_sheets(write_card(card_of(row)))


def card_file(row: RateCardRow, kind: str) -> bytes:
    """Return a version as a file to download: ``xlsx``, ``csv`` or ``json``; bringing it in again changes nothing."""
    if kind == "json":
        return json.dumps(write_card(card_of(row)), ensure_ascii=False, indent=1).encode()
    return tables_to_xlsx(card_tables(row)) if kind == "xlsx" else tables_to_csv(card_tables(row))
