"""The shop's own facts and its mail server as they go over HTTP."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import Count, In, InOut, Out

Word = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class ClosedDays(In):
    """A stretch of days, first and last, on which nothing is handed over."""

    first: date
    last: date


class ShopIO(InOut):
    """The shop: what it is called, what buyers see, its clock, money and units, and what time is worth to it."""

    name: Word
    brand: Word
    time_zone: Annotated[str, Field(max_length=60)]
    currency: Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")] = Field(
        description="It stays once there are orders, rate cards or entries in the books"
    )
    units: Literal["metric", "imperial"]
    day_value_minor: Count = Field(description="What a day sooner is worth when services are weighed")
    late_value_minor: Count = Field(description="What a day after the promise costs when services are weighed")
    closed: Annotated[list[ClosedDays], Field(max_length=100)] = Field(default_factory=list)


class MailServerIn(In):
    """The server that mails go through; an empty host goes back to the program's own configuration."""

    host: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[A-Za-z0-9.:_-]*$")]
    port: Annotated[int, Field(ge=1, le=65_535)] = 587
    tls: Literal["none", "starttls", "tls"] = "starttls"
    user: Annotated[str, Field(max_length=200)] = ""
    sender: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]
    password: Annotated[str, Field(max_length=400)] | None = Field(None, description="Left out: it stays as it is")


class MailServerOut(Out):
    """What is set; the password never comes out."""

    host: str
    port: int
    tls: Literal["none", "starttls", "tls"]
    user: str
    sender: str


class SigningKeyOut(Out):
    """The record that a domain publishes so that signed mails are believed; empty where there is no key."""

    domain: str
    selector: str
    record_name: str
    record: str
    on: bool


class SigningKeyIn(In):
    """A key that the shop has already; without one a new one is made."""

    selector: Annotated[str, StringConstraints(max_length=63)] = ""
    pem: Annotated[str, StringConstraints(max_length=8_000)] = Field("", description="RSA, PEM, without a password")


class SignMailsIn(In):
    on: bool


class TestMailIn(In):
    recipient: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=200)]


class TriedOut(BaseModel):
    """Whether something that was tried worked, and in words what was answered."""

    ok: bool
    words: str


class StartersOut(BaseModel):
    """How many common sizes were added; those that were there already stay as they are."""

    added: int


class SmsGatewayIn(In):
    """The gateway that text messages go through; an empty address leaves none."""

    url: Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)]
    form: Literal["json", "form"] = "json"
    template: Annotated[str, Field(max_length=2_000)] = Field(
        description="JSON, or one field a line; {to}, {text} and {from} are filled in"
    )
    header: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9-]{1,60}$")] = "Authorization"
    sender: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40)] = ""
    # It goes into a header, which has no other letters (RFC 9110, 5.5).
    secret: Annotated[str, StringConstraints(max_length=400, pattern=r"^[ -~]*$")] | None = Field(
        None, description="Left out: it stays as it is"
    )


class SmsGatewayOut(Out):
    """What is set; the key never comes out."""

    url: str
    form: Literal["json", "form"]
    template: str
    header: str
    sender: str
