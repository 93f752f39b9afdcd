"""What we need from a carrier: buy, ask what became of a purchase, cancel, follow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime
from typing import Any, Literal, Protocol

from tidewind.core.addresses.check import Address
from tidewind.core.consignments import Consignment, write_consignment
from tidewind.core.tariffs.asked import AskedService
from tidewind.core.tariffs.live import LiveAnswer, Question
from tidewind.core.tracking.states import TrackingState
from tidewind.core.wishing import Wish
from tidewind.outside.handing_over import ManifestTold, PickupAnswer, PickupWanted


@dataclass(frozen=True, slots=True)
class Purchase:
    """What goes, and what a carrier needs to sell its labels: the service, who gets it, who pays, on which day.

    ``customs`` is what is declared where a border is crossed (``core/customs/written``), else None.
    ``expected_minor`` is the price that the shop reckons with; the carrier's own is the one that counts.
    """

    consignment: Consignment
    service: str
    recipient: Address
    ship_date: date
    reference: str
    bill_to: str = ""
    account: str = ""
    expected_minor: int = 0
    customs: dict[str, Any] | None = None

    @property
    def written(self) -> dict[str, Any]:
        """The purchase as it is said to a carrier."""
        said = {name: getattr(self, name) for name in ("service", "reference", "bill_to", "account", "expected_minor")}
        return {
            **said,
            "consignment": write_consignment(self.consignment),
            "recipient": asdict(self.recipient),
            "ship_date": self.ship_date.isoformat(),
            **({"customs": self.customs} if self.customs else {}),
        }


@dataclass(frozen=True, slots=True)
class SoldParcel:
    """One parcel of a carrier's answer; without a number where the carrier gives it on collection."""

    tracking_number: str
    routing: str


@dataclass(frozen=True, slots=True)
class Sold:
    """A carrier's answer: what it charges (minor units) and a number for each parcel."""

    price_minor: int
    parcels: tuple[SoldParcel, ...]


@dataclass(frozen=True, slots=True)
class VoidAnswer:
    """What a carrier says about a void, and its words where it refused."""

    state: Literal["pending", "refunded", "refused"]
    words: str = ""


@dataclass(frozen=True, slots=True)
class SoldReturn:
    """A label for the way back, and what it will cost (minor units) when it is first scanned."""

    price_minor: int
    parcel: SoldParcel


@dataclass(frozen=True, slots=True)
class CarrierEvent:
    """One tracking event in our states; None for a ``code`` of the carrier that nobody has said the meaning of.

    ``id`` is the carrier's own, if it has any; ``takes_back`` names an event that this one takes back.
    """

    at: datetime
    state: TrackingState | None
    words: str
    spot: str
    code: str = ""
    reason: str = ""
    id: str = ""
    takes_back: str = ""


class CarrierClient(Protocol):
    """A carrier, whoever it is."""

    def quotes(self, question: Question, now: datetime) -> LiveAnswer:
        """Ask what each service costs on a ship date.  Raises NeverSent, MaybeDone or RefusedOutside.

        Asking costs nothing.
        """

    def buy(self, key: str, purchase: Purchase) -> Sold:
        """Buy labels under an idempotency key.  Raises NeverSent, MaybeDone or RefusedOutside."""

    def find(self, key: str) -> Sold | None:
        """Return what was sold under a key, None where nothing was.  Raises NeverSent or MaybeDone."""

    def cancel(self, key: str) -> None:
        """Take a key back: what was sold under it is cancelled, and nothing will be.  Asking twice is harmless.

        Raises NeverSent, MaybeDone, or RefusedOutside where the carrier does not take it back any more.
        """

    def void(self, key: str) -> VoidAnswer:
        """Ask for a void; asking twice is harmless.  Raises NeverSent, MaybeDone or RefusedOutside."""

    def void_state(self, key: str) -> VoidAnswer | None:
        """Return what became of a void, None where none was asked.  Raises NeverSent or MaybeDone."""

    def make_return(self, key: str, own_key: str, service: str) -> SoldReturn:
        """Make a label for the way back of what was sold under ``key``; repeated with ``own_key`` it is the same one.

        Raises NeverSent, MaybeDone or RefusedOutside.
        """

    def order_packaging(self, key: str, pieces: Mapping[str, int], to: Address) -> tuple[str, date | None]:
        """Order the carrier's own packaging under an idempotency key; return its number, and when it comes.

        Raises NeverSent, MaybeDone or RefusedOutside.
        """

    def points(self, country: str, postcode: str) -> list[Mapping[str, str]]:
        """Return drop-off points near a postcode, as rows of texts.  Raises NeverSent, MaybeDone or RefusedOutside."""

    def events(self, tracking_number: str) -> list[CarrierEvent]:
        """Return a parcel's events so far, oldest first."""

    def events_of(self, numbers: Sequence[str]) -> Mapping[str, Sequence[CarrierEvent]]:
        """Return the events of many parcels; of whom nothing can be believed is not among them.

        Raises NeverSent or MaybeDone where the carrier does not answer.
        """

    def wish(self, tracking_number: str, key: str, wish: Wish) -> None:
        """Tell what the recipient wishes of a parcel; the same key is the same wish.

        Raises NeverSent, MaybeDone, or RefusedOutside where the carrier will not.
        """

    def subscribe(self, url: str) -> None:
        """Ask the carrier to tell events at an address as they happen.  Raises NeverSent, MaybeDone, RefusedOutside."""

    def book_pickup(self, key: str, wanted: PickupWanted) -> PickupAnswer:
        """Ask for a van under an idempotency key.  Raises NeverSent, MaybeDone or RefusedOutside."""

    def find_pickup(self, key: str) -> PickupAnswer | None:
        """Return where a pickup stands, None where none was booked under this key.  Raises NeverSent or MaybeDone."""

    def cancel_pickup(self, key: str) -> None:
        """Take a pickup back, booked or not: no van comes under this key any more.  Asking twice is harmless.

        Raises NeverSent, MaybeDone, or RefusedOutside where it is too late for that.
        """

    def tell_manifest(self, key: str, manifest: ManifestTold) -> None:
        """Tell which parcels are on a closed list; repeated with the same key it is the same list.

        Raises NeverSent, MaybeDone or RefusedOutside.
        """

    def take_manifest_back(self, key: str) -> None:
        """Say that a list is opened again; asking twice is harmless.  Raises as ``tell_manifest`` does."""


@dataclass(frozen=True, slots=True)
class Introduction:
    """What a carrier says of itself: who it is, what it can do, what its tracking codes mean, and its rate cards.

    One without a card may name its services; their prices are asked for each shipment.
    """

    code: str
    name: str
    monogram: str
    latin_only: bool
    can: frozenset[str]
    states: Mapping[str, str]
    cards: tuple[Mapping[str, Any], ...]
    services: tuple[AskedService, ...] = ()
