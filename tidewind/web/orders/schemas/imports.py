"""Bodies of spreadsheet imports."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import Count, In, Out, Short
from tidewind.web.orders.schemas.order import FieldChange


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


class SampleLine(BaseModel):
    """An encoding that fits a file about as well as another, and a line of it read so."""

    encoding: str
    line: str


class ReadingOut(BaseModel):
    """How a file was read, and what else could be meant."""

    sheets: list[str] = Field(description="Sheets to choose from; * is all with one header")
    sheet: str
    encoding: str
    delimiter: str
    header: int = Field(description="The row that holds the headers, from 1")
    doubts: list[str] = Field(description="What the guess is unsure of, in words")
    samples: list[SampleLine]
    encodings: list[str]
    left_out: str = Field(description="What of the file was not read, in words")


class ReadingIn(In):
    """How a file is to be read; empty for what the program is to find out."""

    sheet: Annotated[str, StringConstraints(max_length=120)] = ""
    encoding: Annotated[str, StringConstraints(pattern=r"^[a-z0-9_-]{0,20}$")] = ""
    delimiter: Literal["", ",", ";", "\t", "|"] = ""
    header: Annotated[int, Field(ge=1, le=1_000)] | None = None


class DifferingOut(BaseModel):
    """An order that is here already, and what the file says of it otherwise."""

    number: str
    changes: list[FieldChange]


class StateOut(Out):
    """A word that decides what becomes of rows, and how many say it.

    ``state`` of an order, to be paid at the ``door``, a line that is ``delivery`` or a ``discount`` and no goods, or
    another ``currency`` than the shop's, by its code.
    """

    text: str
    kind: Literal["state", "door", "delivery", "discount", "currency"]
    count: int
    means: Literal["open", "not", ""] = Field(
        description="Whether such an order may go, or such a line is packed; empty: it is asked"
    )


class UnreadOut(Out):
    """A column that no field takes, how many of its cells say something, and whether it must be answered first."""

    heading: str
    filled: int
    examples: list[str] = Field(description="What most of its cells say, the commonest first")
    asked: bool = Field(description="It may change what is sent: map it, or name it in left_out")


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
    looked_at: int = Field(description="So many of the first rows the preview is of; all are read when it is imported")
    good: int
    preview: list[PreviewOrder]
    faults: list[FaultOut]
    fault_rows: dict[int, list[str]]
    made: int
    already: int
    total: int
    progress: int
    weight_unit: str
    decimal: Literal["", ",", "."] = Field(description="The decimal sign of prices; empty where it is found out")
    days: Literal["", "dmy", "mdy"] = Field(
        description="Which figure of a day comes first; empty where it is found out"
    )
    states: list[StateOut]
    unread: list[UnreadOut]
    changed: int = Field(description="Orders here already that the file changes; each waits for a decision")
    reading: ReadingOut
    differing: list[DifferingOut]
    strange: list[str] = Field(description="Numbers that are here with other buyers: they become orders of their own")


class ImportSummary(Out):
    """An import in a list."""

    id: int
    file_name: str
    state: str
    made: int
    already: int
    created_at: datetime


class ColumnsIn(In):
    columns: Annotated[dict[Short, Count], Field(max_length=40)]
    weight_unit: Literal["g", "kg", "lb", "oz"] | None = None
    decimal: Literal["", ",", "."] | None = None
    days: Literal["", "dmy", "mdy"] | None = Field(None, description="Which figure of a day comes first")
    states: Annotated[dict[Short, Literal["open", "not"]], Field(max_length=100)] | None = Field(
        None, description="Whether an order that says so may go, by the state in small letters"
    )
    left_out: Annotated[list[Annotated[str, StringConstraints(max_length=120)]], Field(max_length=200)] | None = Field(
        None, description="Headings of columns that do not matter; those named before stay left out"
    )


class RowsIn(In):
    """Corrected rows: number in the file → cells."""

    rows: Annotated[
        dict[Annotated[int, Field(gt=0)], Annotated[list[str], Field(max_length=200)]], Field(max_length=500)
    ]


class Undone(BaseModel):
    """How many orders were taken back."""

    orders: int
