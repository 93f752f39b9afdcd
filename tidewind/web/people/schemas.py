"""Bodies of signing in, and of who works on what."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import Ids, Out

Role = Literal["owner", "shipper", "packer", "care"]


class SignInIn(BaseModel):
    login: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    password: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class DemoPerson(BaseModel):
    login: str
    name: str
    role: str
    password: str


class Start(BaseModel):
    """What the start page needs before anybody is signed in."""

    set_up: bool
    brand: str
    demo_people: list[DemoPerson]


class FirstOwnerIn(SignInIn):
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    shop: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    time_zone: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    currency: Annotated[str, StringConstraints(pattern="^[A-Z]{3}$")] = "EUR"


class Me(BaseModel):
    id: int
    name: str
    role: str
    csrf_token: str
    shop: str
    currency: str
    time_zone: str
    units: str
    now: datetime
    standins_url: str


class KeyIn(BaseModel):
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    role: Role


class KeyOut(BaseModel):
    id: int
    key: str = Field(description="Shown this once only")


class PresenceIn(BaseModel):
    order_ids: Ids
    take_over: bool = False


class AtWorkOut(Out):
    """An order that somebody else is working on."""

    order_id: int
    person_id: int
    person: str
