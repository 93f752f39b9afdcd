"""What a buyer may see of an order's parcels: by an unguessable key, in one question, and nothing else of the order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from zoneinfo import ZoneInfo

from sqlalchemy import Connection, select, text
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.earth import Drawn, Stop, StopKind, drawn, spot_of
from tidewind.core.states.labels import LabelState
from tidewind.core.states.wishes import WishState
from tidewind.core.stored import read_address
from tidewind.core.tracking.folding import how_far
from tidewind.core.tracking.states import FINAL, TrackingState
from tidewind.core.wishing import WishKind
from tidewind.db.tables import Shipment
from tidewind.services.base import NotFound


@dataclass(frozen=True, slots=True)
class SeenEvent:
    """Something a carrier said of a parcel, in our states."""

    at: datetime
    state: TrackingState
    words: str
    spot: str


@dataclass(frozen=True, slots=True)
class SeenParcel:
    """A parcel's number and where it stands."""

    number: str
    state: TrackingState


@dataclass(frozen=True, slots=True)
class SeenWish:
    """What the buyer wished last of a delivery, and where that stands."""

    kind: WishKind
    day: date | None
    state: WishState


@dataclass(frozen=True, slots=True)
class SeenPoint:
    """The locker or counter that a parcel was sent to; its hours as it says them."""

    name: str
    street: str
    postcode: str
    city: str
    hours: str


@dataclass(frozen=True, slots=True)
class SeenShipment:
    """What went by one service: where it stands, its parcels, its events with the newest first."""

    key: str
    state: TrackingState
    carrier: str
    service_name: str
    arrives: date | None
    sent_from: Address
    goes_to: Address
    parcels: tuple[SeenParcel, ...]
    events: tuple[SeenEvent, ...]
    can: tuple[str, ...] = ()
    wish: SeenWish | None = None
    point: SeenPoint | None = None

    @property
    def some_are_behind(self) -> bool:
        """Whether its parcels stand differently."""
        return bool(how_far([parcel.state for parcel in self.parcels]))


@dataclass(frozen=True, slots=True)
class BuyersView:
    """An order as its buyer sees it; the shipment whose key was asked for comes first."""

    brand: str
    zone: ZoneInfo
    order_number: str
    shipments: tuple[SeenShipment, ...]

    @property
    def shipment(self) -> SeenShipment:
        """The one that was asked for."""
        return self.shipments[0]


# One question for all of it: this page is looked at more often than all others together.
_VIEW = text("""
    select s.tracking_key, s.tracking_state, coalesce(c.name, s.carrier), s.service_name, s.arrives, s.sender,
      s.address, o.number, coalesce(nullif(ch.brand, ''), shop.brand), shop.time_zone,
      (select json_agg(json_build_array(l.tracking_number, l.tracking_state) order by l.parcel_no)
         from label l where l.shipment_id = s.id),
      (select json_agg(json_build_array(e.at, e.state, e.words, e.spot) order by e.at desc, e.id desc)
         from tracking_event e join label l on l.id = e.label_id where l.shipment_id = s.id and e.state <> ''),
      c.can,
      (select json_build_array(w.kind, w.day, w.state)
         from parcel_wish w where w.shipment_id = s.id order by w.id desc limit 1),
      (select json_build_array(p.name, p.street, p.postcode, p.city, p.hours)
         from drop_off_point p where p.carrier = s.carrier and p.code = o.hand ->> 'point')
    from shipment asked
    join shipment s on s.order_id = asked.order_id and s.state = any(:travels)
    join customer_order o on o.id = s.order_id
    join channel ch on ch.id = o.channel_id
    cross join shop
    left join carrier c on c.code = s.carrier
    where asked.tracking_key = :key and asked.state = any(:travels)
    order by s.id <> asked.id, s.id
""")


def buyers_view(session: Session | Connection, tracking_key: str) -> BuyersView:
    """Return what the buyer may see of the order a key is of.  Raises NotFound."""
    rows = session.execute(_VIEW, {"key": tracking_key, "travels": list(LabelState.TRAVELS)}).all()
    if not rows:
        raise NotFound("unknown_parcel", "There is no parcel at this address. Check the link in your mail.")
    number, brand, zone = rows[0][7:10]
    return BuyersView(brand, ZoneInfo(zone), number, tuple(_shipment(*row[:7], *row[10:]) for row in rows))


def _shipment(
    key: str,
    state: str,
    carrier: str,
    service: str,
    arrives: date | None,
    sent_from: dict[str, str],
    goes_to: dict[str, str],
    parcels: Sequence[tuple[str | None, str]] | None,
    events: Sequence[tuple[str, str, str, str]] | None,
    can: Sequence[str] | None,
    wish: tuple[WishKind, str | None, str] | None,
    point: tuple[str, str, str, str, str] | None,
) -> SeenShipment:
    return SeenShipment(
        key,
        TrackingState(state),
        carrier,
        service,
        arrives,
        read_address(sent_from),
        read_address(goes_to),
        tuple(SeenParcel(number or "", TrackingState(stands)) for number, stands in parcels or ()),
        tuple(SeenEvent(datetime.fromisoformat(at), TrackingState(one), *rest) for at, one, *rest in events or ()),
        tuple(can or ()),
        SeenWish(wish[0], date.fromisoformat(wish[1]) if wish[1] else None, WishState(wish[2])) if wish else None,
        SeenPoint(*point) if point else None,
    )


def way_of_order(session: Session, order_id: int) -> Drawn | None:
    """Return the way of what was last sent of an order; None before anything was, or where no places are known."""
    query = select(Shipment.tracking_key).where(Shipment.order_id == order_id, Shipment.state.in_(LabelState.TRAVELS))
    key = session.scalar(query.order_by(Shipment.id.desc()).limit(1))
    return way_of(buyers_view(session, key).shipment) if key else None


def way_of(shipment: SeenShipment) -> Drawn | None:
    """Return the way of a shipment between the places that are known; None where fewer than two are."""
    ends = (shipment.sent_from.country, shipment.goes_to.country)
    home = _stop(shipment.sent_from.city, ends[:1], "home")
    seen = [_stop(event.spot, ends, "seen") for event in reversed(shipment.events) if event.spot]
    known = [stop for stop in (home, *seen) if stop]
    way = [stop for n, stop in enumerate(known) if n == 0 or stop.spot != known[n - 1].spot]
    if any(seen):
        way[-1] = replace(way[-1], kind="now")
    turned = shipment.state is TrackingState.RETURNING
    end = shipment.sent_from if turned else shipment.goes_to
    goal = _stop(end.city, (end.country,), "goal")
    if goal and shipment.state not in FINAL and not (way and way[-1].spot == goal.spot):
        way.append(goal)
    return drawn(tuple(way))


def _stop(town: str, countries: Sequence[str], kind: StopKind) -> Stop | None:
    spot = spot_of(town, countries)
    return Stop(town.split(",", maxsplit=1)[0], spot, kind) if spot else None
