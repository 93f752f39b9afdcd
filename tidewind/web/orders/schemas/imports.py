"""Bodies of spreadsheet imports."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidewind.web.base.schemas import Count, Out, Short


class FaultOut(Out):
    row: int
    field: str
    words: str


class PreviewOrder(BaseModel):
    number: str
    recipient: str
    destination: str
    items: str
    rows: list[int]


class ImportOut(BaseModel):
    """An import: the file as read, the mapping, a preview, and after running it what was made."""

    id: int
    file_name: str
    read_as: str
    state: str
    headers: list[str]
    columns: dict[str, int]
    fields: list[str]
    needed: list[str]
    missing: list[str]
    sample: list[list[str]]
    row_count: int
    good: int
    preview: list[PreviewOrder]
    faults: list[FaultOut]
    fault_rows: dict[int, list[str]]
    made: int
    already: int
    total: int
    progress: int
    weight_unit: str


class ImportSummary(Out):
    """An import in a list."""

    id: int
    file_name: str
    state: str
    made: int
    already: int
    created_at: datetime


class ColumnsIn(BaseModel):
    columns: Annotated[dict[Short, Count], Field(max_length=40)]
    weight_unit: Literal["g", "kg", "lb", "oz"] | None = None


class RowsIn(BaseModel):
    """Corrected rows: number in the file → cells."""

    rows: Annotated[
        dict[Annotated[int, Field(gt=0)], Annotated[list[str], Field(max_length=200)]], Field(max_length=500)
    ]


class Undone(BaseModel):
    """How many orders were taken back."""

    orders: int
