"""Bodies of products, contacts and lists of restricted parties."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from tidewind.web.base.schemas import AddressIO, Contents, In, Out, Short, Side

Word = Annotated[str, StringConstraints(max_length=40, strip_whitespace=True)]


class ProductIO(Out):
    """A product of the catalogue; weight in g, sides in mm, value in minor units."""

    sku: str
    name: str
    barcode: str
    weight_g: int | None
    length_mm: int | None
    width_mm: int | None
    height_mm: int | None
    value_minor: int
    customs_text: str
    material: str
    used_for: str
    hs_code: str
    origin: str
    shelf: str
    recipe: str
    own_box: bool
    upright: bool
    no_weekend: bool
    not_stackable: bool
    contents: list[str]
    tags: list[str]
    serial: bool
    parts: list[str]
    learned_from: str
    in_stock: int | None = Field(None, description="Pieces left to sell; null where they were never counted")
    stock_counted_at: datetime | None = Field(None, description="When they were counted last")


class ShelfCountIn(In):
    """What was counted on the shelf, by SKU, with what waits there to be packed; null counts no more."""

    counted: Annotated[
        dict[Annotated[str, StringConstraints(max_length=60)], Annotated[int, Field(ge=0, le=1_000_000)] | None],
        Field(min_length=1, max_length=5_000),
    ]


class ProductPage(BaseModel):
    products: list[ProductIO]
    matching: int
    next: str | None


class ProductChanges(BaseModel):
    """What to change; a field left out stays as it is."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, StringConstraints(min_length=1, max_length=200)] = "-"
    barcode: Word = ""
    weight_g: Annotated[int, Field(gt=0, le=1_000_000)] | None = None
    length_mm: Side | None = None
    width_mm: Side | None = None
    height_mm: Side | None = None
    value_minor: Annotated[int, Field(ge=0, le=100_000_000)] = 0
    customs_text: Annotated[str, StringConstraints(max_length=200)] = ""
    material: Short = ""
    used_for: Short = ""
    hs_code: Annotated[str, StringConstraints(pattern=r"^[0-9.]{0,12}$")] = ""
    origin: Annotated[str, StringConstraints(pattern="^([A-Z]{2})?$")] = ""
    shelf: Annotated[str, StringConstraints(max_length=20)] = ""
    recipe: Word = ""
    own_box: bool = False
    upright: bool = False
    no_weekend: bool = False
    not_stackable: bool = False
    contents: Annotated[list[Contents], Field(max_length=4)] = []
    tags: Annotated[list[Word], Field(max_length=20)] = []
    serial: Annotated[bool, Field(description="Each piece has a number of its own, taken when it is packed")] = False
    parts: Annotated[list[Word], Field(max_length=20, description="SKUs that a set is made of, “2x SKU” for two")] = []


class ProductsEdit(In):
    skus: Annotated[list[Annotated[str, StringConstraints(max_length=60)]], Field(min_length=1, max_length=5_000)]
    set: ProductChanges


class ContactIO(In):
    id: int | None = None
    code: Annotated[str, StringConstraints(max_length=30, strip_whitespace=True)] = ""
    home: bool = True
    address: AddressIO


class SuggestionOut(BaseModel):
    source: str
    label: str
    address: AddressIO


class ParsedOut(BaseModel):
    """A copied address in fields; ``unsure`` names the fields to look at, with the reason."""

    address: AddressIO
    unsure: dict[str, str]


class CopiedIn(In):
    """An address as it stands in a mail or on a page; its country, where none is written: the shop's own."""

    text: Annotated[str, StringConstraints(max_length=5_000)]
    home_country: Annotated[str, StringConstraints(pattern="^([A-Z]{2})?$")] = ""


class BroughtIn(In):
    """What a file brought."""

    made: int
    known: int
    odd: list[str]


class ListOut(BaseModel):
    """A list of restricted parties."""

    source: str
    entries: int


class MatchOut(BaseModel):
    key: str
    source: str
    names: list[str]
    country: str
    score: int
    words: str


class ClearanceOut(BaseModel):
    order_id: int
    order_number: str
    party: str
    words: str
    reason: str
    who: str
    at: datetime
