"""Carriers: which there are, which are used, and what becomes of waiting orders without one."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.order_facts import Shop
from tidewind.db.tables import CarrierAccount, CarrierRow, Channel, PackagingRow, Shipment, Work
from tidewind.services.base import Conflict, Invalid, NotFound
from tidewind.services.planning import Rehearsal, rehearse, replan_waiting

LONGEST_CODE = 20


def all_carriers(session: Session) -> Sequence[CarrierRow]:
    """Return the carriers with their accounts, without those that were removed."""
    here = select(CarrierRow).where(CarrierRow.removed_at.is_(None))
    return session.scalars(here.order_by(CarrierRow.id)).all()


def get_carrier(session: Session, code: str) -> CarrierRow:
    """Return a carrier by its code.  Raises NotFound, also for one that was removed."""
    row = session.scalar(select(CarrierRow).where(CarrierRow.code == code, CarrierRow.removed_at.is_(None)))
    if row is None:
        raise NotFound("unknown_carrier", "There is no carrier with this code.")
    return row


def add_carrier(
    session: Session, name: str, kind: str, account: str, payer: str, base_url: str = "", code: str = ""
) -> CarrierRow:
    """Add a carrier with one account; it takes part in planning once it has a rate card.

    ``code``: the one that its card is written for.  Raises Invalid without a name, Conflict for a name or code that is
    taken.
    """
    name, number = " ".join(name.split()), account.strip()
    if not name:
        raise Invalid("no_name", "Say what the carrier is called.")
    if any(other.name.casefold() == name.casefold() for other in all_carriers(session)):
        raise Conflict("carrier_there", f"There is a carrier called {name} already.")
    if code and session.scalar(select(CarrierRow.name).where(CarrierRow.code == code)):
        words = f"This card is written for the carrier “{code}”, and there is one already. Bring the card in there."
        raise Conflict("carrier_there", words)
    row = CarrierRow(
        code=code or free_code(session, CarrierRow, name),
        name=name[:80],
        monogram=_monogram(name),
        kind=kind,
        base_url=base_url,
        accounts=[CarrierAccount(number=number or "main", discounts_bp={}, services_off=[], payer=payer)],
    )
    session.add(row)
    session.flush()
    return row


def is_code(text: str) -> bool:
    """Tell whether a text is a carrier's code: small letters, digits and hyphens, not too many."""
    return re.fullmatch(rf"[a-z0-9][a-z0-9-]{{0,{LONGEST_CODE - 1}}}", text) is not None


def free_code(session: Session, table: type[CarrierRow] | type[Channel], name: str) -> str:
    """Return a code made of a name, one that none of its kind has or had."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    wanted = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:LONGEST_CODE].strip("-") or "new"
    taken = set(session.scalars(select(table.code)))
    return next(code for n in range(1, 10_000) if (code := wanted if n == 1 else f"{wanted}-{n}") not in taken)


def _monogram(name: str) -> str:
    words = [word for word in re.split(r"\W+", name) if word]
    letters = "".join(word[0] for word in words[:2]) if len(words) > 1 else name[:2]
    return letters.upper()[:2]


def switch_carrier(session: Session, code: str, active: bool, now: datetime) -> Work:
    """Use a carrier, or do so no longer; the waiting orders are planned anew.  Raises NotFound."""
    row = get_carrier(session, code)
    row.active = active
    return replan_waiting(session, f"{row.name} was switched {'on' if active else 'off'}", now)


def set_claim_days(session: Session, code: str, days: int | None) -> None:
    """Say for how many days a carrier takes claims, None: as most have it.  Raises NotFound."""
    get_carrier(session, code).claim_days = days


def rehearse_without(session: Session, code: str, now: datetime, *, past: bool = False) -> Rehearsal:
    """Say what would become of waiting orders, or those of the last 90 days, without a carrier.  Raises NotFound."""
    get_carrier(session, code)

    def without(shop: Shop) -> Shop:
        return replace(shop, carriers=tuple(c for c in shop.carriers if c.code != code))

    return rehearse(session, now, without, past=past)


def remove_carrier(session: Session, code: str, now: datetime) -> Work:
    """Take a carrier away: waiting orders are planned without it, and all that was bought stays as it is.

    Raises Conflict while a label is being bought from it, NotFound.
    """
    row = get_carrier(session, code)
    buying = select(Shipment.id).where(Shipment.carrier == code, Shipment.state == "buying").limit(1)
    if session.scalar(buying) is not None:
        raise Conflict("buying", f"A label of {row.name} is being bought just now. Wait until it is settled.")
    row.active, row.removed_at, row.key_sealed = False, now, ""
    for box in session.scalars(select(PackagingRow).where(PackagingRow.carrier == code)):
        box.active = False
    return replan_waiting(session, f"{row.name} was taken away", now)


def carriers_by_code(session: Session) -> dict[str, CarrierRow]:
    """Return the carriers by their codes, with those that were removed: their labels are still there."""
    return {carrier.code: carrier for carrier in session.scalars(select(CarrierRow).order_by(CarrierRow.id))}


def carrier_name(session: Session, code: str) -> str:
    """Return what a carrier is called; its code where it is not there any more."""
    return session.scalar(select(CarrierRow.name).where(CarrierRow.code == code)) or code
