"""Bodies of the packing bench."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, model_validator

from tidewind.core.bench.weighing import Reading
from tidewind.services.bench import BenchSettings
from tidewind.web.base.schemas import In, InOut, Out


class BenchScanIn(In):
    """What a scanner brought in, or a hand typed; with the same ``client_key`` again it counts once."""

    code: Annotated[str, Field(max_length=500)]
    client_key: Annotated[str, Field(max_length=40)] = ""


class WeightIn(In):
    """What a scale shows; without grams it does not answer."""

    grams: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] | None = None
    stable: bool = True
    overload: bool = False
    fresh: bool = Field(True, description="The scale was empty since this parcel is to be weighed")

    @property
    def reading(self) -> Reading | None:
        """The reading, None where the scale does not answer."""
        return None if self.grams is None else Reading(self.grams, self.stable, self.overload, self.fresh)


class ChoiceOut(BaseModel):
    """One of several orders that a scan can mean, and the code that means it alone."""

    code: str
    words: str


class SaidOut(BaseModel):
    """What the last scan meant: right, wrong or neither, a big word, a sentence, and what the page is to do."""

    kind: Literal["", "right", "wrong", "note"] = ""
    word: str = ""
    words: str = ""
    act: Literal["", "weigh", "photo", "help"] = ""
    choices: list[ChoiceOut] = Field([], description="What could be meant: the code to send for each")
    order: str = Field("", description="The id of an order that somebody must decide about; empty where there is none")
    packing: str = Field("", description="The parcel that a picture taken now is of")

    @model_validator(mode="before")
    @classmethod
    def _read(cls, said: dict[str, str]) -> dict[str, Any]:
        """Read the choices, which a bench keeps as a code and its words each."""
        chosen = [words.partition(" ") for name, words in said.items() if name.startswith("choice_")]
        kept = {name: value for name, value in said.items() if not name.startswith("choice_")}
        return {"choices": [{"code": code, "words": words} for code, _, words in chosen], **kept}


class BenchLineOut(Out):
    """An item, and how many of it are in."""

    sku: str
    name: str
    shelf: str
    parcel: int
    counted: int
    pieces: int
    next: bool
    confirms: bool


class PackingFactsOut(Out):
    """What stands beside the items."""

    number: str
    to: str
    service: str
    boxes: list[str]
    expected_g: list[int]
    labelled: bool
    note: str


class WeighedOut(Out):
    """What the parcel on the scale should weigh, in grams."""

    expected_g: int
    tolerance_g: int


class BenchSettingsIO(InOut):
    """How the shop packs; ``share_bp`` is the tolerance in hundredths of a per cent."""

    weighs: bool = False
    share_bp: Annotated[int, Field(ge=0, le=10_000)] = 300
    least_g: Annotated[int, Field(ge=0, le=100_000)] = 30
    scale_address: Annotated[str, Field(max_length=120)] = ""

    @property
    def settings(self) -> BenchSettings:
        """The settings as services know them."""
        return BenchSettings(self.weighs, self.share_bp, self.least_g, self.scale_address)


class LaidAsideOut(Out):
    """A packed parcel that lies aside with its slip: its label is awaited, has come, or was refused."""

    order_id: int
    number: str
    kind: Literal["waits", "come", "refused"]
    words: str
    printed: bool


class BenchOut(Out):
    """Everything that a bench shows: one instruction, its items, what the last scan meant."""

    name: str
    packer: str
    phase: Literal["await", "items", "serial", "weigh", "buying", "stopped"]
    headline: str
    sub: str
    said: SaidOut
    lines: list[BenchLineOut]
    facts: PackingFactsOut | None
    parcel: int
    weights_g: list[int]
    scale: WeighedOut | None
    packing_id: int | None
    order_id: int | None
    packed_today: int
    mistakes_today: int
    settings: BenchSettingsIO
    asides: list[LaidAsideOut] = Field(description="Parcels laid aside here, the oldest first")
    printer: str = Field(description="What keeps labels of this bench from paper; empty where nothing does")
    changed: str = Field(description="What the channel did to the open order since it was opened; empty for nothing")


class PhotoOut(Out):
    """A picture of a packed parcel."""

    id: int
    packing_id: int
    at: datetime


class PackedByOut(Out):
    """What somebody packed on a day."""

    day: str
    person: str
    parcels: int
    minutes: int
    mistakes: int
