"""Handovers: departures."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import CheckConstraint, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.core.states.departures import DepartureState
from tidewind.core.states.machine import sql_list
from tidewind.db.base import Base, Id, reference


class Departure(Base):
    """One handover: carrier, place, day and network; labels belong to one."""

    __tablename__ = "departure"
    __table_args__ = (
        UniqueConstraint("carrier", "place_id", "day", "network"),
        CheckConstraint(f"state in {sql_list(DepartureState)}", name="state"),
    )
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    network: Mapped[str] = mapped_column(String(30))
    place_id: Mapped[int] = reference("place.id")
    day: Mapped[date] = mapped_column(index=True)
    cutoff_at: Mapped[datetime]
    state: Mapped[str] = mapped_column(String(20), default="open")
