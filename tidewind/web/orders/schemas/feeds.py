"""Bodies of feeds: files of orders that are fetched."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import In, Out, Short
from tidewind.web.orders.schemas.imports import FaultOut, PreviewOrder

Expression = Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)]


class FeedIn(In):
    """Where files of orders are fetched, and how JSON is read: JMESPath expressions, the line of an order as ``line``.

    ``{since}`` in an address is the instant of the last look; ``secret`` null leaves the one there is.
    """

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    kind: Literal["http", "folder", "sftp"]
    address: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=300)]
    header: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9-]{1,60}$")] = "Authorization"
    secret: Annotated[str, StringConstraints(max_length=6_000)] | None = None
    orders: Expression = ""
    lines: Expression = ""
    fields: Annotated[dict[Short, Expression], Field(max_length=40)] = Field(default_factory=dict)
    weight_unit: Literal["g", "kg", "lb", "oz"] = "g"
    every_minutes: Annotated[int, Field(ge=1, le=1_440)] = 10
    active: bool = True


class FeedOut(Out):
    """A feed with what the last look brought; ``known_fields`` can be mapped, ``needed`` must be."""

    id: int
    name: str
    kind: Literal["http", "folder", "sftp"]
    address: str
    header: str
    has_secret: bool
    orders: str
    lines: str
    fields: dict[str, str]
    weight_unit: Literal["g", "kg", "lb", "oz"]
    every_minutes: int
    active: bool
    looked_at: datetime | None
    failure: str
    host_key: str


class FeedsOut(BaseModel):
    feeds: list[FeedOut]
    known_fields: list[str]
    needed: list[str]
    folders_below: str


class FeedTriedOut(BaseModel):
    """What a look found, nothing kept: files, the shape of the first, the orders it makes, what is wrong."""

    files: list[str]
    beginning: str
    orders: list[PreviewOrder]
    faults: list[FaultOut]
    wrong: list[str]
    host_key: str


class FetchedOut(BaseModel):
    imports: list[int]
    failure: str
