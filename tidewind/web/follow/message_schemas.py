"""Bodies of messages to buyers: what is told and in which words, how one looks, what became of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.core.messages.triggers import Trigger
from tidewind.web.base.schemas import Count, In, Out, Short

Language = Annotated[str, StringConstraints(max_length=5)]


class MessageTextIn(In):
    """Words of one trigger in one language; what is empty or missing is as it ships with us."""

    subject: Annotated[str, Field(max_length=200)] = ""
    body: Annotated[str, Field(max_length=4_000)] = ""
    sms: Annotated[str, Field(max_length=600)] = ""


class TriggerIn(In):
    """Whether a trigger is told by mail, by SMS, or by the store itself, and its words by language."""

    mail: bool | None = None
    sms: bool | None = None
    store: bool | None = None
    texts: Annotated[dict[Language, MessageTextIn], Field(max_length=10)] = Field(default_factory=dict)


class MessageRulesBody(BaseModel):
    """What is told; quiet hours and how many may go at once are the shop's alone."""

    model_config = ConfigDict(extra="forbid")
    language: Language = ""
    colour: Annotated[str, StringConstraints(max_length=7)] = ""
    quiet_from: Annotated[str, StringConstraints(max_length=5)] = ""
    quiet_until: Annotated[str, StringConstraints(max_length=5)] = ""
    hold_over: Annotated[int, Field(ge=0, le=100_000)] = 0
    triggers: dict[Trigger, TriggerIn] = Field(default_factory=dict)

    def plain(self) -> dict[str, Any]:
        """Return it as it is kept: without what nobody has said."""
        return self.model_dump(exclude_none=True, exclude_defaults=True)


class MessageRulesIn(In):
    """Rules to be saved for a channel; without one, for the shop."""

    channel: Short = ""
    base_version: Count
    body: MessageRulesBody


class MessageTextOut(Out):
    """The words that ship with us."""

    subject: str
    body: str
    sms: str


class MessageRulesOut(BaseModel):
    """Rules as they were saved, version 0 before the first, with everything that one needs to change them."""

    version: int
    body: MessageRulesBody
    shop: MessageRulesBody
    usual: dict[Trigger, bool] = Field(description="Whether it is told by mail where nobody has said anything")
    goes_by: dict[Trigger, Trigger] = Field(description="What is told where another is, unless something is said of it")
    shipped: dict[Trigger, dict[str, MessageTextOut]]
    channels: dict[str, str]
    languages: list[str]
    fields: list[str]
    held: int


class SampleIn(In):
    """A message that is shown before it is saved, with an order; empty: with the one sent last."""

    channel: Short = ""
    body: MessageRulesBody
    trigger: Trigger
    language: Language = ""
    order_number: Short = ""


class TestMessageIn(SampleIn):
    """A message to be sent to oneself."""

    __test__ = False
    recipient: Short


class TextLengthOut(Out):
    """How long an SMS is, and as how many parts it goes."""

    places: int
    parts: int
    basic: bool


class SampleOut(Out):
    """A message as it would go."""

    order_number: str
    to: str
    phone: str
    language: str
    subject: str
    text: str
    html: str
    sms: str
    sms_length: TextLengthOut
    faults: list[str]


class LoggedOut(Out):
    """One message and what became of it."""

    id: int
    order_id: int
    order_number: str
    trigger: str
    by: Literal["mail", "sms"]
    recipient: str
    subject: str
    body: str
    reason: str
    at: datetime
    state: Literal["sent", "not_sent", "held", "waits"]
    why: str


class HeldIn(In):
    """Whether the held messages are sent or dropped."""

    send: bool


class BlockIn(In):
    """An address to which nothing is to be sent, and why."""

    address: Short
    why: Literal["bounced", "complained", "asked", "by_hand"] = "by_hand"
    words: Annotated[str, Field(max_length=300)] = ""


class BlockedOut(Out):
    """An address to which nothing is sent."""

    id: int
    address: str
    why: str
    words: str
    created_at: datetime


class TellingIn(In):
    """Who else is told of an order, and a personal line in its mails."""

    also_tell: Annotated[list[Short], Field(max_length=5)]
    own_line: Annotated[str, Field(max_length=300)] = ""


class BlockedWhyOut(BaseModel):
    """One of an order's addresses to which nothing is sent, and why."""

    address: str
    why: str


class TellingOut(BaseModel):
    """How the buyer of an order is told, and what they were told."""

    also_tell: list[str]
    own_line: str
    blocked: list[BlockedWhyOut]
    messages: list[LoggedOut]


class WriteBackOut(Out):
    """One thing that a channel is told of an order, and what became of it."""

    id: int
    order_id: int
    order_number: str
    channel: str
    what: str
    sent_at: datetime
    done_at: datetime | None
    attempts: int
    next_at: datetime
    why: str
