"""Printing as it goes over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.services.base import MOST_ORDERS
from tidewind.web.base.schemas import Ids, In, Key, MailTo, Out, Short


class PrinterOut(Out):
    """A printer: what it is, the media in it as a person reads them, the papers it serves, and what is in its way."""

    code: str
    name: str
    address: str
    kind: Literal["ipp", "server"]
    model: str
    media: list[str]
    papers: list[str]
    troubles: list[str]
    failure: str
    seen_at: datetime | None


class PrinterIn(In):
    """A printer by its address: ``ipp://`` or ``ipps://``, or ``http(s)://`` for a server that takes PDF."""

    name: Short
    address: Annotated[str, StringConstraints(strip_whitespace=True, min_length=8, max_length=200)]


class PreferenceIO(In):
    """What stands chosen for a kind of document; ``papers`` are those it can be printed on."""

    kind: Short
    paper: Short
    printer: Short = ""
    copies: Annotated[int, Field(ge=1, le=9)] = 1
    papers: list[str] = []


class PrintSetupOut(BaseModel):
    printers: list[PrinterOut]
    preferences: list[PreferenceIO]


class TemplateIO(In):
    """The shop's own things on paper: message and prices on slips, the free line on labels."""

    message: Annotated[str, StringConstraints(max_length=600)] = ""
    prices: bool = False
    label_line: Literal["", "items", "channel", "reference"] = ""
    has_logo: bool = False


class PrintIn(In):
    """What to print; empty printer and paper, and no copies, stand for what is preferred."""

    kind: Short
    shipment_ids: Ids
    client_key: Key
    sequence: Literal["selected", "shelf", "carrier"] = "selected"
    printer: Short = ""
    paper: Short = ""
    copies: Annotated[int, Field(ge=0, le=9)] = 0


class LabelsIn(In):
    """Labels by shipments or by orders; of an order the one that stands."""

    shipment_ids: Annotated[list[int], Field(max_length=MOST_ORDERS)] = []
    order_ids: Annotated[list[int], Field(max_length=MOST_ORDERS)] = []
    paper: Short = ""
    sequence: Literal["selected", "shelf", "carrier"] = "selected"


class JobOut(Out):
    id: int
    printer: str
    kind: str
    title: str
    copies: int
    state: str
    attempts: int
    last_error: str
    created_at: datetime
    printed_at: datetime | None


class JobChangeIn(In):
    what: Literal["cancel", "again", "is_printed"]


class MarkIn(In):
    """Shipments by themselves, by their orders or by a batch, printed elsewhere or not printed after all."""

    shipment_ids: Annotated[list[int], Field(max_length=MOST_ORDERS)] = []
    order_ids: Annotated[list[int], Field(max_length=MOST_ORDERS)] = []
    batch_id: int | None = None
    printed: bool = True


class MailLabelIn(In):
    shipment_id: int
    mail_to: MailTo
