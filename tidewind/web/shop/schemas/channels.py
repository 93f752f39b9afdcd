"""Bodies of sales channels."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import In, Out, Short


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
    mail_from: str
    stock: Literal["", "theirs", "ours"]


class StockSeenOut(Out):
    """What is known between us and a channel of the pieces left to sell."""

    articles: int
    at: datetime | None
    unknown: list[str] = Field(description="Articles that the one who is told does not have, the first twenty")


class ChannelMapping(In):
    """How a channel's states and payments are understood, and what it is told."""

    states: Annotated[dict[Short, Literal["fetch", "hold", "leave_out", "cancelled", "ignore"]], Field(max_length=60)]
    payments: Annotated[dict[Short, Literal["paid", "pay_on_delivery", "unpaid"]], Field(max_length=60)]
    write_back: Annotated[dict[Short, bool], Field(max_length=5)] = Field(default_factory=dict)
    every_minutes: Annotated[int, Field(ge=1, le=1_440)] = 10
    brand: Annotated[str, StringConstraints(max_length=80)] = ""
    mail_from: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = Field(
        default="", description="The address that mails about its orders come from; empty is the shop's"
    )
    stock: Literal["", "theirs", "ours"] = Field(
        "", description="Whose count of pieces holds: it tells us, it is told, or neither"
    )


class UpstreamCounts(BaseModel):
    states: dict[str, int]
    payments: dict[str, int]


class MappingOut(BaseModel):
    coming: int = Field(description="Orders left out under the mapping before, which the next pull brings")


class OrderAside(Out):
    """An order that could not be read: why, and everything the channel said of it."""

    number: str
    at: datetime
    why: str
    body: dict[str, Any]


class AsideOut(BaseModel):
    """What of a channel did not come in: states that nobody mapped, with their orders, and orders not understood."""

    not_mapped: dict[str, int]
    unreadable: int
    orders: list[OrderAside] = Field(description="The newest of those not understood")


class ConsentOut(BaseModel):
    url: str = Field(description="Where the seller allows us in; empty where the channel asks for no consent")


class ConnectStoreIn(In):
    """Where a store is reached, and the key that it gave.

    ``speaks`` is the open protocol, or a language of its own; such a store is named here and asks for consent later.
    """

    speaks: Literal["protocol", "larkspur", "tallyfair", "ovenbird"] = "protocol"
    name: Short = ""

    address: Annotated[str, StringConstraints(strip_whitespace=True, min_length=8, max_length=200)]
    # It goes into a header, which has no other letters (RFC 9110, 5.5).
    key: Annotated[str, StringConstraints(strip_whitespace=True, max_length=400, pattern=r"^[!-~]*$")] = ""


class ConnectIn(In):
    code: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class PausedIn(In):
    paused: bool


class TestOut(BaseModel):
    ok: bool
    words: str


class LogEntry(BaseModel):
    number: str
    what: str
    why: str


class LogOut(Out):
    """One line of a channel's log."""

    at: datetime
    kind: str
    counts: dict[str, Any]
    entries: list[LogEntry]
    failure: str
