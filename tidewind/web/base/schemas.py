"""What bodies of several rooms are made of."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.services.base import MOST_ORDERS

Key = Annotated[str, StringConstraints(min_length=8, max_length=80)]


class CountOut(BaseModel):
    count: int


Code = Annotated[str, StringConstraints(min_length=1, max_length=40)]

Side = Annotated[int, Field(gt=0, le=10_000)]
Short = Annotated[str, StringConstraints(max_length=120, strip_whitespace=True)]
Ids = Annotated[list[int], Field(min_length=1, max_length=MOST_ORDERS)]


class Out(BaseModel):
    """Read from rows and dataclasses."""

    model_config = ConfigDict(from_attributes=True)


class AddressIO(Out):
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


Count = Annotated[int, Field(ge=0, le=10_000_000)]
Positive = Annotated[int, Field(gt=0, le=1_000_000)]


class PartHealth(BaseModel):
    ok: bool
    detail: str


class Health(BaseModel):
    ok: bool
    version: str
    parts: dict[str, PartHealth]


class OrdersIn(BaseModel):
    order_ids: Ids
