"""The driver's count: parcels scanned out against what belongs to the departure, and the handing over itself."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from tidewind.core.scanned import forms_of, order_of_slip
from tidewind.core.states.departures import DepartureState
from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Departure, Label, Order, Shipment
from tidewind.services.base import Conflict, Invalid
from tidewind.services.handover.departures import DepartureKey, lock_departure
from tidewind.services.handover.leaving import Moved, goes, labels_in, stays_behind
from tidewind.services.handover.pickups import standing_manifest
from tidewind.services.handover.stopped import MAY_GO, said_of, stopped_in
from tidewind.services.planning import changes_upstream

Verdict = Literal["right", "twice", "not_listed", "other_truck", "gone", "not_to_go", "unknown"]
LONGEST_SIGNATURE = 60_000


@dataclass(frozen=True, slots=True)
class Counted:
    """What a scan at the truck meant, in a word and in a sentence, and how far the count has come.

    ``decide_order_id`` is the order that somebody must decide about before its parcel goes.
    """

    verdict: Verdict
    words: str
    order_number: str
    counted: int
    of: int
    decide_order_id: int | None = None


def count_out(session: Session, key: DepartureKey, code: str, now: datetime) -> Counted:
    """Count a scanned parcel out for the driver; what is wrong with it is said at once and not counted."""
    departure = lock_departure(session, key, now)
    label, shipment = _scanned(session, code, departure.id)
    verdict, words = _verdict(session, departure, label, shipment, code)
    if verdict == "right" and label is not None:
        label.counted_at = now
        session.flush()
    counted, of = counted_so_far(session, departure.id)
    # A label that does not travel is nobody's to decide; one that does must not go for what its channel changed.
    asks = shipment is not None and verdict == "not_to_go" and not _void(shipment)
    number, order_id = (shipment.order.number, shipment.order_id) if shipment else ("", None)
    return Counted(verdict, words, number, counted, of, order_id if asks else None)


def counted_so_far(session: Session, departure_id: int) -> tuple[int, int]:
    """Return how many parcels of a departure are counted out, and of how many."""
    query = (
        select(func.count(Label.counted_at), func.count(Label.id))
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Label.departure_id == departure_id, MAY_GO)
    )
    counted, of = session.execute(query).one()
    return counted, of


def _scanned(session: Session, code: str, departure_id: int) -> tuple[Label | None, Shipment | None]:
    """Return the label that a code means: by its own number, or by its order's."""
    forms = forms_of(code)
    label = session.scalar(select(Label).where(Label.tracking_number.in_(forms)).with_for_update())
    if label is None and forms:
        of_order = (
            select(Label)
            .join(Shipment, Shipment.id == Label.shipment_id)
            .join(Order, Order.id == Shipment.order_id)
            .where(or_(Order.number.in_(forms), Order.id == order_of_slip(forms)))
            .where(Shipment.state.in_(LabelState.TRAVELS))
            # Those of this truck that are not counted yet come first.
            .order_by(Label.departure_id != departure_id, Label.counted_at.is_not(None), Label.id)
            .with_for_update(of=Label)
        )
        label = session.scalars(of_order.limit(1)).first()
    return label, session.get(Shipment, label.shipment_id) if label else None


def _verdict(
    session: Session, departure: Departure, label: Label | None, shipment: Shipment | None, code: str
) -> tuple[Verdict, str]:
    if label is None or shipment is None:
        return "unknown", f"{code.strip()[:40]} is no label and no order of ours"
    if _several(session, code):
        return "unknown", f"orders of two channels have the number {code.strip()[:40]}: scan the label itself"
    if why := _void(shipment):
        return "not_to_go", why
    if label.handed_over_at is not None:
        return "gone", f"it was handed over on {label.handed_over_at:%-d %B}"
    if label.departure_id != departure.id:
        return _with_another(session, departure, label, shipment)
    manifest = standing_manifest(session, departure.id)
    if manifest is not None and label.id not in {line["label_id"] for line in manifest.lines}:
        return "not_listed", f"it is not on manifest {manifest.number}"
    change = changes_upstream(session, [shipment.order_id]).get(shipment.order_id)
    if change is not None and change.stops:
        return "not_to_go", f"{change.words}; somebody must decide first"
    if label.counted_at is not None:
        return "twice", "it was counted already"
    return "right", shipment.service_name


def _void(shipment: Shipment) -> str:
    """Return why nothing goes with a label at all; nothing where it is good."""
    if shipment.state not in LabelState.TRAVELS:
        return f"this label is {shipment.state.replace('_', ' ')}: the parcel must not go"
    if shipment.overtaken:
        return "its order was changed after this label was bought; the parcel must not go with it"
    return ""


def _with_another(session: Session, departure: Departure, label: Label, shipment: Shipment) -> tuple[Verdict, str]:
    other = session.get_one(Departure, label.departure_id)
    if (other.carrier, other.network) != (departure.carrier, departure.network):
        return "other_truck", f"it goes with {shipment.service_name}, another truck"
    return "not_listed", f"it goes on {other.day:%-d %B}, not with this truck"


def _several(session: Session, code: str) -> bool:
    """Tell whether a code is the number of several orders whose labels could go: then it says nothing of a parcel."""
    goes = (MAY_GO, Label.handed_over_at.is_(None))
    query = select(func.count(Order.id.distinct())).join(Shipment, Shipment.order_id == Order.id).join(Label)
    return (session.scalar(query.where(Order.number.in_(forms_of(code)), *goes)) or 0) > 1


@dataclass(frozen=True, slots=True)
class HandedOver:
    """How a handing over went: how many parcels went, and what became of those that stay for the next departure."""

    departure: Departure
    parcels: int
    left: list[Moved]


def hand_over(
    session: Session, key: DepartureKey, number: int | None, driver: str, signature: str, who: str, now: datetime
) -> HandedOver:
    """Hand a departure over: what was counted out goes, what was not falls to the next one, and its record says so.

    Without a scan ``number`` says how many the driver took, which must be all of them.  Raises Conflict where it went
    already, nothing lies there, or the number is another; Invalid for a signature that is none.
    """
    departure = lock_departure(session, key, now)
    if departure.state == DepartureState.HANDED_OVER:
        raise Conflict("handed_over", "It has been handed over already.")
    if len(signature) > LONGEST_SIGNATURE or (signature and not set(signature) <= set("ML0123456789. ")):
        raise Invalid("signature", "The signature is no drawing. Draw it again, or leave it out.")
    labels = labels_in(session, departure.id)
    stopped = stopped_in(session, labels)
    if on_board := [one for one in stopped if any(label.counted_at for label in one.labels)]:
        raise Conflict("changed", f"{said_of(on_board)} Take it off the truck, or decide that it goes.")
    counted = [label for label in labels if label.counted_at is not None]
    if not labels:
        raise Conflict("nothing_there", "Nothing lies there to be handed over.")
    if not counted and number is not None and stopped:
        raise Conflict("changed", f"{said_of(stopped)} Scan the others out, or decide about it.")
    if not counted and number != len(labels):
        said = "nothing" if number is None else str(number)
        words = f"{len(labels)} parcels are to go and {said} was counted. Scan them out, so that we know which are not."
        raise Conflict("count", words)
    left = [label.id for label in labels if label.counted_at is None] if counted else []
    departure.signature = signature
    moved = stays_behind(session, departure, left, "left on the pile", now) if left else []
    session.flush()  # what stays is out of it before the rest goes
    goes(session, departure, driver, who, now)
    return HandedOver(departure, len(labels) - len(left), moved)
