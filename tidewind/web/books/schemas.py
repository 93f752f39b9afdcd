"""Bodies of the ledger and the open policy."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.web.base.schemas import Contents, Count, In, Out, Positive, Short


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


class MoneySettings(In):
    """When a balance is low, and what the owner must approve."""

    low_balance_minor: Count
    approve_over_minor: Count | None = None
    approve_services: Annotated[list[Short], Field(max_length=100)] = []
    price_tolerance_minor: Count = 0


class BillIn(In):
    amount_minor: Annotated[int, Field(gt=0, le=100_000_000)]
    key: Annotated[str, StringConstraints(min_length=8, max_length=60)]


class CoverIO(BaseModel):
    """The open policy with an insurer: a premium per started step of value, at least so much, up to a value."""

    model_config = ConfigDict(extra="forbid")
    insurer: Annotated[str, Field(min_length=1, max_length=80)]
    policy: Annotated[str, Field(max_length=60)] = ""
    per_step: Annotated[int, Field(ge=1, le=1_000_000)]
    step: Annotated[int, Field(ge=1, le=100_000_000)]
    least: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    most_value: Annotated[int, Field(ge=1, le=1_000_000_000)]
    not_covered: Annotated[list[Contents], Field(max_length=4)] = []


class BalanceOut(Out):
    available_minor: int
    held_minor: int
    expected_minor: int
    balance_minor: int
    owed_minor: int


class TopUpIn(In):
    amount_minor: Positive
    key: Annotated[str, StringConstraints(min_length=8, max_length=60)]
