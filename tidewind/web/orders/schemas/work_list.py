"""The work list's filters and views, who works on what, differences, parts and fixes as they go over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import Ids, In, Out, Short
from tidewind.web.orders.schemas.order import HandIn

Tag = Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True)]


class AsksIn(In):
    """What the work list is asked for; fields left out ask for nothing."""

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


class SavedViewIn(In):
    name: Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
    asks: AsksIn


class SavedViewOut(Out):
    id: int
    name: str
    asks: dict[str, Any]


class BulkHandIn(In):
    """The same hand edits for many orders."""

    order_ids: Ids
    set: HandIn
    seen: Annotated[int, Field(ge=0)] | None = Field(
        None, description="The newest change that was seen; somebody else's later one of the same thing is a 409"
    )


class UndoneOut(BaseModel):
    """What came of undoing the last change of many orders."""

    order_ids: list[int]
    left: dict[str, str] = Field(description="By the number of each order whose last change stands: why")


class AnnotateIn(In):
    order_ids: Ids
    add_tags: Annotated[list[Tag], Field(max_length=20)] = []
    remove_tags: Annotated[list[Tag], Field(max_length=20)] = []
    comment: Annotated[str, StringConstraints(max_length=500)] | None = None


class ClearIn(In):
    """Why a near match is not the listed party; kept on record."""

    party: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    reason: Annotated[str, StringConstraints(min_length=1, max_length=500)]


class ItemsIn(In):
    """Order line id → how many."""

    items: Annotated[dict[int, Annotated[int, Field(ge=0, le=5_000)]], Field(min_length=1, max_length=500)]


class HistoryOut(Out):
    id: int
    at: datetime
    who: str
    what: str


class DecideIn(In):
    take: bool


class SnagGroup(Out):
    """The same snag on several waiting orders: one fix serves them all."""

    code: str
    level: str
    words: str
    fix: str
    about: str
    order_ids: list[int]
