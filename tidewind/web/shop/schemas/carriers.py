"""Carriers and rate cards as they go over HTTP."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.core.numbering import RangeKind
from tidewind.web.base.schemas import In, Out, Short


class ServiceOnCard(BaseModel):
    """A service of the card in force, and whether one of the accounts uses it."""

    code: str
    name: str
    kind: str
    on: bool
    zones: list[str]


class CardVersionOut(BaseModel):
    """One version of a rate card."""

    id: int
    valid_from: date
    valid_until: date | None
    source: str
    state: Literal["past", "in_force", "to_come"]


class AccountOut(Out):
    """An account with a carrier: its number, what it takes off (basis points), the services not used on it."""

    id: int
    number: str
    name: str
    active: bool
    payer: Literal["balance", "account"]
    discounts_bp: dict[str, int]
    services_off: list[str]


class RangeIn(In):
    """Numbers that a carrier gave: `s10` (letters, country), `sscc` (extension, company prefix) or `counter`."""

    kind: RangeKind
    prefix: Annotated[str, Field(max_length=20)] = ""
    country: Annotated[str, Field(max_length=2)] = ""
    digits: Annotated[int, Field(ge=1, le=12)] = 8
    check: bool = Field(False, description="A counter's GS1 check digit")
    first: Annotated[int, Field(ge=0, lt=10**17)]
    last: Annotated[int, Field(ge=0, lt=10**17)]
    warn_at: Annotated[int, Field(ge=0, le=1_000_000)] = Field(100, description="So many left make Today warn")


class RangeOut(BaseModel):
    """A range: first and last number as printed, the one drawn next (empty where it is used up), how many are left."""

    id: int
    first: str
    last: str
    next: str
    left: int
    used: int
    low: bool


class NumberIn(In):
    """The number that a carrier put on a parcel."""

    number: Annotated[str, Field(min_length=1, max_length=60)]


class CarrierOut(BaseModel):
    """A carrier: the accounts with it, its services and card versions (newest first)."""

    code: str
    name: str
    monogram: str
    kind: Literal["list", "protocol"] = Field(description="`list`: not asked; its labels are the shop's own")
    active: bool
    ranges: list[RangeOut] = Field(description="Numbers it gave for labels of the shop's own, in the order of use")
    numbers_left: int
    asks_prices: bool
    latin_only: bool
    claim_days: int | None = Field(description="Claims count for so many days; null: as most carriers have it")
    accounts: list[AccountOut]
    services: list[ServiceOnCard]
    versions: list[CardVersionOut]


class ConnectCarrierIn(In):
    """Where a carrier that speaks the open protocol is reached, its key, and the shop's account with it."""

    address: Annotated[str, StringConstraints(strip_whitespace=True, min_length=8, max_length=200)]
    # It goes into a header, which has no other letters (RFC 9110, 5.5).
    key: Annotated[str, StringConstraints(strip_whitespace=True, max_length=400, pattern=r"^[!-~]*$")] = ""
    account: Annotated[str, Field(max_length=40)] = ""
    payer: Literal["balance", "account"] = "account"


class TakenOnOut(BaseModel):
    """A carrier that was taken on: how many of its rate cards hold, and in words why others do not."""

    carrier: CarrierOut
    cards: int
    left_out: list[str]


class CarrierIn(In):
    """Whether a carrier is used."""

    active: bool


class ClaimDaysIn(In):
    """For how many days a carrier takes claims."""

    days: Annotated[int, Field(ge=1, le=365)] | None


class AccountIn(In):
    """What to change; what is left out stays.  A new account needs its number."""

    services_off: Annotated[list[Short], Field(max_length=200)] | None = None
    discounts_bp: Annotated[dict[str, int], Field(max_length=200)] | None = None
    active: bool | None = None
    number: Annotated[str, Field(max_length=40)] | None = None
    name: Annotated[str, Field(max_length=80)] | None = None
    payer: Literal["balance", "account"] | None = None


class RehearseAccountIn(AccountIn):
    """A change to try; without an id it is a new account."""

    id: int | None = None


class CardOut(BaseModel):
    """One version: as written (docs/rate-card.md), and as tables."""

    id: int
    written: dict[str, Any]
    tables: dict[str, list[list[str]]]


class ChangedOut(Out):
    where: str
    before: str
    after: str


class ProposalOut(BaseModel):
    """What an uploaded card changes against the version before it, or everything that is wrong with it."""

    errors: list[str]
    changes: list[ChangedOut]
    total_changes: int
    valid_from: date | None
    against: date | None
    ends: date | None = Field(description="The day on which the version before it will end")
