"""The chapters of the carrier protocol about handing over: pickups and manifests."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import date, time
from typing import Any, Literal, get_args

import httpx

from tidewind.core.addresses.check import Address
from tidewind.outside.errors import NONSENSE, NotBelieved
from tidewind.outside.http import json_in

Fetched = Literal["booked", "done", "missed", "cancelled"]
MOST_FEE = 1_000_000


@dataclass(frozen=True, slots=True)
class PickupWanted:
    """What a van is to fetch, where and when; times on the carrier's clock, grams, millimetres, minor units.

    ``instead_of`` is the key of a booked pickup that this one takes the place of.
    """

    network: str
    day: date
    start: time
    until: time
    address: Address
    spot: str
    note: str
    contact: str
    phone: str
    parcels: int
    classes: Mapping[str, int]
    gross_g: int
    heaviest_g: int
    longest_mm: int
    expected_minor: int
    account: str = ""
    manifest: str = ""
    instead_of: str = ""

    @property
    def written(self) -> dict[str, Any]:
        """The wish as it is said to a carrier."""
        plain = {name: getattr(self, name) for name in self.__dataclass_fields__}
        return {
            **plain,
            "day": self.day.isoformat(),
            "start": f"{self.start:%H:%M}",
            "until": f"{self.until:%H:%M}",
            "address": asdict(self.address),
            "classes": dict(self.classes),
        }


@dataclass(frozen=True, slots=True)
class PickupAnswer:
    """What a carrier says of a pickup: where it stands, its number, what it costs (minor units), and words."""

    state: Fetched
    confirmation: str
    fee_minor: int
    words: str = ""


def read_pickup(answer: httpx.Response) -> PickupAnswer:
    """Read an answer; one that cannot be true stands for work that may have been done.  Raises NotBelieved."""
    try:
        told: dict[str, Any] = json_in(answer)
        made = PickupAnswer(
            told["state"],
            _plain(str(told.get("confirmation", "")), 60),
            told["fee_minor"],
            _plain(str(told.get("words", "")), 300),
        )
    except KeyError as error:
        raise NotBelieved(f"it does not say {error}") from error
    except NONSENSE as error:
        raise NotBelieved(str(error)[:120]) from error
    if fault := _untrue(made):
        raise NotBelieved(fault)
    return made


def _untrue(answer: PickupAnswer) -> str:
    fee: Any = answer.fee_minor
    if answer.state not in get_args(Fetched):
        return f"{answer.state!r:.40} is no state of a pickup"
    if isinstance(fee, bool) or not isinstance(fee, int) or not 0 <= fee <= MOST_FEE:
        return f"{fee!r:.40} is no fee in minor units"
    return "no confirmation number" if answer.state == "booked" and not answer.confirmation else ""


@dataclass(frozen=True, slots=True)
class ManifestTold:
    """A closed list as it is told to a carrier: its number, and the tracking numbers that are on it."""

    number: str
    network: str
    day: date
    labels: tuple[str, ...]
    gross_g: int

    @property
    def written(self) -> dict[str, Any]:
        """The list as it is said to a carrier."""
        return {
            "number": self.number,
            "network": self.network,
            "day": self.day.isoformat(),
            "labels": list(self.labels),
            "gross_g": self.gross_g,
        }


def _plain(text: str, most: int) -> str:
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())[:most]
