"""Carriers: services on and off, contracts, and versions of their rate cards, each change tried before it counts."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.order_facts import Carrier, Shop
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.changes import Changed, changes
from tidewind.core.tariffs.check import clash
from tidewind.core.tariffs.contracts import Contract
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.live import NO_ANSWERS
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.sheets import Sheet, to_sheets
from tidewind.core.tariffs.sheets_read import read_sheets
from tidewind.core.tariffs.written import read_card, write_card
from tidewind.db.tables import CarrierAccount, CarrierRow, RateCardRow, Work
from tidewind.outside.sheets_out import tables_to_csv, tables_to_xlsx
from tidewind.outside.spreadsheets import SpreadsheetError, read_tables
from tidewind.services.errors import Conflict, Invalid, NotFound
from tidewind.services.replanning import Rehearsal, rehearse, replan_waiting
from tidewind.services.shop_facts import contracts_of, shop_settings

MOST_BP = 9_900
_NO_ERRORS: tuple[str, ...] = ()


@dataclass(slots=True)
class Proposal:
    """A card that somebody would like to bring in: all its errors, or what it changes against the version before it."""

    errors: Sequence[str] = _NO_ERRORS
    changes: Sequence[Changed] = ()
    card: RateCard | None = None
    ends: date | None = None
    against: date | None = None


@dataclass(frozen=True, slots=True)
class AccountChange:
    """What to change about an account; None leaves it as it is."""

    services_off: Sequence[str] | None = None
    discounts_bp: dict[str, int] | None = field(default=None)
    active: bool | None = None
    number: str | None = None
    name: str | None = None
    payer: str | None = None


def carriers(session: Session) -> Sequence[CarrierRow]:
    """Return the carriers with their accounts."""
    return session.scalars(select(CarrierRow).order_by(CarrierRow.id)).all()


def carrier(session: Session, code: str) -> CarrierRow:
    """Return a carrier by its code.  Raises NotFound."""
    row = session.scalar(select(CarrierRow).where(CarrierRow.code == code))
    if row is None:
        raise NotFound("unknown_carrier", "There is no carrier with this code.")
    return row


def account(session: Session, code: str, account_id: int) -> CarrierAccount:
    """Return one account with a carrier.  Raises NotFound."""
    found = next((a for a in carrier(session, code).accounts if a.id == account_id), None)
    if found is None:
        raise NotFound("unknown_account", "This carrier has no such account.")
    return found


def versions(session: Session, code: str) -> Sequence[RateCardRow]:
    """Return a carrier's card versions, newest first."""
    mine = select(RateCardRow).where(RateCardRow.carrier_id == carrier(session, code).id)
    return session.scalars(mine.order_by(RateCardRow.valid_from.desc())).all()


def version(session: Session, code: str, card_id: int) -> RateCardRow:
    """Return one version.  Raises NotFound."""
    row = session.get(RateCardRow, card_id)
    if row is None or row.carrier_id != carrier(session, code).id:
        raise NotFound("unknown_card", "This carrier has no such version of its rate card.")
    return row


def card_of(row: RateCardRow) -> RateCard:
    """Return a stored version as values.  Raises Invalid where it cannot be used."""
    card = read_card(row.body)
    if isinstance(card, BadCard):
        raise Invalid("bad_card", f"This version cannot be used: {card.errors[0]}")
    return card


def today_of(session: Session, now: datetime) -> date:
    """Return the shop's day."""
    return now.astimezone(ZoneInfo(shop_settings(session).time_zone)).date()


def switch_carrier(session: Session, code: str, active: bool, now: datetime) -> Work:
    """Use a carrier, or do so no longer; the waiting orders are planned anew.  Raises NotFound."""
    row = carrier(session, code)
    row.active = active
    return replan_waiting(session, f"{row.name} was switched {'on' if active else 'off'}", now)


def add_account(session: Session, code: str, change: AccountChange, now: datetime) -> tuple[CarrierAccount, Work]:
    """Add an account; without discounts it goes by the published prices.  Raises Invalid, Conflict, NotFound."""
    row = carrier(session, code)
    _check(session, row, change)
    made = CarrierAccount(number=change.number or "", name="", services_off=[], discounts_bp={})
    _set(made, change)
    row.accounts.append(made)
    session.flush()
    return made, replan_waiting(session, f"{row.name}: account {made.number} was added", now)


def change_account(session: Session, code: str, account_id: int, change: AccountChange, now: datetime) -> Work:
    """Change an account; the waiting orders are planned anew.  Raises Invalid, Conflict, NotFound."""
    row, mine = carrier(session, code), account(session, code, account_id)
    _check(session, row, change, mine)
    _set(mine, change)
    return replan_waiting(session, f"{row.name}: account {mine.number} was changed", now)


def _set(row: CarrierAccount, change: AccountChange) -> None:
    for name in ("services_off", "discounts_bp", "active", "number", "name", "payer"):
        value = getattr(change, name)
        if value is not None:
            setattr(row, name, sorted(set(value)) if name == "services_off" else value)


def remove_account(session: Session, code: str, account_id: int, now: datetime) -> Work:
    """Take an account away; labels bought on it keep its number.  Raises Conflict for the last one, NotFound."""
    row, mine = carrier(session, code), account(session, code, account_id)
    if len(row.accounts) == 1:
        raise Conflict("last_account", f"It is the only account with {row.name}. Switch the carrier off instead.")
    number = mine.number
    session.delete(mine)
    session.flush()
    session.refresh(row, ["accounts"])
    return replan_waiting(session, f"{row.name}: account {number} was taken away", now)


def _check(session: Session, row: CarrierRow, change: AccountChange, mine: CarrierAccount | None = None) -> None:
    number = (change.number or "").strip()
    if (mine is None or change.number is not None) and not number:
        raise Invalid("no_number", "An account needs its number.")
    if any(a.number == number and a is not mine for a in row.accounts):
        raise Conflict("account_there", f"There is an account {number} with {row.name} already.")
    cards = [card_of(version) for version in versions(session, row.code)]
    known = {s.code for card in cards for s in card.services}
    zones = {z.id for card in cards for z in card.zones}
    if not set(change.services_off or ()) <= known:
        raise Invalid("unknown_service", "One of these services is not on any of the carrier's cards.")
    for name, cut in (change.discounts_bp or {}).items():
        service, _, zone = name.partition(":")
        if (service != "*" and service not in known) or (zone and zone not in zones):
            raise Invalid("unknown_service", f"“{name}” is no service, or no zone of the card.")
        if not 0 <= cut <= MOST_BP:
            raise Invalid("bad_discount", "A discount lies between 0 and 99 per cent.")


def rehearse_account(
    session: Session, code: str, account_id: int | None, change: AccountChange, now: datetime, *, past: bool = False
) -> Rehearsal:
    """Say what a change of an account (None: a new one) would do to waiting orders, or those of the last 90 days."""
    row = carrier(session, code)
    mine = account(session, code, account_id) if account_id is not None else None
    _check(session, row, change, mine)
    contracts = [_contract(a, change if a is mine else AccountChange()) for a in row.accounts]
    if mine is None:
        new = CarrierAccount(number=change.number, services_off=[], discounts_bp={}, active=True)
        contracts.append(_contract(new, change))
    return rehearse(session, now, _on(code, tuple(c for c in contracts if c)), past=past)


def _contract(row: CarrierAccount, change: AccountChange) -> Contract | None:
    """Return an account as it would be; None where it would not be used."""
    cuts = row.discounts_bp if change.discounts_bp is None else change.discounts_bp
    off = row.services_off if change.services_off is None else change.services_off
    active = row.active if change.active is None else change.active
    return Contract(change.number or row.number, tuple(sorted(cuts.items())), frozenset(off)) if active else None


def _on(code: str, contracts: tuple[Contract, ...]) -> Callable[[Shop], Shop]:
    """Return what gives the shop with other accounts with one carrier; without any the carrier is gone."""

    def changed(shop: Shop) -> Shop:
        found = []
        for one in shop.carriers:
            if one.code != code:
                found.append(one)
            elif contracts:
                own = CompiledCard(one.published.card, one.published.on, contracts, one.own.answers)
                found.append(replace(one, own=own))
        return replace(shop, carriers=tuple(found))

    return changed


def read_upload(data: bytes, name: str) -> RateCard | BadCard:
    """Return the card in a JSON, XLSX or CSV file, or everything that is wrong with it."""
    if data.lstrip()[:1] == b"{":
        try:
            return read_card(json.loads(data))
        except (ValueError, RecursionError):
            return BadCard((f"{name} is not readable as JSON.",))
    try:
        return read_sheets(read_tables(data, name))
    except SpreadsheetError as error:
        return BadCard((str(error),))


def propose(session: Session, code: str, data: bytes, name: str) -> Proposal:
    """Read an uploaded card and say what it changes against the version that it follows; nothing is stored."""
    row = carrier(session, code)
    card = read_upload(data, name[:120])
    if isinstance(card, BadCard):
        return Proposal(card.errors)
    if card.carrier != row.code:
        return Proposal((f"This card is of {card.carrier}, not of {row.code}.",))
    others = versions(session, code)
    stands = clash(card, [(other.valid_from, other.valid_until) for other in others])
    if stands:
        return Proposal((f"valid_from: {stands}",))
    earlier = next((other for other in others if other.valid_from < card.valid_from), None)
    if earlier is None:
        return Proposal(card=card)
    ends = card.valid_from - timedelta(days=1) if earlier.valid_until is None else None
    return Proposal((), changes(card_of(earlier), card), card, ends, earlier.valid_from)


def save(session: Session, code: str, data: bytes, name: str, now: datetime) -> tuple[RateCardRow, Work]:
    """Bring a card in as a version of its own; one without an end before it ends the day before.  Raises Invalid."""
    proposal = propose(session, code, data, name)
    if proposal.card is None:
        raise Invalid("bad_card", f"Nothing was stored. {' · '.join(proposal.errors)}"[:2_000])
    row, card = carrier(session, code), proposal.card
    if proposal.ends:
        earlier = next(other for other in versions(session, code) if other.valid_from == proposal.against)
        earlier.valid_until = proposal.ends
        earlier.body = {**earlier.body, "valid_until": proposal.ends.isoformat()}
    made = RateCardRow(
        carrier_id=row.id, valid_from=card.valid_from, valid_until=card.valid_until, body=write_card(card),
        source=name[:200],
    )  # fmt: skip
    session.add(made)
    session.flush()
    return made, replan_waiting(session, f"{row.name}: rate card from {card.valid_from:%d %b %Y}", now)


def remove(session: Session, code: str, card_id: int, now: datetime) -> None:
    """Take a version away that has not begun yet.  Raises Conflict for one that prices were made by."""
    row = version(session, code, card_id)
    if row.valid_from <= today_of(session, now):
        raise Conflict("in_force", "This version has begun: prices were made by it. Bring in a newer one instead.")
    earlier = next((v for v in versions(session, code) if v.valid_until == row.valid_from - timedelta(days=1)), None)
    if earlier:
        earlier.valid_until = row.valid_until
        earlier.body = {key: value for key, value in earlier.body.items() if key != "valid_until"} | (
            {"valid_until": row.valid_until.isoformat()} if row.valid_until else {}
        )
    session.delete(row)


def rehearse_card(
    session: Session, code: str, data: bytes, name: str, now: datetime, *, past: bool = False
) -> Rehearsal:
    """Say what a card would change as if it were in force now.  Raises Invalid for one that cannot be."""
    proposal = propose(session, code, data, name)
    if proposal.card is None:
        raise Invalid("bad_card", " · ".join(proposal.errors)[:2_000])
    row, card = carrier(session, code), proposal.card
    day = max(today_of(session, now), card.valid_from)

    def changed(shop: Shop) -> Shop:
        carriers = [c for c in shop.carriers if c.code != code]
        answers = next((c.own.answers for c in shop.carriers if c.code == code), None)
        own = CompiledCard(card, day, contracts_of(row), answers or NO_ANSWERS)
        carriers.append(Carrier(code, row.name, own, CompiledCard(card, day)))
        return replace(shop, carriers=tuple(carriers))

    return rehearse(session, now, changed, past=past)


def tables(row: RateCardRow) -> dict[str, Sheet]:
    """Return a version as tables, for reading."""
    return to_sheets(write_card(card_of(row)))


def file_of(row: RateCardRow, kind: str) -> bytes:
    """Return a version as a file to download: ``xlsx``, ``csv`` or ``json``; bringing it in again changes nothing."""
    if kind == "json":
        return json.dumps(write_card(card_of(row)), ensure_ascii=False, indent=1).encode()
    return tables_to_xlsx(tables(row)) if kind == "xlsx" else tables_to_csv(tables(row))
