"""Bodies of pickups and manifests."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, model_validator

from tidewind.db.tables import Manifest, Pickup
from tidewind.services.handover import PickupWish
from tidewind.web.base.schemas import In, MailTo, Out, Short
from tidewind.web.handover.schemas.clock import Clock
from tidewind.web.handover.schemas.departing import DepartureIn


def _time(clock: str | None) -> time | None:
    return time.fromisoformat(clock) if clock else None


class ManifestOut(Out):
    """A closed list; ``told`` is whether its carrier has it, where the carrier wants it."""

    number: str
    closed_at: datetime
    closed_by: str
    parcels: int
    gross_g: int
    told: Literal["unasked", "asked", "told", "refused"]
    words: str

    @model_validator(mode="before")
    @classmethod
    def _counted(cls, row: Any) -> Any:
        if not isinstance(row, Manifest):
            return row
        names = ("number", "closed_at", "closed_by", "gross_g", "told", "words")
        return {**{name: getattr(row, name) for name in names}, "parcels": len(row.lines)}


class PickupOut(Out):
    """A pickup: what was asked for, where it stands, and what the carrier said."""

    id: int
    carrier: str
    network: str
    day: date
    state: Literal["asked", "booked", "refused", "cancelling", "cancelled", "done", "missed"]
    start: Clock
    until: Clock
    begins_at: datetime
    ends_at: datetime
    change_until: datetime
    parcels: int
    gross_g: int
    spot: str
    note: str
    contact: str
    phone: str
    fee_minor: int
    confirmation: str
    words: str
    asked_by: str
    asked_at: datetime
    cancelled_by: str
    chased_at: datetime | None
    answer: str
    open: bool = Field(description="Missed, and nobody has the carrier's answer yet")
    calendar: str = Field(description="Where it is as a calendar file, for whoever has the address")

    @model_validator(mode="before")
    @classmethod
    def _with_departure(cls, row: Any) -> Any:
        if not isinstance(row, Pickup):
            return row
        own = {name: getattr(row, name) for name in cls.model_fields if hasattr(row, name)}
        departure = row.departure
        return {
            **own,
            "carrier": departure.carrier,
            "network": departure.network,
            "day": departure.day,
            "open": row.state == "missed" and row.settled_at is None,
            "calendar": f"/api/pickups/{row.calendar_key}.ics",
        }

    @classmethod
    def of(cls, row: Pickup) -> PickupOut:
        """Return a pickup as it goes over HTTP."""
        return cls.model_validate(row)


class PickupIn(DepartureIn):
    """A van to be asked for; what is left out is as suggested.  ``shown_minor`` is the fee that was seen."""

    shown_minor: Annotated[int, Field(ge=0, le=1_000_000)]
    start: Clock | None = None
    until: Clock | None = None
    parcels: Annotated[int, Field(ge=1, le=10_000)] | None = None
    gross_g: Annotated[int, Field(ge=1, le=100_000_000)] | None = None
    spot: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=300)] = ""
    contact: Annotated[str, Field(max_length=120)] = ""
    phone: Annotated[str, Field(max_length=40)] = ""

    @property
    def wish(self) -> PickupWish:
        """The wish as services know it."""
        start, until = _time(self.start), _time(self.until)
        return PickupWish(
            self.key, self.shown_minor, start, until, self.parcels, self.gross_g,
            self.spot, self.note, self.contact, self.phone,
        )  # fmt: skip


class PickupsIn(In):
    """Vans to be asked for."""

    wishes: Annotated[list[PickupIn], Field(min_length=1, max_length=50)]


class PickupsAskedOut(BaseModel):
    """The pickups under way, and in words why others are not."""

    asked: list[PickupOut]
    dropped: list[str]


class ChasePickupIn(In):
    """To whom the carrier's mail goes."""

    mail_to: MailTo


class AnswerIn(In):
    """What the carrier answered about a missed van; ``came``: it turned up after all."""

    words: Short
    came: bool = False


class ChaseOut(BaseModel):
    """Words, or an address, to be copied."""

    text: str


class StandingIO(In):
    """On which days of the week (0 is Monday) a network's van is asked for by itself."""

    carrier: Annotated[str, Field(max_length=30)]
    network: Annotated[str, Field(max_length=30)]
    weekdays: Annotated[list[Annotated[int, Field(ge=0, le=6)]], Field(min_length=1, max_length=7)]
    start: Clock | None = None
    until: Clock | None = None
    paused: bool = False

    @property
    def start_time(self) -> time | None:
        """When the window begins."""
        return _time(self.start)

    @property
    def until_time(self) -> time | None:
        """When the window ends."""
        return _time(self.until)


class StandingOut(Out):
    """A van that is asked for by itself."""

    id: int
    carrier: str
    network: str
    weekdays: list[int]
    start: Clock | None
    until: Clock | None
    paused: bool
    asked_for: date | None
    refusal: str = Field(description="Why it has not been asked for yet for the day refused_for")
    refused_for: date | None


class PickupsOut(BaseModel):
    """Pickups, the newest first, and the standing ones."""

    pickups: list[PickupOut]
    standing: list[StandingOut]
