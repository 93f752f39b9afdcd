"""Comparisons, quotes and the matrix as they go over HTTP."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import BaseModel, Field, StringConstraints

from tidewind.services.base import MOST_ORDERS
from tidewind.web.base.schemas import AddressIO, Contents, Day, Ids, In, LocalTime, Short, Side
from tidewind.web.orders.schemas.order import QuoteOut

Extras = Annotated[list[Annotated[str, StringConstraints(max_length=30)]], Field(max_length=10)]


class ColumnOut(BaseModel):
    """One way to pack: its code (empty: as the plan has it; carrier: the carrier's own), and what it costs."""

    code: str
    name: str
    cost_minor: int
    parcel_count: int
    gross_g: int


class CellOut(BaseModel):
    """One service in one way to pack."""

    service: str
    box: str
    box_name: str
    quote: QuoteOut | None
    refused: str | None
    waits: bool = Field(description="The price is asked from the carrier and is not known just now")
    stale_minor: int | None = Field(description="A price that was true and is too old to go by")
    ship_date: date | None
    arrives_earliest: date | None
    arrives: date | None


class LatenessOut(BaseModel):
    """The share of late parcels (basis points), on how many it rests, and whose: service, carrier, shop, nothing."""

    late_bp: int
    parcels: int
    of: str


class ServiceOut(BaseModel):
    """What is known of a service beside its price."""

    code: str
    name: str
    carrier: str
    carrier_name: str
    monogram: str
    network_id: str
    network: str
    cutoff: LocalTime
    tracking: str
    handover: list[str]
    by_time: LocalTime | None
    to_point: bool
    duties_paid: bool
    approval: str
    live: bool
    included: list[str]
    lateness: LatenessOut
    marks: list[str]
    on_frontier: bool
    best_box: str | None
    consequences: list[str]
    value_hundredths: int | None = Field(description="The shop's value of price, days and lateness, in 1/10,000 minor")


class ExtraOut(BaseModel):
    """An extra that at least one service has; ``adds_minor``: what it adds to the chosen or cheapest option."""

    code: str
    name: str
    on: bool
    adds_minor: int | None


class ComparedOut(BaseModel):
    """Services × boxes."""

    columns: list[ColumnOut]
    services: list[ServiceOut]
    cells: list[CellOut]
    extras: list[ExtraOut]
    promise: date | None
    chosen: str | None
    live: list[str] = Field(description="Carriers that are asked for their prices and have not answered yet")


class QuoteParcelIn(In):
    """A parcel: gross weight, outer sides, how many alike."""

    weight_g: Annotated[int, Field(gt=0, le=1_000_000)]
    sides_mm: tuple[Side, Side, Side]
    count: Annotated[int, Field(gt=0, le=60)] = 1
    not_stackable: Annotated[bool, Field(description="Nothing may be put on it")] = False


class QuoteIn(In):
    """What a quick quote is asked for; country and postcode are enough."""

    to: AddressIO
    home: bool = True
    parcels: Annotated[list[QuoteParcelIn], Field(min_length=1, max_length=20)]
    value_minor: Annotated[int, Field(ge=0, le=100_000_000)] = 0
    contents: Annotated[list[Contents], Field(max_length=4)] = []
    extras: Extras = []
    ship_date: Day | None = None
    place_id: int | None = None
    point: Short = ""
    promise: Day | None = None


class PricesAskedOut(BaseModel):
    """What came of asking the carriers that tell their prices on asking."""

    answered: int
    failures: dict[str, str]


class MatrixIn(In):
    order_ids: Ids


class MatrixService(BaseModel):
    code: str
    name: str
    monogram: str
    carrier_name: str
    live: bool


class MatrixRowOut(BaseModel):
    """One order: price and latest day by service, null where it is refused."""

    id: int
    number: str
    recipient: str
    country: str
    city: str
    packaging: str
    promise: date | None
    chosen: str | None
    by_hand: str | None
    prices: list[int | None]
    arrives: list[date | None]
    picks: dict[str, str]


class MatrixOut(BaseModel):
    services: list[MatrixService]
    rows: list[MatrixRowOut]
    policy: str
    formulas: dict[str, str]


class ChoicesIn(In):
    """A service for each of several orders; null takes the choice by hand back."""

    choices: Annotated[dict[int, Short | None], Field(min_length=1, max_length=MOST_ORDERS)]
