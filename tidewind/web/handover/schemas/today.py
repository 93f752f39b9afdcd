"""Bodies of what must leave today."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidewind.services.handover import Fetched
from tidewind.web.base.schemas import Out
from tidewind.web.handover.schemas.clock import Clock
from tidewind.web.handover.schemas.pickups import ManifestOut, PickupOut


class DepartureOut(Out):
    carrier: str
    network: str
    name: str
    monogram: str
    day: date
    cutoff_at: datetime
    printed: int
    bought: int
    to_buy: int
    to_buy_minor: int
    order_ids: list[int]
    fetched: Annotated[Fetched, Field(description="How it leaves: where its pickup stands, or that there is none")]
    ask_until: datetime | None
    van_from: Clock | None
    van_until: Clock | None


class PileOut(Out):
    """The labels of one service that leave together."""

    service: str
    name: str
    labels: int
    printed: int
    counted: int
    gross_g: int
    volume_mm3: int
    gone: int = Field(description="Those that have left; they are none of the others")


class LeftOut(Out):
    """A parcel that the van does not take along, and why."""

    order_id: int
    order_number: str
    words: str


class SuggestedOut(Out):
    """What a pickup is filled in with: bought labels and orders still to buy that go along."""

    start: Clock
    until: Clock
    parcels: int
    classes: dict[str, int] = Field(description="Parcels by the service's name")
    gross_g: int
    heaviest_g: int
    longest_mm: int
    spot: str


class FetchingOut(Out):
    """What the carrier's rules say of fetching what lies there; ``until`` is the last moment to ask for this day."""

    until: datetime | None
    refused: str
    next_day: date | None
    opens: Clock
    closes: Clock
    least_span_min: int
    going: int
    fee_minor: int | None = Field(description="In minor units of the carrier's card, without tax; None with no parcel")
    exact_hour_fee_minor: int | None
    parcel_fee_minor: int
    manifest_first: bool
    spots: list[str]
    suggested: SuggestedOut
    left: list[LeftOut]


class LateOut(Out):
    """A bought order that arrives after the day its buyer was promised."""

    order_id: int
    order_number: str
    arrives: date
    promised: date


class StoppedOut(Out):
    """A bought order that must not go: its channel cancelled or changed it, and nobody has decided."""

    order_id: int
    order_number: str
    words: str


class LaneOut(Out):
    """One handover of a day; without ``fetching`` nobody comes, and parcels are taken along."""

    carrier: str
    network: str
    name: str
    monogram: str
    day: date
    cutoff_at: datetime
    currency: str
    to_buy: int
    piles: list[PileOut]
    fetching: FetchingOut | None
    state: Literal["open", "closed", "handed_over", "missed"]
    brought: bool
    driver: str
    handed_over_at: datetime | None
    recount: str = Field(description="Who has the count opened again after it was handed over, and why")
    pickup: PickupOut | None
    manifest: ManifestOut | None
    by_telephone: bool
    late: list[LateOut]
    stopped: list[StoppedOut]


class LanesOut(BaseModel):
    """The handovers of a day, and the days that are shown."""

    now: datetime
    day: date
    days: list[date]
    lanes: list[LaneOut]


class SnagGroupOut(Out):
    code: str
    level: str
    words: str
    fix: str
    about: str
    order_ids: list[int]


class UnsettledOut(BaseModel):
    """A label with a disputed charge, sold late or its void refused: somebody has to settle it."""

    shipment_id: int
    order_id: int
    order_number: str
    words: str


class StepOut(Out):
    """One thing that a new shop sets up."""

    code: Literal["place", "packaging", "carrier", "orders", "printer", "mail", "products"]
    done: bool
    needed: bool


class TodayOut(BaseModel):
    now: datetime
    open_orders: int
    departures: list[DepartureOut]
    snags: list[SnagGroupOut]
    available_minor: int | None = Field(description="None for who may not see money")
    low_balance: bool
    unsettled: list[UnsettledOut]
    undelivered_messages: int
    messages_held: int
    mails_without_server: int = Field(description="Mails that wait until a mail server has taken a test mail")
    refunds_overdue: int
    returns_back: int
    returns_not_made: int
    requests_waiting: int
    prints_stuck: int
    pickups_missed: int
    vans_too_small: int = Field(description="Vans booked for fewer parcels than lie ready for them")
    packaging_low: int
    numbers_low: int
    first_hour: list[StepOut] = Field(description="What a new shop still needs; nothing once it can buy labels")
    samples: int | None = Field(description="The import that the sample orders came by")
