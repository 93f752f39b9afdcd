"""Bodies of tracking, returns and colleagues' requests."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import AddressIO, In, Key, Out, Short
from tidewind.web.orders.schemas.order import EventOut


class ReturnIn(In):
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
    items: list[ReturnedItem]
    words: str
    buyer_pays: bool
    has_photo: bool


class ReturnedItem(BaseModel):
    sku: str
    name: str
    quantity: int


class ReturnRulesOut(Out):
    on: bool
    days: int
    buyer_pays: bool
    not_tags: list[str]


class ReturnRulesIn(In):
    on: bool
    days: Annotated[int, Field(ge=1, le=365)]
    buyer_pays: bool = False
    not_tags: Annotated[list[Short], Field(max_length=50)] = Field(default_factory=list)


class ReceiveIn(In):
    number: Short


class CloseReturnIn(In):
    outcome: Short
    condition: Literal["", "as new", "opened", "damaged", "incomplete"] = ""
    restock: bool = False


Mail = Annotated[str, StringConstraints(max_length=200)]
Side = Annotated[int, Field(gt=0, le=4_000)]


class LinkIn(In):
    name: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    cost_codes: Annotated[list[Short], Field(max_length=50)] = []


class LinkOut(Out):
    """A link to the form; ``path`` is its address."""

    id: int
    name: str
    cost_codes: list[str]
    active: bool
    path: str


class LinkActiveIn(In):
    active: bool


class FormOut(BaseModel):
    """What the public form needs: whose it is, and what can be chosen."""

    shop: str
    name: str
    cost_codes: list[str]
    place: AddressIO
    currency: str
    units: Literal["metric", "imperial"]


class RequestIn(In):
    """A wish for a label; ``sender`` only where it does not leave from the shop."""

    client_key: Key
    asked_by: Annotated[str, StringConstraints(max_length=120)]
    address: AddressIO
    sender: AddressIO | None = None
    what: Annotated[str, StringConstraints(max_length=120)]
    gross_g: Annotated[int, Field(gt=0, le=1_000_000)]
    sides_mm: tuple[Side, Side, Side]
    value_minor: Annotated[int, Field(ge=0, le=10_000_000)] = 0
    why: Annotated[str, StringConstraints(max_length=300)] = ""
    cost_code: Annotated[str, StringConstraints(max_length=60)] = ""
    sticker_mail: Mail
    waiter_mail: Mail = ""


class RequestMade(BaseModel):
    path: str


class RequestSeen(BaseModel):
    """What the asker sees of a request."""

    shop: str
    state: str
    what: str
    to: str
    words: str
    decided_by: str
    tracking_path: str


class RequestOut(BaseModel):
    id: int
    link: str
    state: str
    asked_by: str
    why: str
    cost_code: str
    sender: dict[str, Any]
    address: dict[str, Any]
    what: str
    gross_g: int
    sides_mm: list[int]
    value_minor: int
    sticker_mail: str
    waiter_mail: str
    order_id: int | None
    order_number: str
    price_minor: int | None
    decided_by: str
    words: str
    created_at: datetime


class ApproveIn(In):
    """Approve as asked, or with another weight or service."""

    gross_g: Annotated[int, Field(gt=0, le=1_000_000)] | None = None
    service: Short | None = None


class ApprovedOut(BaseModel):
    order_id: int
    order_number: str


class DeclineIn(In):
    words: Annotated[str, StringConstraints(max_length=300)]


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


class MailIn(In):
    mail: Annotated[str, StringConstraints(max_length=254)]


class ErasedOut(BaseModel):
    """How many orders were erased, and the numbers of those that are not done and were kept."""

    erased: int
    kept: list[str]
