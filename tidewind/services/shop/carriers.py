"""Carriers: which there are, and which are used."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.db.tables import CarrierRow, Work
from tidewind.services.base import NotFound
from tidewind.services.planning import replan_waiting


def all_carriers(session: Session) -> Sequence[CarrierRow]:
    """Return the carriers with their accounts."""
    return session.scalars(select(CarrierRow).order_by(CarrierRow.id)).all()


def get_carrier(session: Session, code: str) -> CarrierRow:
    """Return a carrier by its code.  Raises NotFound."""
    row = session.scalar(select(CarrierRow).where(CarrierRow.code == code))
    if row is None:
        raise NotFound("unknown_carrier", "There is no carrier with this code.")
    return row


def switch_carrier(session: Session, code: str, active: bool, now: datetime) -> Work:
    """Use a carrier, or do so no longer; the waiting orders are planned anew.  Raises NotFound."""
    row = get_carrier(session, code)
    row.active = active
    return replan_waiting(session, f"{row.name} was switched {'on' if active else 'off'}", now)


def carriers_by_code(session: Session) -> dict[str, CarrierRow]:
    """Return the carriers by their codes."""
    return {carrier.code: carrier for carrier in all_carriers(session)}


def carrier_name(session: Session, code: str) -> str:
    """Return what a carrier is called; its code where it is not there any more."""
    return session.scalar(select(CarrierRow.name).where(CarrierRow.code == code)) or code
