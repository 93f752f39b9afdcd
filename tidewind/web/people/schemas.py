"""Bodies of signing in, and of who works on what."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import Ids, In, Out

Role = Literal["owner", "shipper", "packer", "care"]


Password = Annotated[str, StringConstraints(min_length=1, max_length=200)]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Code = Annotated[str, StringConstraints(strip_whitespace=True, max_length=12)]


class SignInIn(In):
    login: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    password: Password
    code: Code = Field(default="", description="The six digits of a second factor, where the person has one")


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


class FirstOwnerIn(In):
    login: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    password: Password
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
    second_factor: bool
    now: datetime
    standins_url: str


class PersonOut(Out):
    """Somebody with a login: at work, invited (no password yet), or gone."""

    id: int
    login: str
    name: str
    role: Role
    state: Literal["at_work", "invited", "gone"]
    second_factor: bool
    seen_at: datetime | None


class InviteIn(In):
    login: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    name: Name
    role: Role


class PersonIn(In):
    name: Name
    role: Role
    active: bool = Field(description="False lets the person go: sessions, links and keys end at once")


class DoorLinkOut(BaseModel):
    """A link by which somebody sets a password, once, within three days."""

    person_id: int
    name: str
    link: str = Field(description="Shown this once only")


class DoorOut(BaseModel):
    """Whose link it is."""

    name: str
    login: str
    brand: str


class PasswordIn(In):
    password: Password


class PasswordChangeIn(In):
    before: Password
    after: Password


class SessionOut(BaseModel):
    id: int
    browser: str
    since: datetime
    seen_at: datetime | None
    this_one: bool


class FactorOut(BaseModel):
    """A secret for an authenticator app; it is asked for only once its code was typed right."""

    secret: str
    address: str
    picture: str = Field(description="The address as a QR code, an SVG picture")


class FactorIn(In):
    secret: Annotated[str, StringConstraints(pattern="^[A-Z2-7]{16,64}$")]
    code: Code


Scope = Literal["all", "checkout", "orders", "labels", "handover", "following"]
"""Everything the role may do, or asking what a basket is offered and nothing else."""


class KeyIn(In):
    name: Name
    role: Role
    reads_only: bool = False
    days: Annotated[int, Field(ge=1, le=3_650)] | None = Field(default=365, description="None: without an end")
    scope: Scope = "all"
    per_minute: Annotated[int, Field(ge=1, le=100_000, description="So many requests a minute")] = 3_000


class KeyRow(BaseModel):
    id: int
    name: str
    role: Role
    reads_only: bool
    scope: Scope
    per_minute: int
    person: str
    made_at: datetime
    expires_at: datetime | None
    used_at: datetime | None
    used_from: str = Field(description="The address that it last came from; empty before its first use")
    works: bool


class KeyOut(BaseModel):
    id: int
    key: str = Field(description="Shown this once only")


class PresenceIn(In):
    order_ids: Ids
    take_over: bool = False


class AtWorkOut(Out):
    """An order that somebody else is working on."""

    order_id: int
    person_id: int
    person: str
