"""Bodies of the checkout: what a store sends and gets, and what the shop's own page does."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.web.base.schemas import Count, In, Out, Short

Minor = Annotated[int, Field(ge=0, le=100_000_000)]


class BasketLineIn(In):
    """One line of a basket: a product by its SKU, how many, and what a piece costs."""

    sku: Annotated[str, Field(min_length=1, max_length=60)]
    quantity: Annotated[int, Field(ge=1, le=2_000)]
    unit_price_minor: Minor = 0


class BasketIn(In):
    """A basket and where it goes.  Nothing personal is needed: country, postcode, city and region are enough."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {
                    "lines": [{"sku": "TR-02", "quantity": 2, "unit_price_minor": 1890}],
                    "country": "PT",
                    "postcode": "3500-108",
                    "language": "pt",
                }
            ]
        },
    )
    lines: Annotated[list[BasketLineIn], Field(min_length=1, max_length=100)]
    country: Annotated[str, Field(pattern="^[A-Z]{2}$", description="ISO 3166-1 alpha-2")]
    postcode: Annotated[str, Field(max_length=20)] = ""
    city: Short = ""
    region: Short = ""
    discount_minor: Minor = 0
    channel: Annotated[str, Field(max_length=60, description="The channel's code, where offers differ by it")] = ""
    customer_group: Annotated[str, Field(max_length=60)] = ""
    language: Annotated[str, Field(max_length=20, description="BCP 47; names are in it where there are such")] = ""
    business: Annotated[bool, Field(description="Whether it goes to a business and not to a home")] = False


class ShownOut(BaseModel):
    """One line that the shopper sees; the arrival is none, a day, or a span of two."""

    code: str
    name: str
    reference: str = Field(description="To be handed back with the order, so that it goes as it was sold")
    price_minor: int
    arrives_from: date | None
    arrives_by: date | None
    to_free_minor: int | None = Field(description="So much more in the basket and it is free; 0: it is; none: never")
    duties_minor: int | None = Field(
        description="What the recipient is asked for at the border, an estimate; none: no border, or unknown"
    )


class OffersOut(BaseModel):
    """What a basket is offered, in the order in which it is shown.  ``version`` says by which state of the offers."""

    version: int
    currency: str
    offers: list[ShownOut]


class PriceStepOut(Out):
    """One step on the way to a price, and the price after it."""

    words: str
    price: int


class OfferedOut(Out):
    """A line with every step to its price, for the shop's own eyes."""

    code: str
    name: str
    price: int
    source: Literal["live", "own", "fallback"]
    steps: list[PriceStepOut]
    service: str
    earliest: date | None
    latest: date | None
    to_free: int | None
    duties: int | None
    vat: int


class AbsentOut(Out):
    """An offer that the basket does not get, and why."""

    code: str
    name: str
    why: str


class BasketTriedOut(BaseModel):
    """What a basket would be offered, how it was packed, and what stands in the way of saving the offers."""

    errors: list[str]
    faults: dict[str, list[TableFaultOut]]
    offered: list[OfferedOut]
    absent: list[AbsentOut]
    packed: str
    gross_g: int | None
    parcels: int
    assumed: list[str]
    refused: str
    currency: str
    took_ms: int


class TableFaultOut(Out):
    """Something wrong with a table: its row and band (from 0; none: all of it), in words."""

    row: int | None
    band: int | None
    words: str


class TablesReadOut(BaseModel):
    """The tables of a file as they are written in the checkout, and what is wrong with them; nothing is saved."""

    tables: list[dict[str, Any]]
    wrong: list[str]


class RehearseOffersIn(In):
    """Offers that are rehearsed over the last 90 days; with an offer's code, its curve as it is turned, too."""

    body: dict[str, Any]
    offer: Annotated[str, Field(max_length=30)] = ""
    turn: Literal["free", "percent", "flat"] = "free"
    rising_bp: Annotated[int, Field(ge=0, le=10_000, description="How many of the baskets just below would rise")] = 0


class ByOfferOut(Out):
    """What the orders of one offer would have paid, and what they cost."""

    name: str
    orders: int
    paid: int
    cost: int


class AtValueOut(Out):
    """The margin, were the offer turned to a value, and how many orders would go free."""

    value: int
    margin: int
    free: int


class OffersRehearsedOut(BaseModel):
    """What the last 90 days would have paid by these offers, by those in force, and really; minor units."""

    days: int
    currency: str
    orders: int
    cost_minor: int
    really_paid_minor: int
    would_pay_minor: int
    in_force_minor: int
    offers: list[ByOfferOut]
    without: int
    without_numbers: list[str]
    curve: list[AtValueOut]
    proposed: AtValueOut | None


class SoldByOfferOut(Out):
    """What buyers paid for sending by one version of an offer, and what sending their orders cost, in minor units."""

    offer: str
    version: int
    name: str
    orders: int
    paid: int
    cost: int


class CaseIn(In):
    """A basket to be kept under a name, with what it is offered now."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    basket: BasketIn


class RunCasesIn(In):
    """Offers with which the kept baskets are tried; nothing is saved."""

    body: dict[str, Any]


class MovedOut(Out):
    """An offer's price before and now; none where it was not there, or is no more."""

    name: str
    before: int | None
    after: int | None


class CaseOut(Out):
    """A kept basket: what moved since somebody last looked; nothing where all is as it was."""

    id: int
    name: str
    basket: BasketIn
    moved: list[MovedOut]


class CheckoutVersionOut(Out):
    """A version of the offers: what was said of it, and since when it holds."""

    id: int
    note: str
    holds_from: datetime
    created_at: datetime


class CheckoutOut(BaseModel):
    """The offers and tables as they were saved last, in the form of docs/checkout.md; version 0 before the first."""

    version: int
    in_force: int
    holds_from: datetime | None
    body: dict[str, Any]
    services: dict[str, str]
    channels: dict[str, str]
    places: list[str]
    versions: list[CheckoutVersionOut]


class CheckoutIn(In):
    """Offers and tables to be saved as another version, which holds from a moment on; none: from now."""

    body: dict[str, Any]
    base_version: Count
    note: Annotated[str, Field(max_length=200)] = ""
    holds_from: datetime | None = None


class TryIn(In):
    """Offers and tables that are tried with a basket; nothing is saved."""

    body: dict[str, Any]
    basket: BasketIn


BasketTriedOut.model_rebuild()
