"""Batches, preflight, purchases, voids, returns and money as they go over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.services.buying import MOST_ORDERS
from tidewind.web.schemas.orders import Ids, OrderRow, Out, ShipmentOut, Short
from tidewind.web.schemas.shop import BalanceOut, Count

Key = Annotated[str, StringConstraints(min_length=8, max_length=80)]


class WishIn(BaseModel):
    order_id: int
    shown_minor: Count


class BuyIn(BaseModel):
    """Orders at the prices shown; with a batch they are bought as part of it."""

    orders: Annotated[list[WishIn], Field(min_length=1, max_length=MOST_ORDERS)]
    client_key: Key
    batch_id: int | None = None


class DroppedOut(BaseModel):
    order_id: int
    words: str


class AskedOut(BaseModel):
    batch_id: int
    taken: list[int]
    dropped: list[DroppedOut]


class CheckIn(BaseModel):
    """Orders to check, each with the price that was shown (null: none)."""

    orders: Annotated[dict[int, Count | None], Field(min_length=1, max_length=MOST_ORDERS)]


class CheckOut(Out):
    """One finding: stops, asks for a yes, or tells; ``sum`` is what it adds, or what is missing, in minor units."""

    kind: str
    level: Literal["stops", "asks", "tells"]
    words: str
    order_ids: list[int]
    sum: int


class PreflightOut(Out):
    """What would be bought, what it costs, what the balance pays of it, and everything that was found."""

    order_ids: list[int]
    labels: int
    total: int
    from_balance: int
    available: int
    ready: bool
    prices: dict[int, int] = Field(description="What each order costs now, in minor units")
    checks: list[CheckOut]


class BatchSummaryOut(Out):
    id: int
    name: str
    state: str
    person_id: int
    person: str
    created_at: datetime
    waiting: int
    waiting_minor: int
    snagged: int
    shipments: dict[str, int]
    bought_minor: int
    labels: int
    printed: int


class ExceptionOut(BaseModel):
    order_id: int
    fields: list[str]


class BatchOut(BaseModel):
    """A batch: what lies in it still, what was bought, and how far that has come."""

    id: int
    name: str
    state: str
    person: str
    mine: bool
    changes: dict[str, str | list[str]]
    asked_at: datetime | None
    waiting: list[OrderRow]
    exceptions: list[ExceptionOut] = Field(description="Orders that have something by hand where the batch differs")
    buying: int
    not_begun: int
    bought: int
    failed: int
    total_minor: int
    shipments: list[ShipmentOut]


class BatchIn(BaseModel):
    name: Annotated[str, StringConstraints(max_length=80)] = ""
    client_key: Key
    order_ids: Annotated[list[int], Field(max_length=MOST_ORDERS)] = []


class BatchChangeIn(BaseModel):
    """What to change for all in the batch; null takes it back, what is left out stays."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, StringConstraints(max_length=80)] | None = None
    service: Short | None = None
    packaging: Short | None = None
    extras: Annotated[list[Short], Field(max_length=10)] | None = None
    ship_date: date | None = None


class FillIn(BaseModel):
    order_ids: Ids
    take_over: bool = False


class FilledOut(BaseModel):
    batch_id: int
    added: int
    left_out: list[DroppedOut]


class ScanIn(BaseModel):
    code: Annotated[str, StringConstraints(min_length=1, max_length=120)]


class TakeOutIn(BaseModel):
    order_ids: Ids


class ArchiveIn(BaseModel):
    away: bool = True


class CountOut(BaseModel):
    count: int


class VoidIn(BaseModel):
    shipment_ids: Annotated[list[int], Field(min_length=1, max_length=500)]
    printed_too: bool = False


class VoidedOut(BaseModel):
    """Voids asked for, and labels that cannot be voided, with the reason."""

    asked: list[int]
    refused: dict[int, str]


class RefundOut(BaseModel):
    """A void that waits for its refund."""

    shipment_id: int
    order_id: int
    order_number: str
    carrier: str
    service_name: str
    price_minor: int
    asked_at: datetime
    asked_by: str
    due_on: date
    overdue: bool
    chased_at: datetime | None


class ChaseIn(BaseModel):
    mail_to: Annotated[str, StringConstraints(min_length=3, max_length=200, pattern=r"^[^@\s]+@[^@\s]+$")]


class ReturnIn(BaseModel):
    shipment_id: int
    in_box: bool = True
    reason: Annotated[str, StringConstraints(max_length=200)] = ""


class ReturnOut(BaseModel):
    id: int
    shipment_id: int
    order_id: int
    order_number: str
    recipient: str
    carrier: str
    service_name: str
    state: str
    in_box: bool
    reason: str
    price_minor: int
    charged: bool
    tracking_number: str | None
    asked_by: str
    asked_at: datetime
    used_at: datetime | None
    back_at: datetime | None
    outcome: str
    failure: str


class CloseReturnIn(BaseModel):
    outcome: Short


class BookedLineOut(BaseModel):
    account: str
    amount_minor: int
    after_minor: int


class BookedOut(BaseModel):
    """A ledger entry: what it moved, and what each account then held."""

    id: int
    at: datetime
    kind: str
    reason: str
    order_id: int | None
    order_number: str
    carrier: str
    lines: list[BookedLineOut]


class MoneyOut(BaseModel):
    balance: BalanceOut
    entries: list[BookedOut]
    moved: dict[str, int] = Field(description="What the entries asked for moved on each account")
    low_balance_minor: int


class MoneySettings(BaseModel):
    """When a balance is low, and what the owner must approve."""

    low_balance_minor: Count
    approve_over_minor: Count | None = None
    approve_services: Annotated[list[Short], Field(max_length=100)] = []
    price_tolerance_minor: Count = 0


class BillIn(BaseModel):
    amount_minor: Annotated[int, Field(gt=0, le=100_000_000)]
    key: Annotated[str, StringConstraints(min_length=8, max_length=60)]
