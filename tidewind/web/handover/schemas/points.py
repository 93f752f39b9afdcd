"""Bodies of drop-off points, and of the ways in which a departure can leave."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, model_validator

from tidewind.services.handover import PointSeen, Ways
from tidewind.web.base.schemas import In, Out
from tidewind.web.handover.schemas.clock import Clock
from tidewind.web.handover.schemas.departing import DepartureIn
from tidewind.web.handover.schemas.today import FetchingOut


class StaysOut(BaseModel):
    """A parcel that a point does not take, by its order's number, and why."""

    order_number: str
    words: str


class PointOut(Out):
    """A drop-off point as it is for a departure; ``refused`` says why it takes nothing on that day."""

    code: str
    name: str
    kind: Literal["shop", "locker", "counter"]
    street: str
    postcode: str
    city: str
    hours: str
    distance_m: int | None = Field(description="As the crow flies, from where parcels leave; None: not known")
    opens: Clock | None
    closes: Clock | None
    refused: str
    chosen: bool
    stays: list[StaysOut]

    @model_validator(mode="before")
    @classmethod
    def _flat(cls, seen: Any) -> Any:
        if not isinstance(seen, PointSeen):
            return seen
        names = ("code", "name", "kind", "street", "postcode", "city", "hours")
        reached = {name: getattr(seen.reached, name) for name in ("distance_m", "opens", "closes", "refused")}
        stays = [{"order_number": number, "words": words} for number, words in seen.stays]
        return {**{n: getattr(seen.point, n) for n in names}, **reached, "chosen": seen.chosen, "stays": stays}


class PointsOut(BaseModel):
    """How many points a carrier has now, and what was left out of the file, by row."""

    points: int
    wrong: list[str]


class WaysIn(In):
    """The departures that are about to get labels."""

    departures: Annotated[list[DepartureIn], Field(max_length=20)]


class WaysOut(Out):
    """How a departure can leave: fetched (None: nobody comes), or brought to one of the nearest points.

    ``pickup`` is where a van that was asked for stands.
    """

    carrier: str
    network: str
    name: str
    monogram: str
    day: date
    cutoff_at: datetime
    currency: str
    state: Literal["open", "closed", "handed_over", "missed"]
    fetching: FetchingOut | None
    pickup: Literal["asked", "booked", "refused", "cancelling", "cancelled", "done", "missed"] | None
    brought: bool
    points: list[PointOut]

    @model_validator(mode="before")
    @classmethod
    def _of_lane(cls, ways: Any) -> Any:
        if not isinstance(ways, Ways):
            return ways
        own = {name: getattr(ways.lane, name) for name in cls.model_fields if name not in ("pickup", "points")}
        return {**own, "pickup": ways.lane.pickup.state if ways.lane.pickup else None, "points": ways.points}
