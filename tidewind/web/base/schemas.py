"""What bodies of several rooms are made of."""

from __future__ import annotations

from datetime import date, time
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, WithJsonSchema

from tidewind.core.customs.said import Purpose
from tidewind.services.base import MOST_ORDERS

Key = Annotated[str, StringConstraints(min_length=8, max_length=80)]


class CountOut(BaseModel):
    count: int


Code = Annotated[str, StringConstraints(min_length=1, max_length=40)]

Side = Annotated[int, Field(gt=0, le=10_000)]
Short = Annotated[str, StringConstraints(max_length=120, strip_whitespace=True)]
Ids = Annotated[list[int], Field(min_length=1, max_length=MOST_ORDERS)]
MailTo = Annotated[str, StringConstraints(min_length=3, max_length=200, pattern=r"^[^@\s]+@[^@\s]+$")]
"""Where a mail goes, as far as a form can tell; whether it arrives the mail server says."""


# JSON Schema's own format "time" wants a zone behind it (RFC 3339); a cut-off is a time of the place.
LocalTime = Annotated[time, WithJsonSchema({"type": "string", "pattern": r"^\d\d:\d\d:\d\d$"})]


class In(BaseModel):
    """What somebody sends: a field that nobody knows is refused, since whoever sent it meant something by it."""

    model_config = ConfigDict(extra="forbid")


class Out(BaseModel):
    """Read from rows and dataclasses."""

    model_config = ConfigDict(from_attributes=True)


class InOut(Out):
    """Said and read in one form; what is sent has no field that nobody knows."""

    model_config = ConfigDict(extra="forbid")


class AddressIO(InOut):
    name: Short = ""
    company: Short = ""
    street: Short = ""
    extra: Short = ""
    city: Short = ""
    region: Short = ""
    postcode: Short = ""
    country: Short = ""
    phone: Short = ""
    email: Short = ""


class Changed(BaseModel):
    """How many orders were planned anew."""

    orders: int


Contents = Literal["lithium", "limited_quantity", "dry_ice", "dangerous"]
"""The codes of ``core/consignments.CONTENTS``."""
Day = Annotated[date, Field(ge=date(2000, 1, 1), le=date(2099, 12, 31))]
"""A day that calendars and cards can reckon with."""
Count = Annotated[int, Field(ge=0, le=10_000_000)]
Positive = Annotated[int, Field(gt=0, le=1_000_000)]


class PartHealth(BaseModel):
    ok: bool
    detail: str


class Health(BaseModel):
    ok: bool
    version: str
    parts: dict[str, PartHealth]


class OrdersIn(In):
    order_ids: Ids


class SplitIO(InOut):
    """Divide into parcels of at most so many items, or so many grams of goods."""

    by: Literal["quantity", "weight"]
    most: Annotated[int, Field(gt=0, le=10_000_000)]


class HandParcelIO(InOut):
    """A parcel put together by hand: pairs of order line id and pieces, and its packaging (null: what fits)."""

    contents: Annotated[list[tuple[int, Annotated[int, Field(gt=0, le=5_000)]]], Field(min_length=1, max_length=500)]
    packaging: Short | None = None


class BillTo(InOut):
    """An account with the carrier that is not ours: the recipient's, or a third party's."""

    who: Literal["recipient", "third_party"]
    account: Annotated[str, StringConstraints(min_length=3, max_length=40)]


NumberOf = Annotated[str, StringConstraints(max_length=40)]


class ItemSaidIO(BaseModel):
    """What is set for one line of this order alone; empty follows the product."""

    model_config = ConfigDict(extra="forbid", from_attributes=True)
    text: Annotated[str, StringConstraints(max_length=200)] = ""
    hs_code: Annotated[str, StringConstraints(pattern=r"^[0-9. ]{0,16}$")] = ""
    origin: Annotated[str, StringConstraints(pattern="^([A-Z]{2})?$")] = ""
    value_minor: Annotated[int, Field(ge=0, le=100_000_000)] | None = None


class CustomsSaidIO(BaseModel):
    """What a person says of an order's customs."""

    model_config = ConfigDict(extra="forbid", from_attributes=True)
    purpose: Purpose = "sale"
    recipient_number: NumberOf = ""
    papers: Annotated[dict[Annotated[str, StringConstraints(max_length=40)], NumberOf], Field(max_length=10)] = {}
    items: Annotated[dict[Annotated[str, StringConstraints(max_length=20)], ItemSaidIO], Field(max_length=200)] = {}
    first_export: Annotated[str, StringConstraints(max_length=60)] = ""
    broker: Annotated[str, StringConstraints(max_length=120)] = ""
    duties_account: NumberOf = ""


class WorthOut(Out):
    """What goods in another currency are worth in the shop's, and what they cost in their own."""

    minor: int
    goods_minor: int
    currency: str


class HandOut(Out):
    """What is set by hand for an order; null, empty or false where nothing is."""

    packaging: str | None = None
    service: str | None = None
    extras: list[str] | None = None
    ship_date: date | None = None
    desk: str | None = None
    point: str = ""
    account: str = ""
    bill_to: BillTo | None = None
    split: SplitIO | None = None
    parcels: tuple[HandParcelIO, ...] = ()
    approved: str = ""
    not_stackable: bool = False
    worth: WorthOut | None = None
    released: bool = False
    customs: CustomsSaidIO | None = None
