"""Batches, preflight, purchases, voids, returns and money as they go over HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.services.base import MOST_ORDERS
from tidewind.web.base.schemas import Count, Day, Ids, In, Key, MailTo, Out, Short
from tidewind.web.orders.schemas.order import OrderRow, ShipmentOut


class ToBuyIn(In):
    order_id: int
    shown_minor: Count


class BuyIn(In):
    """Orders at the prices shown; with a batch they are bought as part of it."""

    orders: Annotated[list[ToBuyIn], Field(min_length=1, max_length=MOST_ORDERS)]
    client_key: Key
    batch_id: int | None = None


class SettledIn(In):
    words: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=120)]


class DroppedOut(BaseModel):
    order_id: int
    words: str


class PurchaseOut(BaseModel):
    batch_id: int
    taken: list[int]
    dropped: list[DroppedOut]


class CheckIn(In):
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


class BatchIn(In):
    name: Annotated[str, StringConstraints(max_length=80)] = ""
    client_key: Key
    order_ids: Annotated[list[int], Field(max_length=MOST_ORDERS)] = []


class BatchChangeIn(In):
    """What to change for all in the batch; null takes it back, what is left out stays."""

    name: Annotated[str, StringConstraints(max_length=80)] | None = None
    service: Short | None = None
    packaging: Short | None = None
    extras: Annotated[list[Short], Field(max_length=10)] | None = None
    ship_date: Day | None = None


class FillIn(In):
    order_ids: Ids
    take_over: bool = False


class FilledOut(BaseModel):
    batch_id: int
    added: int
    left_out: list[DroppedOut]


class ScanIn(In):
    code: Annotated[str, StringConstraints(min_length=1, max_length=120)]


class TakeOutIn(In):
    order_ids: Ids


class ArchiveIn(In):
    away: bool = True


class PrintedTooIn(In):
    """Whether somebody has looked that labels that are printed are on no parcel."""

    printed_too: bool = False


class VoidIn(In):
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


class ChaseIn(In):
    mail_to: MailTo
