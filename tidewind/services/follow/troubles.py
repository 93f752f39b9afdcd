"""The parcels under way: how long each takes against what is usual, and those that need somebody, the worst first."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.calendar import is_working_day
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.folding import Heard, Standing
from tidewind.core.tracking.states import TrackingState
from tidewind.core.tracking.troubles import ORDER, Trouble, trouble_of
from tidewind.core.tracking.usual import Record, Usual, working_tenths
from tidewind.db.tables import Label, Order, ParcelDeed, Shipment, TrackingEvent
from tidewind.services.follow.parcels import LOST_FOR
from tidewind.services.follow.record import usual_days
from tidewind.services.planning import shop_settings

MOST_UNDER_WAY = 5_000
"""So many are shown, those first of which nothing was heard for longest."""
_ON_ITS_WAY = Label.tracking_state.not_in(("announced", "delivered", "returned"))


@dataclass(frozen=True, slots=True)
class Deed:
    """What somebody did about a parcel."""

    at: datetime
    who: str
    kind: str


@dataclass(frozen=True, slots=True)
class ParcelUnderWay:
    """A parcel on its way: where it was last seen, and for how long it has been going, in tenths of working days."""

    label_id: int
    shipment_id: int
    order_id: int
    order_number: str
    name: str
    city: str
    country: str
    number: str
    carrier: str
    service: str
    service_name: str
    destination: str
    state: str
    words: str
    spot: str
    seen_at: datetime | None
    arrives: date | None
    tenths: int
    trouble: Trouble | None
    deeds: tuple[Deed, ...]


@dataclass(frozen=True, slots=True)
class Band:
    """What is usual for a service to a group of destinations (None: too few came), and its parcels under way."""

    carrier: str
    service: str
    service_name: str
    destination: str
    usual: Usual | None
    parcels: tuple[ParcelUnderWay, ...]


@dataclass(frozen=True, slots=True)
class Following:
    """All that is under way, by service and destination, and what of it needs somebody."""

    bands: tuple[Band, ...]
    troubles: tuple[ParcelUnderWay, ...]
    under_way: int


def following(session: Session, now: datetime) -> Following:
    """Return the parcels under way and what is wrong with which."""
    zone = ZoneInfo(shop_settings(session).time_zone)
    record = usual_days(session, now, zone)
    rows = _rows(session, now)
    deeds = _deeds(session, {row.shipment_id for row in rows})
    parcels = [_parcel(row, record, deeds.get(row.shipment_id, ()), now, zone) for row in rows]
    troubles = sorted((p for p in parcels if p.trouble and not _seen_to(p)), key=_worst_first)
    groups: defaultdict[tuple[str, str, str, str], list[ParcelUnderWay]] = defaultdict(list)
    for parcel in parcels:
        groups[parcel.carrier, parcel.service, parcel.service_name, parcel.destination].append(parcel)
    bands = [Band(*key, record.get((key[1], key[3])), tuple(found)) for key, found in groups.items()]
    bands.sort(key=lambda band: (-len(band.parcels), band.service, band.destination))
    return Following(tuple(bands), tuple(troubles), len(parcels))


def parcel_in_trouble(session: Session, shipment_id: int, now: datetime) -> ParcelUnderWay | None:
    """Return the parcel of a shipment that needs somebody most, None where none does."""
    zone = ZoneInfo(shop_settings(session).time_zone)
    record, deeds = usual_days(session, now, zone), _deeds(session, {shipment_id}).get(shipment_id, ())
    found = [_parcel(row, record, deeds, now, zone) for row in _rows(session, now, shipment_id)]
    return min((p for p in found if p.trouble), key=_worst_first, default=None)


_SHOWN = (
    Label.id.label("label_id"),
    Label.shipment_id,
    Label.tracking_number,
    Label.tracking_state,
    Label.tracking_since,
    Label.tracking_reason,
    Label.last_event_at,
    Shipment.carrier,
    Shipment.service,
    Shipment.service_name,
    Shipment.arrives,
    Shipment.ship_date,
    Shipment.address,
    Shipment.sender,
    Order.id.label("order_id"),
    Order.number,
    Order.destination,
)


def _rows(session: Session, now: datetime, shipment_id: int | None = None) -> Sequence[Any]:
    left = (
        select(func.min(TrackingEvent.at))
        .where(TrackingEvent.label_id == Label.id, TrackingEvent.state.in_(("accepted", "moving")))
        .scalar_subquery()
    )
    newest = (
        select(TrackingEvent.words, TrackingEvent.spot)
        .where(TrackingEvent.label_id == Label.id, TrackingEvent.state != "")
        .order_by(TrackingEvent.at.desc(), TrackingEvent.id.desc())
        .limit(1)
        .lateral()
    )
    query = (
        select(*_SHOWN, left.label("left_at"), newest.c.words, newest.c.spot)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .join(Order, Order.id == Shipment.order_id)
        .join(newest, newest.c.words.is_not(None), isouter=True)
        .where(_ON_ITS_WAY, Shipment.state.in_(LabelState.TRAVELS))
        .where((Label.tracking_state != TrackingState.LOST) | (Label.last_event_at > now - LOST_FOR))
    )
    if shipment_id is not None:
        query = query.where(Label.shipment_id == shipment_id)
    return session.execute(query.order_by(Label.last_event_at).limit(MOST_UNDER_WAY)).all()


def _parcel(row: Any, record: Record, deeds: tuple[Deed, ...], now: datetime, zone: ZoneInfo) -> ParcelUnderWay:
    ends = tuple(sorted({row.sender.country, row.address.country}))
    standing = _standing(row)
    transit = _working_days(row.ship_date, row.arrives, ends) if row.arrives else 5
    known = record.get((row.service, row.destination))
    trouble = trouble_of(standing, row.arrives, known, transit, now, zone, ends)
    return ParcelUnderWay(
        label_id=row.label_id,
        shipment_id=row.shipment_id,
        order_id=row.order_id,
        order_number=row.number,
        name=row.address.name or row.address.company,
        city=row.address.city,
        country=row.address.country,
        number=row.tracking_number or "",
        carrier=row.carrier,
        service=row.service,
        service_name=row.service_name,
        destination=row.destination,
        state=row.tracking_state,
        words=row.words or "",
        spot=row.spot or "",
        seen_at=row.last_event_at,
        arrives=row.arrives,
        tenths=working_tenths(row.left_at, now, zone, ends) if row.left_at else 0,
        trouble=trouble,
        deeds=deeds,
    )


def _standing(row: Any) -> Standing:
    state = TrackingState(row.tracking_state)
    last = None
    if row.last_event_at is not None:
        last = Heard(row.last_event_at, state, reason=row.tracking_reason, words=row.words or "", spot=row.spot or "")
    return Standing(state, row.tracking_since, row.tracking_reason, last)


def _working_days(start: date, end: date, ends: Collection[str]) -> int:
    days = (start + timedelta(days=n) for n in range(1, (end - start).days + 1))
    return sum(all(is_working_day(day, place) for place in ends) for day in days)


def _deeds(session: Session, shipment_ids: Collection[int]) -> dict[int, tuple[Deed, ...]]:
    found: defaultdict[int, list[Deed]] = defaultdict(list)
    query = select(ParcelDeed).where(ParcelDeed.shipment_id.in_(shipment_ids)).order_by(ParcelDeed.id)
    for row in session.scalars(query):
        found[row.shipment_id].append(Deed(row.at, row.who, row.kind))
    return {shipment: tuple(deeds) for shipment, deeds in found.items()}


def _worst_first(parcel: ParcelUnderWay) -> tuple[int, int, int]:
    trouble = parcel.trouble
    return (ORDER.index(trouble.kind), -trouble.days, parcel.label_id) if trouble else (len(ORDER), 0, 0)


def _seen_to(parcel: ParcelUnderWay) -> bool:
    """Tell whether somebody has said that a trouble is seen to, and nothing was heard since."""
    return any(d.kind == "seen_to" and (parcel.seen_at is None or d.at >= parcel.seen_at) for d in parcel.deeds)
