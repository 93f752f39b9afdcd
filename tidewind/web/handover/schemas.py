"""Bodies of what must leave today."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel, Field

from tidewind.web.base.schemas import Out


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


class LateSaleOut(BaseModel):
    """A label that a carrier sold after we had given up, and does not take back: somebody has to settle it."""

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
    late_sales: list[LateSaleOut]
    undelivered_messages: int
    refunds_overdue: int
    returns_back: int
    requests_waiting: int
    prints_stuck: int
    numbers_low: int
    first_hour: list[StepOut] = Field(description="What a new shop still needs; nothing once it can buy labels")
    samples: int | None = Field(description="The import that the sample orders came by")
