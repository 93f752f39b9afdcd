"""Bodies of the Tracking page."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.web.base.schemas import Code, In, MailTo, Out, Short


class TroubleOut(Out):
    """What is wrong, in words, and for how many working days."""

    kind: str
    words: str
    days: int


class DeedOut(Out):
    """What somebody did about it: asked_carrier, told_buyer, seen_to."""

    at: datetime
    who: str
    kind: str


class UnderWayOut(Out):
    """A parcel on its way; ``tenths`` of working days since it was handed over."""

    label_id: int
    shipment_id: int
    order_id: int
    order_number: str
    name: str
    city: str
    country: str
    number: str
    carrier: str
    service: str
    service_name: str
    destination: str
    state: str
    words: str
    spot: str
    seen_at: datetime | None
    arrives: date | None
    tenths: int
    trouble: TroubleOut | None
    deeds: list[DeedOut]


class UsualOut(Out):
    """What is usual: the middle and nine in ten, in tenths of working days, of so many parcels."""

    parcels: int
    median: int
    nine_in_ten: int
    gap_days: int


class DotOut(Out):
    """A parcel as a dot in a band."""

    label_id: int
    shipment_id: int
    order_number: str
    tenths: int
    trouble: TroubleOut | None


class BandOut(Out):
    """A service to a group of destinations: what is usual (none: too few came), and what is under way."""

    carrier: str
    service: str
    service_name: str
    destination: str
    usual: UsualOut | None
    parcels: list[DotOut]


class FollowingOut(Out):
    """All that is under way, and what of it needs somebody."""

    bands: list[BandOut]
    troubles: list[UnderWayOut]
    under_way: int


class LetterOut(Out):
    """A mail as it goes, or would go."""

    to: str
    language: str
    subject: str
    body: str


class AskCarrierIn(In):
    """To whom at the carrier the question goes."""

    mail_to: MailTo


class SeeToIn(In):
    """What was done."""

    words: Annotated[str, StringConstraints(min_length=1, max_length=200), Field(description="What was done")]


class UnknownCodeOut(Out):
    """A code that nobody has explained, the words it came with, and how many parcels it was said of."""

    carrier: str
    name: str
    code: str
    words: str
    parcels: int


class CodesOut(BaseModel):
    """The codes that nobody has explained, and everything that one can mean."""

    unknown: list[UnknownCodeOut]
    meanings: list[str]


class ExplainIn(In):
    """What a carrier's code means."""

    carrier: Code
    code: Code
    meaning: Code


class StoryStepOut(Out):
    """Something that happened to an order."""

    at: datetime
    kind: str
    words: str
    more: str


class StoryOut(Out):
    """Everything that happened to an order, the newest first, and an answer to its buyer; empty before it was sent."""

    steps: list[StoryStepOut]
    language: str
    answer: str


class FollowingAsks(BaseModel):
    """What of the list is looked at: one trouble, one carrier, one country, what has these words."""

    model_config = ConfigDict(extra="forbid")
    trouble: Annotated[str, StringConstraints(max_length=20)] = ""
    carrier: Annotated[str, StringConstraints(max_length=30)] = ""
    country: Annotated[str, StringConstraints(max_length=2)] = ""
    words: Annotated[str, StringConstraints(max_length=80)] = ""


class FollowingViewIn(In):
    """A name for what is looked at."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
    asks: FollowingAsks


class FollowingViewOut(Out):
    """One's own view of what is under way."""

    id: int
    name: str
    asks: FollowingAsks


class MarkOut(Out):
    """A place on the way; ``side`` is where its name starts from."""

    x: int
    y: int
    kind: Literal["home", "seen", "now", "goal"]
    name: str
    side: Literal["start", "end"]


class WayOut(Out):
    """The way of a parcel as SVG paths in a box of 600 by 360 units."""

    land: str
    borders: str
    gone: str
    ahead: str
    marks: list[MarkOut]


class FollowNumberIn(In):
    """A number to follow, what is in the parcel, and who is told of it."""

    carrier: Short
    number: Annotated[str, Field(max_length=60)]
    what: Annotated[str, Field(max_length=200)] = ""
    tell_mail: Annotated[str, Field(max_length=200)] = ""


class FollowedEventOut(BaseModel):
    """An event of a parcel that is followed."""

    at: datetime
    words: str
    spot: str


class FollowedOut(Out):
    """A parcel that is followed though we did not send it."""

    id: int
    carrier: str
    number: str
    what: str
    tell_mail: str
    asked_by: str
    state: str
    failure: str
    over: bool
    events: list[FollowedEventOut]
