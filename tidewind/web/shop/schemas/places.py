"""Bodies of places and packaging."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from tidewind.web.base.schemas import AddressIO, Count, In, InOut, Key, Out, Positive, Short


class PlaceIO(In):
    id: int | None = None
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    address: AddressIO
    pickup_spot: Short = ""
    opening_hours: Short = ""
    on_earth: Short = Field(default="", description="Latitude and longitude (WGS 84): 40.6405, -8.6538")
    is_default: bool = False


class InStockOut(Out):
    """Packaging whose pieces are counted; ``days_left`` goes by the use of the last four weeks."""

    id: int
    code: str
    name: str
    carrier: str | None
    stock: int
    low_at: int
    low: bool
    days_left: int | None


class StockIn(In):
    """How many pieces there are (null: they are not counted), and from when on that is few."""

    stock: Count | None
    low_at: Count = 0


class PackagingIO(InOut):
    id: int | None = None
    code: Annotated[str, StringConstraints(min_length=1, max_length=30, pattern=r"^[A-Za-z0-9._-]+$")]
    name: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    inner_length: Positive
    inner_width: Positive
    inner_height: Positive
    outer_length: Positive
    outer_width: Positive
    outer_height: Positive
    own_g: Count
    padding_g: Count = 0
    max_load_g: Positive
    cost_minor: Count = 0
    carrier: str | None = None
    holds_from_g: Annotated[int | None, Field(ge=0, le=1_000_000, description="Goods it is meant for, from, g")] = None
    holds_to_g: Annotated[int | None, Field(gt=0, le=1_000_000, description="Goods it is meant for, up to, g")] = None
    active: bool = True


class PackagingOrderIn(In):
    """Packaging of a carrier's own that is ordered: pieces by code.  The same ``client_key`` is the same order."""

    carrier: Annotated[str, Field(max_length=30)]
    pieces: Annotated[dict[str, Annotated[int, Field(ge=0, le=10_000)]], Field(max_length=50)]
    client_key: Key


class PackagingOrderOut(Out):
    """An order of packaging: where it stands, its number, and when it comes."""

    id: int
    carrier: str
    state: Literal["asked", "confirmed", "refused", "arrived"]
    pieces: dict[str, int]
    confirmation: str
    arrives: date | None
    words: str
    asked_by: str
    asked_at: datetime
