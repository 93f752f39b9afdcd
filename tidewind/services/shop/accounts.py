"""Accounts with carriers: contracts, services on and off; each change is tried before it counts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from sqlalchemy.orm import Session

from tidewind.core.order_facts import Shop
from tidewind.core.tariffs.contracts import Contract
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.db.tables import CarrierAccount, CarrierRow, Work
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.planning import Rehearsal, rehearse, replan_waiting
from tidewind.services.shop.cards import card_of, card_versions
from tidewind.services.shop.carriers import get_carrier

MOST_BP = 9_900


@dataclass(frozen=True, slots=True)
class AccountChange:
    """What to change about an account; None leaves it as it is."""

    services_off: Sequence[str] | None = None
    discounts_bp: dict[str, int] | None = field(default=None)
    active: bool | None = None
    number: str | None = None
    name: str | None = None
    payer: str | None = None


def get_account(session: Session, code: str, account_id: int) -> CarrierAccount:
    """Return one account with a carrier.  Raises NotFound."""
    found = next((a for a in get_carrier(session, code).accounts if a.id == account_id), None)
    if found is None:
        raise NotFound("unknown_account", "This carrier has no such account.")
    return found


def add_account(session: Session, code: str, change: AccountChange, now: datetime) -> tuple[CarrierAccount, Work]:
    """Add an account; without discounts it goes by the published prices.  Raises Invalid, Conflict, NotFound."""
    row = get_carrier(session, code)
    _check(session, row, change)
    made = CarrierAccount(number=change.number or "", name="", services_off=[], discounts_bp={})
    _set(made, change)
    row.accounts.append(made)
    session.flush()
    return made, replan_waiting(session, f"{row.name}: account {made.number} was added", now)


def change_account(session: Session, code: str, account_id: int, change: AccountChange, now: datetime) -> Work:
    """Change an account; the waiting orders are planned anew.  Raises Invalid, Conflict, NotFound."""
    row, mine = get_carrier(session, code), get_account(session, code, account_id)
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
    row, mine = get_carrier(session, code), get_account(session, code, account_id)
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
    cards = [card_of(version) for version in card_versions(session, row.code)]
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
    row = get_carrier(session, code)
    mine = get_account(session, code, account_id) if account_id is not None else None
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
