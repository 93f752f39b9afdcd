"""What we need from a carrier: buy, ask what became of a purchase, cancel, follow."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import date, datetime
from typing import Any, Protocol

import httpx

from tidewind.core.tracking import TrackingState
from tidewind.outside.errors import MaybeDone, RefusedOutside
from tidewind.outside.http import call


@dataclass(frozen=True, slots=True)
class WantedParcel:
    """One parcel of a purchase."""

    gross_g: int
    sides_mm: tuple[int, int, int]
    packaging: str | None


@dataclass(frozen=True, slots=True)
class Wanted:
    """A purchase as a carrier needs it."""

    service: str
    country: str
    postcode: str
    home: bool
    recipient: dict[str, str]
    value_minor: int
    contents: list[str]
    extras: list[str]
    po_box: bool
    ship_date: date
    reference: str
    parcels: list[WantedParcel]


@dataclass(frozen=True, slots=True)
class SoldParcel:
    """One parcel of a carrier's answer."""

    tracking_number: str
    routing: str


@dataclass(frozen=True, slots=True)
class Sold:
    """A carrier's answer: what it charges (minor units) and a number for each parcel."""

    price_minor: int
    parcels: tuple[SoldParcel, ...]


@dataclass(frozen=True, slots=True)
class CarrierEvent:
    """One tracking event in our states."""

    at: datetime
    state: TrackingState
    words: str
    spot: str


class CarrierClient(Protocol):
    """A carrier, whoever it is."""

    def buy(self, key: str, wanted: Wanted) -> Sold:
        """Buy labels under an idempotency key.  Raises NeverSent, MaybeDone or RefusedOutside."""

    def find(self, key: str) -> Sold | None:
        """Return what was sold under a key, None where nothing was.  Raises NeverSent or MaybeDone."""

    def cancel(self, key: str) -> None:
        """Cancel what was sold under a key; asking twice is harmless."""

    def events(self, tracking_number: str) -> list[CarrierEvent]:
        """Return a parcel's events so far, oldest first."""


STATES = {
    "N00": TrackingState.ANNOUNCED, "N10": TrackingState.ACCEPTED, "N20": TrackingState.MOVING,
    "N40": TrackingState.OUT_FOR_DELIVERY, "N50": TrackingState.DELIVERED,
    "DATA": TrackingState.ANNOUNCED, "PICK": TrackingState.ACCEPTED, "LINE": TrackingState.MOVING,
    "TOUR": TrackingState.OUT_FOR_DELIVERY, "POD": TrackingState.DELIVERED,
}  # fmt: skip


class HttpCarrier:
    """A carrier reached by JSON over HTTP."""

    def __init__(self, base_url: str, timeout_s: float) -> None:
        self._client = httpx.Client(base_url=base_url, timeout=httpx.Timeout(timeout_s, connect=2.0))

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    def buy(self, key: str, wanted: Wanted) -> Sold:
        """See CarrierClient."""
        body = {**asdict(wanted), "ship_date": wanted.ship_date.isoformat()}
        answer = call(self._client, "POST", "/shipments", json=body, headers={"Idempotency-Key": key})
        return _sold(answer)

    def find(self, key: str) -> Sold | None:
        """See CarrierClient."""
        try:
            return _sold(call(self._client, "GET", f"/shipments/{key}"))
        except RefusedOutside as refusal:
            if refusal.reason == "unknown_key":
                return None
            raise

    def cancel(self, key: str) -> None:
        """See CarrierClient."""
        call(self._client, "POST", f"/shipments/{key}/cancel")

    def events(self, tracking_number: str) -> list[CarrierEvent]:
        """See CarrierClient."""
        answer = call(self._client, "GET", f"/tracking/{tracking_number}").json()
        return [
            CarrierEvent(datetime.fromisoformat(e["at"]), STATES[e["code"]], e["words"][:200], e["spot"][:120])
            for e in answer["events"]
            if e["code"] in STATES
        ]


def _sold(answer: httpx.Response) -> Sold:
    """Read an answer; an answer that cannot be read may stand for work that was done."""
    try:
        body: dict[str, Any] = answer.json()
        told = body["shipment"] if answer.status_code == 409 else body
        parcels = tuple(SoldParcel(str(p["tracking_number"]), str(p["routing"])) for p in told["parcels"])
        return Sold(int(told["price_minor"]), parcels)
    except (ValueError, KeyError, TypeError) as error:
        raise MaybeDone("an answer that makes no sense") from error
