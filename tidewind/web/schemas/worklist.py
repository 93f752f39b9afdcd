"""The work list's filters and views, who works on what, differences, parts and fixes as they go over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.web.schemas.orders import HandIn, Ids, Out, Short

Tag = Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True)]


class AsksIn(BaseModel):
    """What the work list is asked for; fields left out ask for nothing."""

    model_config = ConfigDict(extra="forbid")
    view: Annotated[str, StringConstraints(max_length=20)] = "open"
    text: Short = ""
    channel: Short = ""
    country: Short = ""
    destination: Short = ""
    desk: Short = ""
    tag: Short = ""
    promise: Short = ""
    service: Short = ""
    snag: Short = ""
    product: Short = ""
    priced: bool | None = None
    linked: bool | None = None
    sort: Annotated[str, StringConstraints(max_length=20)] = "age"
    descending: bool = False


class ListIn(AsksIn):
    """What is asked for, and which page of it."""

    after: Annotated[str, StringConstraints(max_length=400)] = Field("", description="The key of the page before")
    limit: Annotated[int, Field(ge=1, le=500)] = 200


class SavedViewIn(BaseModel):
    name: Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
    asks: AsksIn


class SavedViewOut(Out):
    id: int
    name: str
    asks: dict[str, Any]


class ClaimIn(BaseModel):
    order_ids: Ids
    take_over: bool = False


class HeldBy(Out):
    """An order that somebody else is working on."""

    order_id: int
    person_id: int
    person: str


class BulkHandIn(BaseModel):
    """The same hand edits for many orders."""

    order_ids: Ids
    set: HandIn


class AnnotateIn(BaseModel):
    order_ids: Ids
    add_tags: Annotated[list[Tag], Field(max_length=20)] = []
    remove_tags: Annotated[list[Tag], Field(max_length=20)] = []
    comment: Annotated[str, StringConstraints(max_length=500)] | None = None


class OrdersIn(BaseModel):
    order_ids: Ids


class ClearIn(BaseModel):
    """Why a near match is not the listed party; kept on record."""

    party: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    reason: Annotated[str, StringConstraints(min_length=1, max_length=500)]


class ItemsIn(BaseModel):
    """Order line id → how many."""

    items: Annotated[dict[int, Annotated[int, Field(ge=0, le=5_000)]], Field(min_length=1, max_length=500)]


class HistoryOut(Out):
    id: int
    at: datetime
    who: str
    what: str


class DecideIn(BaseModel):
    take: bool


class SnagGroup(Out):
    """The same snag on several waiting orders: one fix serves them all."""

    code: str
    level: str
    words: str
    fix: str
    about: str
    order_ids: list[int]


class PasteIn(BaseModel):
    text: Annotated[str, StringConstraints(max_length=5_000)]
    home_country: Annotated[str, StringConstraints(pattern="^[A-Z]{2}$")] = "PT"


class BroughtIn(BaseModel):
    """What a file brought."""

    made: int
    known: int
    odd: list[str]


class ListOut(BaseModel):
    """A list of restricted parties."""

    source: str
    entries: int


class MatchOut(BaseModel):
    key: str
    source: str
    names: list[str]
    country: str
    score: int
    words: str


class ClearanceOut(BaseModel):
    order_id: int
    order_number: str
    party: str
    words: str
    reason: str
    who: str
    at: datetime


class ChannelMapping(BaseModel):
    """How a channel's states and payments are understood, and what it is told."""

    states: Annotated[dict[Short, Literal["fetch", "hold", "leave_out", "cancelled", "ignore"]], Field(max_length=60)]
    payments: Annotated[dict[Short, Literal["paid", "pay_on_delivery", "unpaid"]], Field(max_length=60)]
    write_back: Annotated[dict[Short, bool], Field(max_length=3)] = Field(default_factory=dict)
    every_minutes: Annotated[int, Field(ge=1, le=1_440)] = 10
    brand: Annotated[str, StringConstraints(max_length=80)] = ""


class UpstreamCounts(BaseModel):
    states: dict[str, int]
    payments: dict[str, int]


class ConsentOut(BaseModel):
    url: str = Field(description="Where the seller allows us in; empty where the channel asks for no consent")


class ConnectIn(BaseModel):
    code: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class PausedIn(BaseModel):
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
