"""The shop, people, imports, purchases, money and set-up as they go over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.schemas.orders import AddressIO, EventOut, Out, Short

Role = Literal["owner", "shipper", "packer", "care"]
Count = Annotated[int, Field(ge=0, le=10_000_000)]
Positive = Annotated[int, Field(gt=0, le=1_000_000)]


class PartHealth(BaseModel):
    ok: bool
    detail: str


class Health(BaseModel):
    ok: bool
    version: str
    parts: dict[str, PartHealth]


class SignInIn(BaseModel):
    login: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    password: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class DemoPerson(BaseModel):
    login: str
    name: str
    role: str
    password: str


class Start(BaseModel):
    """What the start page needs before anybody is signed in."""

    set_up: bool
    brand: str
    demo_people: list[DemoPerson]


class FirstOwnerIn(SignInIn):
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    shop: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    time_zone: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    currency: Annotated[str, StringConstraints(pattern="^[A-Z]{3}$")] = "EUR"


class Me(BaseModel):
    id: int
    name: str
    role: str
    csrf_token: str
    shop: str
    currency: str
    time_zone: str
    units: str
    now: datetime
    standins_url: str


class KeyIn(BaseModel):
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    role: Role


class KeyOut(BaseModel):
    id: int
    key: str = Field(description="Shown this once only")


class FaultOut(Out):
    row: int
    field: str
    words: str


class PreviewOrder(BaseModel):
    number: str
    recipient: str
    destination: str
    items: str
    rows: list[int]


class ImportOut(BaseModel):
    """An import: the file as read, the mapping, a preview, and after running it what was made."""

    id: int
    file_name: str
    read_as: str
    state: str
    headers: list[str]
    columns: dict[str, int]
    fields: list[str]
    needed: list[str]
    missing: list[str]
    sample: list[list[str]]
    row_count: int
    good: int
    preview: list[PreviewOrder]
    faults: list[FaultOut]
    fault_rows: dict[int, list[str]]
    made: int
    already: int
    total: int
    progress: int
    weight_unit: str


class ImportSummary(Out):
    """An import in a list."""

    id: int
    file_name: str
    state: str
    made: int
    already: int
    created_at: datetime


class ColumnsIn(BaseModel):
    columns: Annotated[dict[Short, Count], Field(max_length=40)]
    weight_unit: Literal["g", "kg", "lb", "oz"] | None = None


class RowsIn(BaseModel):
    """Corrected rows: number in the file → cells."""

    rows: Annotated[
        dict[Annotated[int, Field(gt=0)], Annotated[list[str], Field(max_length=200)]], Field(max_length=500)
    ]


class Undone(BaseModel):
    """How many orders were taken back."""

    orders: int


class PullOut(BaseModel):
    """What a pull brought: made, known already, kept back, ignored by state, changed upstream, unreadable."""

    made: int
    already: int
    kept_back: int
    ignored: int
    changed: int
    unreadable: int


class ChannelOut(Out):
    """Where orders come from: state is asked (no consent yet), connected or paused."""

    code: str
    name: str
    kind: str
    state: str
    last_pull_at: datetime | None
    last_pull: dict[str, Any]
    states: dict[str, str]
    payments: dict[str, str]
    write_back: dict[str, bool]
    every_minutes: int
    brand: str


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


class SnagGroupOut(Out):
    code: str
    level: str
    words: str
    fix: str
    about: str
    order_ids: list[int]


class TodayOut(BaseModel):
    now: datetime
    open_orders: int
    departures: list[DepartureOut]
    snags: list[SnagGroupOut]
    available_minor: int
    low_balance: bool
    undelivered_messages: int
    refunds_overdue: int
    returns_back: int
    requests_waiting: int
    prints_stuck: int


class BalanceOut(Out):
    available_minor: int
    held_minor: int
    expected_minor: int
    balance_minor: int
    owed_minor: int


class TopUpIn(BaseModel):
    amount_minor: Positive
    key: Annotated[str, StringConstraints(min_length=8, max_length=60)]


class PlaceIO(BaseModel):
    id: int | None = None
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    address: AddressIO
    pickup_spot: Short = ""
    opening_hours: Short = ""
    is_default: bool = False


class PackagingIO(Out):
    id: int | None = None
    code: Annotated[str, StringConstraints(min_length=1, max_length=30, pattern=r"^[A-Za-z0-9._-]+$")]
    name: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    inner_length: Positive
    inner_width: Positive
    inner_height: Positive
    outer_length: Positive
    outer_width: Positive
    outer_height: Positive
    own_g: Count
    padding_g: Count = 0
    max_load_g: Positive
    cost_minor: Count = 0
    carrier: str | None = None
    active: bool = True


class TrackingOut(BaseModel):
    """The buyer's page: no address, no price."""

    shop: str
    order_number: str
    carrier: str
    service_name: str
    state: str
    arrives: date | None
    tracking_numbers: list[str]
    events: list[EventOut]
