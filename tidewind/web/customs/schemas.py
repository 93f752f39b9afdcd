"""What the customs room says and hears."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import CustomsSaidIO, In, Out

NumberText = Annotated[str, StringConstraints(max_length=40)]


class CustomsItemOut(Out):
    """One item as it is declared; money in minor units of the order's currency, weights in g."""

    line: str
    sku: str
    name: str
    text: str
    quantity: int
    value_minor: int
    shipping_minor: int
    net_g: int
    gross_g: int
    hs_code: str
    origin: str
    free: bool = Field(description="The buyer pays nothing for it; the value is for customs only")
    said: bool = Field(description="Something of it was set for this order alone")


class NeedOut(Out):
    """One thing that is needed, and how it stands."""

    kind: str
    words: str
    why: str
    standing: Literal["there", "made", "missing", "never"]
    copies: int
    stops: bool
    about: str
    source: str


class DueOut(Out):
    """One step of what is due, in the destination's currency."""

    code: str
    words: str
    amount_minor: int
    why: str


class EstimateOut(Out):
    """What duties and taxes come to: an estimate."""

    known: bool
    currency: str
    goods_minor: int
    value_minor: int
    steps: list[DueOut]
    duty_minor: int
    tax_minor: int
    fee_minor: int
    at_sale_minor: int
    total_minor: int
    in_order_minor: int = Field(description="The same in the order's currency")
    notes: list[str]


class CustomsEditIn(CustomsSaidIO):
    """The same, by somebody who has it before them."""

    seen: Annotated[int | None, Field(description="The newest entry of the history that was shown")] = None


class CustomsOut(BaseModel):
    """An order at its border; ``border`` false where it crosses none."""

    border: bool
    bought: bool = Field(description="It stands as it was declared at the purchase")
    currency: str = ""
    leaves: str = ""
    to: str = ""
    sender_pays: bool = False
    goods_minor: int = 0
    shipping_minor: int = 0
    total_minor: int = 0
    net_g: int = 0
    gross_g: int = 0
    items: list[CustomsItemOut] = []
    needs: list[NeedOut] = []
    due: EstimateOut | None = None
    said: CustomsSaidIO = CustomsSaidIO()
    papers: list[str] = Field(default=[], description="The papers that we make")
    own_invoice: str = Field(default="", description="The file that stands for our invoice; empty for none")
    sample: bool = Field(default=False, description="The tables are samples")
    charged_minor: int | None = Field(default=None, description="What the border asked for in the end, if said")


class ChargedIn(In):
    """What a border charged, in the shop's minor units; null: nobody knows."""

    charged_minor: Annotated[int, Field(ge=0, le=100_000_000)] | None


class DutyRecordOut(Out):
    """What was estimated and what was charged for the parcels to one place where both are known."""

    to: str
    parcels: int
    estimated_minor: int
    charged_minor: int


class GoodsIn(In):
    """Goods that are no order yet, in the shop's minor units."""

    country: Annotated[str, StringConstraints(pattern="^[A-Z]{2}$")]
    postcode: Annotated[str, StringConstraints(max_length=20)] = ""
    value_minor: Annotated[int, Field(ge=0, le=100_000_000)]
    shipping_minor: Annotated[int, Field(ge=0, le=10_000_000)] = 0
    hs_code: Annotated[str, StringConstraints(pattern=r"^[0-9. ]{0,16}$")] = ""
    origin: Annotated[str, StringConstraints(pattern="^([A-Z]{2})?$")] = ""
    sender_pays: bool = False
    carrier: Annotated[str, StringConstraints(max_length=30)] = ""


class CodeOut(BaseModel):
    """A customs code that was found, its path, and for which words."""

    code: str
    text: str
    path: list[str]
    why: str


class WordsOut(BaseModel):
    """Whether a description is too vague for customs, why, and a better one."""

    vague: list[str]
    better: str


class TablesOut(BaseModel):
    """Which tables hold."""

    version: int
    name: str
    sample: bool
    rows: dict[str, int]


class NumbersIO(In):
    """The shop's own numbers by kind; an empty one is none."""

    numbers: dict[Annotated[str, StringConstraints(max_length=20)], NumberText]


class NumbersOut(NumbersIO):
    """The same, with the form of each in words."""

    forms: dict[str, str]
