"""Bodies of what is done to a departure."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidewind.services.handover import DepartureKey
from tidewind.web.base.schemas import In, MailTo, Out, Short


class DepartureIn(In):
    """Which departure: a carrier's network on a day."""

    carrier: Annotated[str, Field(max_length=30)]
    network: Annotated[str, Field(max_length=30)]
    day: date

    @property
    def key(self) -> DepartureKey:
        """The departure's key."""
        return DepartureKey(self.carrier, self.network, self.day)


class BringIn(DepartureIn):
    """Whether we take a departure to the carrier ourselves, and to which drop-off point, if one is chosen."""

    brought: bool
    point: Annotated[str, Field(max_length=40)] = ""


class ReceiptIn(DepartureIn):
    """Who is to get a receipt of a departure by mail."""

    mail_to: MailTo


class CountIn(DepartureIn):
    """A parcel that is scanned out."""

    code: Annotated[str, Field(min_length=1, max_length=200)]


class CountBackIn(DepartureIn):
    """A parcel that is taken out of the count again; without a code the one counted last."""

    code: Annotated[str, Field(max_length=200)] = ""


class RecountIn(DepartureIn):
    """Why the count of a departure is opened again."""

    why: Annotated[str, Field(max_length=200)]


class HandOverIn(DepartureIn):
    """A handing over: how many the driver signs for, who took them, and what was drawn."""

    number: Annotated[int, Field(ge=0, le=100_000)] | None = Field(
        None, description="What was counted out, or all that lies there; needed where these are not the same"
    )
    driver: Short = ""
    signature: Annotated[str, Field(max_length=60_000)] = ""


class CountedOut(Out):
    """What a scan at the truck meant."""

    verdict: Literal["right", "twice", "not_listed", "other_truck", "gone", "not_to_go", "unknown"]
    words: str
    order_number: str
    counted: int
    of: int
    decide_order_id: int | None = Field(description="The order that somebody must decide about before its parcel goes")


class MoveIn(DepartureIn):
    """The labels of a service, and the day on which they are to leave instead."""

    service: Annotated[str, Field(max_length=30)]
    to_day: date
    only_try: bool = False


class MovedOut(Out):
    """An order whose label goes with another departure: when it arrives then, and whether that misses its promise."""

    order_id: int
    order_number: str
    leaves: date
    before: date | None
    arrives: date | None
    late: bool


class HandedOverOut(BaseModel):
    """How many parcels went, and what became of those that stay for the next departure."""

    parcels: int
    left: list[MovedOut]
