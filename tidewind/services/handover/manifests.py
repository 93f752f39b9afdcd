"""Closing a departure's list: what is on it never changes, and it is told to carriers that want it."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Collection
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, sessionmaker

from tidewind.core.states.departures import DEPARTURE_MOVES, DepartureMove, DepartureState
from tidewind.core.states.labels import LabelState
from tidewind.core.states.pickups import PickupState
from tidewind.core.written import Written
from tidewind.db.tables import CarrierRow, Departure, Label, Manifest, Order, Pickup, Shipment
from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.outside.handing_over import ManifestTold
from tidewind.services.base import Conflict, NotFound, Outside, defer, is_due, move_row, side_by_side
from tidewind.services.handover.departures import DepartureKey, lock_departure, plan_what_stays
from tidewind.services.handover.leaving import labels_in, stays_behind
from tidewind.services.handover.pickups import standing_manifest
from tidewind.services.handover.stopped import LIES, stopped_in
from tidewind.services.planning import default_place

LONGEST_PAUSE = timedelta(minutes=10)
WANTS_LISTS = "manifest"
"""What a carrier says that it can do, where closed lists are told to it."""


@dataclass(frozen=True, slots=True)
class Listed:
    """One parcel on a closed list, as it was: its number, order, service, grams and where it goes."""

    label_id: int
    tracking_number: str
    order_number: str
    service: str
    gross_g: int
    to: str

    @classmethod
    def read(cls, written: Written) -> Listed:
        """Return the parcel from what ``written`` gave."""
        return cls(**written)

    @property
    def written(self) -> Written:
        """The parcel as JSON values."""
        return {name: getattr(self, name) for name in self.__dataclass_fields__}


def listed_of(manifest: Manifest) -> list[Listed]:
    """Return the parcels of a closed list in their order."""
    return [Listed.read(line) for line in manifest.lines]


def listed_on(session: Session, key: DepartureKey) -> list[Listed]:
    """Return the parcels that lie at a departure now, in the order of a list; nothing where there is none."""
    mine = (Departure.carrier == key.carrier, Departure.network == key.network, Departure.day == key.day)
    found = session.scalar(select(Departure.id).where(*mine, Departure.place_id == default_place(session).id))
    return _listed(session, found) if found is not None else []


def close_manifest(session: Session, key: DepartureKey, who: str, now: datetime) -> Manifest:
    """Close a departure's list with what is bought for it; what is planned for it falls to the next one.

    A second close finds the first one's list.  What a channel changed meanwhile stays for the next departure: the list
    names nothing that somebody has to decide about first.

    Raises Conflict where nothing is bought, something is being bought just now, or the departure has gone.
    """
    departure = lock_departure(session, key, now)
    standing = standing_manifest(session, departure.id)
    if standing is not None and departure.state == DepartureState.CLOSED:
        return standing
    _keep_stopped(session, departure, now)
    listed, buying = _listed(session, departure.id), _buying(session, departure.id)
    if buying:
        labels = "A label is" if buying == 1 else f"{buying} labels are"
        raise Conflict("buying", f"{labels} being bought for it just now. Close it in a moment.")
    if not listed:
        raise Conflict("nothing_bought", "Nothing is bought for this departure, so there is no list to close.")
    move_row(departure, DEPARTURE_MOVES, DepartureState, DepartureMove.CLOSE)
    carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == departure.carrier)).one()
    before = session.scalar(select(func.count(Manifest.id)).where(Manifest.departure_id == departure.id)) or 0
    tells = WANTS_LISTS in carrier.can
    made = Manifest(
        departure_id=departure.id,
        departure=departure,
        number=f"{carrier.monogram}-{departure.id:06d}-{before + 1}",
        idempotency_key=secrets.token_hex(16),
        lines=[one.written for one in listed],
        gross_g=sum(one.gross_g for one in listed),
        closed_by=who,
        closed_at=now,
        told="asked" if tells else "unasked",
        next_try_at=now if tells else None,
    )
    session.add(made)
    if tells:
        defer(session, "settle_pickups")
    session.flush()
    plan_what_stays(session, departure, f"its manifest was closed at {now:%H:%M} UTC", now)
    return made


def _keep_stopped(session: Session, departure: Departure, now: datetime) -> None:
    stopped = stopped_in(session, labels_in(session, departure.id))
    labels = [label.id for one in stopped for label in one.labels]
    if labels:
        stays_behind(session, departure, labels, "its channel changed it and nobody has decided", now)
        session.flush()


def _listed(session: Session, departure_id: int) -> list[Listed]:
    query = (
        select(Label, Shipment)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Label.departure_id == departure_id, LIES)
        .options(joinedload(Shipment.order).lazyload(Order.lines))
        .order_by(Shipment.service_name, Label.id)
    )
    return [
        Listed(
            label.id,
            label.tracking_number or "",
            shipment.order.number,
            shipment.service_name,
            label.gross_g,
            f"{shipment.address.country} {shipment.address.postcode} {shipment.address.city}",
        )
        for label, shipment in session.execute(query).unique()
    ]


def _buying(session: Session, departure_id: int) -> int:
    query = select(func.count(Label.id)).join(Shipment, Shipment.id == Label.shipment_id)
    return session.scalar(query.where(Label.departure_id == departure_id, Shipment.state == LabelState.BUYING)) or 0


def reopen_manifest(session: Session, key: DepartureKey, who: str, now: datetime) -> Manifest:
    """Open a closed departure again, before it is handed over; its list is worth nothing from now on.

    Raises Conflict where it was handed over, is not closed, or a van was asked for with this list.
    """
    departure = lock_departure(session, key, now)
    standing = standing_manifest(session, departure.id)
    if standing is None:
        raise Conflict("not_closed", "Its manifest is not closed.")
    with_it = select(Pickup.id).where(
        Pickup.departure_id == departure.id, Pickup.state.in_(PickupState.STANDS), Pickup.manifest == standing.number
    )
    if session.scalar(with_it) is not None:
        raise Conflict("van_knows", "Its van was asked for with this manifest. Cancel the pickup first, then reopen.")
    move_row(departure, DEPARTURE_MOVES, DepartureState, DepartureMove.REOPEN)
    standing.reopened_by, standing.reopened_at = who, now
    if standing.told in ("asked", "told"):
        standing.told, standing.next_try_at, standing.attempts = "asked", now, 0
        defer(session, "settle_pickups")
    session.flush()
    return standing


def manifest_by_number(session: Session, number: str) -> Manifest:
    """Return a closed list by its number.  Raises NotFound."""
    found = session.scalar(select(Manifest).where(Manifest.number == number))
    if found is None:
        raise NotFound("unknown_manifest", "There is no manifest with this number.")
    return found


def why_not_void(session: Session, shipment_ids: Collection[int]) -> dict[int, str]:
    """Return which labels are on a closed list or handed over, and so cannot be voided, with the reason in words."""
    bound = (DepartureState.CLOSED, DepartureState.HANDED_OVER)
    query = (
        select(Label.shipment_id, Departure.state, Departure.recount, Manifest.number)
        .join(Departure, Departure.id == Label.departure_id)
        .outerjoin(Manifest, (Manifest.departure_id == Departure.id) & Manifest.reopened_at.is_(None))
        .where(Label.shipment_id.in_(shipment_ids), Departure.state.in_(bound))
    )
    found = {}
    for shipment_id, state, recount, number in session.execute(query):
        if state == DepartureState.HANDED_OVER or recount:
            found[shipment_id] = "it was handed over to the carrier"
        else:
            found[shipment_id] = f"it is on manifest {number}; reopen that first, in Departures"
    return found


def tell_manifests(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> dict[int, str]:
    """Tell carriers of lists that were closed or opened again and are due; return what became of each."""
    with sessions() as session:
        rows = session.execute(
            select(Manifest.id, Departure.carrier)
            .join(Departure, Departure.id == Manifest.departure_id)
            .where(Manifest.told == "asked", is_due(Manifest.next_try_at, clock(), LONGEST_PAUSE))
            .order_by(Manifest.id)
        ).all()
    due = {row.id: row.carrier for row in rows}
    return side_by_side("tell manifests", due, lambda one: _tell(sessions, outside, one, clock))


def _tell(sessions: sessionmaker[Session], outside: Outside, manifest_id: int, clock: Callable[[], datetime]) -> str:
    with sessions.begin() as session:
        manifest = session.get_one(Manifest, manifest_id, with_for_update={"of": Manifest})
        if manifest.told != "asked":
            return manifest.told
        manifest.attempts += 1
        manifest.next_try_at = clock() + min(timedelta(seconds=10 * 2 ** min(manifest.attempts, 6)), LONGEST_PAUSE)
        departure, opened = manifest.departure, manifest.reopened_at is not None
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == departure.carrier)).one()
        client, key = outside.carrier(carrier), manifest.idempotency_key
        numbers = tuple(one.tracking_number for one in listed_of(manifest) if one.tracking_number)
        told = ManifestTold(manifest.number, departure.network, departure.day, numbers, manifest.gross_g)
    state, words = "unasked" if opened else "told", ""
    try:
        if opened:
            client.take_manifest_back(key)
        else:
            client.tell_manifest(key, told)
    except RefusedOutside as refusal:
        state, words = "refused", str(refusal)
    except (NeverSent, MaybeDone):
        return "asked"  # it is due again soon: the same key is the same list, told or not
    with sessions.begin() as session:
        manifest = session.get_one(Manifest, manifest_id, with_for_update={"of": Manifest})
        if (manifest.reopened_at is not None) == opened:  # else it was opened again meanwhile, and is due once more
            manifest.told, manifest.words, manifest.next_try_at = state, words[:300], None
        return manifest.told
